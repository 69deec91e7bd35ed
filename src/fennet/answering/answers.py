"""Every answer about a garden at a moment. One question is asked in one way, whoever asks."""

from __future__ import annotations

import pickle
from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import replace
from datetime import date, datetime
from functools import cached_property
from hashlib import sha256
from typing import TypeVar
from zoneinfo import ZoneInfo

from fennet.core.bearing import WARMTH, Part, Record
from fennet.core.care.day import CareDay, care_day
from fennet.core.care.watering import NextWatering, watering_of
from fennet.core.cautions import with_cautions
from fennet.core.comparing.comparison import Comparison, compare
from fennet.core.conditions import Conditions, conditions
from fennet.core.crop import Crop
from fennet.core.diagnosis.finding import Finding
from fennet.core.diagnosis.findings import findings
from fennet.core.drying import DryDown, dry_down
from fennet.core.forecast import Forecast, forecast, narrower_d
from fennet.core.hardening.after import FIRST_FLOWER, After, FirstExpected, after_of, first_expected, ratios_before
from fennet.core.hardening.cold import days_measured
from fennet.core.hardening.dates import BatchDates, dates_of
from fennet.core.hardening.hardening import Ahead, Hardening, days_ahead, hardening
from fennet.core.hardening.weather import Issue, own_issue
from fennet.core.history import life_events, lost_of
from fennet.core.kept import last_known_s, moment_s
from fennet.core.kinds import EVENT_KINDS
from fennet.core.learning.garden import CropsHere, Learned, key_of, learned, survives
from fennet.core.learning.habits import Habit, habits
from fennet.core.learning.lessons import Lesson, lesson, lesson_s, read_for, variety_key
from fennet.core.learning.overview import Line, YearLine, lines, years
from fennet.core.learning.survival import outcome
from fennet.core.next_season import Advice, advice
from fennet.core.planning.drafts import lot_for
from fennet.core.planning.gate import gate_on
from fennet.core.planning.plan import Outdoors, Plan, beyond, outdoors
from fennet.core.planning.plan import plan as core_plan
from fennet.core.planning.results import results_of
from fennet.core.records import Batch, Event, Journal, Keeps, KeepsNothing, SeedLot, Target, Tray, Want
from fennet.core.room import RoomState, room_at
from fennet.core.scoring import Promise, ScoredPromise, score_promises
from fennet.core.season import SeasonNumbers, season_numbers
from fennet.core.seed import USUAL_RATE, SeedState, seed_state
from fennet.core.stages import ENDED, stages_now
from fennet.core.stock import seeds_left
from fennet.core.story import Story, story_of
from fennet.core.targets import practice_of
from fennet.core.trials.power import Needed, cells_needed
from fennet.core.trials.result import Result, result_of
from fennet.core.trials.trial import Trial
from fennet.core.tuning.lamps import LampSetting, tune_lamps
from fennet.core.tuning.mats import MatSetting, tune_mats
from fennet.core.tuning.on_mat import waiting_by_stage
from fennet.core.tuning.places import Exchange, exchanges
from fennet.core.variety_notes import VarietyNotes, variety_notes
from fennet.core.work.outdoors import Planted
from fennet.core.work.planned import planned_tasks
from fennet.core.work.task import BatchDay, Task
from fennet.core.work.worklist import worklist
from fennet.crops import CropTable, UnknownCrop, shipped
from fennet.crops.complaints import shipped_complaints
from fennet.journal.learned import corrections_of
from fennet.journal.minima import read_minima
from fennet.journal.plans import assumed_of
from fennet.journal.targets import own_targets
from fennet.journal.times import zone_of
from fennet.journal.trials import trials_of
from fennet.journal.weather import read_weather

T = TypeVar("T")
#: What was planted so long ago is no longer watched over at night.
PLANTED_LATELY_S = 150 * 86_400.0
#: What was planted longer ago is not told of.
AFTER_S = 366 * 86_400.0
#: What was measured outdoors is looked back on for so long.
MEASURED_S = 400 * 86_400.0
#: Kinds of event that nothing that is learned of seed reads.
BESIDE_SEED = frozenset(("fed", "taste", "lamp", "fan", "washed", "sign"))
#: Kinds of event that no setting of a lamp and no plan reads.
BESIDE_LAMPS = frozenset(("fed", "topped", "taste", "fan", "washed", "check", "watered", "mat"))
BESIDE_PLAN = frozenset(("fed", "thinned", "topped", "taste", "height", "fan", "washed", "check", "watered", "sign", "cover"))


