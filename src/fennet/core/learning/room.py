"""What a garden has learned of its room: how its trays dry, what its mats do, what its lamps give and how they age, drawn
together over things and seasons: a new tray, mat or lamp begins from what is usual here, and an old one from what it was."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property
from hashlib import sha256

from fennet.core.heat_mat import LIFT_BARE_C
from fennet.core.learning.corrections import OWN, Correction, own_of_room, teaches_of_room
from fennet.core.learning.pooling import Figure, Found, Pool, Sort, pool
from fennet.core.learning.room_lessons import RoomLesson, burned, month_of
from fennet.core.light import DAY_S, from_lumens_umol, lamp_at, lamp_states
from fennet.core.lighting.curve import OLDEST_D, UNKNOWN_SD
from fennet.core.records import Journal, Lamp
from fennet.core.room_here import RoomHere, Usual
from fennet.core.tuning.mat_fit import LOOK_BACK_D

#: How far apart things usually lie, as log sd of the loss of water: gardens, parts of the year, trays, one month. Together they
#: are what one tray may be off where nothing is known (drying.TRAY_LOG_SD). Source: starting_estimate.
DRYING = (Sort("garden", 0.25), Sort("time_of_year", 0.15), Sort("tray", 0.37))
DRYING_MONTH = Sort("month", 0.15, odd=True)
#: The same of soil over a mat's set-point, °C (together mat_fit.SD_OFFSET_C): a tray is laid on its mat anew each year, and its
#: probe pegged where it was not; and of what a mat lifts, as log sd (SD_LIFT_C). Source: starting_estimate.
OFFSET = (Sort("garden", 0.6), Sort("mat", 1.4), Sort("on_mat", 0.8), Sort("laid", 0.9))
OFFSET_MONTH = Sort("month", 0.5, odd=True)
LIFT = (Sort("garden", 0.12), Sort("mat", 0.17), Sort("on_mat", 0.08))
LIFT_MONTH = Sort("month", 0.10, odd=True)
#: The same of a lamp against its lumens (together curve.LUMENS_SD); of one without lumens; of what it loses by each thousand
#: hours; and (in parts of its own sd) what readings in the same trays are off alike in every month, which is not the lamp's.
#: Source: starting_estimate.
OUTPUT = (
    Sort("garden", 0.15), Sort("kind", 0.20), Sort("lamp", 0.30), Sort("unsaid", UNKNOWN_SD), Sort("kind_ages", 0.02),
    Sort("ages", 0.02), Sort("read", 1.0),
)  # fmt: skip
OUTPUT_MONTH = Sort("month", 0.08, odd=True)
#: What a lamp usually loses by each thousand hours it burns, as a log: diodes, and tubes and bulbs. Source: starting_estimate.
AGES_PER_KH, TUBE_AGES_PER_KH = 0.015, 0.04
TUBES = frozenset(("fluorescent_cool", "fluorescent_warm", "hot_tube", "hps", "metal_halide", "incandescent"))
#: From so long ago each thing's own record counts, days: what was before is learned.
OWN_RECORD_D = {"drying": LOOK_BACK_D, "offset": LOOK_BACK_D, "lift": LOOK_BACK_D, "output": OLDEST_D}
#: What a grower's own figure may be off for all that, on each scale. Source: starting_estimate.
OWN_SD = {"drying": 0.10, "lift": 0.10}


@dataclass(frozen=True)
class RoomLearned:
    """What months that are over taught of a room, and what they come to."""

    lessons: tuple[RoomLesson, ...] = ()
    corrections: tuple[Correction, ...] = ()

    def told(self, measure: str) -> list[RoomLesson]:
        """The lessons of one thing that nobody told to forget."""
        return [
            x for x in self.lessons
            if x.measure == measure and teaches_of_room(self.corrections, measure, _forgotten_as(x), x.from_s)
        ]  # fmt: skip

    @cached_property
    def drying(self) -> Pool:
        return pool(DRYING, DRYING_MONTH, [_found(x, {"tray": x.thing, "time_of_year": time_of_year(x.from_s)})
                                           for x in self.told("drying")])  # fmt: skip

    @cached_property
    def offset(self) -> Pool:
        return pool(OFFSET, OFFSET_MONTH, [_found(x, _laid(x.thing, x.tray, x.from_s)) for x in self.told("offset")])

    @cached_property
    def lift(self) -> Pool:
        return pool(LIFT, LIFT_MONTH, [_found(x, _on_mat(x.thing, x.tray)) for x in self.told("lift")])

    @cached_property
    def output(self) -> Pool:
        return pool(OUTPUT, OUTPUT_MONTH, [_lit(x) for x in self.told("output")])

    @cached_property
    def fingerprint(self) -> str:
        """What it was learned from, to file under."""
        return sha256(repr((self.lessons, self.corrections)).encode()).hexdigest()


def room_learned(lessons: Iterable[RoomLesson], corrections: Sequence[Correction], at_s: float) -> RoomLearned:
    """What is learned at a moment (seconds UTC): of the months that were over before each thing's own record begins."""
    until_s = dict(zip(OWN_RECORD_D, own_records_s(at_s), strict=True))
    return RoomLearned(tuple(x for x in lessons if x.to_s <= until_s[x.measure]), tuple(corrections))


