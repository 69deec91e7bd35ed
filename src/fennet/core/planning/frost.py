"""When the last frost is likely, from a record of daily minima or from an average date; either half of the world."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np
from scipy.special import ndtr

from fennet.core.records import FloatArray, Garden
from fennet.core.working import Input, Working

#: Spread of the last frost where only its average date is known, days. Source: starting_estimate.
AVERAGE_SD_D = 12.0
#: With an average date alone: a threshold lower by a degree is last reached this much earlier. Source: starting_estimate.
DAYS_PER_DEGREE = 6.0
#: Spread of a last frost guessed from the latitude alone, days; nearer the equator than this frost is no certainty. Source:
#: latitude_guess.
LATITUDE_SD_D, FROST_FROM_LATITUDE = 20.0, 30.0
#: Years needed before a record is used, and the share of a spring's days that must be there. Source: growers_rule.
LEAST_YEARS, LEAST_COVER = 10, 0.9
#: A spring is judged whole from this day after midwinter on: what is missing before it hides no last frost. Source: growers_rule.
COVER_FROM_D = 45
#: Days of a season's year: from midwinter to midsummer, and to the next midwinter.
HALF_YEAR_D, YEAR_D = 183, 366


@dataclass(frozen=True)
class Minima:
    """Daily minima of one place: `first` day, then one figure a day in °C, NaN where none was written."""

    station: str
    first: date
    low_c: FloatArray

    def days(self) -> list[date]:
        return [self.first + timedelta(days=i) for i in range(len(self.low_c))]


def midwinter(year: int, southern: bool) -> date:
    """The midwinter that opens a season whose summer ends in `year` in the north, in `year` + 1 in the south.

    >>> midwinter(2026, False).isoformat(), midwinter(2026, True).isoformat()
    ('2026-01-15', '2026-07-16')
    """
    return date(year, 7, 16) if southern else date(year, 1, 15)


def season_of(day: date, southern: bool) -> tuple[int, int]:
    """(year of the season's midwinter, days since that midwinter).

    >>> season_of(date(2026, 1, 14), False), season_of(date(2026, 7, 16), True)
    ((2025, 364), (2026, 0))
    """
    year = day.year if day >= midwinter(day.year, southern) else day.year - 1
    return year, (day - midwinter(year, southern)).days


@dataclass(frozen=True)
class FrostDates:
    """The chance of a frost of `threshold_c` or colder after a day of spring, and before a day of autumn.

    `spring_d`, `autumn_d`: season days (since midwinter) of the last and first such frost, one a year that had one; `n_years`
    all years; `smooth_d` the width of the normal smooth. From an average date alone `spring_d` is that date, `smooth_d` its
    spread and `autumn_d` None.
    """

    threshold_c: float
    southern: bool
    spring_d: FloatArray
    autumn_d: FloatArray | None
    n_years: int
    n_spring: int
    smooth_d: float
    source: str
    notes: tuple[str, ...] = ()
    #: Share of years with such a frost in the middle of summer.
    summer_share: float = 0.0

    def chance_after(self, day: date) -> float:
        """Chance that such a frost comes on a later day of the same spring. After midsummer it is that of a summer frost."""
        _, d = season_of(day, self.southern)
        if d >= HALF_YEAR_D:
            return self.summer_share if d < HALF_YEAR_D + 45 else 0.0
        if not self.spring_d.size:
            return self.summer_share
        share = self.n_spring / self.n_years
        return max(self.summer_share, float(share * (1 - ndtr((d - self.spring_d) / self.smooth_d)).mean()))

    def chance_before(self, day: date) -> float | None:
        """Chance that autumn's first such frost comes by this day; None where the record does not say."""
        if self.autumn_d is None:
            return None
        _, d = season_of(day, self.southern)
        if d < HALF_YEAR_D:
            return self.summer_share
        if not self.autumn_d.size:
            return 0.0
        share = min(1.0, self.autumn_d.size / self.n_years)
        return float(share * ndtr((d - self.autumn_d) / self.smooth_d).mean())

    def day_of_risk(self, risk: float, season: int) -> date | None:
        """First day of a season after which the chance of such a frost is `risk` or less; None where not even summer is."""
        start = midwinter(season, self.southern)
        days = np.arange(HALF_YEAR_D)
        if not self.spring_d.size:
            return start if self.summer_share <= risk else None
        share = self.n_spring / self.n_years
        chance = np.maximum(self.summer_share, share * (1 - ndtr((days[:, None] - self.spring_d) / self.smooth_d)).mean(axis=1))
        safe = np.nonzero(chance <= risk)[0]
        return start + timedelta(days=int(safe[0])) if safe.size else None

    def autumn_day(self, risk: float, season: int) -> date | None:
        """Last day of a season before which the chance of autumn's first frost is `risk` or less; None where none is known."""
        if self.autumn_d is None:
            return None
        end = midwinter(season, self.southern) + timedelta(days=YEAR_D - 1)
        if not self.autumn_d.size:
            return end
        day = midwinter(season, self.southern) + timedelta(days=HALF_YEAR_D)
        while day < end and (self.chance_before(day + timedelta(days=1)) or 0.0) <= risk:
            day += timedelta(days=1)
        return day

    def middle(self, season: int) -> date | None:
        """The middle of the last frost's dates; None where half the years have none."""
        return self.day_of_risk(0.5, season)

    def working(self, day: date) -> Working:
        average = self.autumn_d is None
        return Working(
            "chance of a later frost",
            (
                Input("a frost that counts", self.threshold_c, "°C or colder"),
                Input("years", "an average date" if average else self.n_years, "" if average else "years"),
                Input("years without one in spring", 0 if average else self.n_years - self.n_spring, "years"),
                Input(
                    "smooth" if not average else "spread", round(self.smooth_d, 1), "d", "starting_estimate" if average else ""
                ),
                Input("day", day.isoformat()),
            ),
            "the share of a normal spread about the average date that lies after the day"
            if average
            else "the last such day of each year, each smoothed by a normal curve; the share that lies after the day",
            (self.source,),
            "the place the figures are from; a hollow or a yard in the wind's lee may differ by weeks",
            value=round(self.chance_after(day), 3),
            unit="chance",
            notes=self.notes,
        )


def is_southern(garden: Garden, minima: Minima | None) -> bool:
    """Whether winter falls in July: by the latitude, else by the record's coldest month."""
    if garden.latitude is not None:
        return garden.latitude < 0
    if minima is None or len(minima.low_c) < 300:
        return False
    months = np.array([d.month for d in minima.days()])
    means = [float(np.nanmean(minima.low_c[months == m])) if (months == m).any() else math.nan for m in range(1, 13)]
    return bool(np.nanargmin(means) + 1 in (5, 6, 7, 8, 9))


def from_average(garden: Garden, threshold_c: float = 0.0) -> FrostDates | None:
    """Frost dates from the garden's average last frost; None where it names none.

    >>> f = from_average(Garden(last_frost="05-05", latitude=52.0))
    >>> round(f.chance_after(date(2027, 5, 5)), 2), round(f.chance_after(date(2027, 5, 17)), 2)
    (0.5, 0.16)
    """
    if not garden.last_frost:
        return None
    month, _, day = garden.last_frost.partition("-")
    try:
        mean = date(2001, int(month), min(int(day), 28) if int(month) == 2 else int(day))
    except ValueError:
        return None
    southern = is_southern(garden, None)
    _, d = season_of(mean, southern)
    if d >= HALF_YEAR_D:
        note = f"an average last frost on {garden.last_frost} falls after midsummer here; check the date and the latitude"
        return FrostDates(threshold_c, southern, np.array([float(HALF_YEAR_D)]), None, 1, 1, AVERAGE_SD_D, "growers_own", (note,))
    shift = DAYS_PER_DEGREE * threshold_c
    sd = garden.last_frost_sd_d or AVERAGE_SD_D
    notes = ("from an average date alone: half of all years have a later frost",)
    return FrostDates(threshold_c, southern, np.array([max(0.0, d + shift)]), None, 1, 1, max(sd, 1.0), "growers_own", notes)


def latitude_frost_day(latitude: float) -> int:
    """Days from midwinter to the average last frost that a latitude alone leads one to guess. Range: 25–66°, either half.

    Sea, height and hollow move it by weeks: it is a start until the grower knows better. Source: latitude_guess.

    >>> [latitude_frost_day(lat) for lat in (40.0, -42.0, 52.0, 60.0)]
    [76, 82, 113, 138]
    """
    return round(45 + 3.1 * (min(max(abs(latitude), 30.0), 66.0) - 30.0))


def from_latitude(garden: Garden, threshold_c: float = 0.0) -> FrostDates | None:
    """A rough guess of the frost dates from the latitude alone; None without one, or where frost is no certainty.

    >>> round(from_latitude(Garden(latitude=52.0)).smooth_d)
    20
    """
    if garden.latitude is None or abs(garden.latitude) < FROST_FROM_LATITUDE:
        return None
    southern = garden.latitude < 0
    shift_d = DAYS_PER_DEGREE * threshold_c
    first_d = HALF_YEAR_D + 150.0 - 2.2 * (abs(garden.latitude) - 30.0)
    spring = np.array([max(0.0, latitude_frost_day(garden.latitude) + shift_d)])
    autumn = np.array([min(YEAR_D - 2.0, first_d - shift_d)])
    notes = ("guessed from the latitude alone, weeks off where sea, height or a hollow say otherwise",)
    return FrostDates(threshold_c, southern, spring, autumn, 1, 1, LATITUDE_SD_D, "latitude_guess", notes)


@dataclass(frozen=True)
class Seasons:
    """A record of nights by season: `starts` index each first night, `season_d` days since midwinter; gaps are left out."""

    starts: tuple[int, ...]
    season_d: FloatArray
    low_c: FloatArray


def by_season(minima: Minima, southern: bool) -> Seasons:
    """A record cut at its midwinters. Source: arithmetic."""
    keep = ~np.isnan(minima.low_c)
    ordinal = (minima.first.toordinal() + np.arange(len(minima.low_c)))[keep]
    first, last = minima.first.year - 1, minima.first.year + len(minima.low_c) // 365 + 1
    turns = np.array([midwinter(year, southern).toordinal() for year in range(first, last + 1)])
    which = np.searchsorted(turns, ordinal, side="right") - 1
    starts = np.searchsorted(which, np.unique(which))
    return Seasons(tuple(int(i) for i in starts), (ordinal - turns[which]).astype(float), minima.low_c[keep])


def from_minima(minima: Minima, southern: bool, threshold_c: float = 0.0, cut: Seasons | None = None) -> FrostDates | None:
    """Frost dates from a record; None where fewer than ten springs are whole enough. Gaps are left out and told.

    A spring counts if nine tenths of its days are there and no gap over a week hides what followed its last frost. `cut`
    is the record by season where it was cut before.
    """
    cut = cut or by_season(minima, southern)
    spring, autumn, used, summer, gappy = [], [], 0, 0, 0
    for a, b in zip(cut.starts, (*cut.starts[1:], len(cut.season_d)), strict=True):
        days, frosty = cut.season_d[a:b], cut.low_c[a:b] <= threshold_c
        half = days < HALF_YEAR_D
        cold = days[half & frosty]
        if (half & (days >= COVER_FROM_D)).sum() < LEAST_COVER * (HALF_YEAR_D - COVER_FROM_D) or _hides(days[half], cold):
            gappy += bool(half.any())
            continue
        used += 1
        if cold.size:
            spring.append(float(cold[-1]))
        later = days[~half & frosty]
        if later.size:
            autumn.append(float(later[0]))
        summer += bool((frosty & (np.abs(days - HALF_YEAR_D) <= 20)).any())
    if used < LEAST_YEARS:
        return None
    notes = [f"{used} springs of {minima.station}"]
    if gappy:
        notes.append(f"{gappy} with too many days missing {'was' if gappy == 1 else 'were'} left out")
    if not spring:
        notes.append(f"no spring had a night at {threshold_c:g} °C or colder")
    if summer:
        notes.append(f"{summer} of {used} years had such a night in the middle of summer")
    return FrostDates(
        threshold_c, southern, np.sort(np.array(spring)), np.sort(np.array(autumn)), used, len(spring), smoothing_d(spring),
        "growers_own", tuple(notes), summer / used,
    )  # fmt: skip


def _hides(days: FloatArray, cold: FloatArray) -> bool:
    """Whether a gap over a week lies about the last frost, so that a later one may be missing."""
    from_d = cold[-1] if cold.size else 60.0
    near = days[(days >= from_d) & (days <= from_d + 45)]
    return bool((np.diff(near) > 8).any())


def smoothing_d(days: Sequence[float]) -> float:
    """Width of the normal smooth over a few dates: Silverman's rule, at least two days. Source: arithmetic.

    >>> smoothing_d([100.0] * 12)
    2.0
    """
    if len(days) < 2:
        return AVERAGE_SD_D if days else 2.0
    a = np.asarray(days)
    iqr = float(np.subtract(*np.percentile(a, [75, 25]))) / 1.349
    spread = min(x for x in (float(a.std(ddof=1)), iqr or math.inf) if x >= 0)
    return float(max(2.0, 0.9 * spread * len(days) ** -0.2))


class Frosts:
    """All that is known of frost here: dates for any threshold, each worked out once."""

    def __init__(self, garden: Garden, minima: Minima | None) -> None:
        self.garden, self.minima = garden, minima
        self.southern = is_southern(garden, minima)
        self._kept: dict[float, FrostDates | None] = {}
        #: What rests on these frosts alone and a climate, by what it was asked of: gates, each worked out once.
        self.rests_on_these: dict[Hashable, tuple[object, object]] = {}
        self._cut = by_season(minima, self.southern) if minima is not None else None

    def at(self, threshold_c: float) -> FrostDates | None:
        """Frost dates for a threshold: from the record if it is long enough, else from the average date."""
        if threshold_c not in self._kept:
            found = from_minima(self.minima, self.southern, threshold_c, self._cut) if self.minima is not None else None
            self._kept[threshold_c] = found or self._average(threshold_c)
        return self._kept[threshold_c]

    @property
    def guessed(self) -> bool:
        """Whether nothing but the latitude is known of frost here."""
        found = self.at(0.0)
        return found is not None and found.source == "latitude_guess"

    def _average(self, threshold_c: float) -> FrostDates | None:
        found = from_average(self.garden, threshold_c) or from_latitude(self.garden, threshold_c)
        if found and self.minima is not None:
            return replace(found, notes=(*found.notes, f"the record of {self.minima.station} holds under ten whole springs"))
        return found
