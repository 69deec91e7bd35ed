"""Simulated weather of several climates, forecasts of it that err the more the further ahead, and plants put out into it.

The plants follow rules of another form than any advice on them: what a leaf stands grows with what it was lately shown, and it is
hurt by the moment and not by the day.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.floating[Any]]


@dataclass(frozen=True)
class Place:
    """A climate: latitude, mean low and high at the first day of a spring and their rise a day, how they wander, wind, cloud."""

    name: str
    latitude: float
    low_c: float
    high_c: float
    rise_c: float
    wander_c: float
    wind_m_s: float
    cloud: float
    first: str = "2026-04-20"


PLACES = (
    Place("by the canal", 52.1, 6.5, 14.5, 0.10, 3.0, 4.2, 0.55),
    Place("inland plain", 47.5, 6.0, 18.0, 0.14, 4.5, 2.6, 0.40),
    Place("high valley", 46.5, 1.5, 12.5, 0.13, 4.0, 2.4, 0.45),
    Place("dry south", 38.0, 10.0, 21.5, 0.12, 3.0, 3.0, 0.20),
    Place("far coast", -41.0, 7.5, 15.0, 0.10, 3.0, 5.2, 0.50, "2026-10-18"),
    Place("cold north", 61.0, 1.0, 10.5, 0.16, 4.0, 3.0, 0.50, "2026-05-10"),
)


@dataclass(frozen=True)
class Weather:
    """Hours of one spring: seconds UTC, °C, m/s, share of sky, and the sun straight from above through the cloud, 0–1."""

    place: Place
    at_s: FloatArray
    temperature_c: FloatArray
    wind_m_s: FloatArray
    cloud_share: FloatArray
    sun: FloatArray

    def issue(self, now_s: float, rng: np.random.Generator, days: int = 6) -> dict[str, Any]:
        """What a station foretells at a moment, as an entry of a journal: the further ahead, the further off."""
        ahead = (self.at_s >= now_s - 3600) & (self.at_s < now_s + days * 86_400)
        lead_d = np.maximum(0.0, (self.at_s[ahead] - now_s) / 86_400)
        steps = np.cumsum(rng.normal(size=days + 2)) / np.sqrt(np.arange(1, days + 3))
        off = np.interp(lead_d, np.arange(days + 2), steps)
        sd_c, sd_wind, sd_cloud = 0.7 + 0.45 * lead_d, 0.15 + 0.05 * lead_d, 0.08 + 0.05 * lead_d
        t = self.temperature_c[ahead] + off * sd_c
        wind = np.maximum(0.0, self.wind_m_s[ahead] * (1.0 + np.interp(lead_d, np.arange(days + 2), steps[::-1]) * sd_wind))
        cloud = np.clip(self.cloud_share[ahead] + np.interp(lead_d, np.arange(days + 2), np.roll(steps, 1)) * sd_cloud, 0.0, 1.0)
        hours = [
            {"at": datetime.fromtimestamp(s, UTC).isoformat(), "temperature_c": round(float(a), 1),
             "wind_m_s": round(float(b), 1), "cloud_share": round(float(c), 2)}
            for s, a, b, c in zip(self.at_s[ahead], t, wind, cloud, strict=True)
        ]  # fmt: skip
        issued = datetime.fromtimestamp(now_s, UTC).isoformat()
        return {"issued_at": issued, "kind": "forecast", "source": f"{self.place.name} (simulated)", "hours": hours}


#: Outings begin when an ordinary night is so much under what the kind wants, °C: about a fortnight before it may be planted.
BEGINS_UNDER_C = 1.5


def begins_d(place: Place, least_night_c: float) -> int:
    """Days after a place's first on which the outings of a kind begin there."""
    return max(0, round((least_night_c - BEGINS_UNDER_C - place.low_c) / place.rise_c))


def draw_weather(place: Place, seed: int, days: int = 45, later_d: int = 0) -> Weather:
    """One spring of a place, the same for the same seed, from so many days after its first on."""
    rng = np.random.default_rng([seed, len(place.name), round(place.latitude * 10) % 1000])
    first_s = datetime.fromisoformat(place.first).replace(tzinfo=UTC).timestamp() + later_d * 86_400.0
    at_s = first_s + 3600.0 * np.arange(days * 24)
    day, hour = np.arange(days * 24) // 24, np.arange(days * 24) % 24

    def wandering(keeps: float) -> FloatArray:
        out = np.zeros(days + 1)
        for i in range(1, days + 1):
            out[i] = keeps * out[i - 1] + np.sqrt(1 - keeps**2) * rng.normal()
        return np.interp(np.arange(days * 24) / 24, np.arange(days + 1), out)

    cloud = np.clip(place.cloud + 0.32 * wandering(0.55) + 0.08 * rng.normal(size=len(at_s)), 0.0, 1.0)
    swing = (place.high_c - place.low_c) * (1.25 - 0.6 * cloud)
    middle = (place.high_c + place.low_c) / 2 + place.rise_c * (day + later_d) + place.wander_c * wandering(0.75)
    temperature = middle + swing / 2 * np.cos((hour - 15) / 24 * 2 * np.pi)
    wind = np.maximum(
        0.3, place.wind_m_s * np.exp(0.5 * wandering(0.6) - 0.1) * (1.0 + 0.35 * np.cos((hour - 14) / 24 * 2 * np.pi))
    )
    return Weather(place, at_s, temperature, wind, cloud, _sun(place.latitude, at_s) * (1.0 - 0.75 * cloud**3.4))


