"""Every answer about a garden at a moment. One question is asked in one way, whoever asks."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import replace
from datetime import date
from functools import cached_property
from typing import TypeVar

from fennet.answering.past import PastAnswers
from fennet.core.away import Away, away
from fennet.core.bearing import Part
from fennet.core.care.day import CareDay, care_day
from fennet.core.care.leaves import leaves_made
from fennet.core.care.watering import NextWatering, watering_of
from fennet.core.cautions import with_cautions
from fennet.core.conditions import Conditions, conditions
from fennet.core.crop import Crop, key_of
from fennet.core.diagnosis.finding import Finding
from fennet.core.diagnosis.findings import findings
from fennet.core.forecast import Forecast, forecast, narrower_d
from fennet.core.hardening.after import FIRST_FLOWER, After, FirstExpected, after_of, first_expected, ratios_before
from fennet.core.hardening.cold import days_measured
from fennet.core.hardening.dates import BatchDates, dates_of
from fennet.core.hardening.hardening import Ahead, Hardening, days_ahead, hardening
from fennet.core.hardening.weather import Issue, own_issue
from fennet.core.history import life_events, lost_of
from fennet.core.kept import last_known_s, moment_s
from fennet.core.kinds import EVENT_KINDS
from fennet.core.planning.gate import gate_on
from fennet.core.planning.plan import Outdoors, Plan, beyond, outdoors
from fennet.core.planning.plan import plan as core_plan
from fennet.core.records import Batch, Tray, Want
from fennet.core.scoring import Promise, ScoredPromise, score_promises
from fennet.core.stretch import thermal_age
from fennet.core.targets import practice_of
from fennet.core.tuning.lamps import LampSetting, tune_lamps
from fennet.core.tuning.mats import MatSetting, tune_mats
from fennet.core.tuning.on_mat import waiting_by_stage
from fennet.core.tuning.places import Exchange, exchanges
from fennet.core.work.outdoors import Planted
from fennet.core.work.planned import planned_tasks
from fennet.core.work.task import BatchDay, Task
from fennet.core.work.worklist import worklist
from fennet.crops import UnknownCrop
from fennet.crops.complaints import shipped_complaints
from fennet.journal.minima import read_minima
from fennet.journal.plans import assumed_of
from fennet.journal.weather import read_weather

T = TypeVar("T")
#: What was planted so long ago is no longer watched over at night.
PLANTED_LATELY_S = 150 * 86_400.0
#: What was planted longer ago is not told of.
AFTER_S = 366 * 86_400.0
#: What was measured outdoors is looked back on for so long.
MEASURED_S = 400 * 86_400.0
#: Kinds of event that no setting of a lamp and no plan reads.
BESIDE_LAMPS = frozenset(("fed", "topped", "taste", "fan", "washed", "check", "watered", "mat"))
BESIDE_PLAN = frozenset(("fed", "thinned", "topped", "taste", "height", "fan", "washed", "check", "watered", "sign", "cover"))


class Answers(PastAnswers):
    """Every answer about a garden at a moment: what is asked of it stands in `asked`, what has been in `past`."""

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

    def leaves(self, batch: Batch) -> float:
        """True leaves a batch has made by now, and the part of the next."""
        part, crop = self.record.grown(batch), self.crop_here(batch)
        at_s = self.moment_s(part)

        def made() -> float:
            age = thermal_age(part.journal, crop, batch, part.journal.events, at_s)
            return leaves_made(crop, age, part.journal.events, batch)

        return self._answer("leaves", part, made, batch.id, key_of(crop))

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

    def lamps(self) -> list[LampSetting]:
        """A setting for every lamp that hangs over trays."""
        part = self.record.garden(BESIDE_LAMPS)
        at_s = self.moment_s(part)
        return self._answer(
            "lamps", part,
            lambda: tune_lamps(part.journal, self.crops_here, at_s, self.zone, self.targets, part.journal.events),
            self.learned.fingerprint,
        )  # fmt: skip

    def tasks(self, days: Sequence[BatchDay], marked: Sequence[ScoredPromise]) -> list[Task]:
        """Everything there is to do, most pressing first, from how each batch stands and what came of promises."""
        settings, swaps = self.mats()
        found = worklist(
            self.journal, self.room, self.events, list(days), settings, swaps, list(marked), self.at_s, self.lamps(),
            self.planted(), self.ahead().days, self.habits(),
        )  # fmt: skip
        return with_cautions(found, self.room, self.events)

    def away(self, days: Sequence[BatchDay], tasks: Sequence[Task], n_days: int) -> Away:
        """What some days without anybody mean, from how each batch stands and what there is to do. Raises ValueError."""
        return away(self.journal, self.room, self.events, days, tasks, self.at_s, n_days, self.habits())

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
