"""One batch on its way out: today's outing, the fortnight ahead, and the gate at its end."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from functools import cached_property

from fennet.core.crop import Crop
from fennet.core.emerged import half_up_s
from fennet.core.exposure import soil_record
from fennet.core.hardening.cold import ColdWeeks, cold_weeks, days_inside
from fennet.core.hardening.outings import (
    FROM_BIRTH_H,
    SCHOOLS,
    Done,
    Outing,
    Progress,
    Why,
    outing_of,
    outings_done,
    plan_ahead,
    progress,
    still_out,
)
from fennet.core.hardening.porch import Porch, porch_for
from fennet.core.hardening.ready import Ready, verdict_on
from fennet.core.hardening.set_out import SetOut, set_out
from fennet.core.hardening.weather import DAY_S, DayOutdoors, Issue, day_outdoors, soil_ahead_c
from fennet.core.history import PlantedOut, left_of, planted_out
from fennet.core.planning.climate import Climate, climate_by_latitude
from fennet.core.planning.frost import Frosts
from fennet.core.planning.gate import Gate, gate_on
from fennet.core.records import Batch, Event, Garden, Journal
from fennet.core.stages import ENDED, stage_at, stage_spans
from fennet.core.targets import practice_of

#: Days laid out ahead.
AHEAD_D = 14
#: A batch is due to harden so many days before its steps must begin, that nobody is surprised. Source: growers_rule.
TOLD_BEFORE_D = 1
#: On a mild day a batch hardened from birth goes out though its time is far off: over so much, °C. Source: growers_rule.
MILD_C = 12.0


@dataclass(frozen=True)
class Hardening:
    """How a batch stands on its way out on a day.

    `set_out` how it is planted; `cold` weeks of cold, for a kind that flowers after some; `planted` what of it is out already;
    `porch` where it may stand on a day in.
    `state`: `early` (its time has not come), `due` (it should begin), `hardening`, `hardened` (only the gate is left). `today`
    None where nothing is to be done; `meant` today's outing even where it is done; `days` the weather it was laid by; `out` the
    outing that is under way; `gate` the verdict on planting out today.
    """

    batch: Batch
    crop: Crop
    school: str
    state: str
    today: Outing | None
    meant: Outing | None
    days: tuple[DayOutdoors, ...]
    progress: Progress
    gate: Ready
    season: Gate
    out: Event | None
    begins: date | None
    set_out: SetOut
    cold: ColdWeeks | None = None
    planted: PlantedOut | None = None
    porch: Porch | None = None

    @cached_property
    def plan(self) -> tuple[Outing, ...]:
        """The outings of the days ahead, from today on; none while its time has not come."""
        if self.meant is None:
            return ()
        if self.state == "early":
            return tuple(_from_birth(self.crop, self.progress, d) for d in self.days)
        return tuple(plan_ahead(self.crop, self.school, self.progress, self.days))

    @property
    def done(self) -> tuple[Done, ...]:
        return self.progress.done

    @property
    def basis(self) -> str:
        """What today's outing is laid by: forecast, climate or rule."""
        return {"actual": "forecast"}.get(self.days[0].basis, self.days[0].basis)


@dataclass(frozen=True)
class Ahead:
    """The weather from today on, day by day, the soil outdoors of the next day where somebody tells it, and the mean of each day
    that was measured outdoors, °C."""

    days: tuple[DayOutdoors, ...]
    soil_c: float | None = None
    measured_c: Mapping[date, float] = field(default_factory=dict)


def days_ahead(
    issues: Sequence[Issue], garden: Garden, climate: Climate | None, at_s: float, measured_c: Mapping[date, float] | None = None
) -> Ahead:
    """The weather from the day of a moment on (seconds UTC), the same for every batch; nothing issued later is used. Where no
    record of nights tells the ordinary year, the latitude's stands in. `measured_c`: the mean of days measured outdoors."""
    today = garden.day_of(datetime.fromtimestamp(at_s, UTC))
    year = climate or climate_by_latitude(garden)
    days = tuple(day_outdoors(issues, today + timedelta(days=i), garden, year, at_s) for i in range(AHEAD_D))
    return Ahead(days, soil_ahead_c(issues, at_s), measured_c or {})


