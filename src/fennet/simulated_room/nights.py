"""Whole years of the climates that outings are tried in: the nights of a record, and one spring with what was foretold of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from fennet.simulated_room.outdoors import Place

FloatArray = NDArray[np.floating[Any]]
#: A night is the season's mean and a wandering about it that keeps so much from day to day.
#: and in the height of summer wanders so much less.
KEEPS, COLDEST_DAY, CALMER = 0.66, 26, 0.4
#: What a forecast of a low or a high is off by, °C: the next night, and more for each day ahead.
OFF_C, OFF_A_DAY_C = 1.0, 0.45


@dataclass(frozen=True)
class Days:
    """Days in a row of one place, the first of them, and the lows and highs of each, °C."""

    first: date
    low_c: FloatArray
    high_c: FloatArray

    def low_on(self, day: date) -> float:
        return float(self.low_c[(day - self.first).days])


def _usual_low_c(place: Place, day_of_year: FloatArray) -> FloatArray:
    """The mean night of a place through a year whose spring is the place's own."""
    south = 182.6 if place.latitude < 0 else 0.0
    turn = 2 * np.pi * (date.fromisoformat(place.first).timetuple().tm_yday - COLDEST_DAY - south) / 365.25
    swing = place.rise_c * 365.25 / (2 * np.pi * np.sin(turn))
    mean = place.low_c + swing * np.cos(turn)
    return np.asarray(mean - swing * np.cos(2 * np.pi * (day_of_year - COLDEST_DAY - south) / 365.25))


def draw_days(place: Place, first: date, n: int, seed: int) -> Days:
    """So many days of a place, the same for the same first day and seed."""
    rng = np.random.default_rng([seed, first.toordinal(), len(place.name)])
    day_of_year = np.array([(first + timedelta(days=i)).timetuple().tm_yday for i in range(n)], dtype=float)
    wander = np.zeros(n)
    shock = rng.normal(size=n) * np.sqrt(1 - KEEPS**2)
    for i in range(1, n):
        wander[i] = KEEPS * wander[i - 1] + shock[i]
    south = 182.6 if place.latitude < 0 else 0.0
    summer = 0.5 - 0.5 * np.cos(2 * np.pi * (day_of_year - COLDEST_DAY - south) / 365.25)
    low = _usual_low_c(place, day_of_year) + place.wander_c * (1 - CALMER * summer) * wander
    swing = (place.high_c - place.low_c) * np.exp(0.2 * rng.normal(size=n))
    return Days(first, low, low + swing)


def record_of(place: Place, last_year: int, years: int = 25, seed: int = 1) -> list[dict[str, Any]]:
    """The minima of some years that end with one, as entries of a journal."""
    out = []
    for year in range(last_year - years + 1, last_year + 1):
        n = (date(year + 1, 1, 1) - date(year, 1, 1)).days
        low = draw_days(place, date(year, 1, 1), n, seed).low_c
        out.append({"station": f"{place.name} (simulated)", "from": f"{year}-01-01", "min_c": [round(float(x), 1) for x in low]})
    return out


def foretold_on(days: Days, today: date, zone: ZoneInfo, rng: np.random.Generator, ahead: int = 6) -> Mapping[str, Any]:
    """What is foretold on the morning of a day: the lows and highs of six days, the further ahead the further off."""
    steps = np.cumsum(rng.normal(size=(2, ahead)), axis=1) / np.sqrt(np.arange(1, ahead + 1))
    told = []
    for i in range(ahead):
        at = (today - days.first).days + i
        off = steps[:, i] * (OFF_C + OFF_A_DAY_C * i)
        low, high = float(days.low_c[at] + off[0]), float(days.high_c[at] + off[1])
        told.append({"day": (today + timedelta(days=i)).isoformat(), "low_c": round(low, 1), "high_c": round(max(low, high), 1)})
    issued = datetime.combine(today, time(6), zone).isoformat()
    return {"issued_at": issued, "kind": "forecast", "source": "simulated", "days": told}
