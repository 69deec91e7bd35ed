"""A garden's record as pages read it, kept in the server process's memory and read anew only where something was written."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from threading import Lock
from typing import TypeVar, cast

from flask import current_app, g
from sqlalchemy import Connection

from fennet.answering.answers import Answers
from fennet.answering.memo import Memo, Shelf
from fennet.core.bearing import Record, record_at
from fennet.core.history import tray_stays
from fennet.core.learning.room_lessons import month_of, months_inside
from fennet.core.records import Event, Journal, RecordFault, Series
from fennet.storage import queries
from fennet.storage.queries import GardenRef, Things
from fennet.web import request_context
from fennet.web.parts import PartNote, listening, tell

#: Readings older than this are not kept at hand, but for months in which old batches were inside; exports hold everything.
REACHES_BACK_S = 420 * 86_400.0
#: Gardens whose record is kept in one process, and the most readings that all of them may hold.
MOST_GARDENS, MOST_READINGS = 40, 6_000_000
T = TypeVar("T")


@dataclass(frozen=True)
class GardenSnapshot:
    """What is kept of one garden: the revisions it was read at, its things, events and series by number, and the whole of it."""

    revision: int = -1
    setup: Hashable = None
    weather: int = -1
    things: Things = field(default_factory=Things)
    events: list[Event] = field(default_factory=list)
    position: int = -1
    series: dict[int, Series] = field(default_factory=dict)
    journal: Journal = field(default_factory=Journal)

    @property
    def readings(self) -> int:
        return sum(len(s.at_s) for s in self.series.values())


class Snapshots:
    """What a server process holds of its gardens: their records, how they stand, and the answers worked out from them."""

    def __init__(self) -> None:
        self.memo = Memo()
        self._snapshots: OrderedDict[Hashable, GardenSnapshot] = OrderedDict()
        self._records: dict[Hashable, tuple[GardenSnapshot, Record]] = {}
        self._lock = Lock()

    def snapshot(self, name: Hashable) -> GardenSnapshot | None:
        with self._lock:
            if name in self._snapshots:
                self._snapshots.move_to_end(name)
            return self._snapshots.get(name)

    def put(self, name: Hashable, snapshot: GardenSnapshot) -> None:
        with self._lock:
            self._snapshots[name] = snapshot
            self._snapshots.move_to_end(name)
            while len(self._snapshots) > 1 and (
                len(self._snapshots) > MOST_GARDENS or sum(s.readings for s in self._snapshots.values()) > MOST_READINGS
            ):
                gone, _ = self._snapshots.popitem(last=False)
                self._records.pop(gone, None)

    def effective(self, name: Hashable, snapshot: GardenSnapshot, now_s: float) -> Record:
        """How a garden stands now: laid out once for as long as nothing is written and nothing that was written comes due."""
        kept = self._records.get(name)
        if kept is not None and kept[0] is snapshot and kept[1].now_s <= now_s < kept[1].until_s:
            return kept[1]
        record = record_at(snapshot.journal, now_s)
        self._records[name] = (snapshot, record)
        return record

    def forget(self) -> None:
        """Empty it, as after a start."""
        with self._lock:
            self._snapshots.clear()
            self._records.clear()
        self.memo.forget()


def snapshots() -> Snapshots:
    return cast(Snapshots, current_app.extensions["fennet_snapshots"])


def _snapshot() -> GardenSnapshot:
    """The snapshot of this request's garden, up to date."""
    if "snapshot" not in g:
        c, ref, name = request_context.reading(), request_context.garden(), request_context.identity()
        revision, setup_revision, weather_revision = queries.revision(c, ref.id)
        # From the first of a month on: what is learned of a month is learned of the whole of it.
        from_s = month_of(request_context.now().timestamp() - REACHES_BACK_S)
        kept = snapshots().snapshot(name)
        if kept is None or kept.revision != revision or kept.setup != (setup_revision, from_s):
            keeps = Shelf(snapshots().memo, name, read_only=request_context.is_writing())
            kept = _read(c, ref, kept or GardenSnapshot(), revision, (setup_revision, from_s), weather_revision, from_s, keeps)
            if not request_context.is_writing():
                # What a write reads of itself may never come to stand.
                snapshots().put(name, kept)
        g.snapshot = kept
    return cast(GardenSnapshot, g.snapshot)


