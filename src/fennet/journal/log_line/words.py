"""Figures, times and units as they are typed."""

from __future__ import annotations

import re
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from fennet.journal.numbers import FIGURE, figure
from fennet.journal.times import MONTHS, localize

NUMBER = re.compile(rf"([+-]?)({FIGURE})([a-zA-Z%°²/]*)")
SPAN = re.compile(r"([0-9]{1,2}(?:[:.][0-9]{2})?)-([0-9]{1,2}(?:[:.][0-9]{2})?)")
CELLS = re.compile(r"r[0-9]{1,2}c[0-9]{1,2}(?:-r[0-9]{1,2}c[0-9]{1,2})?", re.IGNORECASE)

#: Millilitres in what people pour from. Exact by definition, but for the cup of a quarter litre.
VOLUMES_ML = {
    "ml": 1.0, "cl": 10.0, "dl": 100.0, "l": 1000.0, "tsp": 4.92892159375, "tbsp": 14.78676478125, "floz": 29.5735295625,
    "cup": 236.5882365, "cups": 236.5882365, "pt": 473.176473, "qt": 946.352946, "gal": 3785.411784, "impgal": 4546.09,
}  # fmt: skip
LENGTHS_MM = {"mm": 1.0, "cm": 10.0, "in": 25.4, "inch": 25.4}
MASSES_G = {"g": 1.0, "kg": 1000.0, "oz": 28.349523125, "lb": 453.59237}
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def number_of(word: str) -> tuple[float, str, str] | None:
    """A typed number with its sign and its unit: "21,5C" is (21.5, "", "c"), "1/4cup" (0.25, "", "cup"); None for others.

    >>> number_of("21,5C"), number_of("+2"), number_of("up")
    ((21.5, '', 'c'), (2.0, '+', ''), None)
    """
    m = NUMBER.fullmatch(word)
    if not m:
        return None
    sign, digits, unit = m.groups()
    value = figure(digits)
    if value is None:
        return None
    return (-value if sign == "-" else value), sign, unit.lower().removeprefix("°")


def clock_in(word: str) -> str | None:
    """A time of day as HH:MM: 8:10, 08.10 or a bare hour; None for others.

    >>> clock_in("8:10"), clock_in("6"), clock_in("25:00")
    ('08:10', '06:00', None)
    """
    m = re.fullmatch(r"([0-9]{1,2})(?:[:.]([0-9]{2}))?h?", word)
    if not m:
        return None
    hour, minute = int(m.group(1)), int(m.group(2) or 0)
    return f"{hour:02}:{minute:02}" if hour < 24 and minute < 60 else None


WHEN_ACCEPTED = "8:10, yesterday 19:00, tue 8:10, 2h ago, 3d ago, 12 mar 8:10, or 2026-03-12 8:10"


def when_of(text: str, now: datetime, zone: ZoneInfo) -> datetime:
    """The moment a person means, never in the future: a bare time that has not come yet is yesterday's.

    Raises ValueError for what is not a time, or does not exist or exists twice in the zone.

    >>> z = ZoneInfo("UTC")
    >>> when_of("8:10", datetime(2026, 3, 3, 7, tzinfo=z), z).isoformat()
    '2026-03-02T08:10:00+00:00'
    """
    words = text.lower().replace(",", " ").split()
    local = now.astimezone(zone)
    if not words or words == ["now"]:
        return now
    if (
        len(words) >= 1
        and (m := re.fullmatch(r"-?([0-9]{1,6}(?:\.[0-9]{1,6})?)(m|min|h|d|w)", words[0]))
        and words[1:] in ([], ["ago"])
    ):
        unit = {"m": "minutes", "min": "minutes", "h": "hours", "d": "days", "w": "weeks"}[m.group(2)]
        return now - timedelta(**{unit: float(m.group(1))})
    day, rest, named = _day_of(words, local)
    if len(rest) > 1:
        raise ValueError(f"{text!r} is not a time; accepted: {WHEN_ACCEPTED}")
    clock = clock_in(rest[0]) if rest else local.strftime("%H:%M")
    if clock is None:
        raise ValueError(f"{rest[0]!r} is not a time of day; accepted: {WHEN_ACCEPTED}")
    hour, minute = (int(part) for part in clock.split(":"))
    at = localize(datetime(day.year, day.month, day.day, hour, minute), zone)
    if at > now and not named:
        before = day - timedelta(days=1)
        at = localize(datetime(before.year, before.month, before.day, hour, minute), zone)
    return at


def _day_of(words: list[str], local: datetime) -> tuple[date, list[str], bool]:
    """The day some words name, what is left of them, and whether they named one."""
    today = local.date()
    first = words[0]
    if first in ("today", "yesterday"):
        return today - timedelta(days=first == "yesterday"), words[1:], True
    if first[:3] in DAYS and "monday tuesday wednesday thursday friday saturday sunday".find(first) >= 0:
        back = (today.weekday() - DAYS.index(first[:3])) % 7
        return today - timedelta(days=back), words[1:], True
    if m := re.fullmatch(r"([0-9]{4})-([0-9]{2})-([0-9]{2})", first):
        return date(*(int(part) for part in m.groups())), words[1:], True
    if len(words) > 1 and re.fullmatch(r"[0-9]{1,2}", first.rstrip(".")) and words[1][:3] in MONTHS:
        return _past(int(first.rstrip(".")), words[1], today), words[2:], True
    if len(words) > 1 and first[:3] in MONTHS and re.fullmatch(r"[0-9]{1,2}", words[1].rstrip(".")):
        return _past(int(words[1].rstrip(".")), first, today), words[2:], True
    return today, words, False


def _past(day: int, month: str, today: date) -> date:
    """The last such day of the year that has come."""
    number = MONTHS.index(month[:3]) + 1
    for year in (today.year, today.year - 1):
        at = date(year, number, day)
        if at <= today:
            return at
    return date(today.year - 1, number, day)
