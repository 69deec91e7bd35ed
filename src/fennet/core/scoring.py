"""Whether what was promised came true: every promise held against the record, marked anew whenever the record changes."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
from scipy.special import betaincinv

from fennet.core.damping_off import FALLEN
from fennet.core.exposure import DAY_S, soil_series
from fennet.core.hardening.after import after_of
from fennet.core.history import Counts, counts_of, ended_s, lost_of, tray_stays
from fennet.core.records import Event, Journal
from fennet.core.working import Input, Working

#: Nobody waits for more when nothing new showed for a week, or three quarters of the wait so far, whichever is longer.
#: Source: growers_rule.
QUIET_D, QUIET_SHARE = 7.0, 0.75
#: Readings that make a mean worth holding a promise against.
LEAST_READINGS = 3
#: What one reading of light may be off by itself. Source: starting_estimate.
METER_MARGIN = 0.05


HALF_UP, MAT_SOIL, LAMP_LIGHT, FIRST_PICK, WATERING, WARNING, OUTING, POTTING, PLANTING = KINDS = (
    "half_up", "mat_soil", "lamp_light", "first_pick", "watering", "warning", "outing", "potting", "planting",
)  # fmt: skip
#: Promises of a time; those that something will or will not happen; the others are of a figure.
OF_TIMES, OF_EVENTS = (HALF_UP, FIRST_PICK, WATERING, POTTING, PLANTING), (WARNING, OUTING)
#: A warning of damping off is of so many days; a warning often keeps from happening what it warned of, and plants that went out
#: as advised should come back well nearly always. Source: growers_rule.
WARNING_D = 10.0


@dataclass(frozen=True)
class Promise:
    """What was promised, with its 80 % range: when half of a batch is up, or the first of it is picked or flowers (seconds UTC);
    or what a setting of a mat or lamp brings to a tray (°C of its soil, µmol m⁻² s⁻¹ at its leaves).

    `subject` the batch or tray; `thing` what was set, by which `event`; a setting is looked at between `due_from_s` and `due_s`.
    """

    id: str
    kind: str
    subject: str
    made_s: float
    low: float
    middle: float
    high: float
    thing: str | None = None
    event: str | None = None
    due_from_s: float = 0.0
    due_s: float = 0.0
    #: Of a watering the moisture it is due at, % of capacity; of an outing the hours advised.
    level: float | None = None


@dataclass(frozen=True)
class ScoredPromise:
    """One promise marked. `outcome`: hit, early, late (times); hit, under, over (figures); hit, miss (what was to happen or not);
    open; void where it cannot be marked.

    `low`, `middle`, `high` and `actual` are seconds UTC for times, the promise's unit for figures.
    """

    id: str
    kind: str
    subject: str
    made_s: float
    low: float
    middle: float
    high: float
    outcome: str
    actual: float | None = None
    why: str = ""


@dataclass(frozen=True)
class Score:
    """How one kind of promise fared: how many were marked, how many of their 80 % ranges held, and how wide they were."""

    kind: str
    marked: int
    held: int
    below: int
    above: int
    open: int
    width: float | None

    @property
    def share(self) -> float | None:
        return self.held / self.marked if self.marked else None


def settled(counts: Counts, sown_s: float, ended: float | None, at_s: float) -> bool:
    """Whether no more is waited for: all up, ended, or quiet for long.

    >>> settled(Counts("cells", 4, (0.0, 86_400.0), (2, 4)), 0.0, None, 90_000.0)
    True
    """
    return settled_s(counts, sown_s, ended, at_s) is not None


def settled_s(counts: Counts, sown_s: float, ended: float | None, at_s: float) -> float | None:
    """When no more was waited for, seconds UTC; None while it is. As `settled`."""
    found = [] if ended is None else [ended]
    if counts.up:
        new_s = counts.reached(counts.up) or sown_s
        quiet_s = new_s + max(QUIET_D * DAY_S, QUIET_SHARE * (new_s - sown_s))
        found.append(new_s if counts.up >= counts.of else quiet_s)
    first = min(found, default=None)
    return first if first is not None and first <= at_s else None


def score_promise(promise: Promise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    """One promise against the record at a moment. `events` are effective events. Source: arithmetic."""
    p = promise
    made = ScoredPromise(p.id, p.kind, p.subject, p.made_s, p.low, p.middle, p.high, "open")
    held = {HALF_UP: _half_up, MAT_SOIL: _mat_soil, LAMP_LIGHT: _lamp_light, FIRST_PICK: _first_pick,
            WATERING: _watering, WARNING: _warning, OUTING: _outing, POTTING: _deed, PLANTING: _deed}[p.kind]  # fmt: skip
    return held(p, made, journal, events, at_s)


def _half_up(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    batch = next((b for b in journal.batches if b.id == made.subject), None)
    if batch is None:
        return _with(made, "void", None, "no_batch")
    counts = counts_of(batch, events)
    if not settled(counts, batch.sown_at.timestamp(), ended_s(batch, events), at_s):
        return made
    half_s = counts.reached(math.ceil(counts.up / 2)) if counts.up else None
    if half_s is None:
        return _with(made, "void", None, "none_came")
    # Seen at a look: it came between the look before and that one, so a range that ends inside that gap holds too.
    before_s = max((t for t in counts.at_s if t < half_s), default=half_s)
    gap_s = min(half_s - before_s, DAY_S)
    outcome = "early" if half_s < p.low else "late" if half_s - gap_s > p.high else "hit"
    return _with(made, outcome, half_s)


#: A bed is looked at about so often: a first that was seen so long after a range ended may have come within it. Source:
#: growers_rule.
LOOKS_EVERY_D = 2.0


def _first_pick(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    """The first pick of a planted batch, or its first flower where that was promised (`thing` flower)."""
    batch = next((b for b in journal.batches if b.id == made.subject), None)
    after = after_of(batch, events, at_s) if batch is not None else None
    if batch is None or after is None:
        return _with(made, "void", None, "no_batch" if batch is None else "undone")
    first_s = after.first_s(p.thing or "pick")
    if first_s is None:
        if lost_of(batch, events) >= batch.n_cells:
            return _with(made, "void", None, "all_lost")
        return made
    outcome = "early" if first_s < p.low - DAY_S else "late" if first_s - LOOKS_EVERY_D * DAY_S > p.high else "hit"
    return _with(made, outcome, first_s)


def _watering(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    """When a tray fell to the moisture it is watered at: by its own readings. Who watered before then has not let it be seen."""
    level = p.level if p.level is not None else 0.0
    waters = [e.at_s for e in events if e.kind == "watered" and e.fields.get("tray") == p.subject and e.at_s > p.made_s + 60]
    until_s = min([*waters[:1], at_s])
    read = sorted(
        (float(t), float(v)) for s in journal.series if s.quantity == "moisture" and s.place == p.subject
        for t, v in zip(s.at_s, s.value, strict=True) if p.made_s - DAY_S < t <= until_s and not math.isnan(v)
    )  # fmt: skip
    after = [i for i, (t, v) in enumerate(read) if t > p.made_s and v <= level]
    if after:
        i = after[0]
        crossed_s = read[i][0]
        if i and read[i - 1][1] > level:
            (t0, v0), (t1, v1) = read[i - 1], read[i]
            crossed_s = t0 + (t1 - t0) * math.log(v0 / level) / max(math.log(v0 / max(v1, 1e-3)), 1e-9) if level > 0 else t1
        return _with(made, "early" if crossed_s < p.low else "late" if crossed_s > p.high else "hit", crossed_s)
    seen_s = max((t for t, _ in read), default=0.0)
    if seen_s > p.high:
        # Still moister than that when its range was over.
        return _with(made, "late", seen_s)
    if waters and waters[0] <= at_s:
        return _with(made, "void", None, "watered_before")
    return made if at_s < p.high + 2 * DAY_S else _with(made, "void", None, "not_read_moisture")


#: What is done when plants are ready for it.
DEEDS = {POTTING: "potted_up", PLANTING: "planted"}


def _deed(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    """When a batch was ready to be potted up or planted, as people did it: the day is theirs, and the range one of days.

    While nobody wrote it down it stays open: nobody's entry is not yet a deed done late."""
    batch = next((b for b in journal.batches if b.id == p.subject), None)
    if batch is None:
        return _with(made, "void", None, "no_batch")
    done = next((e.at_s for e in events if e.kind == DEEDS[p.kind] and e.fields.get("batch") == batch.id), None)
    if done is not None:
        return _with(made, "early" if done < p.low - DAY_S else "late" if done > p.high + DAY_S else "hit", done)
    if ended_s(batch, events) is not None:
        return _with(made, "void", None, "ended_before")
    return made