def own_records_s(at_s: float) -> tuple[float, ...]:
    """The moments (seconds UTC) from which each thing's own record counts, in the order of OWN_RECORD_D: firsts of months, so
    that what is learned stands for days on end."""
    return tuple(month_of(at_s - days * DAY_S) for days in OWN_RECORD_D.values())


def room_here(of: RoomLearned, journal: Journal, at_s: float) -> RoomHere:
    """What is usual of every tray, mat and lamp of a garden at a moment (seconds UTC). `journal` holds effective events. Where
    nothing was learned and nothing corrected the table tells. Source: empirical_bayes, learned_here."""
    drying, lift = {}, {}
    trays = [t.id for t in journal.trays]
    dried, lifted, stood, gave = (of.told(m) for m in ("drying", "lift", "offset", "output"))
    if dried or _corrected(of, "drying"):
        now = time_of_year(month_of(at_s))
        for tray in trays:
            f = of.drying.figure({"garden": "", "tray": tray, "time_of_year": now})
            drying[tray] = _usual(of, "drying", tray, f, at_s)
    if lifted or _corrected(of, "lift"):
        for mat in journal.mats:
            for tray in trays:
                f = of.lift.figure(_on_mat(mat.id, tray))
                lift[(mat.id, tray)] = _usual(of, "lift", tray, f, at_s)
    offset = {
        (mat.id, tray): _usual(of, "offset", tray, of.offset.figure(_laid(mat.id, tray, month_of(at_s))), at_s)
        for mat in journal.mats for tray in trays if stood or _corrected(of, "offset")
    }  # fmt: skip
    output = {lamp.id: lamp_usual(of, journal, lamp, at_s) for lamp in journal.lamps if gave or _corrected(of, "output")}
    return RoomHere(drying, offset, lift, output)


def lamp_usual(of: RoomLearned, journal: Journal, lamp: Lamp, at_s: float) -> Usual:
    """What a lamp gives at 150 mm at a moment by what it gave before and how it has burned since, against its lumens or, without
    them, a lamp of which nothing is known."""
    # As of the first of the month: a lamp ages slowly, and what is kept of answers need not be thrown away each half hour.
    first_s, state = month_of(at_s), lamp_at(lamp, journal.events, at_s)
    rough = from_lumens_umol(lamp, next((p for p in journal.places if p.id == state.place), None))
    burned_kh, untold_kh = burned(lamp_states(lamp, journal.events), first_s)
    names = _lamp_names(lamp.id, lamp.kind or "", rough is not None)
    f = of.output.figure(names, _shows(burned_kh))
    own = [x for x in of.told("output") if x.thing == lamp.id]
    fades = _fades(lamp.kind or "")
    # What it burned while nobody logged a timer may have aged it too.
    unsure = fades * max(0.0, untold_kh - max((x.untold_kh for x in own), default=0.0))
    usual = _usual(of, "output", lamp.id, f, at_s)
    return replace(usual, off=f.off - fades * burned_kh, sd=math.hypot(f.sd, unsure), rests_on=len(own))


