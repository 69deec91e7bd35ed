"""Canonical figures of readings that follow from something else of the record: a lamp's factor, a scale's points, or what hung
over a place. When that changes, late or corrected, the figures of the past are made anew in the same transaction."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from functools import lru_cache, partial
from threading import Lock
from typing import Any

from cachetools import LRUCache
from sqlalchemy import Connection, Engine

from fennet.core.history import effective_events
from fennet.core.lighting.shone_on import ShoneOn
from fennet.core.records import Event, Journal
from fennet.core.room import lives
from fennet.core.units import IN_LUX
from fennet.journal.readings import GroupKey, Known, canonical_of
from fennet.operations.acting import WriteContext
from fennet.storage import queries
from fennet.storage.queries import GardenRef
from fennet.storage.reading_store import Column, rebuild, stored

#: Events that say what hangs over a reading's place.
OVERHEAD = ("lamp", "placed", "potted_up", "moved")


#: What readings may refer to, by database, garden and the revision of its things: a device asks for it at every message.
_KNOWN: LRUCache[tuple[str, int, int], Known] = LRUCache(200)
_KNOWN_LOCK = Lock()


def known_of(c: Connection, ref: GardenRef) -> Known:
    """What readings of this garden may refer to, as it stands on this connection."""
    return replace(_read_known(c, ref), shone_on=lru_cache(partial(_shone_on, c, ref)))


def known_at_hand(engine: Engine, ref: GardenRef) -> Known:
    """The same as it was last written, kept for as long as the garden's things are those of that revision."""
    name = (engine.url.render_as_string(), ref.id, ref.setup_revision if ref.setup_revision is not None else -1)
    with _KNOWN_LOCK:
        known = _KNOWN.get(name)
    if known is None:
        with engine.connect() as c:
            before = queries.revision(c, ref.id)[1]
            known = _read_known(c, ref)
            # A write that came between would be filed under the revision before it.
            if queries.revision(c, ref.id)[1] == before:
                with _KNOWN_LOCK:
                    _KNOWN[name[0], ref.id, before] = known

    @lru_cache
    def shone_on() -> ShoneOn:
        with engine.connect() as c:
            return _shone_on(c, ref)

    return replace(known, shone_on=shone_on)


def _read_known(c: Connection, ref: GardenRef) -> Known:
    sections = _sections(c, ref)
    lamps = {lamp.id: lamp for lamp in sections["lamps"]}
    known = {s.id: s for s in queries.sources(c, ref.id)}
    return Known(queries.things(c, ref.id), lamps, known, lives(Journal(**sections)))


def _shone_on(c: Connection, ref: GardenRef) -> ShoneOn:
    return ShoneOn(Journal(**_sections(c, ref)), effective_events(queries.events(c, ref.id), float("inf")))


def _sections(c: Connection, ref: GardenRef) -> dict[str, Any]:
    return {s: queries.records(c, ref.id, s) for s in ("lamps", "places", "mats", "fans", "trays", "batches")}


def renew(
    w: WriteContext, quantity: str | None = None, source: str | None = None, bears: Callable[[Column], bool] | None = None
) -> int:
    """Make the canonical figures anew of the readings of a quantity or a source, or of those of their columns that something
    bears on; how many figures there were. No more than a piece of a column is held at a time."""
    known = known_of(w.c, w.actor.ref)

    def anew() -> Iterator[Column]:
        for col in stored(w.c, w.garden_id, quantity, source):
            if bears is None or bears(col):
                place, of, by, x, y, z = col.series
                key = GroupKey(place, of, col.unit, by, x, y, z, col.under, col.estimated)
                yield replace(col, canonical=canonical_of(key, col.at_s, col.value, known))

    return rebuild(w.c, w.garden_id, anew())


def of_unnamed_light(col: Column) -> bool:
    """Whether a column is of light in lux that nobody said the lamp of: it goes by what the record has hanging there."""
    return col.series[1] == "light" and col.unit in IN_LUX and col.under is None


def renew_unnamed_light(w: WriteContext, events: Iterable[Event]) -> int:
    """After events that say what hung where: the lux readings from the first of them on under no named lamp are told anew."""
    times = [e.at_s for e in _meant(events) if e.kind in OVERHEAD]
    if not times or not queries.has_unnamed_lux(w.c, w.garden_id, min(times)):
        return 0
    return renew(w, "light", bears=of_unnamed_light)


def _meant(events: Iterable[Event]) -> Sequence[Event]:
    """The events and, of corrections, what they say."""
    return [x for e in events for x in (e, e.fields.get("event")) if isinstance(x, Event)]
