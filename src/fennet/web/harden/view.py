"""What the hardening page shows: who goes out today, the fortnight with its weather, and the gate."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np

from fennet.answering.answers import Answers
from fennet.core.hardening.after import After
from fennet.core.hardening.hardening import Hardening
from fennet.core.hardening.outings import Done, Outing, hours_of, sun_of
from fennet.core.hardening.weather import DayOutdoors
from fennet.core.records import Batch
from fennet.core.room import trays_at
from fennet.presentation.formatter import Formatter
from fennet.presentation.hardening import (
    after_words,
    cold_words,
    first_words,
    gate_sentence,
    outing_sentence,
    porch_words,
    reasons,
    seen_words,
    set_out_words,
    why_words,
)
from fennet.web import answers
from fennet.web.parts import Untold, untold
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view

#: Days of the drawing before today.
BEHIND_D = 5
#: A bar of this many hours is as high as the drawing.
FULL_H = 12.0


@dataclass(frozen=True)
class DayCell:
    """One day of one batch in the drawing: hours and their words, how high a bar, its sun, and what else to mark."""

    words: str
    hours: str = ""
    height: float = 0.0
    sun: str = ""
    night: bool = False
    past: bool = False
    stressed: bool = False


@dataclass(frozen=True)
class DayHead:
    """One day of the drawing's head: its day, whether it is today, its lowest and highest, and what the air does."""

    weekday: str
    day: str
    today: bool
    low: str
    high: str
    air: str
    basis: str


@dataclass(frozen=True)
class BatchRow:
    batch: str
    tray: str
    name: str
    state: str
    today: str
    today_working: WorkingView | None
    why: str
    out_since: str
    ticked: bool
    cells: list[DayCell]
    gate: str
    verdict: str
    gate_why: list[str]
    gate_working: WorkingView
    parts: str
    cold: str
    set_out: list[str]
    set_working: WorkingView


@dataclass(frozen=True)
class AfterRow:
    """A planted batch: what became of it in words, when the first of it is expected, and what it wants by hand."""

    batch: str
    name: str
    facts: str
    expected: str
    working: WorkingView | None
    advice: list[str]


@dataclass(frozen=True)
class HardenView:
    """`rows` of those on their way out, those that are out first; `later` of those whose time has not come; `unknown` of those
    whose time nobody knows, for want of a last frost."""

    heads: list[DayHead]
    rows: list[BatchRow]
    later: list[str]
    unknown: list[str]
    weather: str
    any_out: bool
    going: bool
    after: list[AfterRow]
    untold: list[Untold]


def harden_view(a: Answers, fmt: Formatter) -> HardenView:
    """Every living batch on its way out, today and around it."""
    found: list[tuple[Batch, str, Hardening]] = []
    names: dict[str, str] = {}
    later: list[tuple[date, str]] = []
    unknown: list[str] = []
    for b in a.living:
        name = names[b.id] = batch_name(b, a.table.get(b.crop).name)
        h = answers.hardening(a, b)
        if h is None:
            continue
        if h.state == "early" and h.today is None and h.out is None:
            if h.season.opens is None:
                unknown.append(name)
            elif h.begins is not None:
                later.append((h.begins, f"{name} from about {fmt.calendar_day(h.begins)}"))
            continue
        found.append((b, name, h))
    stands_in = trays_at([b for b, _, _ in found], a.events, a.at_s)
    places = {p.id: p.name or p.id for p in a.journal.places}
    rows = [_row(b, name, stands_in[b.id] or "", h, a.at_s, places, fmt) for b, name, h in found]
    order = {"hardening": 0, "due": 1, "hardened": 2, "early": 3}
    rows.sort(key=lambda r: (not r.out_since, order[r.state]))
    going = [h.today for _, _, h in found if h.today is not None and h.today.go]
    days = found[0][2].days if found else ()
    return HardenView(
        _heads(days, fmt), rows, [words for _, words in sorted(later)], unknown, _weather_words(days, fmt),
        any(r.out_since for r in rows), bool(going) and not any(r.out_since for r in rows), _after(a, fmt),
        untold(names.items()),
    )  # fmt: skip


def _after(a: Answers, fmt: Formatter) -> list[AfterRow]:
    """Batches planted within the year, the last planted first."""
    out = []
    for x in a.after():
        crop = a.crops.get(x.batch.crop)
        name = batch_name(x.batch, crop.name) if crop is not None else x.batch.id
        expected = a.first_expected(x.batch) if crop is not None else None
        told = first_words(expected, crop, fmt) if expected is not None and crop is not None else ""
        working = working_view(f"first-{x.batch.id}", expected.working, fmt) if expected is not None else None
        facts = "; ".join(after_words(x, fmt))
        out.append(AfterRow(x.batch.id, name, f"{facts[:1].upper()}{facts[1:]}", told, working, _left_over(x, fmt)))
    return out


def _left_over(x: After, fmt: Formatter) -> list[str]:
    """What is said of plants that stayed in their pots."""
    if not x.left:
        return []
    left = f"{fmt.small(x.left).capitalize()} still in {'its pot' if x.left == 1 else 'their pots'}"
    return [f"{left}: on the list until planted, or until nobody has mentioned them for two weeks."]