#: What only somebody who looked at a batch writes of it.
LOOKS = frozenset(
    ("count", "sign", "check", "height", "thinned", "potted_up", "moved", "outing", "planted", "lost", "moved_to_light")
)


def _warning(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    """Whether seedlings fell after a warning of damping off."""
    batch = next((b for b in journal.batches if b.id == p.subject), None)
    if batch is None:
        return _with(made, "void", None, "no_batch")
    to_s = p.made_s + WARNING_D * DAY_S
    trays = {s.where for s in tray_stays(batch, events)}
    fell = [
        e.at_s for e in events if e.kind == "sign" and e.fields["sign"] in FALLEN and p.made_s - 60 < e.at_s <= min(to_s, at_s)
        and (e.fields.get("batch") == batch.id or (e.fields.get("batch") is None and e.fields.get("tray") in trays))
    ]  # fmt: skip
    if fell:
        return _with(made, "hit", fell[0])
    ended = ended_s(batch, events)
    if at_s < to_s and ended is None:
        return made
    # Seedlings that nobody looked at may have fallen as well as stood.
    looked = any(e.kind in LOOKS and e.fields.get("batch") == batch.id and p.made_s < e.at_s <= to_s + DAY_S for e in events)
    return _with(made, "miss", None) if looked else _with(made, "void", None, "not_looked_at")


def _outing(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    """Whether a batch came back well from a day out as advised; longer than that is nobody's promise."""
    out = [e for e in events if e.kind == "outing" and e.fields["batch"] == p.subject and p.due_from_s <= e.at_s < p.due_s]
    if not out:
        return made if at_s < p.due_s else _with(made, "void", None, "stayed_in")
    hours = max(float(e.fields.get("hours") or 0.0) for e in out)
    seen = [e.fields.get("seen") for e in out] + [e.fields.get("stress") for e in out]
    if p.level is not None and hours > LONGER * p.level:
        return _with(made, "void", None, "stayed_longer")
    if all(x is None for x in seen):
        return made if at_s < p.due_s else _with(made, "void", None, "nobody_looked")
    return _with(made, "hit" if all(x in (None, "none", False) for x in seen) else "miss", hours)


#: Out for so many times the hours advised is no outing as advised. Source: growers_rule.
LONGER = 1.3


def _mat_soil(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    from_s, to_s = p.due_from_s, p.due_s
    if p.event and all(e.id != p.event for e in events):
        return _with(made, "void", None, "undone")
    if any(e.kind == "mat" and e.fields["mat"] == p.thing and made.made_s + 60 < e.at_s < to_s and (
        "setpoint_c" in e.fields or e.fields.get("tray") in (None, made.subject)) for e in events):  # fmt: skip
        return _with(made, "void", None, "changed_before")
    if at_s < to_s:
        return made
    # As the setting it was made of: a thermometer that goes with the air says nothing of the soil.
    read = soil_series(journal, made.subject, events, at_s)
    found = [s.value[(s.at_s >= from_s) & (s.at_s <= to_s)] for s in read]
    values = np.concatenate(found) if found else np.zeros(0)
    if len(values) < LEAST_READINGS:
        return _with(made, "void", None, "not_read")
    actual = float(values.mean())
    return _with(made, "under" if actual < made.low else "over" if actual > made.high else "hit", actual)


def _lamp_light(p: Promise, made: ScoredPromise, journal: Journal, events: Sequence[Event], at_s: float) -> ScoredPromise:
    """Brightness at a tray's leaves after its lamp was set: held against the next readings there."""
    if p.event and all(e.id != p.event for e in events):
        return _with(made, "void", None, "undone")
    moved = [e.at_s for e in events if e.kind == "lamp" and e.fields["lamp"] == p.thing and e.at_s > made.made_s + 60]
    to_s = min([p.due_s, *moved])
    found = []
    for s in journal.series:
        if s.quantity == "light" and s.place == made.subject:
            # What was read of the sky is not the lamp's.
            lamps = ~s.daylight if s.daylight is not None else np.ones(len(s.at_s), dtype=bool)
            found.append(s.value[lamps & (s.at_s > made.made_s) & (s.at_s <= min(to_s, at_s))])
    values = np.concatenate(found) if found else np.zeros(0)
    values = values[values > 0]
    if len(values):
        # The first reading answers; more of them average the meter's noise. Eight in ten hold with the meter's own 5 % in it.
        actual = float(np.median(values))
        margin = 1.0 + METER_MARGIN / math.sqrt(len(values))
        outcome = "under" if actual < made.low / margin else "over" if actual > made.high * margin else "hit"
        return _with(made, outcome, actual)
    if moved:
        return _with(made, "void", None, "moved_before")
    return made if at_s < to_s else _with(made, "void", None, "not_read_light")


def _with(m: ScoredPromise, outcome: str, actual: float | None, why: str = "") -> ScoredPromise:
    return replace(m, outcome=outcome, actual=actual, why=why)


def score_promises(promises: Iterable[Promise], journal: Journal, events: Sequence[Event], at_s: float) -> list[ScoredPromise]:
    """What came of promises, the newest first."""
    return sorted((score_promise(p, journal, events, at_s) for p in promises), key=lambda m: -m.made_s)


#: How often what comes should fall under a range's foot, from there to its middle, on to its head, and over it.
PARTS = (0.1, 0.4, 0.4, 0.1)
#: What should hold; and how many marked batches or trays a sentence on them needs. Source: convention, starting_estimate.
PROMISED, LEAST_MARKED = 0.8, 8
#: What should hold of other kinds than ranges: nearly every outing as advised; of warnings nobody can say, since who heeds one
#: keeps it from coming true.
AIMS: dict[str, float | None] = {"outing": 0.95, "warning": None}


@dataclass(frozen=True)
class TrackRecord:
    """How promises of one kind fared in a season, or in all (`year` None): the score, the 90 % doubt of the share that held, how
    many fell into each of the four parts of their ranges, and what that says: over (over-confident), under, fair, or too_few."""

    score: Score
    year: int | None
    low: float
    high: float
    parts: tuple[int, int, int, int]
    says: str
    working: Working


def track_record(found: Sequence[ScoredPromise], zone: ZoneInfo) -> list[TrackRecord]:
    """The record of each kind, in all and by the year the promises were made in. Ranges that promise eight in ten are too sure of
    themselves where the share that held is under that beyond what luck does, and not sure enough where it is over.

    Source: arithmetic; the doubt is a Beta with one more of each, each subject counted once.
    """
    out = []
    for s in scores(found):
        mine = [m for m in found if m.kind == s.kind]
        out.append(_record(s, None, mine))
        years = sorted({_year(m, zone) for m in mine}, reverse=True)
        if len(years) > 1:
            for year in years:
                of = [m for m in mine if _year(m, zone) == year]
                out.append(_record(scores(of)[0], year, of))
    return out


def _year(m: ScoredPromise, zone: ZoneInfo) -> int:
    return datetime.fromtimestamp(m.made_s, zone).year


def _record(s: Score, year: int | None, found: Sequence[ScoredPromise]) -> TrackRecord:
    done = [m for m in found if m.outcome not in ("open", "void")]
    # Promises of one batch stand or fall together: each batch, or tray, tells once.
    of = len({m.subject for m in done})
    held = of * s.held / s.marked if s.marked else 0.0
    low, high = (float(q) for q in betaincinv(held + 1, of - held + 1, [0.05, 0.95]))
    parts = [0, 0, 0, 0]
    for m in done:
        if m.actual is None or s.kind in OF_EVENTS:
            continue
        part = 0 if m.outcome in ("early", "under") else 3 if m.outcome in ("late", "over") else 1
        parts[part + (part == 1 and m.actual > m.middle)] += 1
    aim = AIMS.get(s.kind, PROMISED)
    says = (
        "too_few"
        if of < LEAST_MARKED or aim is None
        else "over"
        if high < aim
        else "under"
        if low > aim and s.kind not in OF_EVENTS
        else "fair"
    )
    working = Working(
        "share of ranges that held",
        (
            Input("promises marked", s.marked, "", "log"), Input("of these held", s.held, "", "log"),
            Input("of so many batches or trays", of, "", "log"),
            Input("still open", s.open, "", "log"), *([Input("should hold", aim, "share")] if aim is not None else []),
        ),
        "held over marked; its doubt is a Beta with one more of each, from 5 to 95 %, each batch or tray telling once",
        ("arithmetic",), "promises whose outcome is on record", round(s.share, 3) if s.share is not None else None, "share",
    )  # fmt: skip
    return TrackRecord(s, year, low, high, (parts[0], parts[1], parts[2], parts[3]), says, working)


def scores(found: Sequence[ScoredPromise]) -> list[Score]:
    """The score of each kind of promise. Width in days for times, in the promise's unit for figures. Source: arithmetic."""
    out = []
    for kind in dict.fromkeys(m.kind for m in found):
        mine = [m for m in found if m.kind == kind]
        done = [m for m in mine if m.outcome not in ("open", "void")]
        per = DAY_S if kind in OF_TIMES else 1.0
        out.append(
            Score(
                kind,
                len(done),
                sum(m.outcome == "hit" for m in done),
                sum(m.outcome in ("early", "under") for m in done),
                sum(m.outcome in ("late", "over", "miss") for m in done),
                sum(m.outcome == "open" for m in mine),
                float(np.median([(m.high - m.low) / per for m in done])) if done and kind not in OF_EVENTS else None,
            )
        )
    return out
