"""A simulated weather station by the canal: thirty years of daily minima, with the gaps a real one has; the weather of the hour,
a forecast each morning, and the way to the open door, where it comes as a bought station would."""

from __future__ import annotations

import json
import os
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Sequence
from contextlib import suppress
from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

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


#: How warm a day gets over its night, °C, by a clear sky; how far clouds flatten it.
SWING_BY_DAY_C, FLATTENED = 9.0, 0.6
#: Every so many days a night is clear and still, and so much colder than the season, °C: a late frost in spring.
COLD_EVERY_D, COLDER_C = 4, 5.5
#: What a forecast is off by: at once, and more for each day ahead, °C; wind and cloud as shares of themselves.
OFF_C, OFF_A_DAY_C, OFF_WIND, OFF_CLOUD = 0.6, 0.5, 0.06, 0.04


def weather(at: Sequence[datetime], seed: int = 42) -> list[dict[str, Any]]:
    """The weather by the canal at some hours, as it is: the same for the same hour and seed, whenever anybody asks."""
    out = []
    for moment in at:
        day, share = moment.toordinal(), (moment.hour + moment.minute / 60) / 24
        warmer = (1 - share) * _wandering(day, 0, seed) + share * _wandering(day + 1, 0, seed)
        sky = (1 - share) * _wandering(day, 1, seed) + share * _wandering(day + 1, 1, seed)
        blows = (1 - share) * _wandering(day, 2, seed) + share * _wandering(day + 1, 2, seed)
        # A night belongs to the day it ends in.
        cold = max(0.0, 1 - abs(day + share - (round((day + share) / COLD_EVERY_D) * COLD_EVERY_D + 0.2)) / 0.45)
        cloud = float(np.clip((0.55 + 0.28 * sky) * (1 - cold), 0.02, 1.0))
        season = 2 * np.pi * (moment.timetuple().tm_yday - COLDEST_DAY) / 365.25
        low = MEAN_C - SWING_C * np.cos(season) + 1.6 * warmer * (1 - cold) - COLDER_C * cold
        swing = (SWING_BY_DAY_C - 2.5 * np.cos(season)) * (1.2 - FLATTENED * cloud)
        air = low + swing / 2 * (1 - np.cos((share * 24 - 4) / 24 * 2 * np.pi))
        wind = np.exp(1.2 + 0.4 * blows) * (1 + 0.3 * np.cos((share * 24 - 14) / 24 * 2 * np.pi)) * (1 - 0.7 * cold)
        out.append(_hour(moment, air, float(wind), cloud))
    return out


def foretold(now: datetime, seed: int = 42, days: int = 6) -> dict[str, Any]:
    """What the station foretold last at a moment: at five in the morning, six days by the hour, the further ahead the further
    off. The same for the same moment and seed."""
    issued = now.replace(minute=0, second=0, microsecond=0) - timedelta(hours=(now.hour - 5) % 24)
    rng = np.random.default_rng([seed, issued.toordinal(), 3])
    true = weather([issued + timedelta(hours=i) for i in range(days * 24)], seed)
    steps = np.cumsum(rng.normal(size=(3, days + 2)), axis=1) / np.sqrt(np.arange(1, days + 3))
    hours = []
    for i, hour in enumerate(true):
        off, windier, cloudier = (float(np.interp(i / 24, np.arange(days + 2), row)) for row in steps)
        lead_d = i / 24
        hours.append(
            _hour(
                datetime.fromisoformat(hour["at"]),
                hour["temperature_c"] + off * (OFF_C + OFF_A_DAY_C * lead_d) * 0.6,
                hour["wind_m_s"] * max(0.2, 1 + windier * OFF_WIND * (1 + lead_d)),
                float(np.clip(hour["cloud_share"] + cloudier * OFF_CLOUD * (1 + lead_d), 0.02, 1.0)),
            )
        )
    return {"issued_at": issued.isoformat(timespec="seconds"), "kind": "forecast", "source": STATION, "hours": hours}


def measured(first: datetime, now: datetime, seed: int = 42) -> dict[str, Any]:
    """What the station measured hour by hour from a moment to another, as a journal entry."""
    n = int((now - first).total_seconds() // 3600) + 1
    hours = weather([first + timedelta(hours=i) for i in range(n)], seed)
    return {"issued_at": now.isoformat(timespec="seconds"), "kind": "actual", "source": STATION, "hours": hours}


def _hour(at: datetime, air_c: float, wind_m_s: float, cloud: float) -> dict[str, Any]:
    return {
        "at": at.isoformat(timespec="seconds"), "temperature_c": round(float(air_c), 1), "wind_m_s": round(float(wind_m_s), 1),
        "cloud_share": round(cloud, 2), "rain_mm": round(max(0.0, cloud - 0.75) * 1.2, 1),
    }  # fmt: skip


@lru_cache(maxsize=4096)
def _wandering(day: int, what: int, seed: int) -> float:
    """How far a day is from its season, as a standard deviation: like the days before it, and a little by itself."""
    shocks = (float(np.random.default_rng([seed, day - k, what]).normal()) for k in range(12))
    return float(sum(KEEPS**k * x for k, x in enumerate(shocks)) * np.sqrt(1 - KEEPS**2))


#: The station comes to the door so often, s.
EVERY_S = 600.0


def entries_at(now: datetime) -> list[dict[str, Any]]:
    """What the station says when it comes to the door: its last forecast, and the hours of the day as measured so far."""
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    return [foretold(now), measured(midnight, now)]


def run(url: str, token: str, zone: str) -> None:
    """Come to the door again and again, as a bought station would, with what it has not said yet. Nobody there: try the next
    time."""
    said: dict[str, tuple[str, int]] = {}
    while True:
        for entry in entries_at(datetime.now(ZoneInfo(zone))):
            news = (entry["hours"][0]["at"], len(entry["hours"]))
            if said.get(entry["kind"]) == news:
                continue
            body = json.dumps(entry).encode()
            headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
            with suppress(urllib.error.URLError, OSError):
                urllib.request.urlopen(urllib.request.Request(url, body, headers), timeout=20).close()
                said[entry["kind"]] = news
        time.sleep(EVERY_S)


if __name__ == "__main__":
    run(sys.argv[1], os.environ["FENNET_DEVICE_TOKEN"], sys.argv[2])
