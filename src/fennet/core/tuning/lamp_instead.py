"""What to do beside a lamp's setting, or instead of it where no setting reaches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.light import SHIELDED, constant_dli_mol, least_mm
from fennet.core.lighting.shelf_map import ShelfMap
from fennet.core.records import Journal
from fennet.core.room import RoomState
from fennet.core.targets import LONGEST_DAY_H
from fennet.core.tuning.under_lamp import STEP_H, STEP_MM, TRUE_ENOUGH, ExpectedLight, LampCase

#: The tallest tray is told where the rest would have so much more light without it. Source: growers_rule.
TALLEST_COSTS = 1.2
#: A tray is stood higher by so much at least, mm.
LIFT_FROM_MM = 20.0


@dataclass(frozen=True)
class LampInstead:
    """Something to do beside or instead of a setting: `mol` the daily light it would bring, `factor` how much more is needed,
    `thing` the other lamp, `lift_mm` how much higher a tray stands, `umol` a reading that could not be used."""

    action: str
    tray: str | None = None
    mol: float | None = None
    factor: float | None = None
    thing: str | None = None
    lift_mm: float | None = None
    umol: float | None = None


def ways_instead(
    journal: Journal, case: LampCase, height_mm: float, hours: float, expected: Sequence[ExpectedLight], clash: str | None,
    drawn: ShelfMap | None, state: RoomState,
) -> list[LampInstead]:  # fmt: skip
    """What would help beside a setting (mm over the place, hours a day) and what it is expected to bring: for trays
    that stay short or get too much, readings that are missing or could not be used. `clash` a tray whose hours no other shares.

    Source: growers_rule, the lamp's curve.
    """
    out: list[LampInstead] = []
    short = [e for e in expected if e.dli.p50 < e.low - TRUE_ENOUGH]
    over = [e for e in expected if e.dli.p50 > e.high + TRUE_ENOUGH or e.too_bright]
    if clash is not None:
        out.append(LampInstead("move", clash, thing=_elsewhere(journal, case, state)))
    if short:
        worst = min(short, key=lambda e: e.dli.p50 / e.aim)
        more = worst.aim / max(worst.dli.p50, 0.1)
        from_lamp = worst.dli.p50 * SHIELDED
        if not case.lamp.shield:
            out.append(LampInstead("reflect", worst.tray, from_lamp, SHIELDED))
        if case.dim < 0.99:
            out.insert(0, LampInstead("undim", None, worst.dli.p50 / case.dim))
        longer = next((b for t, b in case.batches if b.batch.id == worst.batch), None)
        if longer is not None and not longer.hours.notes and hours < LONGEST_DAY_H - STEP_H:
            out.append(LampInstead("longer_day", worst.tray, worst.dli.p50 * LONGEST_DAY_H / hours, LONGEST_DAY_H))
        if len(case.trays) > 1 or (drawn is not None and drawn.evenness < 0.8):
            out.append(LampInstead("smaller_area", worst.tray))
        held_up = _tallest(journal, case, height_mm, state)
        if held_up is not None:
            out.insert(0, held_up)
        lifted = _lifted(case, height_mm, hours, short) if len(case.trays) > 1 else []
        out = [*lifted, *out]
        if not lifted and (over or len({e.tray for e in short}) < len(case.trays)):
            out.append(LampInstead("move", worst.tray, thing=_elsewhere(journal, case, state)))
        out.append(LampInstead("another_lamp", None, None, more))
    for e in over:
        # What is mended for the short ones by lifting or moving them lets the lamp go up for the rest.
        if not any(i.action in ("move", "lift") for i in out):
            dimmed = height_mm >= case.headroom_mm - STEP_MM and not short
            # A lamp that cannot go higher is dimmed; else this tray stands nearer to it than the rest can bear.
            tubes = case.lamp.tubes
            if dimmed and tubes and tubes > 1:
                n = max(1, int(tubes * case.dim * e.aim / max(e.dli.p50, 0.1) + 0.5))
                out.append(LampInstead("fewer_tubes", e.tray, e.aim, float(min(n, tubes - 1)), lift_mm=float(tubes)))
                continue
            out.append(LampInstead("dim" if dimmed else "move", e.tray, e.aim, e.aim / e.dli.p50,
                                   None if dimmed else _elsewhere(journal, case, state)))  # fmt: skip
    for action, tray in drawn.advice() if drawn is not None else []:
        out.append(LampInstead(action, tray or None))
    out += left_out(case)
    read = {p.tray for p in case.curve.points if p.tray}
    if case.curve.basis != "measured":
        out.append(LampInstead("read_light", case.trays[0].tray.id))
    elif len(case.curve.points) == 1 and len(case.trays) > 1:
        out.append(LampInstead("one_reading", next((t.tray.id for t in case.trays if t.tray.id not in read), None)))
    elif case.curve.measured_mm and case.curve.measured_mm[1] - case.curve.measured_mm[0] < 20:
        out.append(LampInstead("read_another_height", case.trays[0].tray.id))
    if case.state.height_mm is None:
        out.append(LampInstead("log_height"))
    if not case.state.periods:
        out.append(LampInstead("log_timer"))
    return out


def _tallest(journal: Journal, case: LampCase, height_mm: float, state: RoomState) -> LampInstead | None:
    """The tray whose leaves keep the lamp up for all under it, where the others would have clearly more light without it."""
    if len(case.trays) < 2:
        return None
    tall, *rest = sorted(case.trays, key=lambda t: -t.leaf_mm)
    lower_mm = max(t.leaf_mm for t in rest) + least_mm(case.lamp)
    if height_mm > tall.leaf_mm + least_mm(case.lamp) + 2 * STEP_MM or lower_mm >= height_mm - 2 * STEP_MM:
        return None
    next_to = rest[0]
    now, then = (case.curve.ppfd(next_to.distance_mm(h), next_to.tray.id, case.dim).p50 for h in (height_mm, lower_mm))
    if now <= 0 or then / now < TALLEST_COSTS:
        return None
    return LampInstead(
        "tallest", tall.tray.id, factor=then / now, thing=_elsewhere(journal, case, state), lift_mm=height_mm - lower_mm
    )


def left_out(case: LampCase) -> list[LampInstead]:
    """One word for each reason for which readings could not be used."""
    by_why = {p.why: p for p in reversed(case.curve.left_out)}
    return [LampInstead(why, p.tray, umol=p.ppfd_umol) for why, p in by_why.items()]


def _lifted(case: LampCase, height_mm: float, hours: float, short: Sequence[ExpectedLight]) -> list[LampInstead]:
    """Trays that would be in band if they stood higher, as near as is safe."""
    out = []
    for tray in {e.tray for e in short}:
        t = next(t for t in case.trays if t.tray.id == tray)
        aim = max(e.aim for e in short if e.tray == tray)
        now = t.distance_mm(height_mm)
        for d in np.arange(now - LIFT_FROM_MM, least_mm(case.lamp), -STEP_MM):
            if t.other_mol + constant_dli_mol(case.curve.ppfd(float(d), tray, case.dim).p50, hours) >= aim:
                out.append(LampInstead("lift", tray, lift_mm=float(now - d)))
                break
    return out


def _elsewhere(journal: Journal, case: LampCase, state: RoomState) -> str | None:
    """Another lamp that hangs over a place, with the fewest trays under it."""
    others = [x.id for x in journal.lamps if x.id != case.lamp.id and state.lamps[x.id].place not in (None, case.state.place)]
    return min(others, key=lambda n: (sum(t.place == state.lamps[n].place for t in state.trays.values()), n), default=None)
