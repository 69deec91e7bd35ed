"""What stations and forecasts say, taken through any door: kept as it came, the newest of each source and day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, timedelta
from typing import Any, NamedTuple

from sqlalchemy import delete, select

from fennet.core.bounds import is_open_entry
from fennet.core.records import Garden
from fennet.journal.rejected import Rejection
from fennet.journal.times import parse_instant
from fennet.journal.weather import read_weather
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.typed_records import keep_entry
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

#: Issues taken at once; issued no later than this ahead of the clock (a station's may be a little fast).
MOST_ISSUES, AHEAD = 200, timedelta(minutes=10)
#: Kept so long: a season and the one before.
KEPT = timedelta(days=400)


def take_weather(w: WriteContext, entries: Sequence[Mapping[str, Any]]) -> list[Rejection]:
    """Keep some issues of weather; what of them was set aside. Of one source, kind and day the newest stands. Raises Refusal
    where nothing of them can be read."""
    if not entries or len(entries) > MOST_ISSUES or not all(isinstance(e, Mapping) and is_open_entry(dict(e)) for e in entries):
        raise Refusal(
            f"That is not weather Fennet can read: a list of up to {MOST_ISSUES} issues, each an object with hours or days.",
            "weather",
        )
    garden = w.actor.ref.garden
    issues, rejected = read_weather(entries, garden)
    good = [e for e in entries if read_weather([e], garden)[0]]
    if not issues:
        raise Refusal(f"None of it could be read: {rejected[0] if rejected else 'nothing was given'}", "weather")
    late = next((s for s in issues if s.issued_s > (w.now + AHEAD).timestamp()), None)
    if late is not None:
        when = datetime.fromtimestamp(late.issued_s, UTC).isoformat()
        raise Refusal(f"It says it was issued at {when}, which has not come yet: look at the station's clock.", "issued_at", when)
    k = table_of(t.JournalSectionRow)
    mine = (k.c.garden_id == w.garden_id, k.c.section == "weather")
    there = [(position, body, _said(body, garden)) for position, body in w.c.execute(select(k.c.position, k.c.body).where(*mine))]
    gone = {position for position, _, said in there if said is not None and said.day < (w.now - KEPT).date()}
    for entry in good:
        new = _said(entry, garden)
        assert new is not None
        gone |= {
            position
            for position, body, said in there
            if said is not None and said[:3] == new[:3] and said.issued_s <= new.issued_s
            and (new.kind != "actual" or _hours(body) <= _hours(entry))
        }  # fmt: skip
        keep_entry(w, "weather", dict(entry))
    if gone:
        w.c.execute(delete(k).where(*mine, k.c.position.in_(gone)))
    return rejected


class _Said(NamedTuple):
    """Whose word an issue is, of which kind and day, and when it was said."""

    source: str
    kind: str
    day: date
    issued_s: float


def _said(entry: Mapping[str, Any], garden: Garden) -> _Said | None:
    """What tells an issue from others; None where it cannot be read."""
    try:
        issued = parse_instant(entry.get("issued_at"), garden.zone)
    except ValueError:
        return None
    return _Said(str(entry.get("source") or ""), str(entry.get("kind", "forecast")), garden.day_of(issued), issued.timestamp())


def _hours(entry: Mapping[str, Any]) -> set[str]:
    return {str(h.get("at")) for h in entry.get("hours") or [] if isinstance(h, Mapping)}