def ageing(of: RoomLearned, lamp: str, kind: str) -> tuple[Figure, float] | None:
    """What a lamp loses by each thousand hours it burns, as a log and its sd; and how many thousand it burned between its first
    and its last month of readings. None where it burned too little between them to tell."""
    own = sorted((x for x in of.told("output") if x.thing == lamp), key=lambda x: x.from_s)
    if len(own) < 2 or own[-1].burned_kh - own[0].burned_kh < LEAST_AGE_KH:
        return None
    f = of.output.figure({"kind_ages": kind, "ages": lamp}, of=("kind_ages", "ages"))
    return replace(f, off=f.off - _fades(kind), rests_on=len(own)), own[-1].burned_kh - own[0].burned_kh


#: A lamp that burned less between its readings tells nothing of its age, thousands of hours. Source: convention.
LEAST_AGE_KH = 0.3


def time_of_year(at_s: float) -> str:
    """The part of the year a moment falls in, by its months: rooms are heated in some and aired in others.

    >>> time_of_year(datetime(2026, 1, 5, tzinfo=UTC).timestamp()), time_of_year(datetime(2026, 12, 5, tzinfo=UTC).timestamp())
    ('12-2', '12-2')
    """
    part = datetime.fromtimestamp(at_s, UTC).month % 12 // 3
    return ("12-2", "3-5", "6-8", "9-11")[part]


def _usual(of: RoomLearned, measure: str, thing: str, f: Figure, at_s: float) -> Usual:
    since_s = month_of(at_s - OWN_RECORD_D[measure] * DAY_S)
    since_s = max([since_s, *(t for c in of.corrections if (t := c.forgets_room(measure, thing)) is not None)])
    own = own_of_room(of.corrections, measure, thing) if measure in OWN else None
    if own is not None:
        return Usual(math.log(own / (LIFT_BARE_C if measure == "lift" else 1.0)), OWN_SD[measure], 0, since_s, own=True)
    return Usual(f.off, f.sd, f.rests_on, since_s)


def _forgotten_as(x: RoomLesson) -> str:
    """What a grower names to have it forgotten: a lamp, else the tray."""
    return x.thing if x.measure == "output" else x.tray


def _corrected(of: RoomLearned, measure: str) -> bool:
    return any(c.of_room(measure) for c in of.corrections)


def _found(x: RoomLesson, names: dict[str, str]) -> Found:
    return Found(x.off, x.var, {"garden": "", **names}, {})


def _on_mat(mat: str, tray: str) -> dict[str, str]:
    return {"garden": "", "mat": mat, "on_mat": f"{mat}|{tray}"}


def _laid(mat: str, tray: str, at_s: float) -> dict[str, str]:
    return {**_on_mat(mat, tray), "laid": f"{mat}|{tray}|{datetime.fromtimestamp(at_s, UTC).year}"}


def _lamp_names(lamp: str, kind: str, lumens: bool) -> dict[str, str]:
    of = {"garden": "", "kind": kind, "lamp": lamp} if lumens else {"unsaid": lamp}
    return {**of, "kind_ages": kind, "ages": lamp}


def _shows(burned_kh: float) -> dict[str, float]:
    return {"kind_ages": burned_kh, "ages": burned_kh}


def _lit(x: RoomLesson) -> Found:
    names = {**_lamp_names(x.thing, x.kind, x.lumens), "read": f"{x.thing}|{x.tray}"}
    shows = {**_shows(x.burned_kh), "read": x.alike_sd}
    return Found(x.off + _fades(x.kind) * x.burned_kh, x.var, names, shows)


def _fades(kind: str) -> float:
    return TUBE_AGES_PER_KH if kind in TUBES else AGES_PER_KH
