"""The season's plan: every want sown on a day, in trays that the room can hold, and what does not fit."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from fennet.core.crop import Crop
from fennet.core.history import effective_events
from fennet.core.learning.garden import CropsHere, Learned
from fennet.core.planning.climate import Climate, climate
from fennet.core.planning.drafts import PRETREAT_D, Draft, Surroundings, drafts, in_parts
from fennet.core.planning.frost import Frosts, Minima
from fennet.core.planning.growing import Emerging, PlannedRoom
from fennet.core.planning.notes import Note
from fennet.core.planning.room_for import (
    RESOURCES,
    ROOM_GIVEN,
    Capacity,
    InUse,
    TrayKind,
    capacity,
    in_use,
    lamp_settings,
    planned_room,
    tray_kind,
)
from fennet.core.planning.schedule import Problem, Schedule, schedule
from fennet.core.planning.sown import begun_on, still_to_sow
from fennet.core.planning.ways import Way, groups_of, hours_band, pot_after_d, problem_of, trays_of, ways_of
from fennet.core.records import FloatArray, Garden, Journal, Want
from fennet.core.stock import seeds_left
from fennet.core.targets import practice_of
from fennet.core.working import Interval


@dataclass(frozen=True, kw_only=True)
class Planned:
    """One sowing with its day. Dates are None where the draft cannot be grown; `half_up` are dates with their 80 % range;
    `shares` names the other sowings in its tray; `size` is its growing time against the usual."""

    draft: Draft
    sow_on: date | None = None
    heat: Emerging | None = None
    on_mat: bool = False
    half_up: Interval[datetime] | None = None
    pot_up_on: date | None = None
    harden_from: date | None = None
    pretreat_from: date | None = None
    trays: int = 0
    shares: tuple[str, ...] = ()
    size: float = 1.0
    risk: float | None = None

    @property
    def name(self) -> str:
        return self.draft.name

    @property
    def out_on(self) -> date:
        return self.draft.out_on


@dataclass(frozen=True)
class Week:
    """The most that a week needs of each resource, and the fewest lamp timers its crops' hours want."""

    monday: date
    needed: tuple[float, float, float]
    settings: int

    @property
    def iso(self) -> str:
        year, week, _ = self.monday.isocalendar()
        return f"{year}-W{week:02}"


@dataclass(frozen=True, kw_only=True)
class Plan:
    """A season planned: every sowing still to do, with its day. `load` is by week, `problem` what the search was given,
    `crowded` the resources of which live batches alone take more than there is."""

    today: date
    start: date
    surroundings: Surroundings
    tray: TrayKind
    have: Capacity
    using: tuple[InUse, ...]
    sowings: tuple[Planned, ...]
    load: tuple[Week, ...]
    fits: bool
    settled: bool
    problem: Problem
    result: Schedule
    groups: tuple[tuple[Draft, ...], ...]

    @property
    def crowded(self) -> tuple[str, ...]:
        over = (self.problem.taken > self.problem.have[:, None] * ROOM_GIVEN).any(axis=1)
        return tuple(name for name, is_over in zip(RESOURCES, over, strict=True) if is_over)

    @property
    def frosts(self) -> Frosts:
        return self.surroundings.frosts


@dataclass(frozen=True)
class Assumed:
    """What the grower tells the plan of the room; None leaves it to the record."""

    soil_without_mat_c: float | None = None
    air_c: float | None = None
    dli_mol: float | None = None


@dataclass(frozen=True)
class Outdoors:
    """What is known of frost and of the ordinary year at a garden, worked out from its nights once."""

    frosts: Frosts
    climate: Climate | None


def outdoors(garden: Garden, minima: Minima | None) -> Outdoors:
    """Frost and climate of a garden from its record of nights, or from its average date alone."""
    frosts = Frosts(garden, minima)
    return Outdoors(frosts, climate(minima, frosts.southern))


#: A plan holds so many wants and sowings: a household's season several times over, and still worked out while one waits.
MOST_WANTS, MOST_SOWINGS = 120, 200


def beyond(wants: Sequence[Want]) -> list[int]:
    """The wants, by their place in the list, whose sowings no longer fit into one plan.

    >>> beyond([Want(crop="leek", times=30)] * 7 + [Want(crop="leek")])
    [6]
    """
    out, n = [], 0
    for at, want in enumerate(wants):
        if n + (want.times or 1) > MOST_SOWINGS:
            out.append(at)
        else:
            n += want.times or 1
    return out