def _why(h: Hardening, places: Mapping[str, str], fmt: Formatter) -> str:
    """Why today is as it is, and where else it may stand."""
    if h.today is None:
        return ""
    porch = f" {porch_words(h.porch, places.get(h.porch.place, h.porch.place), fmt)}" if h.porch is not None else ""
    return f"{reasons(h.today, fmt)}{porch}"


def _row(batch: Batch, name: str, tray: str, h: Hardening, at_s: float, places: Mapping[str, str], fmt: Formatter) -> BatchRow:
    out_since = ""
    if h.out is not None:
        since = datetime.fromisoformat(str(h.out.fields["out_at"]))
        out_since = f"Out since {fmt.moment(since)}, {fmt.number(hours_of(h.out, at_s))} h."
    gate = h.gate
    return BatchRow(
        batch.id, tray, name, h.state,
        outing_sentence(h.today, fmt) if h.today is not None else "Was out today." if h.out is None else "",
        working_view(f"outing-{batch.id}", h.today.working, fmt) if h.today is not None and h.today.working is not None else None,
        _why(h, places, fmt), out_since,
        h.out is not None or (h.today is not None and h.today.go),
        _cells(h, fmt), gate_sentence(gate, fmt), gate.verdict, [why_words(w, fmt) for w in gate.why],
        working_view(f"gate-{batch.id}", gate.working, fmt), _parts(h, fmt),
        cold_words(h.cold, fmt) if h.cold is not None else "",
        set_out_words(h.set_out, fmt), working_view(f"set-{batch.id}", h.set_out.working, fmt),
    )  # fmt: skip


def _parts(h: Hardening, fmt: Formatter) -> str:
    """How much of a batch is out already."""
    if h.planted is None:
        return ""
    went = "Some are" if h.planted.planted is None else f"{fmt.small(h.planted.planted).capitalize()} are"
    return f"{went} planted; {fmt.small(h.planted.left)} still in their pots."


def _cells(h: Hardening, fmt: Formatter) -> list[DayCell]:
    today = h.days[0].day
    done = {d.day: d for d in h.done}
    past = [_past(done.get(today - timedelta(days=n)), fmt) for n in range(BEHIND_D, 0, -1)]
    ahead = [_ahead(o, fmt) for o in h.plan] or [DayCell("nothing planned") for _ in h.days]
    if today in done:
        ahead[0] = _past(done[today], fmt)
    return past + ahead


def _past(d: Done | None, fmt: Formatter) -> DayCell:
    if d is None:
        return DayCell("stayed in", past=True)
    sun = sun_of(d.shade_share)
    seen = seen_words(d.seen)
    words = f"{fmt.number(d.hours)} h out{', overnight' if d.night else ''}{', ' + seen if seen else ''}"
    stressed = d.seen not in ("", "none")
    return DayCell(words, fmt.number(d.hours, 0 if d.hours >= 1 else 1), _height(d.hours), sun, d.night, True, stressed)


def _ahead(o: Outing, fmt: Formatter) -> DayCell:
    if not o.go:
        return DayCell("stay in")
    words = outing_sentence(o, fmt).rstrip(".")
    return DayCell(words, fmt.number(o.hours, 0 if o.hours >= 1 else 1), _height(o.hours), o.sun, o.night)


def _height(hours: float) -> float:
    return round(min(1.0, hours / FULL_H) * 30.0, 1)


def _heads(days: tuple[DayOutdoors, ...], fmt: Formatter) -> list[DayHead]:
    if not days:
        return []
    out = []
    for n in range(-BEHIND_D, len(days)):
        d = days[n] if n >= 0 else None
        day = days[0].day + timedelta(days=n)
        noon = datetime(day.year, day.month, day.day, 12, tzinfo=fmt.zone)
        if d is None or not d.known:
            out.append(DayHead(fmt.weekday(noon)[:2], str(day.day), n == 0, "", "", "", d.basis if d else ""))
            continue
        daily = d.temperature_c[(d.at_s - d.at_s[0] >= 6 * 3600) & (d.at_s - d.at_s[0] < 21 * 3600)]
        out.append(
            DayHead(
                fmt.weekday(noon)[:2], str(day.day), n == 0, fmt.temperature(d.night_low_c, 0, unit=False),
                fmt.temperature(float(daily.max()), 0, unit=False), _air(d) if d.basis != "climate" else "", d.basis,
            )
        )  # fmt: skip
    return out


def _air(d: DayOutdoors) -> str:
    """What a day's air does besides its warmth, in a word."""
    light = d.sun > 0.02
    if float(d.wind_m_s.max()) >= 8.0:
        return "windy"
    if float(d.rain_mm.sum()) >= 3.0:
        return "rain"
    cloud = float(np.mean(d.cloud_share[light])) if light.any() else float(d.cloud_share.mean())
    return "grey" if cloud >= 0.7 else "sun" if cloud < 0.4 else "mixed"


def _weather_words(days: tuple[DayOutdoors, ...], fmt: Formatter) -> str:
    if not days:
        return ""
    first = days[0]
    if first.basis in ("forecast", "actual") and first.issued_s is not None:
        reach = sum(d.basis in ("forecast", "actual") for d in days)
        return f"by the forecast of {fmt.moment(first.issued_s)} for {fmt.days(float(reach))}, then by the date"
    if first.basis == "climate":
        return "no fresh forecast: by what such days are usually like here"
    return "no forecast, no record of nights and no latitude: by rule; look at a thermometer"
