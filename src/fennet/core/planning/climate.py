"""What the nights, the days and the soil outdoors are like on a day of an ordinary year, from a record of minima."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from fennet.core.planning.frost import YEAR_D, Minima, season_of
from fennet.core.records import FloatArray, Garden

#: A day's mean lies about this far above its minimum. Source: starting_estimate.
MEAN_ABOVE_MINIMUM_C = 5.0
#: Soil at a hand's depth follows the mean air of about so many days. Source: starting_estimate.
SOIL_LAG_D = 12
#: Bare soil in the sun lies above the mean air by about so much. Source: starting_estimate.
SOIL_ABOVE_AIR_C = 1.0
LEAST_DAYS = 3 * 365
_HARMONICS = 2


@dataclass(frozen=True)
class Climate:
    """Mean minimum by season day (0 midwinter … 365), °C, as two harmonics fitted to the record."""

    southern: bool
    low_c: FloatArray

    def night_c(self, day: date) -> float:
        """Mean minimum of the season on a day."""
        return float(self.low_c[season_of(day, self.southern)[1] % YEAR_D])

    def mean_c(self, day: date) -> float:
        """Mean air of a day: rough, from the minimum."""
        return self.night_c(day) + MEAN_ABOVE_MINIMUM_C

    def soil_c(self, day: date) -> float:
        """Soil at a hand's depth: rough, a little above the mean air of about twelve days before."""
        return self.mean_c(day - timedelta(days=SOIL_LAG_D)) + SOIL_ABOVE_AIR_C

    def first_at_least(self, what: str, least_c: float, start: date, end: date) -> date | None:
        """First day from `start` to `end`, within one season, whose mean night ("nights") or soil ("soil") is so warm."""
        shift, over = (SOIL_LAG_D, MEAN_ABOVE_MINIMUM_C + SOIL_ABOVE_AIR_C) if what == "soil" else (0, 0.0)
        d = season_of(start, self.southern)[1] + np.arange((end - start).days + 1) - shift
        warm = np.nonzero(self.low_c[d % YEAR_D] + over >= least_c)[0]
        return start + timedelta(days=int(warm[0])) if warm.size else None


def climate(minima: Minima | None, southern: bool) -> Climate | None:
    """The ordinary year of a record; None under three years of days. Source: arithmetic.

    >>> day = np.arange(4 * 365)
    >>> c = climate(Minima("x", date(2001, 1, 15), 5 - 6 * np.cos(2 * np.pi * day / 365.25)), False)
    >>> round(c.night_c(date(2005, 1, 15)), 1), round(c.night_c(date(2005, 7, 16)), 1)
    (-1.0, 11.0)
    """
    if minima is None:
        return None
    keep = ~np.isnan(minima.low_c)
    if int(keep.sum()) < LEAST_DAYS:
        return None
    _, offset = season_of(minima.first, southern)
    d = (np.arange(len(minima.low_c), dtype=float) + offset)[keep]
    basis = _basis(d)
    found, *_ = np.linalg.lstsq(basis, minima.low_c[keep], rcond=None)
    return Climate(southern, _basis(np.arange(YEAR_D, dtype=float)) @ found)


def climate_by_latitude(garden: Garden) -> Climate | None:
    """The ordinary year that a latitude alone leads one to guess, some three degrees rough; None without a latitude.

    Mean air of lowlands: 28 °C less 0.42 for each degree beyond the tenth, swinging by 4 °C and a tenth of the latitude. Source:
    latitude_guess.

    >>> c = climate_by_latitude(Garden(latitude=52.0))
    >>> round(c.mean_c(date(2026, 7, 16))), round(c.mean_c(date(2026, 1, 15)))
    (20, 1)
    """
    if garden.latitude is None:
        return None
    beyond = abs(garden.latitude)
    mean_c = 28.0 - 0.42 * max(0.0, beyond - 10.0)
    swing_c = 4.0 + 0.11 * beyond
    d = np.arange(YEAR_D, dtype=float)
    low_c = mean_c - MEAN_ABOVE_MINIMUM_C - swing_c * np.cos(2 * math.pi * d / 365.25)
    return Climate(garden.latitude < 0, low_c)


def _basis(d: FloatArray) -> FloatArray:
    turn = 2 * math.pi * np.asarray(d, dtype=float) / 365.25
    return np.column_stack([np.ones(len(turn)), *(f(k * turn) for k in range(1, _HARMONICS + 1) for f in (np.cos, np.sin))])


def first_day(start: date, end: date, holds: Callable[[date], bool]) -> date | None:
    """First day from `start` to `end` of which `holds(day)` is true; None where none is."""
    day = start
    while day <= end:
        if holds(day):
            return day
        day += timedelta(days=1)
    return None
