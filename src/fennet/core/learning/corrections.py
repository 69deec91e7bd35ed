"""What a grower says of what was learned: forget it, leave a season out, or go by a figure of one's own."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Ge, Le

from fennet.core.bounds import Instant, Text, Year
from fennet.core.kinds import CropId
from fennet.core.learning.lessons import variety_key

#: What is learned of seed and plants: days to come up, how even it comes, the share alive, the share that lives to be planted,
#: how tall it grows, days from leaf to leaf.
MEASURES = ("pace", "spread", "alive", "survival", "height", "leaves")
#: What is learned of the room: how fast trays dry, how far soil stands over a mat's set-point, what a mat lifts, what a lamp
#: gives.
OF_ROOM = ("drying", "offset", "lift", "output")
#: What a grower's own figure may be: days against the table's, a share, loss of water against a tray like it, °C that a mat lifts
#: a bare tray at most. Others are learned or not at all: a lamp is told by reading under it.
OWN = {"pace": (0.25, 4.0), "survival": (0.05, 0.999), "drying": (0.2, 5.0), "lift": (3.0, 25.0)}


@dataclass(frozen=True, kw_only=True)
class Correction:
    """One of three. `forget_before`: what was settled by then teaches nothing any more. `leave_out` with `year`: nothing sown in
    that year does. `value`: a figure of the grower's own in place of what is learned: days to come up against the table's
    (`pace`), the share that lives to be planted (`survival`), how fast a tray dries against others like it (`drying`), what its
    mat lifts it at most, °C (`lift`). `measure`, `crop` (its id), `variety`: of what; `thing` a tray or a lamp, by its id; of
    everything where none is named."""

    measure: Literal["pace", "spread", "alive", "survival", "height", "leaves", "drying", "offset", "lift", "output"] | None = (
        None
    )
    thing: Text | None = None
    crop: CropId | None = None
    variety: Text | None = None
    year: Year | None = None
    leave_out: bool | None = None
    forget_before: Instant | None = None
    value: Annotated[float, Ge(0.05), Le(25.0)] | None = None

    def of(self, measure: str, crop: str, variety: str, year: int) -> bool:
        """Whether it speaks of a sowing, and of one of the things learned of it."""
        return (
            self.thing is None and self.measure in (None, measure) and self.crop in (None, crop) and self.year in (None, year)
            and (self.variety is None or variety_key(self.variety) == variety)
        )  # fmt: skip

    def of_room(self, measure: str, thing: str | None = None) -> bool:
        """Whether it speaks of one of the things learned of the room, and of one thing where it is named."""
        return (
            self.crop is None and self.variety is None and self.year is None and self.measure in (None, measure)
            and (thing is None or self.thing in (None, thing))
        )  # fmt: skip

    def forgets_room(self, measure: str, thing: str) -> float | None:
        """The moment (seconds UTC) before which nothing is learned any more of a thing of the room; None where it says nothing of
        it."""
        if self.forget_before is None or not self.of_room(measure, thing):
            return None
        return self.forget_before.timestamp()


def correction_fault(c: Correction) -> tuple[str, str] | None:
    """What keeps a correction from being gone by, as (field, words).

    >>> correction_fault(Correction(measure="pace", crop="leek", value=1.2)) is None
    True
    >>> correction_fault(Correction(measure="alive", value=0.5))[0]
    'measure'
    """
    said = [name for name in ("forget_before", "leave_out", "value") if getattr(c, name) not in (None, False)]
    if len(said) != 1:
        return "value", "must say one thing; accepted: one of forget_before, leave_out with a year, or value"
    if c.leave_out and c.year is None:
        return "year", "is missing; accepted: the year that is left out"
    if c.thing is not None and c.crop is not None:
        return "thing", "stands beside a crop; accepted: a tray or a lamp, or a crop and its variety"
    if c.thing is not None and c.measure in MEASURES:
        return "measure", f"is of seed and plants, and not of a tray or lamp; accepted: {', '.join(OF_ROOM)}"
    if c.measure in OF_ROOM and (c.crop is not None or c.variety is not None or c.year is not None):
        return "measure", "is of the room and of no crop or year; accepted: a tray's or lamp's id as thing, or nothing else"
    if c.value is not None:
        if c.measure not in OWN:
            return "measure", f"takes no figure of one's own; accepted: {', '.join(OWN)}"
        low, high = OWN[c.measure]
        if not low <= c.value <= high:
            return "value", f"is out of range; accepted: {low:g} to {high:g}"
        if c.measure in OF_ROOM:
            if c.thing is None:
                return "thing", "is missing; accepted: a tray's id, with a figure of one's own of the room"
        elif c.crop is None:
            return "crop", "is missing; accepted: a crop's id, with a figure of one's own"
    return None


def teaches(corrections: Sequence[Correction], measure: str, crop: str, variety: str, year: int, settled_s: float) -> bool:
    """Whether what was settled at a moment (seconds UTC) is still learned from."""
    return not any(
        c.value is None and c.of(measure, crop, variety, year)
        and (c.leave_out or (c.forget_before is not None and settled_s <= c.forget_before.timestamp()))
        for c in corrections
    )  # fmt: skip


def own_figure(corrections: Sequence[Correction], measure: str, crop: str, variety: str) -> float | None:
    """A grower's own figure for a sowing: the last that speaks of its variety, else of its crop."""
    found = [c for c in corrections if c.value is not None and c.of(measure, crop, variety, c.year or 0)]
    return max(enumerate(found), key=lambda x: (x[1].variety is not None, x[0]))[1].value if found else None


def pace_off(days_times: float) -> float:
    """Days against the table's as the logarithm of the rate.

    >>> round(pace_off(1.25), 2)
    -0.22
    """
    return -math.log(days_times)


def teaches_of_room(corrections: Sequence[Correction], measure: str, thing: str, from_s: float) -> bool:
    """Whether a month that began at a moment (seconds UTC) is still learned from of a thing of the room."""
    return not any((before_s := c.forgets_room(measure, thing)) is not None and from_s < before_s for c in corrections)


def own_of_room(corrections: Sequence[Correction], measure: str, thing: str) -> float | None:
    """A grower's own figure of a thing of the room, the last that was given."""
    return next((c.value for c in reversed(corrections) if c.value is not None and c.of_room(measure, thing)), None)