class Answers:
    """Answers about one garden from its record as it stood at a moment.

    `now_s` is the moment, seconds UTC, at which the record stands as it is given. Answers are kept where its journal says, if it
    has a revision: without one nobody can tell one record from another. Questions are answered for the half hour unless they are
    asked `exactly` for the moment, as a command does.
    """

    def __init__(self, record: Record, now_s: float, exactly: bool = False) -> None:
        self.record, self.now_s, self._exactly = record, now_s, exactly
        self._memo: Keeps = record.journal.keeps if record.journal.revision is not None else KeepsNothing()
        self.at_s = self.moment_s(record.garden())

    # -- what is asked about ----------------------------------------------------------------------------------------------

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
        part = self.record.garden(BESIDE_SEED, WARMTH)
        at_s = self.moment_s(part)

        def made() -> Learned:
            lessons = [x for b in self.journal.batches if (x := self._lesson(b, at_s)) is not None]
            told: dict[str, list[Event]] = defaultdict(list)
            for e in part.journal.events:
                told[str(e.fields.get("batch"))].append(e)
            known = [b for b in self.journal.batches if b.crop in self.crops]
            lived = [outcome(self.journal, self.crops[b.crop].id, b, told[b.id], at_s) for b in known]
            found = learned(lessons, [x for x in lived if x is not None], corrections_of(self.journal))
            # The same lessons come to the same: what was drawn from them is at hand.
            return self._memo.get(("learned from", found.fingerprint), lambda: found)

        return self._answer("learned", part, made)

    def _lesson(self, batch: Batch, at_s: float) -> Lesson | None:
        """What one batch taught. It stands for good once it is settled: filed under what it read until then, and no more."""
        if batch.crop not in self.crops or batch.sown_at.timestamp() > at_s:
            return None
        whole, crop = self.record.soil(batch), self.crops[batch.crop]
        part = whole.journal
        done_s = lesson_s(batch, part.events, at_s)
        if done_s is None:
            return None

        def made() -> Lesson | None:
            read = read_for(part, batch, done_s)
            # Filed under all that it is made of, whole: nothing that was written since can change it.
            key = sha256(pickle.dumps((crop.id, read), protocol=5)).hexdigest()
            return self._memo.get(("lesson", key), lambda: lesson(read, crop, batch, read.events, done_s))

        # The digest itself stands for as long as the part it is made of.
        return self._memo.get(("lesson of", whole.fingerprint, batch.id, done_s), made)

    def seed_of(self, lot: SeedLot, today: date) -> SeedState:
        """What a packet is worth on a day, by label, age, tests and what came of such seed here. Raises UnknownCrop."""
        return seed_state(self.learned.crop_here(self.table.get(lot.crop), lot.variety, lot, today.year), lot, today)

    def learned_lines(self) -> list[Line]:
        """All that was learned of each kind and variety, with what it rests on."""
        return lines(self.learned, {c.id: c for c in self.crops.values()})

    def learned_years(self) -> list[YearLine]:
        """How each year was against the others."""
        return years(self.learned)

    def drying_learned(self) -> list[tuple[str, DryDown]]:
        """How fast each tray dries by its own stretches between waterings; trays without two of them are left out."""
        found = [(t.id, dry_down(self.journal, t.id, self.events, self.at_s)) for t in self.journal.trays if t.until is None]
        return [(tray, d) for tray, d in found if d.cycles >= 2]

    def habits(self) -> list[Habit]:
        """How often people here water and count, of the last two years."""
        return habits(self.journal.batches, self.events, self.at_s - 2 * 366 * 86_400.0, self.at_s)

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

    # -- questions on a batch ---------------------------------------------------------------------------------------------

    def conditions(self, batch: Batch, looks_back_s: float | None = None) -> Conditions:
        """How a batch stands in its four quantities; time in band from so far back, or from sowing."""
        part, crop = self.record.home(batch), self.table.get(batch.crop)
        at_s = self.moment_s(part)
        from_s = at_s - looks_back_s if looks_back_s is not None else None
        return self._answer(
            "conditions", part,
            lambda: conditions(part.journal, crop, batch, part.journal.events, at_s, self.zone, self.targets, from_s),
            batch.id, looks_back_s,
        )  # fmt: skip

    def forecast(self, batch: Batch, curves: bool = False) -> Forecast | None:
        """When a batch comes up and whether it is late; None while it is not sown."""
        part = self.record.soil(batch)
        at_s = self.moment_s(part)
        if batch.sown_at.timestamp() > at_s:
            return None
        crop = self.crop_here(batch)
        return self._answer(
            "forecast", part, lambda: forecast(part.journal, crop, batch, at_s, curves), batch.id, curves, key_of(crop)
        )

    def story(self, batch: Batch) -> Story | None:
        """What became of a batch from sowing until now; None while it is not sown."""
        part = self.record.garden()
        at_s = self.moment_s(part)
        return None if batch.sown_at.timestamp() > at_s else story_of(self.journal, batch, self.events, at_s)

    def sown_years(self) -> list[int]:
        """The years something was sown in, the latest first."""
        return sorted({b.sown_at.astimezone(self.zone).year for b in self.journal.batches if b.sown_at.timestamp() <= self.at_s},
                      reverse=True)  # fmt: skip

    def season(self, year: int) -> SeasonNumbers:
        """A year's season in numbers, as far as it has come."""
        part = self.record.garden()
        at_s = self.moment_s(part)

        def made() -> SeasonNumbers:
            mine = [b for b in self.journal.batches if b.sown_at.astimezone(self.zone).year == year and b.crop in self.crops]
            stories = {b.id: s for b in mine if (s := self.story(b)) is not None}
            return season_numbers(self.journal, self.events, year, at_s, stories, self.forecast)

        return self._answer("season", part, made, year)

    def variety_notes(self, crop: str, variety: str | None) -> VarietyNotes:
        """What this garden's past says of a variety of a crop (its id), for who plans or sows it again."""
        part = self.record.garden()

        def made() -> VarietyNotes:
            kin = [b for b in self.journal.batches if b.crop in self.crops and self.crops[b.crop].id == crop]
            stories = {b.id: s for b in kin if (s := self.story(b)) is not None}
            known = replace(self.journal, batches=[replace(b, crop=crop) for b in kin])
            causes = {b.id: cause for b in kin if b.id in stories and stories[b.id].over and (cause := self._cause(b))}
            return variety_notes(known, self.events, crop, variety, self.learned_lines(), stories, causes)

        return self._answer("variety_notes", part, made, crop, variety)

    def season_advice(self, want: Want) -> Advice:
        """What to do with a want next season, by what came of it. Raises UnknownCrop."""
        crop = self.table.get(want.crop)
        notes = self.variety_notes(crop.id, want.variety)
        result = results_of(want, self.journal, self.events, self.at_s)
        out_s = [self._planted_s[b] for b in result.batches if b in self._planted_s]
        planted_on = datetime.fromtimestamp(max(out_s), self.zone).date() if out_s else None
        today = datetime.fromtimestamp(self.at_s, self.zone).date()
        left = seeds_left(self.journal, self.at_s)
        lot = lot_for(want, crop, self.journal.seed_lots, left)
        alive = self.seed_of(lot, today).mean if lot is not None else None
        better = self._better(crop.id, want.variety) if want.variety else None
        return advice(want, result, notes, better, planted_on, left.get(lot.id) if lot is not None else None, alive)

    def _better(self, crop: str, variety: str | None) -> str | None:
        """The variety of a kind that both tasted best and gave most here, where that is another one and all have both figures."""
        lots = {x.id: x.variety for x in self.journal.seed_lots}
        kin = [b for b in self.journal.batches if b.crop in self.crops and self.crops[b.crop].id == crop]
        names = {variety_key(v): v for b in kin if (v := b.variety or lots.get(b.seed_lot or ""))}
        for key, name in sorted(names.items()):
            did = self.variety_notes(crop, name).did
            if key != variety_key(variety) and did is not None and (did.taste_rank, did.grams_rank) == (1, 1):
                mine = self.variety_notes(crop, variety).did
                if mine is not None and mine.taste_rank > 1 and mine.grams_rank > 1:
                    return name
        return None

    def _cause(self, batch: Batch) -> str:
        """What most of a batch's delay, or its missing seed, is laid to; empty where nothing stands out."""
        f = self.forecast(batch)
        late = {c: d for c, d in (f.delay_days if f is not None else {}).items() if c != "unexplained" and d >= 1.0}
        return max(late, key=lambda c: late[c], default="")

    def narrower_d(self, batch: Batch) -> tuple[float, float] | None:
        """How wide a batch's range of half up is, and how wide one thermometer would leave it, days."""
        part = self.record.soil(batch)
        at_s = self.moment_s(part)
        crop = self.crop_here(batch)
        return self._answer("narrower", part, lambda: narrower_d(part.journal, crop, batch, at_s), batch.id, key_of(crop))

    def findings(self, batch: Batch) -> list[Finding]:
        """What is wrong with a batch, and why."""
        part = self.record.argument(batch)
        at_s = self.moment_s(part)
        return self._answer(
            "findings", part,
            lambda: findings(part.journal, self.crops_here, shipped_complaints(), batch, at_s, part.journal.events), batch.id,
            self.learned.fingerprint,
        )  # fmt: skip

    def care(self, batch: Batch, tray: Tray, conditions: Conditions) -> CareDay:
        """What a batch wants done, given its conditions."""
        part, home = self.record.care(batch), self.record.home(batch)
        at_s, practice, crop = self.moment_s(part), practice_of(self.journal.garden, batch), self.crop_here(batch)
        return self._answer(
            "care", part,
            lambda: care_day(
                part.journal, crop, batch, tray, part.journal.events, at_s, practice, conditions
            ),
            batch.id, key_of(crop), tray.id, home.fingerprint, self.moment_s(home),
        )  # fmt: skip

    def watering(self, batch: Batch, tray: Tray) -> NextWatering | None:
        """When the tray of a batch wants water next, by its own moisture; None where that is not known."""
        part, home = self.record.care(batch), self.record.home(batch)
        at_s, practice, state = self.moment_s(part), practice_of(self.journal.garden, batch), self.conditions(batch)
        return self._answer(
            "watering", part, lambda: watering_of(part.journal, tray, state, practice, part.journal.events, at_s),
            batch.id, tray.id,
            home.fingerprint, self.moment_s(home),
        )  # fmt: skip

    def hardening(self, batch: Batch) -> Hardening | None:
        """How a batch stands on its way out: today's outing, the days ahead, and whether it may be planted."""
        part = self.record.soil(batch)
        at_s, out = self.moment_s(part), self.nights()
        return self._answer(
            "hardening", part,
            lambda: hardening(
                part.journal, self.table.get(batch.crop), batch, part.journal.events, self.ahead(), out.frosts, out.climate,
                at_s,
            ),
            batch.id, self._read_outdoors.fingerprint, self.journal.weather_revision, self.weather_s,
        )  # fmt: skip

    @cached_property
    def weather_s(self) -> float:
        """The moment the weather is asked about: the half hour, but never before the last that was issued."""
        issued_s = max((s.issued_s for s in self.weather() if s.issued_s <= self.now_s), default=0.0)
        issued_s = max(issued_s, last_known_s([], self._read_outdoors.journal.series, self.now_s))
        return self.now_s if self._exactly else moment_s(self.now_s, issued_s)

    def ahead(self) -> Ahead:
        """The weather of the days from now on, the same for every batch."""
        at_s = self.weather_s
        read = self._read_outdoors

        def made() -> Ahead:
            issues = [*self.weather(), *own_issue(read.journal, at_s)]
            year = [*self.weather(), *own_issue(read.journal, at_s, MEASURED_S)]
            measured_c = days_measured(year, self.journal.garden, at_s)
            return days_ahead(issues, self.journal.garden, self.nights().climate, at_s, measured_c)

        return self._memo.get(("ahead", read.fingerprint, self.journal.weather_revision, at_s), made)

    @cached_property
    def _read_outdoors(self) -> Part:
        """What the grower's own thermometers read outdoors, and nothing else."""
        return self.record.garden(frozenset(EVENT_KINDS), frozenset(("outdoor_temperature",)))

    def weather(self) -> list[Issue]:
        """What was foretold and measured outdoors, as the record holds it."""
        key = ("weather", self.journal.revision, self.journal.weather_revision)
        return self._memo.get(key, lambda: read_weather(self.journal.weather, self.journal.garden)[0])

    # -- questions on the room --------------------------------------------------------------------------------------------

    def mats(self) -> tuple[list[MatSetting], list[Exchange]]:
        """A setting for every mat in use, and what exchanges of places would gain."""
        on_mats = {t for m in self.room.mats.values() for t in m.trays}
        waiting = waiting_by_stage(self.journal.batches, self.events, self.stages, self.at_s)
        part = self.record.heat(frozenset(on_mats | waiting.keys()))
        at_s = self.moment_s(part)

        def made() -> tuple[list[MatSetting], list[Exchange]]:
            settings = tune_mats(part.journal, self.crops_here, at_s)
            return settings, exchanges(part.journal, self.crops_here, settings, part.journal.events, at_s)

        return self._answer("mats", part, made, self.learned.fingerprint)

    def comparison(self, by: str, crop: str | None = None) -> Comparison:
        """Batches of one kind side by side by what they share; `crop` one kind alone, by its id. Raises ValueError."""
        part = self.record.garden()
        at_s = self.moment_s(part)
        # Readings bear on it, so that it is worked out for the whole record.
        return compare(self.journal, self.crops, self.events, by, at_s, crop)

    def trials(self) -> list[Result]:
        """What each trial says so far, the latest first."""
        part = self.record.garden()
        at_s = self.moment_s(part)

        def made() -> list[Result]:
            asked = [t for t in trials_of(self.journal) if t.crop in {c.id for c in self.crops.values()} or t.crop in self.crops]
            return [result_of(t, self.journal, self.crops, self.events, at_s) for t in asked]

        return self._answer("trials", part, made)

    def cells_needed(self, trial: Trial) -> Needed | None:
        """How many cells a trial's groups need to show the difference that matters, by what is known of the crop here; None where
        nobody said what matters, or of yield and taste. Raises UnknownCrop, ValueError."""
        if trial.see is None or trial.measure in ("yield", "taste"):
            return None
        crop = self.learned.crop_here(self.table.get(trial.crop), None, None, self.sown_years()[0] if self.sown_years() else 2000)
        usual_d = 1.0 / max(float(crop.response.rate_per_day(crop.target_soil_c)), 1e-3)
        share = survives(crop) if trial.measure == "lived" else USUAL_RATE
        return cells_needed(trial.measure, trial.see, usual_d, crop.wait_sigma, share, trial.cells)

    def lamps(self) -> list[LampSetting]:
        """A setting for every lamp that hangs over trays."""
        part = self.record.garden(BESIDE_LAMPS)
        at_s = self.moment_s(part)
        return self._answer(
            "lamps", part,
            lambda: tune_lamps(part.journal, self.crops, at_s, self.zone, self.targets, part.journal.events),
        )  # fmt: skip

    def tasks(self, days: Sequence[BatchDay], marked: Sequence[ScoredPromise]) -> list[Task]:
        """Everything there is to do, most pressing first, from how each batch stands and what came of promises."""
        settings, swaps = self.mats()
        found = worklist(
            self.journal, self.room, self.events, list(days), settings, swaps, list(marked), self.at_s, self.lamps(),
            self.planted(), self.ahead().days,
        )  # fmt: skip
        return with_cautions(found, self.room, self.events)

    def planted(self) -> list[Planted]:
        """What stands outdoors since a season at most, whole or in part."""
        out_s = self._planted_s
        since_s = self.at_s - PLANTED_LATELY_S
        return [self._as_planted(b, out_s[b.id]) for b in self.journal.batches
                if out_s.get(b.id, 0.0) > since_s and self.stages[b.id] in ("out", "hardening") and b.crop in self.crops
                and lost_of(b, self.events) < b.n_cells]  # fmt: skip

    def _as_planted(self, batch: Batch, since_s: float) -> Planted:
        flowers = [e.at_s for e in life_events(batch, self.events, "check") if e.fields.get("what") == FIRST_FLOWER]
        topped = bool(life_events(batch, self.events, "topped"))
        practice = practice_of(self.journal.garden, batch)
        return Planted(batch, self.crops[batch.crop], since_s, practice, flowers[0] if flowers else None, topped)

    def dates(self, batch: Batch) -> BatchDates:
        """The dates of a batch as they stand by what has happened: of one that grows, and of one that is out."""
        if batch.id in self._planted_s:
            return BatchDates(batch, planted_s=self._planted_s[batch.id], first=self.first_expected(batch))
        crop, practice, out = self.table.get(batch.crop), practice_of(self.journal.garden, batch), self.nights()
        day = self.ahead().days[0].day
        gate = gate_on(crop, day, out.frosts, out.climate, practice)
        return dates_of(
            crop, batch, self.forecast(batch), self.hardening(batch), gate, practice["harden"], self.journal.garden, self.at_s
        )

    def growing_dates(self) -> list[BatchDates]:
        """The dates of all that grows or was planted within the season, the first planting first."""
        found = [b for b in self.living if b.crop in self.crops]
        found += [x.batch for x in self.planted() if x.batch not in found]
        known = [self.dates(b) for b in found]
        return sorted(known, key=lambda d: (d.out_on is None, d.out_on or date.max, d.batch.sown_at))

    def after(self) -> list[After]:
        """What became of batches that were planted within the year, the last planted first."""
        found = [after_of(b, self.events, self.at_s) for b in self.journal.batches if b.id in self._planted_s]
        since_s = self.at_s - AFTER_S
        return sorted((x for x in found if x is not None and x.planted_s >= since_s), key=lambda x: -x.planted_s)

    @cached_property
    def _planted_s(self) -> dict[str, float]:
        """When each batch was last planted, in part or whole."""
        return {e.fields["batch"]: e.at_s for e in self.events if e.kind == "planted"}

    def first_expected(self, batch: Batch) -> FirstExpected | None:
        """When the first pick or flower of a planted batch is expected; None once it came, and for one not planted."""
        told = after_of(batch, self.events, self.at_s) if batch.id in self._planted_s and batch.crop in self.crops else None
        if told is None:
            return None
        crop, climate = self.crops[batch.crop], self.nights().climate
        if told.first_s(crop.bed.gives) is not None:
            return None
        before = ratios_before(self.journal, self.crops, crop, self.events, climate, self.at_s)
        return first_expected(crop, told.planted_s, self.journal.garden, climate, before)

    def scored_promises(self, promises: Iterable[Promise]) -> list[ScoredPromise]:
        """What came of promises."""
        return score_promises(promises, self.journal, self.events, self.at_s)

    # -- the plan ---------------------------------------------------------------------------------------------------------

    def nights(self) -> Outdoors:
        """Frost and climate here, from the record of nights."""
        key = ("nights", self.journal.revision)
        return self._memo.get(key, lambda: outdoors(self.journal.garden, read_minima(self.journal.minima).minima))

    def plan(
        self, today: date, wants: Sequence[Want] | None = None, name: Hashable = None, leave_out: Sequence[int] = ()
    ) -> Plan:
        """The plan of the garden's wants as of a day, or of other `wants`, which `name` tells from the garden's own. Wants and
        batches of a crop that nobody knows are passed over."""
        part = self.record.garden(BESIDE_PLAN)
        at_s = self.moment_s(part)
        known = replace(
            part.journal, batches=[b for b in self.journal.batches if b.crop in self.crops],
            wants=list(self.journal.wants if wants is None else wants),
        )  # fmt: skip
        crops = self.crops | self._named(known.wants)
        return self._answer(
            "plan", part,
            lambda: core_plan(known, crops, self.nights(), today, at_s, assumed_of(self.journal.plans), leave_out, self.learned),
            today, name, tuple(leave_out), self.learned.fingerprint,
        )  # fmt: skip

    def planned_tasks(self, today: date) -> list[Task]:
        """What the plan asks for today and tomorrow; nothing where nothing is wanted."""
        if not self.journal.wants:
            return []
        found = planned_tasks(self.plan(today, leave_out=beyond(self.journal.wants)), self.zone)
        return with_cautions(found, self.room, self.events)

    def _named(self, wants: Sequence[Want]) -> dict[str, Crop]:
        """The kinds of wants that may not be the garden's."""
        out = {}
        for name in {w.crop for w in wants} - set(self.crops):
            try:
                out[name] = self.table.get(name)
            except UnknownCrop:
                continue
        return out
