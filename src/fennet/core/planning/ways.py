"""Which sowings share a tray, every way each can be sown, and what a way takes of the room."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from fennet.core.crop import Crop
from fennet.core.planning.drafts import Draft
from fennet.core.planning.room_for import RESOURCES, Capacity, InUse, TrayKind, lamp_settings
from fennet.core.planning.schedule import Option, Problem, Unit
from fennet.core.records import FloatArray

#: A crowd is pricked apart this long after it is half up. Source: growers_rule.
PRICK_D = 10.0
#: A day nearer to the aim is worth this against a day without a mat's warmth. Source: starting_estimate.
NO_MAT_COST, WAIT_COST = 12.0, 0.5
#: Kinds share a tray where their soils lie this near and their waits are this alike. Source: growers_rule.
SHARE_SOIL_C, SHARE_WAIT_D, SHARE_WAIT_PART, SHARE_AIMS_D = 3.0, 4.0, 0.35, 10
#: Days over which tray and mat stay after half up, by practice. Source: growers_rule.
AFTER_HALF_D = {"two_days_after": 3}
#: A towel's bag takes this part of a mat place. Source: starting_estimate.
TOWEL_PART = 0.25
#: Beyond the range a sowing is still offered as a way out, days.
STRETCHED_D = 28


def groups_of(found: Sequence[Draft], tray: TrayKind) -> list[tuple[Draft, ...]]:
    """Drafts that go into one tray together: small ones whose soil, wait and days agree; every other by itself."""
    groups: list[list[Draft]] = []
    for draft in sorted(found, key=lambda d: (d.sow_aim, d.at, d.number, d.part)):
        home = None
        if _may_share(draft, tray):
            home = next(
                (g for g in groups if _may_share(g[0], tray) and all(_alike(draft, x) for x in g) and _room(g, draft, tray)), None
            )
        if home is None:
            groups.append([draft])
        else:
            home.append(draft)
    return [tuple(g) for g in groups]


def _may_share(d: Draft, tray: TrayKind) -> bool:
    return d.much.set_up == "in_mix" and not d.moved and 0 < d.much.cells <= tray.cells / 2


def _room(group: list[Draft], d: Draft, tray: TrayKind) -> bool:
    if sum(x.much.cells for x in group) + d.much.cells > tray.cells:
        return False
    first = max(x.sow_from for x in [*group, d] if x.sow_from)
    last = min(x.sow_to for x in [*group, d] if x.sow_to)
    aims = [x.sow_aim for x in [*group, d] if x.sow_aim]
    return first <= last and (max(aims) - min(aims)).days <= SHARE_AIMS_D


def _alike(a: Draft, b: Draft) -> bool:
    if (a.warm is None) != (b.warm is None) or a.best is None or b.best is None:
        return False
    apart = abs(a.best.days.p50 - b.best.days.p50)
    near = apart <= max(SHARE_WAIT_D, SHARE_WAIT_PART * min(a.best.days.p50, b.best.days.p50))
    return (
        near
        and abs(a.best.soil_c - b.best.soil_c) <= SHARE_SOIL_C
        and lamp_settings([hours_band(a.crop), hours_band(b.crop)]) == 1
    )


def hours_band(crop: Crop) -> tuple[float, float]:
    """Hours of light the crop wants while it grows on."""
    band = crop.bands[("growing", "light_hours")]
    return band.low, band.high


@dataclass(frozen=True)
class Way:
    """One day and heat a group may be sown with, and what it takes of the room."""

    sow: date
    on_mat: bool
    option: Option


def ways_of(group: Sequence[Draft], tray: TrayKind, start: date, beyond_d: int = 0) -> list[Way]:
    """Every day and heat that a group may be sown with; `beyond_d` days further at either end for a way out."""
    moved = next((d.sow_aim for d in group if d.moved), None)
    first = max(d.sow_from for d in group if d.sow_from) - timedelta(days=beyond_d)
    last = min(d.sow_to for d in group if d.sow_to) + timedelta(days=beyond_d)
    first = max(first, start)
    days = [moved] if moved and not beyond_d else [first + timedelta(days=i) for i in range((last - first).days + 1)]
    heats = [True, False] if all(d.warm for d in group) and all(d.cool for d in group) else [all(d.warm for d in group)]
    out = []
    for day in days:
        for on_mat in heats:
            cost = 0.0
            for d in group:
                heat = d.warm if on_mat else d.cool
                assert heat is not None and d.growing is not None
                grow = d.grow_days(day, heat)
                if (
                    not beyond_d
                    and not moved
                    and len(heats) > 1
                    and not d.growing.least_days - 1 <= grow <= d.growing.most_days + 1
                ):
                    cost = math.inf
                    break
                cost += abs(grow - d.growing.aim_days)
                if d.warm and not on_mat:
                    cost += NO_MAT_COST + WAIT_COST * (heat.days.p50 - d.warm.days.p50)
            if math.isfinite(cost):
                out.append(Way(day, on_mat, Option(use_of(group, day, on_mat, tray, start), cost)))
    if not out:
        return ways_of(group, tray, start, 1) if not beyond_d else []
    return out


def use_of(
    group: Sequence[Draft], day: date, on_mat: bool, tray: TrayKind, start: date
) -> tuple[tuple[tuple[int, int, float], ...], ...]:
    """What a group sown on a day takes of mats, shelf and lamps: (from day, to day, amount) by resource."""
    mat: list[tuple[int, int, float]] = []
    shelf: list[tuple[int, int, float]] = []
    lamp: list[tuple[int, int, float]] = []
    sow_d = (day - start).days
    trays = trays_of(group, tray)
    cells = sum(d.much.cells for d in group)
    longest = 0
    for d in group:
        heat = d.warm if on_mat else d.cool
        assert heat is not None and d.growing is not None
        half_d = sow_d + math.ceil(heat.days.p50)
        out_d = max((d.out_on - start).days, half_d + 1)
        harden_d = max(half_d, out_d - d.harden_days)
        longest = max(longest, half_d + AFTER_HALF_D.get(d.practice["mat_off"], 0))
        in_cells = trays * tray.area_mm2 * d.much.cells / max(1, cells)
        pot_d, potted = _pots(d, half_d, harden_d, tray)
        shelf += [(sow_d, pot_d, in_cells), (pot_d, out_d, potted)]
        lamp += [(half_d, min(pot_d, harden_d), in_cells), (min(pot_d, harden_d), harden_d, potted)]
    if on_mat:
        mat.append((sow_d, longest, TOWEL_PART * trays if group[0].much.set_up == "towel" else float(trays)))
    return tuple(tuple(x for x in spans if x[1] > x[0] and x[2] > 0) for spans in (mat, shelf, lamp))


def _pots(d: Draft, half_d: int, harden_d: int, tray: TrayKind) -> tuple[int, float]:
    """When a sowing leaves its cells, and the area it takes then; the same area to the end where it does not."""
    after_d = pot_after_d(d)
    if after_d is None or half_d + after_d >= harden_d:
        return harden_d, d.much.cells * tray.cell_mm2
    side_mm2 = tray.cell_mm2 if d.much.set_up == "crowd" else (d.crop.planting.pot_mm or 0.0) ** 2
    return half_d + round(after_d), d.much.wanted * side_mm2


def pot_after_d(d: Draft) -> float | None:
    """Days from half up until a sowing leaves its cells: pricked apart or potted up; None where it stays in them."""
    if d.much.set_up == "crowd":
        return PRICK_D
    return d.growing.pot_up_days if d.growing and d.crop.planting.pot_mm else None


def trays_of(group: Sequence[Draft], tray: TrayKind) -> int:
    """Whole trays a group is sown in."""
    return max(1, math.ceil(sum(d.much.cells for d in group) / tray.cells))


def problem_of(ways: Sequence[Sequence[Way]], have: Capacity, using: Sequence[InUse], today_d: int) -> Problem:
    """What the search is given: the ways of every group, what there is, and what live batches take already."""
    ends = [x[1] for way in ways for w in way for spans in w.option.use for x in spans]
    ends += [today_d + x[2] for u in using for x in u.spans]
    taken: FloatArray = np.zeros((len(RESOURCES), max(ends, default=0) + 1))
    for u in using:
        for r, from_d, to_d, amount in u.spans:
            taken[r, today_d + from_d : today_d + to_d] += amount
    return Problem(
        tuple(Unit(str(i), tuple(w.option for w in way)) for i, way in enumerate(ways)), np.array(have.as_row()), taken
    )