def _read(
    c: Connection, ref: GardenRef, old: GardenSnapshot, revision: int, setup: Hashable, weather: int, from_s: float, keeps: Shelf
) -> GardenSnapshot:  # fmt: skip
    """A snapshot brought up to date: only what changed is read again. With the month moves what is read of long series."""
    same = old.setup == setup
    things = old.things if same else queries.things_of(c, ref)
    foretold = old.journal.weather if old.weather == weather else queries.weather_entries(c, ref.id)
    fresh, position, total = queries.events_since(c, ref.id, old.position)
    found = [*old.events, *fresh]
    if len(found) != total:
        found, position, _ = queries.events_since(c, ref.id, -1)
    marks = {x.id: x for x in queries.series_revisions(c, ref.id)}
    older = tuple(datetime.fromtimestamp(first_s, UTC) for first_s in months_inside(things.record.batches, from_s))
    at = {n: (n, x.revision, from_s, older) for n, x in marks.items()}
    held = {n: s for n, s in old.series.items() if n in at and s.revision == at[n]}
    fresh_ones = queries.series(c, [x for n, x in marks.items() if n not in held], from_s, older)
    series = {n: held[n] if n in held else replace(fresh_ones[n], revision=at[n]) for n in marks}
    # A series may have no reading at hand: its last one was taken back, is older than what is kept, or says nothing yet.
    read = [s for s in series.values() if len(s.at_s)]
    whole = replace(
        things.record, events=found, series=read, weather=foretold, revision=setup, weather_revision=weather, keeps=keeps
    )
    return GardenSnapshot(revision, setup, weather, things, found, position, series, whole)


def read_again() -> None:
    """Forget what this request has read, after it wrote."""
    g.pop("snapshot", None)
    g.pop("answers", None)


def answers() -> Answers:
    """Every answer about this request's garden as it stands now."""
    if "answers" not in g:
        now_s, name = request_context.now().timestamp(), request_context.identity()
        if request_context.is_writing():
            unwritten = replace(journal(), keeps=Shelf(snapshots().memo, name, read_only=True))
            g.answers = Answers(record_at(unwritten, now_s), now_s)
        else:
            g.answers = Answers(snapshots().effective(name, _snapshot(), now_s), now_s)
    return cast(Answers, g.answers)


def answers_at(at_s: float) -> Answers:
    """Every answer as it could have been given at a moment that is past."""
    return Answers(record_at(journal(), at_s), at_s, exactly=True)


def answers_in_turn() -> Answers:
    """Every answer from the record as it stands inside a write: nothing is written to it in between. What is read from here on in
    this request is that record."""
    read_again()
    return answers()


def journal() -> Journal:
    """The whole record of this request's garden, its readings by the hour where a logger wrote them."""
    return _snapshot().journal


def events() -> list[Event]:
    """The events that stand, in order of time."""
    return answers().events


def at_s() -> float:
    """Now, in steps, but never before the last thing written."""
    return answers().at_s


def faults() -> list[RecordFault]:
    """What of this garden's stored record cannot be read, for every page to say; nothing where no garden is meant."""
    if request_context.here() is None:
        return []
    try:
        return journal().faults
    except Exception:
        # Asked by the frame of every page, the page that says what broke among them.
        current_app.logger.exception("the faults of a record")
        return []


def want_positions() -> list[int]:
    """The numbers that address the wants, in the order of the record."""
    return _snapshot().things.want_positions


def remembered(key: Hashable, make: Callable[[], T]) -> T:
    """What a page shows of this garden, made once for the same record, time step and reader."""
    snapshot = _snapshot()
    # What is written ahead of its time, a forecast not yet issued, makes the page anew when its time comes.
    moments = (at_s(), answers().weather_s)
    whole = (request_context.identity(), "page", snapshot.revision, snapshot.setup, moments, request_context.formatter(), key)

    def made() -> tuple[T, tuple[PartNote, ...]]:
        with listening() as notes:
            return make(), tuple(notes)

    # What failed or was left out for want of time is worked out at the next look.
    value, notes = snapshots().memo.get(whole, made, keep=lambda made: not made[1] and not request_context.is_writing())
    for note in notes:
        tell(note)
    return value


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
