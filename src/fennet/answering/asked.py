"""What a question is asked of: a garden's record at a moment, its kinds as the table and as the garden knows them."""

from __future__ import annotations

import pickle
from collections import defaultdict
from collections.abc import Callable, Hashable, Mapping, Sequence
from datetime import date
from functools import cached_property
from hashlib import sha256
from typing import TypeVar
from zoneinfo import ZoneInfo

from fennet.core.bearing import Part, Record
from fennet.core.crop import Crop
from fennet.core.kept import fingerprint_of
from fennet.core.learning.garden import CropsHere, Learned, learned
from fennet.core.learning.grown import READ_OF_GROWTH, GrownLesson, grown, grown_s, is_measured
from fennet.core.learning.lessons import Lesson, lesson, lesson_s, read_for
from fennet.core.learning.room import RoomLearned, own_records_s, room_here, room_learned
from fennet.core.learning.room_lessons import (
    BESIDE_ROOM,
    READ,
    Month,
    RoomLesson,
    month_lessons,
    month_of,
    months_over,
    set_up_of,
)
from fennet.core.learning.survival import family, outcome
from fennet.core.records import Batch, Event, Journal, Keeps, KeepsNothing, SeedLot, Target
from fennet.core.room import RoomState, room_at
from fennet.core.room_here import RoomHere
from fennet.core.seed import SeedState, seed_state
from fennet.core.stages import ENDED, stages_now
from fennet.crops import CropTable, UnknownCrop, shipped
from fennet.journal.learned import corrections_of
from fennet.journal.targets import own_targets
from fennet.journal.times import zone_of

T = TypeVar("T")
#: Kinds of event that nothing that is learned of seed reads.
BESIDE_SEED = frozenset(("fed", "taste", "lamp", "fan", "washed", "sign"))


