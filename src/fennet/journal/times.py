"""Instants as text: RFC 3339, or naive in the garden's zone when that hour exists there exactly once."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from fennet.core.bounds import is_instant


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


def parse_instant(text: object, zone: ZoneInfo) -> datetime:
    """An instant from text. Raises ValueError saying what is accepted."""
    if not isinstance(text, str) or len(text) < 16:
        raise ValueError("is no time; accepted: 2026-02-03T21:00:00+02:00")
    try:
        at = datetime.fromisoformat(text.strip().upper().replace(" ", "T", 1))
    except ValueError:
        raise ValueError("is no time; accepted: 2026-02-03T21:00:00+02:00") from None
    if at.tzinfo is None:
        at = localize(at, zone)
    if not is_instant(at):
        raise ValueError("lies outside 1900–2199; accepted: a time of this garden")
    return at.astimezone(UTC)


def format_instant(at: datetime | float, zone: ZoneInfo) -> str:
    """An instant in the garden's offset, to the second (or finer where it was given finer).

    >>> format_instant(0.0, ZoneInfo("UTC"))
    '1970-01-01T00:00:00+00:00'
    """
    moment = at if isinstance(at, datetime) else datetime.fromtimestamp(at, UTC)
    return moment.astimezone(zone).isoformat()
