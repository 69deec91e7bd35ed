"""A plan as iCalendar: whole days, one entry for each thing to do or to expect."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from datetime import UTC, date, datetime, time, timedelta

from icalendar import Calendar, Event

from fennet.core.crop import Crop
from fennet.core.hardening.dates import BatchDates
from fennet.core.planning.plan import Plan, Planned
from fennet.core.records import Batch
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import sowing_words

#: Kind of entry → the words it begins with.
ENTRY_WORDS = {
    "pretreat": "Prepare seed of", "sow": "Sow", "half_up": "Half up expected:", "pot_up": "Pot up", "harden": "Harden off",
    "out": "Plant out", "ready": "Ready:", "pick": "First pick expected:", "flower": "First flowers expected:",
}  # fmt: skip
PRODUCT = "-//Fennet//sowing plan//EN"


def entries(p: Planned) -> Iterator[tuple[str, date, date]]:
    """(kind, first day, day after the last) of everything one sowing brings; nothing for one that cannot be grown."""
    if p.sow_on is None or p.half_up is None:
        return
    if p.pretreat_from:
        yield "pretreat", p.pretreat_from, p.pretreat_from + timedelta(days=1)
    yield "sow", p.sow_on, p.sow_on + timedelta(days=1)
    yield "half_up", p.half_up.p10.date(), p.half_up.p90.date() + timedelta(days=1)
    if p.pot_up_on:
        yield "pot_up", p.pot_up_on, p.pot_up_on + timedelta(days=1)
    if p.harden_from and p.harden_from < p.out_on:
        yield "harden", p.harden_from, p.out_on
    yield "ready" if p.draft.indoors else "out", p.out_on, p.out_on + timedelta(days=1)


def grown_entries(d: BatchDates, gives: str, fmt: Formatter) -> Iterator[tuple[str, date, date]]:
    """(kind, first day, day after the last) of what a batch that grows still brings."""
    if d.half_up is not None and not d.half_up.settled:
        first, last = (fmt.local(datetime.fromtimestamp(t, UTC)).date() for t in (d.half_up.p10, d.half_up.p90))
        yield "half_up", first, last + timedelta(days=1)
    if d.harden_from is not None and d.out_on is not None and d.harden_from < d.out_on:
        yield "harden", d.harden_from, d.out_on
    if d.out_on is not None:
        yield "out", d.out_on, d.out_on + timedelta(days=1)
    if d.first is not None:
        first, last = (fmt.local(datetime.fromtimestamp(t, UTC)).date() for t in (d.first.at_s.p10, d.first.at_s.p90))
        yield ("flower" if gives == "flower" else "pick"), first, last + timedelta(days=1)


def calendar(
    plan: Plan, name: str, fmt: Formatter, made: datetime | None = None, growing: Sequence[tuple[BatchDates, Crop]] = ()
) -> bytes:
    """The text of a calendar (RFC 5545) for a plan, and for what already grows, with its dates as they stand. An entry keeps its
    identity while its want does, sown or not, so that a calendar program moves it instead of doubling it."""
    out = Calendar()
    out.add("prodid", PRODUCT)
    out.add("version", "2.0")
    out.add("x-wr-calname", f"{name}: sowing plan")
    out.add("refresh-interval", timedelta(hours=6), parameters={"VALUE": "DURATION"})
    stamp = made or datetime.combine(plan.today, time(), UTC)
    for p in plan.sowings:
        for kind, first, after in entries(p):
            event = Event()
            event.add("uid", _uid(name, p, kind))
            event.add("dtstamp", stamp.astimezone(UTC).replace(microsecond=0))
            event.add("dtstart", first)
            event.add("dtend", after)
            event.add("summary", f"{ENTRY_WORDS[kind]} {sowing_words(p)}")
            words = _words(p, kind, fmt)
            if words:
                event.add("description", words)
            event.add("transp", "TRANSPARENT")
            out.add_component(event)
    for d, crop in growing:
        for kind, first, after in grown_entries(d, crop.bed.gives, fmt):
            event = Event()
            event.add("uid", _uid_of_batch(name, d.batch, kind))
            event.add("dtstamp", stamp.astimezone(UTC).replace(microsecond=0))
            event.add("dtstart", first)
            event.add("dtend", after)
            event.add("summary", f"{ENTRY_WORDS[kind]} {crop.name}{f', {d.batch.variety}' if d.batch.variety else ''}")
            event.add("description", f"{d.batch.id}, as things stand.")
            event.add("transp", "TRANSPARENT")
            out.add_component(event)
    return bytes(out.to_ical())


def _uid(garden: str, p: Planned, kind: str) -> str:
    want = p.draft.want
    return _digest(garden, want.id or f"{p.draft.at}-{p.draft.crop.id}-{want.variety or ''}", p.draft.key, kind)


def _uid_of_batch(garden: str, batch: Batch, kind: str) -> str:
    """That of the sowing it was planned as, where it says which that was; else its own."""
    if batch.want is not None and batch.sowing is not None and batch.from_batch is None:
        return _digest(garden, batch.want, batch.sowing, kind)
    return _digest(garden, "batch", batch.id, kind)


def _digest(garden: str, who: str, key: str, kind: str) -> str:
    return f"{hashlib.sha256(f'{garden}|{who}|{key}|{kind}'.encode()).hexdigest()[:24]}@fennet"


def _words(p: Planned, kind: str, fmt: Formatter) -> str:
    d, much = p.draft, p.draft.much
    if kind == "sow":
        place = f"on a mat, soil about {fmt.temperature(p.heat.soil_c, 0)}" if p.on_mat and p.heat else "without a mat"
        per = f", {much.seeds_per_cell} in a cell" if much.set_up == "in_mix" else f", {much.set_up}"
        return f"{much.seeds} seeds in {much.cells} cells{per}; {place}."
    if kind == "half_up" and p.half_up:
        return f"Most likely {fmt.day(p.half_up.p50.replace(tzinfo=fmt.zone))}."
    if kind == "out" and p.risk is not None:
        return f"A killing frost after this day: {fmt.percent(p.risk)} of years. {d.much.wanted - (d.want.spares or 0)} plants."
    return ""
