"""A simulated weather station by the canal: thirty years of daily minima, with the gaps a real one has."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

import numpy as np

STATION = "Lock station (simulated)"
YEARS = 30
#: A minimum is the season's mean and a wandering about it that is wider in winter: °C, and the share kept from day to day.
MEAN_C, SWING_C, COLDEST_DAY = 5.2, 6.2, 26
WINTER_SD_C, SUMMER_SD_C, KEEPS = 3.8, 3.0, 0.66
#: Chance of a day that starts a gap, and how long gaps last at most.
GAP, LONGEST_GAP_D = 0.0025, 9


def minima(last_year: int, seed: int = 42) -> list[dict[str, Any]]:
    """Thirty years that end with `last_year`, as journal entries, one a year. The same for the same year and seed."""
    first = date(last_year - YEARS + 1, 1, 1)
    n = (date(last_year, 12, 31) - first).days + 1
    rng = np.random.default_rng([seed, 30, last_year])
    turn = 2 * np.pi * (np.arange(n) - COLDEST_DAY) / 365.25
    mean = MEAN_C - SWING_C * np.cos(turn)
    sd = (WINTER_SD_C + SUMMER_SD_C) / 2 + (WINTER_SD_C - SUMMER_SD_C) / 2 * np.cos(turn)
    shock = rng.normal(size=n) * np.sqrt(1 - KEEPS**2)
    wander = np.zeros(n)
    for i in range(1, n):
        wander[i] = KEEPS * wander[i - 1] + shock[i]
    low = np.round(mean + sd * wander, 1)
    gone = np.zeros(n, dtype=bool)
    for start in np.nonzero(rng.random(n) < GAP)[0]:
        gone[start : start + int(rng.integers(1, LONGEST_GAP_D))] = True
    out = []
    for year in range(first.year, last_year + 1):
        a, b = (date(year, 1, 1) - first).days, (date(year, 12, 31) - first).days + 1
        values = [None if gone[i] else float(low[i]) for i in range(a, b)]
        out.append({"station": STATION, "from": date(year, 1, 1).isoformat(), "min_c": values})
    return out


def minima_csv(last_year: int, seed: int = 42) -> str:
    """The same record as the CSV a station gives out."""
    rows = ["date,min_c"]
    for entry in minima(last_year, seed):
        first = date.fromisoformat(entry["from"])
        rows += [f"{first + timedelta(days=i)},{v}" for i, v in enumerate(entry["min_c"]) if v is not None]
    return "\n".join(rows) + "\n"
