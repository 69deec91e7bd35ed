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

#: What is learned of seed: days to come up, how even it comes, the share alive, the share that lives to be planted.
MEASURES = ("pace", "spread", "alive", "survival")
#: What a grower's own figure may be: days against the table's, and a share. Others are learned or not at all.
OWN = {"pace": (0.25, 4.0), "survival": (0.05, 0.999)}


@dataclass(frozen=True, kw_only=True)
class Correction:
    """One of three. `forget_before`: what was settled by then teaches nothing any more. `leave_out` with `year`: nothing sown in
    that year does. `value`: a figure of the grower's own in place of what is learned: days to come up against the table's
    (`pace`), or the share that lives to be planted (`survival`). `measure`, `crop` (its id), `variety`: of what; of everything
    where none is named."""

    measure: Literal["pace", "spread", "alive", "survival"] | None = None
    crop: CropId | None = None
    variety: Text | None = None
    year: Year | None = None
    leave_out: bool | None = None
    forget_before: Instant | None = None
    value: Annotated[float, Ge(0.05), Le(4.0)] | None = None

    def of(self, measure: str, crop: str, variety: str, year: int) -> bool:
        """Whether it speaks of a sowing, and of one of the things learned of it."""
        return (
            self.measure in (None, measure) and self.crop in (None, crop) and self.year in (None, year)
            and (self.variety is None or variety_key(self.variety) == variety)
        )  # fmt: skip


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
    if c.value is not None:
        if c.measure not in OWN:
            return "measure", f"takes no figure of one's own; accepted: {', '.join(OWN)}"
        low, high = OWN[c.measure]
        if not low <= c.value <= high:
            return "value", f"is out of range; accepted: {low:g} to {high:g}"
        if c.crop is None:
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
