"""Which part of a garden's record each question reads, and the exact revisions that part was read at.

An answer is a pure function of a part of the record and a moment. Here it is said once, for each question, which part that is;
the function is given that part and nothing else, so that what is kept of its answer can be filed under the part's fingerprint and
holds for just as long as the part does. That the part says the same as the whole record is a property the tests hold.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Set
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from fennet.core.history import ancestors, effective_events, life_stays, place_stays, said_anew, tray_stays
from fennet.core.kept import fingerprint_of, last_known_s, moment_s
from fennet.core.records import Batch, Event, Journal
from fennet.core.room_here import RoomHere

#: What is written and changes no answer of the core: a note, and a task that was left until later.
SAYS_NOTHING = frozenset(("note", "set"))
#: What places a batch in a tray and a tray in the room.
MOVES = frozenset(("placed", "moved", "potted_up"))
#: What other batches tell of their seed: what came up of them, and what they were parted from.
TELLS_OF_SEED = frozenset(("count", "moved", "potted_up"))
#: What is hung and set over a room, and bears on light and air but not on when seed comes up.
OVERHEAD = frozenset(("lamp", "fan"))
#: What moves a tray or a mat, covers it, or moves what is in it.
SETS_THE_ROOM = MOVES | {"cover", "mat"}
#: What is done in a tray and changes neither its warmth nor whether anything is waited for in it.
BESIDE_HEAT = frozenset(("fed", "thinned", "topped", "taste", "height", "lamp", "fan", "washed", "check"))
#: What says where leaves are under a lamp, and what is read of light and leaves there.
PLACES_LEAVES = MOVES | {"height"}
LIGHT = frozenset(("light", "height"))
#: Quantities that say how warm a tray, its mat and its room are, and how wet.
WARMTH = frozenset(("soil_temperature", "air_temperature", "moisture"))


@dataclass(frozen=True)
class Part:
    """The part of a record that a question reads: `journal` holds its events as they stand, in order of time, and its series.

    `fingerprint` is made of the exact revisions it was read at; two parts with one fingerprint hold the same. `last_s` is the
    last that was written or sown in it, seconds UTC.
    """

    journal: Journal
    fingerprint: Hashable
    last_s: float

    def moment_s(self, now_s: float) -> float:
        """The moment a question on this part is answered for: the half hour, but never before the last thing written in it."""
        return moment_s(now_s, self.last_s)


@dataclass(frozen=True)
class Record:
    """A garden's record as it stands at a moment, laid out by what its entries speak of.

    `journal` holds the events that stood at `now_s`, in order of time; it stands so until `until_s`, seconds UTC, where something
    that is written comes due. Later readings are left to the answers, which use none.
    """

    journal: Journal
    now_s: float
    until_s: float = float("inf")
    _kept: dict[Hashable, Part] = field(default_factory=dict, repr=False, compare=False)
    _knowing: dict[Hashable, Record] = field(default_factory=dict, repr=False, compare=False)

    def knowing(self, here: RoomHere) -> Record:
        """The same record, with what is known to be usual of its room."""
        if not here:
            return self
        if here.fingerprint not in self._knowing:
            # One at a time: what was known before is asked about no more.
            self._knowing.clear()
            self._knowing[here.fingerprint] = type(self)(replace(self.journal, here=here), self.now_s, self.until_s)
        return self._knowing[here.fingerprint]

    # -- the layout -------------------------------------------------------------------------------------------------------

    @property
    def events(self) -> list[Event]:
        return self.journal.events

    @cached_property
    def _by_batch(self) -> dict[str, list[int]]:
        out: dict[str, list[int]] = defaultdict(list)
        for i, e in enumerate(self.events):
            for name in {e.fields.get("batch"), e.fields.get("to_batch")} - {None}:
                out[str(name)].append(i)
        return out

    @cached_property
    def _by_tray(self) -> dict[str, list[int]]:
        out: dict[str, list[int]] = defaultdict(list)
        for i, e in enumerate(self.events):
            if e.fields.get("tray") is not None:
                out[str(e.fields["tray"])].append(i)
        return out

    @cached_property
    def _by_kind(self) -> dict[str, list[int]]:
        out: dict[str, list[int]] = defaultdict(list)
        for i, e in enumerate(self.events):
            out[e.kind].append(i)
        return out

    @cached_property
    def _of_the_room(self) -> list[int]:
        """What speaks of no batch and no tray: lamps, fans. And what mats are set to, whichever tray it was told with."""
        return [
            i
            for i, e in enumerate(self.events)
            if e.fields.get("setpoint_c") is not None or (e.fields.get("batch") is None and e.fields.get("tray") is None)
        ]

    @cached_property
    def _moves(self) -> list[Event]:
        return self._events_at(i for kind in MOVES for i in self._by_kind.get(kind, ()))

    @cached_property
    def _trays_of(self) -> dict[str, frozenset[str]]:
        """The trays each batch ever stood in, by its own moves."""
        own: dict[str, list[Event]] = defaultdict(list)
        for e in self._moves:
            for name in {e.fields.get("batch"), e.fields.get("to_batch")} - {None}:
                own[str(name)].append(e)
        return {b.id: frozenset(s.where for s in tray_stays(b, own.get(b.id, ()))) for b in self.journal.batches}

    @cached_property
    def _places_of(self) -> dict[str, frozenset[str]]:
        """The places each tray ever stood on."""
        own: dict[str, list[Event]] = defaultdict(list)
        for e in self._moves:
            if e.kind == "placed":
                own[str(e.fields["tray"])].append(e)
        return {t.id: frozenset(s.where for s in place_stays(t.id, own.get(t.id, ()))) for t in self.journal.trays}

    # -- the parts --------------------------------------------------------------------------------------------------------

    def home(self, batch: Batch) -> Part:
        """What bears on how a batch stands: what was done to it, to what it came from and to all that ever shared a tray with
        these; their trays; what hangs and is set over the room; and what was read of the light beside them."""
        return self._keep(("home", batch.id), lambda: self._part(*self._at_home(batch)))

    def soil(self, batch: Batch) -> Part:
        """What bears on when a batch's seed comes up: as `home`, without what hangs overhead and what it gives."""

        def made() -> Part:
            home = self._home(batch)
            found = [i for i in self._about(*home) if self.events[i].kind not in OVERHEAD]
            return self._part(found, self._read_in(*home, WARMTH))

        return self._keep(("soil", batch.id), made)

    def grown(self, batch: Batch) -> Part:
        """What bears on how a batch grew: as `soil`, with what was measured of its height."""

        def made() -> Part:
            home = self._home(batch)
            found = [i for i in self._about(*home) if self.events[i].kind not in OVERHEAD]
            return self._part(found, self._read_in(*home, WARMTH | {"height"}))

        return self._keep(("grown", batch.id), made)

    def care(self, batch: Batch) -> Part:
        """What bears on what a batch wants done: as `home`, and the signs of the whole garden: pests fly."""

        def made() -> Part:
            found, series = self._at_home(batch)
            return self._part([*found, *self._by_kind.get("sign", ())], series)

        return self._keep(("care", batch.id), made)

    def argument(self, batch: Batch) -> Part:
        """What bears on what is wrong with a batch: its home, all that stands or stood on its shelves, where everything was,
        what came up of the same seed elsewhere, and whether anybody here logs waterings at all."""

        def made() -> Part:
            beside, near = self._shelf(*self._home(batch))
            seed = {b.id for b in self.journal.batches if _same_seed(b, batch)}
            seed |= {m.id for b in self.journal.batches if b.id in seed for m in ancestors(self.journal, b)}
            found = self._about(beside, near)
            found += [i for b in seed for i in self._by_batch.get(b, ()) if self.events[i].kind in TELLS_OF_SEED]
            found += [i for kind in MOVES for i in self._by_kind.get(kind, ())]
            found += self._by_kind.get("watered", [])[:1]
            return self._part(found, self._read_in(beside, near))

        return self._keep(("argument", batch.id), made)

    def heat(self, trays: frozenset[str]) -> Part:
        """What bears on the warmth of some trays, on what waits in them and on how they could change places: all that was done in
        them, and where everything lies and stands. Batches in none of them, and ancestors of none there, are left out."""

        def made() -> Part:
            inside = [b for b in self.journal.batches if self._trays_of[b.id] & trays]
            line = {b.id for b in inside} | {m.id for b in inside for m in ancestors(self.journal, b)}
            near = trays | {t for b in line for t in self._trays_of.get(b, ())}
            found = self._about(line, near) + [i for kind in SETS_THE_ROOM for i in self._by_kind.get(kind, ())]
            found = [i for i in found if self.events[i].kind not in BESIDE_HEAT]
            part = self._part(found, self._read_in(line, near, WARMTH))
            kept = replace(part.journal, batches=[b for b in self.journal.batches if b.id in line])
            return replace(part, journal=kept, fingerprint=(part.fingerprint, tuple(b.id for b in kept.batches)))

        return self._keep(("heat", trays), made)

    def garden(self, leave_out: frozenset[str] = frozenset(), quantities: frozenset[str] | None = None) -> Part:
        """The whole record, for questions on the whole garden, but for kinds of event and quantities that such a question never
        reads."""

        def made() -> Part:
            found = [i for i, e in enumerate(self.events) if e.kind not in leave_out]
            read = [i for i, s in enumerate(self.journal.series) if quantities is None or s.quantity in quantities]
            return self._part(found, read)

        return self._keep(("garden", leave_out, quantities), made)

    # -- how they are made ------------------------------------------------------------------------------------------------

    def _keep(self, name: Hashable, make: Callable[[], Part]) -> Part:
        if name not in self._kept:
            self._kept[name] = make()
        return self._kept[name]

    def _home(self, batch: Batch) -> tuple[set[str], set[str]]:
        """A batch's kin, as all that ever shared a tray with it or with what it came from, and those trays."""
        line = [batch, *ancestors(self.journal, batch)]
        trays = {s.where for s in life_stays(self.journal, batch, self._moves)}
        trays |= {t for b in line for t in self._trays_of.get(b.id, ())}
        kin = {b.id for b in self.journal.batches if self._trays_of[b.id] & trays} | {b.id for b in line}
        return kin, trays

    def _shelf(self, kin: set[str], trays: set[str]) -> tuple[set[str], set[str]]:
        """The batches and trays that ever stood on a place where these did, with what they came from; these among them."""
        shelves = {place for t in trays for place in self._places_of.get(t, ())}
        near = {t for t, places in self._places_of.items() if places & shelves} | trays
        beside = {b.id for b in self.journal.batches if self._trays_of[b.id] & near} | kin
        return beside | {m.id for b in self.journal.batches if b.id in beside for m in ancestors(self.journal, b)}, near

    def _at_home(self, batch: Batch) -> tuple[list[int], list[int]]:
        """The events and series that bear on how a batch stands, by number."""
        kin, trays = self._home(batch)
        beside, near = self._shelf(kin, trays)
        # A lamp is known by what was read anywhere beneath it, at the height that the leaves had there.
        spoken = [i for b in beside - kin for i in self._by_batch.get(b, ())]
        spoken += [i for t in near - trays for i in self._by_tray.get(t, ())]
        found = self._about(kin, trays) + [i for i in spoken if self.events[i].kind in PLACES_LEAVES]
        return found, [*self._read_in(kin, trays), *self._read_in(beside, near, LIGHT)]

    def _about(self, batches: Iterable[str], trays: Iterable[str]) -> list[int]:
        """The events that speak of some batches, of some trays, or of the room."""
        found = [i for b in batches for i in self._by_batch.get(b, ())]
        found += [i for t in trays for i in self._by_tray.get(t, ())]
        return found + self._of_the_room

    def _read_in(self, batches: set[str], trays: Set[str], of: frozenset[str] | None = None) -> list[int]:
        """The series read in some trays, of some batches, or at no tray and batch; of some quantities, if they are named."""
        others = {t.id for t in self.journal.trays} - trays | {b.id for b in self.journal.batches} - batches
        series = enumerate(self.journal.series)
        return [i for i, s in series if s.place not in others and (of is None or s.quantity in of)]

    def _events_at(self, numbers: Iterable[int]) -> list[Event]:
        return [self.events[i] for i in sorted(set(numbers))]

    def _part(self, events: Iterable[int], series: Iterable[int]) -> Part:
        """The part of some events and series, by number, in the order of the record."""
        kept = [e for e in self._events_at(events) if e.kind not in SAYS_NOTHING]
        read = [self.journal.series[i] for i in sorted(set(series))]
        return part_of(replace(self.journal, events=kept, series=read), self.now_s)


