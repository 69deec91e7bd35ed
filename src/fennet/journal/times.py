"""Instants as text: RFC 3339, or naive in the garden's zone when that hour exists there exactly once."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import numpy as np

from fennet.core.bounds import is_instant
from fennet.core.records import FloatArray

MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


def zone_of(name: str) -> ZoneInfo:
    """The time zone of this name. Raises ValueError for one that is not known."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as e:
        raise ValueError(f"no time zone {name!r}; accepted: a name like Europe/Tallinn") from e


def localize(naive: datetime, zone: ZoneInfo) -> datetime:
    """A wall-clock time as an instant. Raises ValueError when the clocks skipped it or showed it twice."""
    first, second = (naive.replace(tzinfo=zone, fold=f) for f in (0, 1))
    if first.utcoffset() == second.utcoffset():
        return first
    back = first.astimezone(UTC).astimezone(zone).replace(tzinfo=None)
    what = "exists twice" if back == naive else "does not exist"
    raise ValueError(
        f"{what} in {zone.key} (the clocks change there); accepted: the same time with an offset, like {naive.isoformat()}+02:00"
    )


def day_of_year(text: str) -> str:
    """A day of any year as month-day, however it is typed: by its month's name, or by figures that cannot be misread.

    Raises ValueError in words that follow what was given: 5/12 is May in one country and December in another.

    >>> [day_of_year(t) for t in ("12 May", "may 12th", "05-12", "12.5.")]
    ['05-12', '05-12', '05-12', '05-12']
    """
    words = re.findall(r"[a-z]{3,}|[0-9]{1,2}", text.lower())
    named = [w for w in words if w[:3] in MONTHS]
    figures = [int(w) for w in words if w.isdecimal()]
    try:
        if named and len(figures) == 1:
            day = date(2000, MONTHS.index(named[0][:3]) + 1, figures[0])
        elif re.fullmatch(r"\d{1,2}-\d{1,2}", text.strip(), re.ASCII):
            day = date(2000, *figures)
        elif re.fullmatch(r"\d{1,2}\.\s*\d{1,2}\.?", text.strip(), re.ASCII):
            day = date(2000, figures[1], figures[0])
        else:
            raise ValueError
    except ValueError:
        raise ValueError("is not a day of the year; accepted: 12 May, or 05-12 (month first)") from None
    return f"{day:%m-%d}"


def parse_instant(text: object, zone: ZoneInfo) -> datetime:
    """An instant from text. Raises ValueError saying what is accepted."""
    if not isinstance(text, str) or len(text) < 16:
        raise ValueError("is not a time; accepted: 2026-02-03T21:00:00+02:00")
    try:
        at = datetime.fromisoformat(text.strip().upper().replace(" ", "T", 1))
    except ValueError:
        raise ValueError("is not a time; accepted: 2026-02-03T21:00:00+02:00") from None
    if at.tzinfo is None:
        at = localize(at, zone)
    if not is_instant(at):
        raise ValueError("lies outside 1900–2199; accepted: a time of this garden")
    return at.astimezone(UTC)


#: Where the figures of 2026-02-03T21:00:00 stand, and what may stand between them.
_DIGITS = [0, 1, 2, 3, 5, 6, 8, 9, 11, 12, 14, 15, 17, 18]
_BETWEEN = [4, 7, 10, 13, 16]


def seconds_of(texts: Sequence[str]) -> FloatArray:
    """Seconds UTC of instants with an offset; those without one are left out. Raises ValueError where one is not a time.

    A logger writes all its times in one form: those are read together.

    >>> seconds_of(["1970-01-01T02:00:00+02:00", "1970-01-01T02:00:01+02:00"]).tolist()
    [0.0, 1.0]
    """
    if texts and len(texts[0]) == 25 and texts[0][19] in "+-":
        # One letter more, so that a longer text shows.
        letters = np.array(texts, dtype="S26").view(np.uint8).reshape(-1, 26)
        figures, between = letters[:, _DIGITS], letters[:, _BETWEEN]
        alike = bool((letters[:, 19:] == letters[0, 19:]).all() and (between == between[0]).all())
        if alike and bytes(between[0]) in (b"--T::", b"-- ::") and bool(((figures >= ord("0")) & (figures <= ord("9"))).all()):
            local = np.ascontiguousarray(letters[:, :19]).view("S19").ravel().astype("datetime64[s]")
            shift = datetime.fromisoformat(texts[0]).utcoffset()
            assert shift is not None
            return np.asarray(local.astype(np.int64) - shift.total_seconds(), dtype=float)
    return np.array([datetime.fromisoformat(t).timestamp() for t in texts if t[-6] in "+-" or t[-1] in "Zz"])


def format_instant(at: datetime | float, zone: ZoneInfo) -> str:
    """An instant in the garden's offset, to the second (or finer where it was given finer).

    >>> format_instant(0.0, ZoneInfo("UTC"))
    '1970-01-01T00:00:00+00:00'
    """
    moment = at if isinstance(at, datetime) else datetime.fromtimestamp(at, UTC)
    return moment.astimezone(zone).isoformat()
