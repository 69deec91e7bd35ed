"""Whether the plan has room for pots: the fullest week of the shelves until they go out, with these pots on them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from fennet.core.care.handling import pots_area_mm2
from fennet.core.planning.plan import Plan
from fennet.core.planning.room_for import RESOURCES

SHELF = RESOURCES.index("shelf_mm2")


@dataclass(frozen=True)
class PotSpace:
    """The fullest week (its Monday) and the share of all shelves that is then in use; over 1 it does not fit."""

    monday: date
    share: float


def pot_space(plan: Plan, batch_id: str, n: int, pot_mm: float, whole: bool) -> PotSpace | None:
    """The fullest week of the shelves if `n` plants of a live batch stood in round pots from today on, `pot_mm` wide; with
    `whole` its cells go out of use. None where the shelves' measures, or the batch, are not known to the plan. Source:
    arithmetic, and planting_estimate for how long they stay.
    """
    mine = next((u for u in plan.using if u.batch.id == batch_id), None)
    have = plan.have.shelf_mm2
    span = next((x for x in mine.spans if x[0] == SHELF), None) if mine is not None else None
    if span is None or not have:
        return None
    _, from_d, to_d, area_mm2 = span
    more_mm2 = pots_area_mm2(n, pot_mm) - (area_mm2 if whole else 0.0)
    first, last = plan.today + timedelta(days=from_d), plan.today + timedelta(days=to_d)
    weeks = [w for w in plan.load if w.monday <= last and w.monday + timedelta(days=6) >= first]
    if not weeks:
        return None
    fullest = max(weeks, key=lambda w: w.needed[SHELF])
    return PotSpace(fullest.monday, (fullest.needed[SHELF] + more_mm2) / have)