def _sun(latitude: float, at_s: FloatArray) -> FloatArray:
    """The sine of the sun's height, by the season and the hour of its own noon."""
    moments = [datetime.fromtimestamp(t, UTC) for t in at_s]
    day_of_year = np.array([t.timetuple().tm_yday for t in moments])
    declination = np.radians(23.44) * np.sin(2 * np.pi * (day_of_year + 284) / 365)
    hour = (at_s % 86_400) / 3600 + 0.5
    turn = np.radians(15.0 * (hour - 12.0))
    lat = np.radians(latitude)
    height = np.sin(lat) * np.sin(declination) + np.cos(lat) * np.cos(declination) * np.cos(turn)
    return np.asarray(np.maximum(0.0, height))


class PlantOutside:
    """A tray of plants that stood under lamps: what they stand, and what they have suffered."""

    def __init__(self, least_night_c: float) -> None:
        self.used_to, self.suffered, self.least_c = 0.06, 0.0, least_night_c
        self._held = 0.0
        self.seen = "none"

    def day(
        self,
        w: Weather,
        day: int,
        from_h: float,
        hours: float,
        passes: float,
        sheltered: bool = False,
        night: bool = False,
        again: bool = False,
    ) -> None:
        """One day: out from an hour for so long, so much of the sun on the leaves; the night too, if they stay; watered as they
        go out and, if so, `again` at noon and in the evening."""
        ends = {"bleached": 0.0, "windburnt": 0.0, "chilled": 0.0, "limp": 0.0}
        dose = 0.0
        water = 1.0
        for h in range(24 + (7 if night else 0)):
            i = day * 24 + h
            share = 1.0 if night and h >= from_h else float(np.clip(min(h + 1, from_h + hours) - max(h, from_h), 0.0, 1.0))
            if i >= len(w.at_s):
                break
            light = w.sun[i] * passes * share
            self._held = self._held * np.exp(-1.0 / 2.5) + light
            ends["bleached"] += max(0.0, self._held - (0.45 + 3.5 * self.used_to)) ** 2
            if share <= 0:
                continue
            if again and h in (13, 19):
                water = 1.0
            dose += light
            wind = w.wind_m_s[i] * (0.5 if sheltered else 1.0)
            ends["windburnt"] += share * max(0.0, wind - (3.5 + 6.5 * self.used_to)) / 8.0
            ends["chilled"] += share * max(0.0, self.least_c - 0.5 - w.temperature_c[i] - 1.5 * self.used_to) / 3.0
            water -= share * max(0.0, w.temperature_c[i] - 6.0) / 230.0 * (1.0 + wind / 6.0) * (0.5 + w.sun[i] * passes)
            ends["limp"] += share * max(0.0, 0.25 - water)
        self.suffered += sum(ends.values())
        worst = max(ends, key=lambda k: ends[k])
        self.seen = worst if ends[worst] > 0.12 else "none"
        challenged = dose / (0.5 + 4.5 * self.used_to)
        gain = 0.12 * min(1.0, challenged) + (0.02 if hours >= 4 else 0.0)
        hurt = 0.6 if self.seen in ("bleached", "chilled") else 1.0
        self.used_to = (
            min(1.0, self.used_to + gain * hurt * (1.05 - self.used_to)) if hours > 0 else max(0.0, self.used_to - 0.008)
        )

    @property
    def hard(self) -> bool:
        """Whether they stand a whole day in the open."""
        return self.used_to >= 0.62


#: What growers do by rote, whatever the day: hours out from ten, and the part of the sun, day after day; then a night.
RECIPES: dict[str, Sequence[tuple[float, float]]] = {
    "hour_a_day": [(h, 1.0) for h in (1, 2, 3, 4, 5, 6, 7, 8, 9, 10)],
    "shade_week": [*((h, 0.2) for h in (2, 3, 4, 5, 6, 7, 8)), *((h, 1.0) for h in (2, 3, 4, 6, 7, 8, 9))],
    "quarter_hour": [(h, 1.0) for h in (0.25, 0.5, 1.5, 3, 4.5, 6, 8, 9)],
    "half_days": [(5.0, 0.5)] * 5 + [(9.0, 1.0)] * 5,
}
