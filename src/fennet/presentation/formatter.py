"""Figures, dates and times as one person reads them. Each kind of figure is formatted here and nowhere else."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo

from babel import Locale
from babel.dates import format_datetime, format_skeleton
from babel.numbers import format_decimal

from fennet.core.units import fahrenheit
from fennet.core.working import Interval

#: Locales a person may choose for dates and figures; the words are English in each.
LOCALES = {"en_GB": "3 March, 1.5", "en_US": "March 3, 1.5", "en_IE": "3 March, 1.5", "en_DE": "3 March, 1,5"}
#: A day farther off than so many is told with its year.
YEAR_TOLD_D = 300
SMALL = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")


@lru_cache
def _locale(name: str) -> Locale:
    return Locale.parse(name)


@lru_cache(maxsize=4096)
def _clock(hour: int, minute: int, locale: str) -> str:
    return str(format_skeleton("Hm", datetime(2000, 1, 1, hour, minute), locale=_locale(locale)))


@lru_cache(maxsize=4096)
def _day(noon: datetime, locale: str, skeleton: str = "MMMMd") -> str:
    return str(format_skeleton(skeleton, noon, locale=_locale(locale)))


@lru_cache(maxsize=8192)
def _number(value: float, locale: str) -> str:
    return str(format_decimal(value, locale=_locale(locale), decimal_quantization=False))


#: Parts that a spoon or a cup measures, in words.
PARTS = {0.125: "an eighth", 0.25: "a quarter", 1 / 3: "a third", 0.5: "half", 0.75: "three quarters", 1.0: "all"}


@dataclass(frozen=True)
class Formatter:
    """One reader: locale, temperature unit, and the garden's zone."""

    zone: ZoneInfo
    locale: str = "en_GB"
    temperature_unit: str = "degC"
    measures: str = "metric"
    #: The reader's day: days far from it are told with their year. None: no day is.
    today: date | None = None

    # -- figures ----------------------------------------------------------------------------------------------------

    def number(self, value: float, digits: int = 1) -> str:
        return _number(round(value, digits) + 0.0, self.locale)

    @property
    def degree(self) -> str:
        return "°F" if self.temperature_unit == "degF" else "°C"

    def shown_temperature(self, value_c: float) -> float:
        """The figure in the reader's unit, for axes and forms."""
        return fahrenheit(value_c) if self.temperature_unit == "degF" else value_c

    def temperature(self, value_c: float, digits: int = 1, unit: bool = True) -> str:
        text = self.number(self.shown_temperature(value_c), digits)
        return f"{text} {self.degree}" if unit else text

    def shown_span(self, span_c: float) -> float:
        """A difference of temperatures in the reader's degrees."""
        return span_c * (1.8 if self.temperature_unit == "degF" else 1.0)

    def temperature_span(self, span_c: float) -> str:
        """A difference of temperatures."""
        return f"{self.number(self.shown_span(span_c))} {self.degree}"

    @property
    def imperial(self) -> bool:
        return self.measures == "imperial"

    def length(self, mm: float) -> str:
        """A length of the room: "120 mm", or "4.7 in"."""
        return f"{self.number(mm / 25.4)} in" if self.imperial else f"{self.number(mm, 0)} mm"

    def volume(self, ml: float) -> str:
        """A volume of water: "250 ml", or "8.5 fl oz"."""
        return f"{self.number(ml / 29.5735295625)} fl oz" if self.imperial else f"{self.number(ml, 0)} ml"

    def litres(self, litres: float) -> str:
        """A volume of mix: "12.5 l", or "3.3 gal"."""
        if self.imperial:
            return f"{self.number(litres / 3.785411784)} US gal"
        return f"{self.number(litres)} l" if litres >= 1 else f"{self.number(litres * 1000, 0)} ml"

    def part_of(self, share: float) -> str:
        """A part as a spoon measures it, where it is near one: a half, a quarter; else per cent."""
        near = min(PARTS, key=lambda p: abs(p - share))
        return PARTS[near] if abs(near - share) <= 0.06 * near else self.percent(share)

    def percent(self, share: float) -> str:
        if 0 < share < 0.01:
            return "under 1 %"
        if 0.99 < share < 1:
            return "over 99 %"
        return f"{round(share * 100)} %"

    def small(self, n: float) -> str:
        """A small whole number in words."""
        whole = round(n)
        return SMALL[whole] if 0 <= whole < len(SMALL) else str(whole)

    def days(self, days: float) -> str:
        """A length in days, in words: "eight days", "half a day"."""
        size = abs(days)
        if size < 0.25:
            return "a few hours"
        if size < 0.75:
            return "half a day"
        whole = round(size)
        return "a day" if whole == 1 else f"{self.small(whole)} days"

    def count_range(self, i: Interval[float]) -> str:
        low, high = int(i.p10), int(i.p90)
        return str(low) if low == high else f"{low}–{high}"

    # -- times ------------------------------------------------------------------------------------------------------

    def local(self, at: datetime | float) -> datetime:
        moment = at if isinstance(at, datetime) else datetime.fromtimestamp(at, UTC)
        return moment.astimezone(self.zone)

    def day(self, at: datetime | float) -> str:
        """A day: "4 March"; with its year where that is long past: "4 March 2024"."""
        noon = self.local(at).replace(hour=12, minute=0, second=0, microsecond=0, tzinfo=None)
        # At the turn of the year everybody knows which December is meant.
        far = self.today is not None and abs((self.today - noon.date()).days) > YEAR_TOLD_D
        return _day(noon, self.locale, "yMMMMd" if far else "MMMMd")

    def calendar_day(self, day: date) -> str:
        """A day as `day` tells it, of no moment."""
        return self.day(datetime(day.year, day.month, day.day, 12, tzinfo=self.zone))

    def short_day(self, at: datetime | float) -> str:
        """A day where room is short: "4 Mar"."""
        return _day(self.local(at).replace(hour=12, minute=0, second=0, microsecond=0, tzinfo=None), self.locale, "MMMd")

    def day_range(self, i: Interval[float]) -> str:
        """A range of days: "4–7 March", or one day."""
        first, last = self.local(i.p10), self.local(i.p90)
        if first.date() == last.date():
            return self.day(first)
        if (first.year, first.month) == (last.year, last.month):
            day_first = self.day(first)
            if day_first[0].isdigit():
                return f"{first.day}–{self.day(last)}"
            return f"{day_first}–{last.day}"
        return f"{self.day(first)} – {self.day(last)}"

    def month(self, day: date) -> str:
        """A month with its year at the turn: "March", "January 2027"."""
        noon = datetime(day.year, day.month, day.day, 12)
        return _day(noon, self.locale, "yMMMM" if day.month == 1 else "MMMM")

    def weekday(self, at: datetime | float) -> str:
        return str(format_datetime(self.local(at), "EEEE", locale=_locale(self.locale)))

    def moment(self, at: datetime | float) -> str:
        """A day and a time: "4 March, 08:10"."""
        local = self.local(at)
        return f"{self.day(local)}, {_clock(local.hour, local.minute, self.locale)}"

    def clock(self, hour: int, minute: int = 0) -> str:
        """A time of day: "10:00"."""
        return _clock(hour, minute, self.locale)

    def typed(self, at: datetime | float) -> str:
        """The form a datetime-local field takes."""
        return self.local(at).strftime("%Y-%m-%dT%H:%M")