def by_id(journal: Journal, crops: Mapping[str, Crop]) -> Journal:
    """A journal whose wants, packets and batches name each kind by its id: a packet of bok choy is one for pak choi. `crops` by
    id or name as they spell them.

    >>> from fennet.core.records import SeedLot
    >>> from fennet.crops import shipped
    >>> said = Journal(wants=[Want(crop="bok choy")], seed_lots=[SeedLot(id="s", crop="Pak-Choi")])
    >>> named = by_id(said, {name: shipped().get(name) for name in ("bok choy", "Pak-Choi")})
    >>> named.wants[0].crop, named.seed_lots[0].crop
    ('pak_choi', 'pak_choi')
    """

    def of(name: str) -> str:
        return crops[name].id if name in crops else name

    return replace(
        journal,
        wants=[w if w.crop == of(w.crop) else replace(w, crop=of(w.crop)) for w in journal.wants],
        seed_lots=[x if x.crop == of(x.crop) else replace(x, crop=of(x.crop)) for x in journal.seed_lots],
        batches=[b if b.crop == of(b.crop) else replace(b, crop=of(b.crop)) for b in journal.batches],
    )


def plan(
    journal: Journal, crops: Mapping[str, Crop], nights: Outdoors, today: date, at_s: float, assumed: Assumed = Assumed(),
    leave_out: Collection[int] = (), learned: Learned | None = None,
) -> Plan:  # fmt: skip
    """The plan of a garden's wants as seen on a day. Pure: the same record and day give the same plan.

    `nights` is the garden's `outdoors`, `crops` by id or name as wants and batches spell them; `at_s` the moment whose record
    counts, seconds UTC; `learned` what the garden has learned of its seed. Wants of a crop that is not in `crops`, and those
    whose place in the list is in `leave_out`, are passed over. Range: up to a few hundred sowings.
    """
    journal, named = by_id(journal, crops), {**crops, **{c.id: c for c in crops.values()}}
    events = effective_events(journal.events, at_s)
    room = _told(planned_room(journal, events, at_s), assumed)
    tray = tray_kind(journal.trays)
    around = Surroundings(
        journal.garden, practice_of(journal.garden), nights.frosts, nights.climate, room, tray.cells, today, learned
    )  # fmt: skip
    left = seeds_left(journal, at_s)
    all_drafts: list[Draft] = []
    have = capacity(journal, at_s)
    for at, want in enumerate(journal.wants):
        if at in leave_out or want.crop not in named:
            continue
        for d in drafts(want, at, named[want.crop], journal.seed_lots, left, around, begun_on(want, journal)):
            rest = still_to_sow(d, in_parts(d, have.mat_places, tray.cells), journal)
            all_drafts += rest
            # What one sowing takes the next cannot count on.
            if d.lot is not None and d.lot.id in left:
                left[d.lot.id] = max(0, left[d.lot.id] - sum(x.much.seeds for x in rest))
    here: Mapping[str, Crop] = named if learned is None else CropsHere(named, journal, learned)
    using = tuple(in_use(journal, here, events, room, at_s))
    groups = tuple(groups_of([d for d in all_drafts if d.sow_from is not None], tray))
    start = min([today, *(d.sow_aim for g in groups for d in g if d.sow_aim)], default=today)
    ways = [ways_of(group, tray, start) for group in groups]
    problem = problem_of(ways, have, using, (today - start).days)
    found = schedule(problem)
    sowings: dict[str, Planned] = {d.name: Planned(draft=d) for d in all_drafts}
    for group, way, k in zip(groups, ways, found.choice, strict=True):
        for p in _planned(group, way[k], tray):
            sowings[p.name] = p
    listed = tuple(sowings.values())
    return Plan(
        today=today, start=start, surroundings=around, tray=tray, have=have, using=using, sowings=listed,
        load=tuple(_weeks(problem, found, start, listed, using, today)), fits=found.excess <= 0.0, settled=found.settled,
        problem=problem, result=found, groups=groups,
    )  # fmt: skip


def _told(room: PlannedRoom, assumed: Assumed) -> PlannedRoom:
    given = {k: v for k, v in vars(assumed).items() if v is not None}
    return replace(room, **given, from_record=room.from_record - set(given))