class Asked:
    """Answers about one garden from its record as it stood at a moment.

    `now_s` is the moment, seconds UTC, at which the record stands as it is given. Answers are kept where its journal says, if it
    has a revision: without one nobody can tell one record from another. Questions are answered for the half hour unless they are
    asked `exactly` for the moment, as a command does.
    """

    def __init__(self, record: Record, now_s: float, exactly: bool = False) -> None:
        self._read, self.now_s, self._exactly = record, now_s, exactly
        self._memo: Keeps = record.journal.keeps if record.journal.revision is not None else KeepsNothing()
        self.at_s = self.moment_s(record.garden())

    @cached_property
    def record(self) -> Record:
        """The record, with what it taught of its own trays, mats and lamps."""
        return self._read.knowing(self.room_learned[1])

    @property
    def journal(self) -> Journal:
        """The record: its events as they stand."""
        return self.record.journal

    @property
    def events(self) -> list[Event]:
        return self.record.events

    @cached_property
    def zone(self) -> ZoneInfo:
        return zone_of(self.journal.garden.timezone)

    @cached_property
    def table(self) -> CropTable:
        """The crop table with the garden's own kinds."""
        return shipped().with_own(self.journal.crops) if self.journal.crops else shipped()

    @cached_property
    def crops(self) -> dict[str, Crop]:
        """The kinds that batches, wants and packets name, as they spell them, as far as anybody knows them."""
        out = {}
        j = self.journal
        for name in {b.crop for b in j.batches} | {w.crop for w in j.wants} | {x.crop for x in j.seed_lots}:
            try:
                out[name] = self.table.get(name)
            except UnknownCrop:
                continue
        return out

    @cached_property
    def learned(self) -> Learned:
        """What the garden has learned of its kinds and seed from all that was sown in it and is settled."""
        part = self.record.garden(BESIDE_SEED, READ_OF_GROWTH)
        at_s = self.moment_s(part)

        def made() -> Learned:
            lessons = [x for b in self.journal.batches if (x := self._lesson(b, at_s)) is not None]
            told: dict[str, list[Event]] = defaultdict(list)
            for e in part.journal.events:
                told[str(e.fields.get("batch"))].append(e)
            known = [b for b in self.journal.batches if b.crop in self.crops]
            lived = [outcome(self.journal, self.crops[b.crop].id, b, self._of_family(b, told), at_s) for b in known]
            measured = [b for b in known if is_measured(b, part.journal)]
            grew = [y for b in measured if (y := self._grown(b, at_s)) is not None]
            found = learned(lessons, [x for x in lived if x is not None], corrections_of(self.journal), grew)
            # The same lessons come to the same: what was drawn from them is at hand.
            return self._memo.get(("learned from", found.fingerprint), lambda: found)

        return self._answer("learned", part, made)

    @cached_property
    def room_learned(self) -> tuple[RoomLearned, RoomHere]:
        """What months that are over taught of trays, mats and lamps, and what is usual of each by that."""
        part = self._read.garden(BESIDE_ROOM, READ)

        def made() -> tuple[RoomLearned, RoomHere]:
            j = part.journal
            set_up = self._memo.get(("room set-up", j.revision), lambda: set_up_of(j))
            lessons = [x for m in months_over(j, self.at_s, set_up) for x in self._month(j, m)]
            found = room_learned(lessons, corrections_of(j), self.at_s)
            hung = fingerprint_of(j, [e for e in j.events if e.kind == "lamp"], ())
            # The same lessons come to the same, whatever was read today.
            return self._memo.get(
                ("room from", found.fingerprint, hung, *months), lambda: (found, room_here(found, j, self.at_s))
            )

        months = (month_of(self.at_s), *own_records_s(self.at_s))
        return self._memo.get(("room", part.fingerprint, *months), made)

    def _month(self, journal: Journal, month: Month) -> tuple[RoomLesson, ...]:
        """What a month showed of the room. Filed under all that it was read from: nothing written since works it out anew."""
        return self._memo.get(("room month", month.digest), lambda: month_lessons(journal, month))

    def _lesson(self, batch: Batch, at_s: float) -> Lesson | None:
        """What one batch taught. It stands for good once it is settled: filed under what it read until then, and no more."""
        if batch.crop not in self.crops or batch.sown_at.timestamp() > at_s:
            return None
        whole, crop = self.record.soil(batch), self.crops[batch.crop]
        done_s = lesson_s(batch, whole.journal.events, at_s)
        if done_s is None:
            return None

        return self._for_good("lesson", whole, batch, done_s, lambda read: lesson(read, crop, batch, read.events, done_s))

    def _for_good(self, what: str, whole: Part, batch: Batch, done_s: float, make: Callable[[Journal], T]) -> T:
        """What a batch taught by a moment (seconds UTC), made from all that bears on it until then, and filed under just that."""

        def made() -> T:
            read = read_for(whole.journal, batch, done_s)
            # Filed under all that it is made of, whole: nothing that was written since can change it.
            key = sha256(pickle.dumps((self.crops[batch.crop].id, read), protocol=5)).hexdigest()
            return self._memo.get((what, key), lambda: make(read))

        # The digest itself stands for as long as the part it is made of.
        return self._memo.get((f"{what} of", whole.fingerprint, batch.id, done_s), made)

    def _of_family(self, batch: Batch, told: Mapping[str, Sequence[Event]]) -> list[Event]:
        """The events of a batch and of what was parted from it, in order of time, from those of each batch."""
        mine = [e for member in family(self.journal, batch) for e in told.get(member, ())]
        return sorted(mine, key=lambda e: e.at_s)

    def _grown(self, batch: Batch, at_s: float) -> GrownLesson | None:
        """What one batch taught of growth. Filed like a lesson."""
        whole, crop = self.record.grown(batch), self.crops[batch.crop]
        done_s = grown_s(batch, whole.journal.events, at_s)
        if done_s is None:
            return None

        return self._for_good("grown", whole, batch, done_s, lambda read: grown(read, crop, batch, read.events, done_s))

    def seed_of(self, lot: SeedLot, today: date) -> SeedState:
        """What a packet is worth on a day, by label, age, tests and what came of such seed here. Raises UnknownCrop."""
        return seed_state(self.learned.crop_here(self.table.get(lot.crop), lot.variety, lot, today.year), lot, today)

    @cached_property
    def crops_here(self) -> CropsHere:
        """The kinds as `crops`, and each batch's as this garden has learned it."""
        return CropsHere(self.crops, self.journal, self.learned)

    def crop_here(self, batch: Batch) -> Crop:
        """A batch's crop as this garden knows it. Raises UnknownCrop."""
        return self.crops_here.of(batch) if batch.crop in self.crops else self.table.get(batch.crop)

    @cached_property
    def targets(self) -> list[Target]:
        """The grower's own bands."""
        return own_targets(self.journal)

    @cached_property
    def room(self) -> RoomState:
        return room_at(self.journal, self.events, self.at_s)

    @cached_property
    def stages(self) -> dict[str, str]:
        """The stage of every batch, by its id; of one that is not sown yet, the first."""
        part = self.record.garden()
        at_s = self.moment_s(part)
        return self._answer("stages", part, lambda: stages_now(self.journal.batches, self.events, at_s))

    @cached_property
    def living(self) -> list[Batch]:
        """The batches that are sown and have not ended."""
        return [b for b in self.journal.batches if b.sown_at.timestamp() <= self.at_s and self.stages[b.id] not in ENDED]

    def moment_s(self, part: Part) -> float:
        """The moment that a question on a part is answered for, seconds UTC."""
        return self.now_s if self._exactly else part.moment_s(self.now_s)

    def _answer(self, question: str, part: Part, make: Callable[[], T], *given: Hashable) -> T:
        return self._memo.get((question, part.fingerprint, self.moment_s(part), *given), make)

    @cached_property
    def _planted_s(self) -> dict[str, float]:
        """When each batch was last planted, in part or whole."""
        return {e.fields["batch"]: e.at_s for e in self.events if e.kind == "planted"}
