"""Thinning, pricking out, potting up and pinching: when each is due by practice, kind and size."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

from fennet.core.care.leaves import leaf_there_s, leaves_made
from fennet.core.containers import cell_holds_d, holds_d
from fennet.core.crop import Crop
from fennet.core.history import counts_of, fresh_mix_s, life_events
from fennet.core.light import DAY_S
from fennet.core.records import Batch, Event, Tray
from fennet.core.seed import SeedState
from fennet.core.stretch import ThermalAge

#: Kinds that grow happily several to a cell are thinned only beyond this. Source: growers_rule.
SHARES_CELL = {"onion_family": 5}
#: Kinds that grow on as a clump where their grower leaves several to a cell, and how many.
STANDS_COMPANY = ("onion_family", "warm_herbs", "celery_kin", "cool_leaves", "tender_flowers")
SEVERAL = 6.0
#: Of two pots the first has this part of the width of the last. Source: growers_rule.
FIRST_POT = 0.65
#: "By the calendar": weeks two to three, d. Pinching comes so long after potting up, and needs so many weeks left. Source:
#: growers_rule.
CALENDAR_D, PINCH_AFTER_D, PINCH_NEEDS_D = 18.0, 7.0, 21.0
#: Later than this nobody thins: it was done and not written down, d of age. Source: starting_estimate.
THIN_UNTIL_D = 30.0
#: Share of a pot's own volume of mix for a kind, ml, where its pot is given by its width: a round pot as tall as wide. Source:
#: arithmetic.
ROUND = 0.6


@dataclass(frozen=True)
class Thin:
    """So many are left of those in the way: `how` cut, pull or separate."""

    kind: ClassVar[str] = "thin"
    to: int
    extra: int
    how: str


@dataclass(frozen=True)
class PrickOut:
    """A crowd of so many."""

    kind: ClassVar[str] = "prick_out"
    n: int


@dataclass(frozen=True)
class PotUp:
    """`why` leaves (so many are `need`ed), roots, full_cell or calendar; `stem` bury, slightly or level."""

    kind: ClassVar[str] = "pot_up"
    why: str
    pot_mm: float | None
    leaves: int
    stem: str
    need: int = 2


@dataclass(frozen=True)
class Pinch:
    kind: ClassVar[str] = "pinch"


@dataclass(frozen=True)
class Handling:
    """One deed due for a batch, and when (seconds UTC)."""

    due_s: float
    figures: Thin | PrickOut | PotUp | Pinch

    @property
    def action(self) -> str:
        return self.figures.kind


def left_in_cell(crop: Crop, practice: Mapping[str, str]) -> float:
    """How many plants of a kind may stay in a cell: one, unless its kind stands company or the grower leaves several. Source:
    growers_rule.

    >>> from fennet.crops import shipped
    >>> usual = {"per_cell": "one"}
    >>> [left_in_cell(shipped().get(c), usual) for c in ("tomato", "chives")]
    [1.0, 5.0]
    """
    by_kind = float(SHARES_CELL.get(crop.group, 1))
    return max(by_kind, SEVERAL) if practice["per_cell"] == "several" and crop.group in STANDS_COMPANY else by_kind


def pot_ml(crop: Crop) -> float | None:
    """Volume of the pot a kind is potted into, ml; None where it is planted from its cell. Source: planting_estimate.

    A worked example stands in tests/core/test_care.py.
    """
    mm = crop.planting.pot_mm
    return None if mm is None else ROUND * (mm / 10.0) ** 3


def pots_area_mm2(n: int, pot_mm: float) -> float:
    """What so many round pots stand on, mm². Source: arithmetic.

    >>> pots_area_mm2(4, 100.0)
    40000.0
    """
    return n * pot_mm**2


def buries(crop: Crop, practice: Mapping[str, str]) -> str:
    """How deep it goes at potting up: bury (to the seed leaves), slightly, or level. Source: growers_rule, growth_estimate."""
    if crop.growth.stem == "bury":
        return "bury"
    return "slightly" if practice["stem"] == "bury_slightly" else "level"


def pinches(crop: Crop, practice: Mapping[str, str]) -> bool:
    """Whether a kind is pinched by the practice: kinds that branch, and peppers where the grower pinches those too. Source:
    growers_rule."""
    school = practice.get("topping", "none")
    return school != "none" and (crop.growth.topping or (school == "pinch_peppers" and crop.id == "pepper"))


def handling_due(
    crop: Crop, batch: Batch, tray: Tray, events: Sequence[Event], at_s: float, practice: Mapping[str, str], age: ThermalAge,
    seed: SeedState, ready_in_d: float | None = None,
) -> list[Handling]:  # fmt: skip
    """What is due for a batch now or within the next days. `age` from `thermal_age`, `ready_in_d` days until it is planted out.
    `events` are effective events. Source: growers_rule, growth_estimate, planting_estimate."""
    counts = counts_of(batch, events)
    if not counts.up or age.up_s is None:
        return []
    mine = [e for e in events if e.fields.get("batch") == batch.id]
    done = {e.kind for e in mine}
    made = leaves_made(crop, age, events, batch)
    out = []
    a_cell = counts.up / batch.n_cells if counts.unit == "seedlings" else batch.n_seeds_per_cell * seed.mean
    # What stands in a box or its rows is pricked out as a crowd is.
    crowd = batch.set_up == "crowd" or (batch.by_seed and batch.set_up != "towel") or a_cell > 6
    first_leaf_s = leaf_there_s(crop, age, made, 1, at_s)
    if crowd and "moved" not in done and "potted_up" not in done and crop.growth.pricks_out:
        n = counts.up if batch.by_seed else round(a_cell * batch.n_cells)
        out.append(Handling(first_leaf_s, PrickOut(n)))
    elif age.now_d < THIN_UNTIL_D and a_cell > 1.25 and a_cell > left_in_cell(crop, practice) and "thinned" not in done:
        extra = max(0, round((a_cell - 1) * counts.up)) if counts.unit == "cells" else counts.up - batch.n_cells
        if extra >= 1:
            how = "separate" if practice["per_cell"] == "three_then_parted" else practice["thin"]
            out.append(Handling(first_leaf_s, Thin(min(counts.up, batch.n_cells), extra, how)))
    fresh_s = fresh_mix_s(batch, events)
    pot = _pot_up(crop, batch, tray, mine, at_s, practice, age, made, fresh_s[-1] if fresh_s else None)
    if pot is not None:
        out.append(pot)
    if pinches(crop, practice) and not life_events(batch, events, "topped"):
        potted = fresh_s if tray.kind == "pots" or "potted_up" in done else []
        if potted and (ready_in_d is None or ready_in_d >= PINCH_NEEDS_D):
            out.append(Handling(potted[-1] + PINCH_AFTER_D * DAY_S, Pinch()))
    return out


def _in_two_moves(
    crop: Crop, batch: Batch, tray: Tray, mine: Sequence[Event], at_s: float, practice: Mapping[str, str], age: ThermalAge,
    made: float, fresh_s: float | None,
) -> Handling | None:  # fmt: skip
    """Potting up twice: into a small pot by the school, and into its own once that is full."""
    last_mm = crop.planting.pot_mm
    moves = [e for e in mine if e.kind == "potted_up"]
    if last_mm is None or len(moves) > 1:
        return None
    first_mm = round(FIRST_POT * last_mm / 10) * 10.0
    if not moves:
        first = _pot_up(crop, batch, tray, mine, at_s, {**practice, "pots": "one_move"}, age, made, fresh_s)
        return None if first is None or not isinstance(first.figures, PotUp) else replace(
            first, figures=replace(first.figures, pot_mm=first_mm)
        )  # fmt: skip
    full_s = moves[-1].at_s + cell_holds_d(ROUND * (first_mm / 10.0) ** 3) * DAY_S
    return Handling(full_s, PotUp("full_cell", last_mm, max(0, int(made)), buries(crop, practice)))


def _pot_up(
    crop: Crop, batch: Batch, tray: Tray, mine: Sequence[Event], at_s: float, practice: Mapping[str, str], age: ThermalAge,
    made: float, fresh_s: float | None,
) -> Handling | None:  # fmt: skip
    """Potting up by the school, and whatever the school says once the cell holds no more. Plants that were pricked out at
    `fresh_s` were handled once by the school; they wait until their cell is full."""
    pots = practice["pots"]
    if pots == "roomy" and not any(e.kind == "sign" and e.fields["sign"] == "roots_circling" for e in mine):
        # Sown where it stays until it is planted.
        return None
    wanted = pot_ml(crop)
    if pots == "two_moves":
        return _in_two_moves(crop, batch, tray, mine, at_s, practice, age, made, fresh_s)
    small = tray.cell_ml is None or wanted is None or tray.cell_ml < 0.6 * wanted
    if wanted is None or not small or any(e.kind == "potted_up" for e in mine) or tray.kind == "pots":
        return None
    assert age.up_s is not None
    pot = PotUp("leaves", crop.planting.pot_mm, max(0, int(made)), buries(crop, practice))
    roots = [e.at_s for e in mine if e.kind == "sign" and e.fields["sign"] == "roots_circling"]
    if roots:
        return Handling(at_s, replace(pot, why="roots"))
    full_s = max(age.up_s, fresh_s or age.up_s) + holds_d(tray) * DAY_S
    school = practice["pot_up"]
    if school == "calendar":
        due_s, pot = age.up_s + CALENDAR_D * DAY_S, replace(pot, why="calendar")
    elif school == "roots_show":
        due_s, pot = full_s, replace(pot, why="full_cell")
    else:
        pot = replace(pot, need=1 if school == "first_leaf" else 2)
        due_s = leaf_there_s(crop, age, made, pot.need, at_s)
    if full_s < due_s or fresh_s is not None:
        due_s, pot = full_s, replace(pot, why="full_cell")
    return Handling(due_s, pot)