def _planned(group: Sequence[Draft], way: Way, tray: TrayKind) -> list[Planned]:
    out = []
    for d in group:
        heat = d.warm if way.on_mat else d.cool
        assert heat is not None and d.growing is not None
        noon = datetime(way.sow.year, way.sow.month, way.sow.day, 12)
        half = Interval(*(noon + timedelta(days=x) for x in (heat.days.p10, heat.days.p50, heat.days.p90)))
        grow = d.grow_days(way.sow, heat)
        harden = d.out_on - timedelta(days=d.harden_days) if d.harden_days else None
        last = harden or d.out_on
        after_d = pot_after_d(d)
        pot = (half.p50 + timedelta(days=after_d)).date() if after_d else None
        lead = PRETREAT_D.get(d.crop.pretreatment)
        out.append(
            Planned(
                draft=d, sow_on=way.sow, heat=heat, on_mat=way.on_mat, half_up=half, harden_from=harden,
                pot_up_on=pot if pot and pot < last else None,
                pretreat_from=way.sow - timedelta(days=lead) if lead else None,
                trays=trays_of(group, tray), shares=tuple(x.name for x in group if x is not d),
                size=grow / d.growing.aim_days, risk=d.gate.risk_on(d.out_on) if d.gate else None,
            )
        )  # fmt: skip
    return out


# -- what the weeks hold ------------------------------------------------------------------------------------------------


def load_of(problem: Problem, result: Schedule) -> FloatArray:
    """What every resource carries day by day, live batches included."""
    load = problem.taken.copy()
    for unit, k in zip(problem.units, result.choice, strict=True):
        for r, spans in enumerate(unit.options[k].use):
            for a, b, amount in spans:
                load[r, max(0, a) : max(0, b)] += amount
    return load


def _weeks(
    problem: Problem, result: Schedule, start: date, sowings: Sequence[Planned], using: Sequence[InUse], today: date
) -> list[Week]:
    load = load_of(problem, result)
    busy = np.nonzero(load.sum(axis=0))[0]
    last = int(busy[-1]) if len(busy) else -1
    out = []
    start_day = start + timedelta(days=int(busy[0])) if len(busy) else start
    monday = start_day - timedelta(days=start_day.weekday())
    while (monday - start).days <= last:
        a, b = max(0, (monday - start).days), (monday - start).days + 7
        most = load[:, a:b].max(axis=1)
        out.append(Week(monday, (float(most[0]), float(most[1]), float(most[2])), _settings(monday, sowings, using, today)))
        monday += timedelta(days=7)
    return out


def _settings(monday: date, sowings: Sequence[Planned], using: Sequence[InUse], today: date) -> int:
    """Timers of their own that the crops under lamps in a week need."""
    sunday = monday + timedelta(days=6)
    bands = []
    for p in sowings:
        if p.half_up is not None and p.half_up.p50.date() <= sunday and (p.harden_from or p.out_on) > monday:
            bands.append(hours_band(p.draft.crop))
    for u in using:
        under = [x for x in u.spans if x[0] == 2]
        if any(today + timedelta(days=x[1]) <= sunday and today + timedelta(days=x[2]) > monday for x in under):
            bands.append(hours_band(u.crop))
    return lamp_settings(bands)


# -- sown on another day ------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class IfSown:
    """What sowing on another day would mean: weeks from sowing to planting, growing time against the usual, and the day it
    would be ready if it may not be too small. `stretched`, `small`: outside what the pot holds or planting stands."""

    day: date
    weeks_old: float
    size: float
    ready_on: date
    small: bool
    stretched: bool


def if_sown(p: Planned, day: date) -> IfSown | None:
    """A sowing on another day with the same planting day; None where it cannot be grown at all."""
    heat, g = p.heat or p.draft.best, p.draft.growing
    if heat is None or g is None:
        return None
    grow = p.draft.grow_days(day, heat)
    ready = day + timedelta(days=math.ceil(heat.days.p50 + g.least_days + p.draft.harden_days))
    return IfSown(
        day, (p.out_on - day).days / 7, grow / g.aim_days, ready, grow < g.least_days - 1, grow > g.most_days + 1
    )  # fmt: skip


def want_name(want: Want, crop: Crop) -> str:
    """What a want is called: crop and variety."""
    return f"{crop.name}, {want.variety}" if want.variety else crop.name


def notes_of(p: Planned) -> tuple[Note, ...]:
    """Notes of a sowing with what its day adds."""
    extra = []
    if p.sow_on and p.draft.warm and not p.on_mat and p.heat:
        extra.append(Note("without_mat", {"days": p.heat.days.p50 - p.draft.warm.days.p50, "soil_c": p.heat.soil_c}))
    return (*p.draft.notes, *extra)
