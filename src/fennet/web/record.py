"""A garden's record as pages read it: kept in each server process and looked up anew only where something was written."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any, TypeVar, cast

from flask import current_app, g
from sqlalchemy import Connection

from fennet.core.history import standing, tray_stays
from fennet.core.records import Event, Journal, RecordFault, Series
from fennet.storage import queries
from fennet.storage.queries import GardenRef
from fennet.web import asking
from fennet.web.answers import STEP_S
from fennet.web.keeping import Kept
from fennet.web.parts import PartNote, listening, tell

#: Readings older than this are not kept at hand; exports hold everything.
REACHES_BACK_S = 420 * 86_400.0
#: Gardens and views kept in one process.
MOST_GARDENS, MOST_VIEWS = 12, 300
T = TypeVar("T")


@dataclass
class _Shelf:
    """What is kept of one garden: the counts it was read at, its things, events and series by number, and the whole of it."""

    revision: int = -1
    shape: int = -1
    things: Journal = field(default_factory=Journal)
    events: list[Event] = field(default_factory=list)
    position: int = -1
    series: dict[int, tuple[int, Series]] = field(default_factory=dict)
    journal: Journal = field(default_factory=Journal)
    standing: list[Event] = field(default_factory=list)
    wants: list[int] = field(default_factory=list)


_shelves: OrderedDict[Hashable, _Shelf] = OrderedDict()
_views: Kept[Any] = Kept(MOST_VIEWS)
_lock = Lock()


def _shelf() -> tuple[int, _Shelf]:
    """The shelf of this request's garden, up to date."""
    if "shelf" in g:
        return cast("tuple[int, _Shelf]", g.shelf)
    c, ref = asking.reading(), asking.garden()
    name = asking.identity()
    revision, shape = queries.revision(c, ref.id)
    with _lock:
        kept = _shelves.get(name)
        if kept is not None:
            _shelves.move_to_end(name)
    if kept is None or kept.revision != revision or kept.things.garden != ref.garden:
        kept = _read(c, ref, kept or _Shelf(), revision, shape)
        with _lock:
            _shelves[name] = kept
            while len(_shelves) > MOST_GARDENS:
                _shelves.popitem(last=False)
    g.shelf = (revision, kept)
    return revision, kept


def _read(c: Connection, ref: GardenRef, old: _Shelf, revision: int, shape: int) -> _Shelf:
    """A shelf brought up to date: only what changed is read again."""
    same = old.shape == shape and old.things.garden == ref.garden
    things = old.things if same else queries.things_record(c, ref)
    fresh, position, total = queries.events_since(c, ref.id, old.position)
    found = [*old.events, *fresh]
    if len(found) != total:
        found, position, _ = queries.events_since(c, ref.id, -1)
    series: dict[int, tuple[int, Series]] = {}
    from_s = asking.now().timestamp() // 86_400 * 86_400 - REACHES_BACK_S
    for mark in queries.series_marks(c, ref.id):
        kept = old.series.get(mark.id)
        series[mark.id] = kept if kept and kept[0] == mark.revision else (mark.revision, queries.series(c, mark, from_s))
    # A series may have no reading at hand: its last one was taken back, is older than what is kept, or says nothing yet.
    whole = replace(things, events=found, series=[s for _, s in series.values() if len(s.at_s)])
    wants = old.wants if same else list(queries.wants_by_position(c, ref.id))
    return _Shelf(revision, shape, things, found, position, series, whole, standing(found, float("inf")), wants)


def read_again() -> None:
    """Forget what this request has read, after it wrote."""
    g.pop("shelf", None)


def read_in_turn() -> tuple[Journal, list[Event], float]:
    """The record as it stands inside a write, its standing events and the moment: nothing is written to it in between. What is
    read from here on in this request is that record."""
    read_again()
    return journal(), events(), at_s()


def journal() -> Journal:
    """The whole record of this request's garden, its readings by the hour where a logger wrote them."""
    return _shelf()[1].journal


def faults() -> list[RecordFault]:
    """What of this garden's stored record cannot be read, for every page to say; nothing where no garden is meant."""
    if asking.here() is None:
        return []
    try:
        return journal().faults
    except Exception:
        # Asked by the frame of every page, the page that says what broke among them.
        current_app.logger.exception("the faults of a record")
        return []


def revision() -> int:
    """Counts every write to this garden."""
    return _shelf()[0]


def shape() -> int:
    """Counts the writes to the things of this garden, wants and packets among them."""
    return _shelf()[1].shape


def want_positions() -> list[int]:
    """The numbers that address the wants, in the order of the record."""
    return _shelf()[1].wants


def events() -> list[Event]:
    """The events that stand, in order of time."""
    now_s = asking.now().timestamp()
    return [e for e in _shelf()[1].standing if e.at.timestamp() <= now_s]


def at_s() -> float:
    """Now, in steps, but never before the last thing written."""
    now_s = asking.now().timestamp()
    stood = events()
    last = stood[-1].at.timestamp() if stood else 0.0
    return max(now_s // STEP_S * STEP_S, min(now_s, last))


def remembered(key: Hashable, make: Callable[[], T]) -> T:
    """What a page shows of this garden, made once for the same record, time step and reader."""
    revision, _ = _shelf()
    whole = (*asking.identity(), revision, at_s(), asking.speech(), key)

    def made() -> tuple[T, tuple[PartNote, ...]]:
        with listening() as notes:
            return make(), tuple(notes)

    value, notes = cast("tuple[T, tuple[PartNote, ...]]", _views.get(whole, made))
    for note in notes:
        tell(note)
    if any(note.slow for note in notes):
        # What was left out for want of time is worked out at the next look.
        _views.drop(whole)
    return value


def forget() -> None:
    """Empty the shelves, as after a start."""
    with _lock:
        _shelves.clear()
    _views.forget()


def part_of_tray(whole: Journal, stood: list[Event], tray_id: str, now_s: float) -> Journal:
    """The part of a record that concerns one tray now: the batches in it, and the events that bear on them."""
    here = []
    for batch in whole.batches:
        stays = [s for s in tray_stays(batch, stood) if s.from_s <= now_s]
        if stays and stays[-1].where == tray_id:
            here.append(batch)
    batch_ids = {b.id for b in here}
    trays = {tray_id, *(s.where for b in here for s in tray_stays(b, stood))}

    def bears(e: Event) -> bool:
        f = e.fields
        if f.get("batch") is not None:
            return f["batch"] in batch_ids or f.get("to_batch") in batch_ids
        return f.get("tray") in (None, *trays)

    return replace(
        whole,
        trays=[t for t in whole.trays if t.id == tray_id],
        batches=here,
        events=[e for e in stood if bears(e)],
    )
