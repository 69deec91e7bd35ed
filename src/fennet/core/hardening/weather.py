"""What a day outdoors is or will be like, hour by hour: from what a station foretold, else from the date."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache

import numpy as np
from astral import Observer
from astral.sun import elevation

from fennet.core.light import local_days
from fennet.core.planning.climate import MEAN_ABOVE_MINIMUM_C, Climate
from fennet.core.records import FloatArray, Garden, Journal

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
#: One's own thermometer is heard for so many days; it is half believed after so many hours, and shifts no more than this, °C.
#: Source: starting_estimate.
OWN, OWN_DAYS_S, BELIEVED_H, MOST_SHIFT_C = "own thermometer", 3 * DAY_S, 24.0, 5.0
#: What it says of days by the date alone fades so much a day. Source: starting_estimate.
FADES = 0.75
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
    """What one source foretold or measured at one time: `hours` in order of time; `own` what the grower's own thermometer read
    outdoors."""

    issued_s: float
    source: str
    hours: tuple[Hour, ...]
    actual: bool = False
    own: bool = False


@dataclass(frozen=True)
class DayOutdoors:
    """One local day outdoors, by its hours (23 to 25 of them): seconds UTC, °C, m/s, share, mm, and the sun as a share of what a
    clear summer noon gives straight from above.

    `night_low_c` the lowest from this day's dusk to the next dawn; `basis` actual, forecast, climate or rule; `off_c` how far
    its temperatures may be off, as a standard deviation; `disagree` where two sources are far apart; `shift_c` what the grower's
    own thermometer outdoors says they are off by, put right here. By rule alone temperatures are NaN: nothing is known of them.
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
    shift_c: float = 0.0

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
    clearer is gone by. What the grower's own thermometer read outdoors stands for its hours, and puts right what is still to
    come by what the days before were off. `climate` is the ordinary year here. Source: growers_rule, starting_estimate.
    """
    issues = list(issues)
    own = own_hours(issues, now_s)
    issues = [s for s in issues if not s.own]
    from_s, to_s = _span(day, garden)
    at_s = np.arange(from_s, to_s - 1.0, HOUR_S)
    latitude, longitude = garden.latitude, garden.longitude
    where = (SUPPOSED_LATITUDE, 0.0) if latitude is None else (latitude, longitude or 0.0)
    clear = np.array(clear_sun(day, from_s, len(at_s), *where))
    # Its night ends at the next day's dawn.
    wide_s = np.arange(from_s, to_s + 9 * HOUR_S, HOUR_S)
    spoken = [s for s in _newest(issues, now_s) if _covers(_row(s, at_s, "temperature_c"), at_s, from_s)]
    if not spoken:
        return _by_date(day, at_s, clear, climate, own, now_s)
    rows = np.array([_row(s, wide_s, "temperature_c") for s in spoken])
    temperature = np.fmin.reduce(rows)
    apart = np.fmax.reduce(rows) - temperature
    off = [h.temperature_c - told for h in own.values() if (told := _foretold_before(issues, h.at_s)) is not None]
    shift_c = _shift(off)
    temperature = np.where(wide_s >= now_s, temperature + shift_c, temperature)
    temperature = np.array([own[t].temperature_c if t in own else v for t, v in zip(wide_s.tolist(), temperature, strict=True)])
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
        0.3 if measured else OFF_TODAY_C + OFF_A_DAY_C * ahead_d, bool((apart > DISAGREE_C).any()), issued_s, shift_c,
    )  # fmt: skip


def own_issue(journal: Journal, at_s: float, back_s: float = OWN_DAYS_S) -> list[Issue]:
    """What the grower's own thermometers read outdoors so long before a moment (seconds UTC), as the means of their hours; none
    where nobody read any. Source: arithmetic."""
    by_hour: dict[float, list[float]] = {}
    for s in journal.series:
        if s.quantity != "outdoor_temperature":
            continue
        for t, v in zip(s.at_s.tolist(), s.value.tolist(), strict=True):
            if at_s - back_s <= t <= at_s:
                by_hour.setdefault(t // HOUR_S * HOUR_S, []).append(v)
    hours = tuple(Hour(t, float(np.mean(by_hour[t]))) for t in sorted(by_hour))
    return [Issue(hours[-1].at_s, OWN, hours, True, True)] if hours else []


def own_hours(issues: Iterable[Issue], now_s: float) -> dict[float, Hour]:
    """What the grower's own thermometer read, by the hour, seconds UTC."""
    return {h.at_s: h for s in issues if s.own for h in s.hours if h.at_s <= now_s}


def _foretold_before(issues: Sequence[Issue], at_s: float) -> float | None:
    """What the last forecast before an hour said of it, °C; the coldest of several sources."""
    told: dict[str, float] = {}
    for s in sorted((s for s in issues if not s.actual and at_s - STALE_S <= s.issued_s <= at_s), key=lambda s: s.issued_s):
        value = float(_row(s, np.array([at_s]), "temperature_c")[0])
        if not np.isnan(value):
            told[s.source] = value
    return min(told.values(), default=None)


def _shift(off_c: Sequence[float]) -> float:
    """By how much to put right what is told, from how far it was off before: the more hours say so the more. Source:
    starting_estimate.

    >>> _shift([-2.0] * 24), _shift([])
    (-1.0, 0.0)
    """
    return float(np.clip(np.sum(off_c) / (len(off_c) + BELIEVED_H), -MOST_SHIFT_C, MOST_SHIFT_C)) if len(off_c) else 0.0


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


def _by_date(
    day: date, at_s: FloatArray, clear: FloatArray, climate: Climate | None, own: Mapping[float, Hour], now_s: float
) -> DayOutdoors:
    """A usual day of the date, as much colder or warmer as the days before were by the grower's own thermometer; by rule alone
    where not even the date tells."""
    n = len(at_s)
    cloud = np.full(n, USUAL_CLOUD)
    wind, rain, sun = np.full(n, USUAL_WIND_M_S), np.zeros(n), clear * under_cloud(cloud)
    if climate is None:
        return DayOutdoors(day, at_s, np.full(n, np.nan), wind, cloud, rain, sun, float("nan"), "rule", float("nan"))
    low_c = climate.night_c(day)
    hours = (at_s - at_s[0]) / HOUR_S
    course = _curve(hours, low_c, low_c + 2 * MEAN_ABOVE_MINIMUM_C)
    usual = np.array(
        [float(_curve(np.array([(t - at_s[0]) / HOUR_S % 24]), low_c, low_c + 2 * MEAN_ABOVE_MINIMUM_C)[0]) for t in own]
    )
    days_on = max(0.0, (float(at_s[0]) - now_s) / DAY_S)
    shift_c = _shift([h.temperature_c - u for h, u in zip(own.values(), usual, strict=True)]) * FADES**days_on
    course = np.array([own[t].temperature_c if t in own else v + shift_c for t, v in zip(at_s.tolist(), course, strict=True)])
    night_c = climate.night_c(day + timedelta(days=1)) + shift_c
    return DayOutdoors(day, at_s, course, wind, cloud, rain, sun, night_c, "climate", OFF_BY_DATE_C, shift_c=shift_c)


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
