"""How tall seedlings should be at an age, how fast leaves follow each other, and how a canopy will rise."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.records import FloatArray
from fennet.core.working import Input

#: Age at which the table's height holds, days at the growing band. Source: growth_estimate.
AT_AGE_D = 12.0
#: The first part of the height is the stem under the seed leaves, there within days; the rest grows as a power. Source:
#: growth_estimate.
FIRST_PART, FIRST_D, POWER = 0.45, 1.8, 1.6
#: Beyond this age seedlings are plants, and grow by their own measure, d.
OLDEST_D = 60.0
GROWTH_UNITS = {"height_12d_mm": "mm", "leaf_days": "d"}


@dataclass(frozen=True)
class Growth:
    """How one kind grows as a seedling. `stem` bury or level at potting up; `topping` whether pinching branches it; `pricks_out`
    whether it stands being moved bare-rooted; `leaf_days` at its growing band from one true leaf to the next; `purple` a
    warning where some of its varieties are purple by nature; `likely_times` how much taller than expected it stands in this
    garden, for what will be and never for what should be: where all is leggy, leggy is not as it should be."""

    height_12d_mm: float
    stem: str = "level"
    topping: bool = False
    pricks_out: bool = True
    leaf_days: float = 6.0
    purple: str = ""
    source: str = "growth_estimate"
    likely_times: float = 1.0

    def figures(self) -> list[Input]:
        guess = self.source != "growers_own"
        return [Input(name, getattr(self, name), unit, self.source, guess) for name, unit in GROWTH_UNITS.items()]

    def height_mm(self, age_d: FloatArray | float) -> FloatArray:
        """Expected height at ages in days at the growing band and good light, mm. Range: 0–60 d. Source: growth_estimate.

        >>> float(Growth(30.0).height_mm(12.0).round(2))
        30.0
        """
        age = np.clip(np.asarray(age_d, dtype=float), 0.0, OLDEST_D)
        shape = (1 - np.exp(-age / FIRST_D)) * FIRST_PART + (1 - FIRST_PART) * (age / AT_AGE_D) ** POWER
        return np.asarray(self.height_12d_mm * shape / _AT_12)

    def likely_mm(self, age_d: FloatArray | float) -> FloatArray:
        """Height as plants here come to it, mm: to hang a lamp by before anything was measured. Range: 0–60 d. Source:
        growth_estimate, learned_here.

        >>> float(Growth(30.0, likely_times=1.2).likely_mm(12.0).round(2))
        36.0
        """
        return np.asarray(self.height_mm(age_d) * self.likely_times)

    def age_for(self, height_mm: float) -> float:
        """The age in days at which a height is expected; at most 60. Source: growth_estimate.

        >>> round(Growth(30.0).age_for(30.0))
        12
        """
        ages = np.linspace(0, OLDEST_D, 601)
        return float(np.interp(height_mm, self.height_mm(ages), ages))


_AT_12 = (1 - math.exp(-AT_AGE_D / FIRST_D)) * FIRST_PART + (1 - FIRST_PART)


def heights_ahead(
    growth: Growth, seen: Sequence[tuple[float, float]], age_d: float, days: FloatArray, pace: float = 1.0
) -> FloatArray:
    """Height in so many days from now, mm: the kind's curve, carried to the height last measured.

    `seen` (age in days at the band, height mm) in order; `age_d` now; `pace` thermal days a day. A plant measured taller than the
    curve keeps its ratio. Source: growth_estimate.

    >>> ahead = heights_ahead(Growth(30.0), [(12.0, 45.0)], 12.0, np.array([0.0, 4.0]))
    >>> ahead.round(1).tolist()
    [45.0, 59.5]
    """
    ratio = growth.likely_times
    if seen:
        at, mm = seen[-1]
        ratio = min(4.0, max(0.25, mm / max(float(growth.height_mm(max(at, 1.0))), 1.0)))
    return np.asarray(growth.height_mm(age_d + pace * np.asarray(days, dtype=float)) * ratio)
