"""A plan as iCalendar: whole days, one entry for each thing to do or to expect."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta

from icalendar import Calendar, Event

from fennet.core.planning.plan import Plan, Planned
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import sowing_words

#: Kind of entry → the words it begins with.
ENTRY_WORDS = {
    "pretreat": "Prepare seed of", "sow": "Sow", "half_up": "Half up expected:", "pot_up": "Pot up", "harden": "Harden off",
    "out": "Plant out", "ready": "Ready:",
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


def calendar(plan: Plan, name: str, fmt: Formatter, made: datetime | None = None) -> bytes:
    """The text of a calendar (RFC 5545) for a plan. An entry keeps its identity while its want does, so that a calendar
    program moves it instead of doubling it."""
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
    return bytes(out.to_ical())


def _uid(garden: str, p: Planned, kind: str) -> str:
    want = p.draft.want
    who = want.id or f"{p.draft.at}-{p.draft.crop.id}-{want.variety or ''}"
    digest = hashlib.sha256(f"{garden}|{who}|{p.draft.key}|{kind}".encode()).hexdigest()[:24]
    return f"{digest}@fennet"


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
