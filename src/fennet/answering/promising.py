"""What is promised now, to be marked later: of which batch and tray, and when: some once, some once a day."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Set
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from fennet.answering.answers import Answers
from fennet.core.history import counts_of, over_s
from fennet.core.planning.readiness import planting_s, potting_s
from fennet.core.records import Batch, Tray
from fennet.core.room import tray_of
from fennet.core.scoring import FIRST_PICK, HALF_UP, OUTING, PLANTING, POTTING, WARNING, WATERING, Promise
from fennet.core.working import Interval

#: Kinds that are promised once of a batch, and once a day of a batch or tray.
ONCE, DAILY = (FIRST_PICK, POTTING, PLANTING, WARNING), (HALF_UP, WATERING, OUTING)
#: A watering that is due within so many hours is no forecast any more. Source: growers_rule.
SOON_S = 6 * 3600.0
#: An outing shows by the evening of the next day whether it was stood.
SHOWS_H = 36
#: From these stages on plants are advised outdoors.
GOES_OUT = ("growing_on", "hardening")


@dataclass(frozen=True)
class AlreadyMade:
    """The subjects of which something was promised, by kind: ever, of kinds that are promised once; on the day, of the others."""

    subjects: Mapping[str, Set[str]] = field(default_factory=dict)

    def holds(self, kind: str, subject: str) -> bool:
        return subject in self.subjects.get(kind, ())


def promises_now(a: Answers, day: date, already: AlreadyMade) -> list[Promise]:
    """What is promised now that was not already, of a local day; each with an empty id, for who keeps it to name. Nothing is
    worked out of what was promised already: this is asked after every write."""
    found = [*_half_up(a, already), *_firsts(a, already), *_when_half_is_up(a, already), *_of_trays(a, already)]
    found += _outings(a, already, day)
    return list({(p.kind, p.subject): p for p in found}.values())


def half_up_promise(a: Answers, batch: Batch) -> Promise | None:
    """When half of a batch is up; None where it is not waited for. What has happened is no promise."""
    if batch.crop not in a.crops or batch.sown_at.timestamp() > a.at_s or counts_of(batch, a.events).past_half:
        return None
    f = a.forecast(batch) if over_s(batch, a.events, a.at_s) is None else None
    if f is None or f.half_up is None or f.half_up.settled or f.verdict == "finished":
        return None
    return _promise(a, HALF_UP, batch.id, f.half_up)


def _half_up(a: Answers, already: AlreadyMade) -> Iterator[Promise]:
    for b in a.journal.batches:
        told = half_up_promise(a, b) if not already.holds(HALF_UP, b.id) else None
        if told is not None:
            yield told


def _firsts(a: Answers, already: AlreadyMade) -> Iterator[Promise]:
    """When the first of what was planted is picked or flowers."""
    for x in a.planted():
        first = a.first_expected(x.batch) if not already.holds(FIRST_PICK, x.batch.id) else None
        if first is not None:
            yield _promise(a, FIRST_PICK, x.batch.id, first.at_s, thing=x.crop.bed.gives)


def _when_half_is_up(a: Answers, already: AlreadyMade) -> Iterator[Promise]:
    """When a batch wants potting up, and its planting day as the plan has it: from when half of it is up."""
    for b in a.living:
        counts = counts_of(b, a.events)
        half_s = counts.reached(math.ceil(counts.up / 2)) if counts.past_half else None
        if half_s is None or b.crop not in a.crops or not b.from_seed or b.from_batch is not None:
            continue
        crop = a.crops[b.crop]
        when = potting_s(crop, half_s)
        if when is not None and when.p50 > a.now_s and not already.holds(POTTING, b.id):
            yield _promise(a, POTTING, b.id, when)
        out_on = a.dates(b).out_on if not already.holds(PLANTING, b.id) else None
        if out_on is not None:
            noon_s = datetime(out_on.year, out_on.month, out_on.day, 12, tzinfo=a.zone).timestamp()
            if noon_s > a.now_s:
                yield _promise(a, PLANTING, b.id, planting_s(crop, noon_s))


def _of_trays(a: Answers, already: AlreadyMade) -> Iterator[Promise]:
    """When trays whose moisture is read want water, and what a warning of damping off warns of."""
    measured = {s.place for s in a.journal.series if s.quantity == "moisture" and len(s.at_s)}
    told: set[str] = set()
    for b, tray in _in_trays(a):
        if tray.id in measured - told and not already.holds(WATERING, tray.id):
            n = a.watering(b, tray)
            if n is not None and n.when_s.p50 - a.now_s > SOON_S:
                told.add(tray.id)
                yield _promise(a, WATERING, tray.id, n.when_s, level=n.aim_pct)
        if not already.holds(WARNING, b.id) and counts_of(b, a.events).up:
            risk = a.care(b, tray, a.conditions(b)).risk
            if risk is not None and len(risk.warned) and bool(risk.warned[-1]):
                yield _promise(a, WARNING, b.id)


def _outings(a: Answers, already: AlreadyMade, day: date) -> Iterator[Promise]:
    """That batches stand the outings advised for today."""
    for b, _ in _in_trays(a):
        h = a.hardening(b) if a.stages[b.id] in GOES_OUT and not already.holds(OUTING, b.id) else None
        if h is not None and h.today is not None and h.today.go:
            from_s = datetime(day.year, day.month, day.day, tzinfo=a.zone).timestamp()
            due_s = from_s + timedelta(hours=SHOWS_H).total_seconds()
            yield Promise("", OUTING, b.id, a.now_s, 0.0, 0.0, 0.0, due_from_s=from_s, due_s=due_s, level=h.today.hours)


def _in_trays(a: Answers) -> Iterator[tuple[Batch, Tray]]:
    """What lives in a tray and is of a kind that is known."""
    trays = {t.id: t for t in a.journal.trays}
    for b in a.living:
        tray = trays.get(tray_of(b, a.events, a.at_s) or "")
        if tray is not None and b.crop in a.crops:
            yield b, tray


def _promise(
    a: Answers, kind: str, subject: str, at_s: Interval[float] | None = None, thing: str | None = None, level: float | None = None
) -> Promise:
    low, middle, high = (at_s.p10, at_s.p50, at_s.p90) if at_s is not None else (0.0, 0.0, 0.0)
    return Promise("", kind, subject, a.now_s, low, middle, high, thing, level=level)
