"""A trial as it was asked: what differs, what is measured, and which batches answer."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Literal

from annotated_types import Ge, Le, Len

from fennet.core.bounds import CellName, Instant, Millimetres, Name, Text
from fennet.core.kinds import CropId, LooseId, ThingId

MOST_GROUPS = 6


@dataclass(frozen=True, kw_only=True)
class TrialGroup:
    """One side of a trial: its name, how it is sown, the cells of the trial's tray it is planned in, and the batches that answer
    for it once they are sown."""

    name: Name
    batches: Annotated[list[LooseId], Len(0, 60)] = field(default_factory=list)
    variety: Text | None = None
    seed_lot: LooseId | None = None
    depth_mm: Millimetres | None = None
    planned: Annotated[list[CellName], Len(0, 3600)] = field(default_factory=list)


@dataclass(frozen=True, kw_only=True)
class Trial:
    """What was asked, and when: what differs, and what is measured (when it comes up, how much of it comes, how much of that
    lives to be planted, what it bears, how it tastes). `see` the least difference that matters: days for emergence, a share
    for the others. `cells` of each group as planned; `tray` the one whose cells the groups are laid out in."""

    id: LooseId
    name: Name
    crop: CropId
    differs: Literal["variety", "lot", "depth", "source", "saved", "mix", "lamp", "mat", "practice", "other"] = "other"
    measure: Literal["emergence", "came", "lived", "yield", "taste"] = "emergence"
    groups: Annotated[list[TrialGroup], Len(2, MOST_GROUPS)]
    see: Annotated[float, Ge(0.01), Le(60.0)] | None = None
    cells: Annotated[int, Ge(1), Le(2000)] | None = None
    tray: ThingId | None = None
    made_at: Instant | None = None
    note: Text | None = None