def part_of(journal: Journal, now_s: float) -> Part:
    """A record, or what is left of one, as a part: its fingerprint and its last entry. `journal` holds effective events."""
    known = last_known_s(journal.events, journal.series, now_s)
    # Sown a moment ago it is asked about as of then, not of the half hour before.
    sown = max((t for b in journal.batches if (t := b.sown_at.timestamp()) <= now_s), default=0.0)
    return Part(journal, fingerprint_of(journal, journal.events, journal.series), max(known, sown))


def record_at(journal: Journal, now_s: float) -> Record:
    """A journal as it stood at a moment (seconds UTC).

    >>> from datetime import UTC, datetime
    >>> day = lambda n: datetime(2026, 3, n, tzinfo=UTC)
    >>> up = Event(kind="count", at=day(9), id="c", fields={"batch": "b", "cells_up": 2})
    >>> gone = Event(kind="withdrawn", at=day(10), id="w", fields={"target": "c"})
    >>> [len(record_at(Journal(events=[up, gone]), day(n).timestamp()).events) for n in (8, 9, 10)]
    [0, 1, 0]
    """
    stood = effective_events(journal.events, now_s)
    later = [at_s for e in journal.events if (at_s := _at_s(e)) > now_s]
    later += [
        float(s.at_s[np.searchsorted(s.at_s, now_s, side="right")]) for s in journal.series if len(s.at_s) and s.at_s[-1] > now_s
    ]
    whole = replace(journal, events=stood, corrected=said_anew(journal.events, now_s))
    return Record(whole, now_s, min(later, default=float("inf")))


def _at_s(event: Event) -> float:
    """When an event is seen: at its own time, or at that of what a correction says, where it comes later."""
    said = event.fields.get("event") if event.kind == "corrects" else None
    return max(event.at_s, said.at_s if isinstance(said, Event) else 0.0)


def _same_seed(a: Batch, b: Batch) -> bool:
    if a.seed_lot is not None or b.seed_lot is not None:
        return a.seed_lot == b.seed_lot
    return a.crop == b.crop
