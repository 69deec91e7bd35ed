"""Canonical figures of readings that follow from something else of the record: a lamp's factor, a scale's points, or what hung
over a place. When that changes, late or corrected, the figures of the past are made anew in the same transaction."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

from sqlalchemy import Connection

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


def known_of(c: Connection, ref: GardenRef) -> Known:
    """What readings of this garden may refer to."""
    lamps = {lamp.id: lamp for lamp in queries.records(c, ref.id, "lamps")}
    sections: dict[str, Any] = {s: queries.records(c, ref.id, s) for s in ("places", "mats", "fans", "trays", "batches")}
    alive = lives(Journal(lamps=list(lamps.values()), **sections))

    @lru_cache
    def shone_on() -> ShoneOn:
        over = Journal(lamps=list(lamps.values()), **sections)
        return ShoneOn(over, effective_events(queries.events(c, ref.id), float("inf")))

    return Known(queries.things(c, ref.id), lamps, {s.id: s for s in queries.sources(c, ref.id)}, alive, shone_on)


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
