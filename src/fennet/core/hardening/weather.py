"""What a day outdoors is or will be like, hour by hour: from what a station foretold, else from the date."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache

import numpy as np
from astral import Observer
from astral.sun import elevation

from fennet.core.light import local_days
from fennet.core.planning.climate import MEAN_ABOVE_MINIMUM_C, Climate
from fennet.core.records import FloatArray, Garden

HOUR_S, DAY_S = 3600.0, 86_400.0
#: A forecast older than this says nothing any more. Source: growers_rule.
STALE_S = 3 * DAY_S
#: Between two hours that a forecast names it goes straight, over no more than this.
JOIN_S = 3.5 * HOUR_S
#: Of the hours of day so many must be foretold.
LEAST_HOURS = 0.8
#: How far a temperature foretold may be off: today, and more for each day ahead; and how far the date alone is. Source:
#: starting_estimate.
OFF_TODAY_C, OFF_A_DAY_C, OFF_BY_DATE_C = 1.2, 0.35, 3.5
#: Two forecasts that differ by more than this disagree, °C.
DISAGREE_C = 3.0
#: Where nobody foretells them: a usual day's wind and cloud. Source: starting_estimate.
USUAL_WIND_M_S, USUAL_CLOUD = 3.0, 0.5
#: A day is coldest and warmest about so late by the clock. Source: growers_rule.
COLDEST_H, WARMEST_H = 5.0, 15.0
#: How much of the sun a covered sky keeps, and how it rises with cloud. Source: kasten_czeplak_1980.
CLOUD_KEEPS, CLOUD_POWER = 0.75, 3.4
#: The sky where no latitude is known. Source: starting_estimate.
SUPPOSED_LATITUDE = 47.0


@dataclass(frozen=True)
class Hour:
    """One hour of weather, from `at_s` (seconds UTC) on: °C, m/s, share of sky, mm; None where nobody says."""

    at_s: float
    temperature_c: float
    wind_m_s: float | None = None
    cloud_share: float | None = None
    rain_mm: float | None = None
    soil_c: float | None = None


@dataclass(frozen=True)
class Issue:
    """What one source foretold or measured at one time: `hours` in order of time."""

    issued_s: float
    source: str
    hours: tuple[Hour, ...]
    actual: bool = False


@dataclass(frozen=True)
class DayOutdoors:
    """One local day outdoors, by its hours (23 to 25 of them): seconds UTC, °C, m/s, share, mm, and the sun as a share of what a
    clear summer noon gives straight from above.

    `night_low_c` the lowest from this day's dusk to the next dawn; `basis` actual, forecast, climate or rule; `off_c` how far
    its temperatures may be off, as a standard deviation; `disagree` where two sources are far apart. By rule alone temperatures
    are NaN: nothing is known of them.
    """

    day: date
    at_s: FloatArray
    temperature_c: FloatArray
    wind_m_s: FloatArray
    cloud_share: FloatArray
    rain_mm: FloatArray
    sun: FloatArray
    night_low_c: float
    basis: str
    off_c: float
    disagree: bool = False
    issued_s: float | None = None

    @property
    def known(self) -> bool:
        return self.basis != "rule"


@lru_cache(maxsize=512)
def clear_sun(day: date, first_s: float, hours: int, latitude: float, longitude: float) -> tuple[float, ...]:
    """The sun of a clear sky in the middle of each hour of a day, as a share of straight from above. Source: astronomy.

    >>> sun = clear_sun(date(2026, 6, 21), datetime(2026, 6, 21, tzinfo=UTC).timestamp(), 24, 52.0, 0.0)
    >>> round(max(sun), 2), sun[0]
    (0.87, 0.0)
    """
    place = Observer(latitude, longitude)
    at = [datetime.fromtimestamp(first_s + (i + 0.5) * HOUR_S, UTC) for i in range(hours)]
    return tuple(max(0.0, float(np.sin(np.radians(elevation(place, t))))) for t in at)


def under_cloud(cloud_share: FloatArray) -> FloatArray:
    """The part of a clear sky's sun that comes through so much cloud. Source: kasten_czeplak_1980.

    >>> under_cloud(np.array([0.0, 0.5, 1.0])).round(2).tolist()
    [1.0, 0.93, 0.25]
    """
    return np.asarray(1.0 - CLOUD_KEEPS * np.clip(cloud_share, 0.0, 1.0) ** CLOUD_POWER)


def day_outdoors(issues: Iterable[Issue], day: date, garden: Garden, climate: Climate | None, now_s: float) -> DayOutdoors:
    """One local day as far as it is known at a moment (seconds UTC): measured, foretold, by the date, or by rule alone.

    Only what was issued by then is used. The newest of each source speaks; where two disagree the colder, the windier and the
    clearer is gone by. `climate` is the ordinary year here. Source: growers_rule, starting_estimate.
    """
    from_s, to_s = _span(day, garden)
    at_s = np.arange(from_s, to_s - 1.0, HOUR_S)
    latitude, longitude = garden.latitude, garden.longitude
    where = (SUPPOSED_LATITUDE, 0.0) if latitude is None else (latitude, longitude or 0.0)
    clear = np.array(clear_sun(day, from_s, len(at_s), *where))
    # Its night ends at the next day's dawn.
    wide_s = np.arange(from_s, to_s + 9 * HOUR_S, HOUR_S)
    spoken = [s for s in _newest(issues, now_s) if _covers(_row(s, at_s, "temperature_c"), at_s, from_s)]
    if not spoken:
        return _by_date(day, at_s, clear, climate)
    rows = np.array([_row(s, wide_s, "temperature_c") for s in spoken])
    temperature = np.fmin.reduce(rows)
    apart = np.fmax.reduce(rows) - temperature
    wind = _told(spoken, at_s, "wind_m_s", np.fmax, USUAL_WIND_M_S)
    cloud = _told(spoken, at_s, "cloud_share", np.fmin, USUAL_CLOUD)
    rain = _told(spoken, at_s, "rain_mm", np.fmax, 0.0)
    measured = all(s.actual for s in spoken)
    issued_s = max(s.issued_s for s in spoken)
    ahead_d = max(0.0, (from_s - now_s) / DAY_S)
    by_day = _filled(temperature[: len(at_s)])
    evening = int(np.searchsorted(wide_s, from_s + 19 * HOUR_S))
    night = temperature[evening:]
    low_c = float(np.nanmin(night)) if not np.isnan(night).all() else float(by_day.min())
    return DayOutdoors(
        day, at_s, by_day, wind, cloud, rain, clear * under_cloud(cloud), low_c, "actual" if measured else "forecast",
        0.3 if measured else OFF_TODAY_C + OFF_A_DAY_C * ahead_d, bool((apart > DISAGREE_C).any()), issued_s,
    )  # fmt: skip


def soil_ahead_c(issues: Iterable[Issue], now_s: float) -> float | None:
    """Soil outdoors of the next day, as measured or foretold; None where no source speaks of soil."""
    told = [h.soil_c for s in _newest(issues, now_s) for h in s.hours
            if h.soil_c is not None and now_s - DAY_S <= h.at_s < now_s + DAY_S]  # fmt: skip
    return float(np.mean(told)) if told else None


def from_days(day: date, low_c: float, high_c: float, garden: Garden, wind_m_s: float | None = None,
              cloud_share: float | None = None, rain_mm: float | None = None) -> list[Hour]:  # fmt: skip
    """The hours of a day of which only the lowest and the highest were told: a curve between them. Source: growers_rule.

    >>> hours = from_days(date(2026, 5, 2), 4.0, 16.0, Garden(timezone="UTC"))
    >>> len(hours), round(min(h.temperature_c for h in hours)), round(max(h.temperature_c for h in hours))
    (24, 4, 16)
    """
    from_s, to_s = _span(day, garden)
    at_s = np.arange(from_s, to_s - 1.0, HOUR_S)
    values = _curve((at_s - from_s) / HOUR_S, low_c, high_c)
    rain = None if rain_mm is None else rain_mm / len(at_s)
    return [Hour(float(t), float(v), wind_m_s, cloud_share, rain) for t, v in zip(at_s, values, strict=True)]


def _span(day: date, garden: Garden) -> tuple[float, float]:
    """A local day's first second and the next one's."""
    noon_s = datetime(day.year, day.month, day.day, 12, tzinfo=garden.zone).timestamp()
    return local_days(noon_s, noon_s, garden.zone)[0][1:]


def _curve(hour: FloatArray, low_c: float, high_c: float) -> FloatArray:
    """A day between its lowest, before dawn, and its highest, in the afternoon."""
    up = WARMEST_H - COLDEST_H
    turn = np.where(
        (hour >= COLDEST_H) & (hour <= WARMEST_H),
        (hour - COLDEST_H) / up * np.pi,
        np.pi + ((hour - WARMEST_H) % 24) / (24 - up) * np.pi,
    )
    return np.asarray((low_c + high_c) / 2 - (high_c - low_c) / 2 * np.cos(turn))


def _by_date(day: date, at_s: FloatArray, clear: FloatArray, climate: Climate | None) -> DayOutdoors:
    """A usual day of the date; by rule alone where not even that is known."""
    n = len(at_s)
    cloud = np.full(n, USUAL_CLOUD)
    wind, rain, sun = np.full(n, USUAL_WIND_M_S), np.zeros(n), clear * under_cloud(cloud)
    if climate is None:
        return DayOutdoors(day, at_s, np.full(n, np.nan), wind, cloud, rain, sun, float("nan"), "rule", float("nan"))
    low_c = climate.night_c(day)
    hours = (at_s - at_s[0]) / HOUR_S
    course = _curve(hours, low_c, low_c + 2 * MEAN_ABOVE_MINIMUM_C)
    return DayOutdoors(
        day, at_s, course, wind, cloud, rain, sun, climate.night_c(day + timedelta(days=1)), "climate", OFF_BY_DATE_C
    )


def _newest(issues: Iterable[Issue], now_s: float) -> list[Issue]:
    """The newest of each source that is not stale, and all that was measured, as one issue a source."""
    foretold: dict[str, Issue] = {}
    measured: dict[str, dict[float, Hour]] = {}
    for s in sorted((s for s in issues if s.issued_s <= now_s), key=lambda s: s.issued_s):
        if s.actual:
            measured.setdefault(s.source, {}).update({h.at_s: h for h in s.hours if h.at_s <= now_s})
        elif now_s - s.issued_s <= STALE_S:
            foretold[s.source] = s
    out = []
    for source in sorted({*foretold, *measured}):
        hours = {h.at_s: h for h in foretold[source].hours} if source in foretold else {}
        hours |= measured.get(source, {})
        issued = foretold[source].issued_s if source in foretold else max(measured[source], default=0.0)
        out.append(Issue(issued, source, tuple(hours[t] for t in sorted(hours)), source not in foretold))
    return out


def _row(issue: Issue, at_s: FloatArray, what: str) -> FloatArray:
    """One figure of an issue at some hours; NaN where it names none near."""
    known = [(h.at_s, v) for h in issue.hours if (v := getattr(h, what)) is not None]
    if not known:
        return np.full(len(at_s), np.nan)
    t, v = (np.array(x, dtype=float) for x in zip(*known, strict=True))
    i = np.clip(np.searchsorted(t, at_s), 1, len(t) - 1) if len(t) > 1 else np.zeros(len(at_s), dtype=int)
    inside = (at_s >= t[0]) & (at_s <= t[-1])
    near = (t[i] - t[i - 1] <= JOIN_S) if len(t) > 1 else np.ones(len(at_s), dtype=bool)
    return np.where(inside & near, np.interp(at_s, t, v), np.nan)


def _covers(row: FloatArray, at_s: FloatArray, from_s: float) -> bool:
    """Whether a row tells enough of a day's light hours."""
    hour = (at_s - from_s) / HOUR_S
    light = (hour >= 7) & (hour < 20)
    return float((~np.isnan(row[light])).mean()) >= LEAST_HOURS


def _told(spoken: Sequence[Issue], at_s: FloatArray, what: str, worst: np.ufunc, usual: float) -> FloatArray:
    """One figure by the source that says the worst of it, and the usual where none says anything."""
    told = worst.reduce(np.array([_row(s, at_s, what) for s in spoken]))
    return np.asarray(np.where(np.isnan(told), usual, told))


def _filled(row: FloatArray) -> FloatArray:
    """A row whose gaps are bridged."""
    known = ~np.isnan(row)
    n = np.arange(len(row))
    return np.asarray(np.interp(n, n[known], row[known]))