def hardening(
    journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], ahead: Ahead, frosts: Frosts, climate: Climate | None,
    at_s: float,
) -> Hardening | None:  # fmt: skip
    """How a batch stands on its way out at a moment (seconds UTC); None for one that is over or not up.

    `events` are effective events; `ahead` the weather as `days_ahead` has it at that moment; `climate` the ordinary year by a
    record of nights, without which the gate goes by weeks from the last frost. Source: growers_rule.
    """
    garden = journal.garden
    ended = stage_at(stage_spans(batch, events, at_s), at_s) in ENDED
    soil = soil_record(journal, batch, events, at_s)
    up_s = half_up_s(crop, batch, events, soil)
    if ended or up_s is None or up_s > at_s:
        return None
    # One day for all that is asked: the weather's first.
    today = ahead.days[0].day
    practice = practice_of(garden, batch)
    school = practice["harden"]
    gate = gate_on(crop, today, frosts, climate, practice)
    done = outings_done(batch, events, garden, at_s)
    p = progress(school, done, today)
    days = ahead.days
    age_d = (at_s - up_s) / DAY_S
    left_d = max(0.0, crop.planting.grow_least_days - age_d)
    begins = begins_on(gate, SCHOOLS[school], today, left_d)
    grown_d = left_d + len(SCHOOLS[school]) - p.step if left_d > 0 else None
    verdict = verdict_on(crop, practice, gate, p, days, frosts.southern, climate, ahead.soil_c, grown_d)
    begun = (bool(done) and school != "from_birth") or any(d.night for d in done)
    if school == "from_birth" and begins is not None and today >= begins:
        begun = bool(done)
    if begun and p.night_passed:
        state = "hardened"
    elif begun:
        state = "hardening"
    elif gate.opens is None:
        # Where nothing is known of frost nobody is sent out: the last frost is asked for.
        state = "early"
    else:
        state = "due" if begins is None or today >= begins - timedelta(days=TOLD_BEFORE_D) else "early"
    meant = None
    if state != "early":
        meant = outing_of(crop, school, p, days[0])
    elif school == "from_birth":
        meant = _from_birth(crop, p, days[0])
    out = still_out(batch, events, at_s)
    gone = planted_out(batch, events, at_s)
    cold = None
    if crop.planting.cold_weeks is not None:
        inside = days_inside(journal, batch, events, soil, at_s)
        cold = cold_weeks(crop, up_s, inside, ahead.measured_c, None, days, climate, garden, at_s)
    return Hardening(
        batch, crop, school, state, meant if today_open(done, today) else None, meant, days, p, verdict, gate, out, begins,
        set_out(crop, max(1, gone.left if gone is not None else left_of(batch, events)), _spares(journal, batch)), cold, gone,
        porch_for(journal, crop, meant, at_s),
    )  # fmt: skip


def _spares(journal: Journal, batch: Batch) -> int | None:
    """How many plants of a batch its want keeps back; None where no want says."""
    want = next((w for w in journal.wants if w.id is not None and w.id == batch.want), None)
    return want.spares if want is not None else None


def today_open(done: Sequence[Done], today: date) -> bool:
    """Whether today's outing is still to come."""
    return not any(d.day == today for d in done)


def begins_on(gate: Gate, steps: Sequence[object], today: date, left_d: float) -> date | None:
    """The day on which the steps should begin: so that they are done when the gate opens, and not before the plants stand it."""
    grown = today + timedelta(days=round(left_d))
    if gate.opens is None or gate.never:
        return grown if left_d > 0 else None
    return max(grown, gate.opens - timedelta(days=len(steps) + 1))


def _from_birth(crop: Crop, p: Progress, d: DayOutdoors) -> Outing:
    """An hour out on a mild day, for those who practise it from emergence."""
    if not d.known:
        return Outing(d.day, True, FROM_BIRTH_H, 11.0, "shade", why=(Why("mild_by_rule", {"least_c": MILD_C}),))
    o = outing_of(crop, "from_birth", Progress(0, False, 0, p.last_seen, p.done), d)
    if not o.go or float(d.temperature_c.max()) < max(MILD_C, crop.planting.least_night_c + 2.0):
        return Outing(d.day, False, why=(Why("not_mild", {"most_c": float(d.temperature_c.max()), "least_c": MILD_C}),))
    return Outing(d.day, True, min(o.hours, FROM_BIRTH_H), o.from_h, o.sun, o.sheltered, False, (Why("mild"),))
