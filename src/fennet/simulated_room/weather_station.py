"""A simulated weather station by the canal: thirty years of daily minima, with the gaps a real one has."""

from __future__ import annotations

from datetime import date, datetime, timedelta
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


def foretold(now: datetime, seed: int = 42, days: int = 6) -> dict[str, Any]:
    """What the station foretells at a moment: six days by the hour, as a journal entry. The same for the same hour and seed."""
    issued = now.replace(minute=0, second=0, microsecond=0) - timedelta(hours=(now.hour - 5) % 24)
    rng = np.random.default_rng([seed, issued.timetuple().tm_yday, issued.year])
    hours = []
    day_low = rng.normal(0.5, 1.5, days + 1).cumsum() * 0.5
    cloud = np.clip(rng.normal(0.55, 0.28, days + 1), 0.02, 1.0)
    wind = np.exp(rng.normal(1.2, 0.4, days + 1))
    for i in range(days * 24):
        at = issued + timedelta(hours=i)
        season = 2 * np.pi * (at.timetuple().tm_yday - COLDEST_DAY) / 365.25
        low = MEAN_C - SWING_C * np.cos(season) + float(np.interp(i / 24, np.arange(days + 1), day_low))
        sky = float(np.interp(i / 24, np.arange(days + 1), cloud))
        swing = (9.0 - 2.5 * np.cos(season)) * (1.2 - 0.6 * sky)
        air = low + swing / 2 * (1 - np.cos((at.hour - 4) / 24 * 2 * np.pi))
        blows = float(np.interp(i / 24, np.arange(days + 1), wind)) * (1 + 0.3 * np.cos((at.hour - 14) / 24 * 2 * np.pi))
        hours.append(
            {"at": at.isoformat(timespec="seconds"), "temperature_c": round(air, 1), "wind_m_s": round(blows, 1),
             "cloud_share": round(sky, 2), "rain_mm": round(max(0.0, sky - 0.75) * 1.2, 1)}
        )  # fmt: skip
    return {"issued_at": issued.isoformat(timespec="seconds"), "kind": "forecast", "source": STATION, "hours": hours}
