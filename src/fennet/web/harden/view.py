"""What the hardening page shows: who goes out today, the fortnight with its weather, and the gate."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np

from fennet.answering.answers import Answers
from fennet.core.hardening.after import after_of
from fennet.core.hardening.hardening import Hardening
from fennet.core.hardening.outings import Done, Outing, hours_of, sun_of
from fennet.core.hardening.weather import DayOutdoors
from fennet.core.records import Batch
from fennet.core.room import trays_at
from fennet.presentation.formatter import Formatter
from fennet.presentation.hardening import gate_sentence, outing_sentence, reasons, seen_words, why_words
from fennet.web import answers
from fennet.web.parts import Untold, untold
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view

#: Days of the drawing before today.
BEHIND_D = 5
#: What was planted longer ago is not asked about.
AFTER_S = 366 * 86_400.0
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
    sun: str
    cells: list[DayCell]
    gate: str
    verdict: str
    gate_why: list[str]
    gate_working: WorkingView
    plant_line: str


@dataclass(frozen=True)
class AfterRow:
    """A planted batch: its name, what became of it in words, and whether it was picked yet."""

    batch: str
    name: str
    facts: str
    picked: bool


@dataclass(frozen=True)
class HardenView:
    """`rows` of those on their way out, those that are out first; `later` of those whose time has not come; `unknown` of those
    whose time nobody knows, for want of a last frost."""

    heads: list[DayHead]
    rows: list[BatchRow]
    later: list[str]
    unknown: list[str]
    weather: str
    sun: str
    sheltered: bool
    night: bool
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
    rows = [_row(b, name, stands_in[b.id] or "", h, a.at_s, fmt) for b, name, h in found]
    order = {"hardening": 0, "due": 1, "hardened": 2, "early": 3}
    rows.sort(key=lambda r: (not r.out_since, order[r.state]))
    going = [h.today for _, _, h in found if h.today is not None and h.today.go]
    days = found[0][2].days if found else ()
    return HardenView(
        _heads(days, fmt), rows, [words for _, words in sorted(later)], unknown, _weather_words(days, fmt),
        going[0].sun if going else "shade", any(o.sheltered for o in going), bool(going) and all(o.night for o in going),
        any(r.out_since for r in rows), bool(going) and not any(r.out_since for r in rows), _after(a, fmt),
        untold(names.items()),
    )  # fmt: skip


def _after(a: Answers, fmt: Formatter) -> list[AfterRow]:
    """Batches planted within the year, the last planted first."""
    found = []
    for b in a.journal.batches:
        out = after_of(b, a.events, a.at_s)
        if out is None or a.at_s - out.planted_s > AFTER_S:
            continue
        facts = [f"planted {fmt.day(out.planted_s)}{f', {out.planted} plants' if out.planted is not None else ''}"]
        facts += [f"{out.lost} lost since"] if out.lost else []
        if out.days_to_first is not None:
            facts.append(f"first picked after {fmt.days(out.days_to_first)}")
        facts += [f"{fmt.number(out.grams, 0)} g in all"] if out.grams is not None else []
        facts += [f"{out.pieces} pieces in all"] if out.pieces is not None else []
        facts += [f"taste {fmt.number(out.taste)} of 5"] if out.taste is not None else []
        name = batch_name(b, a.table.get(b.crop).name) if b.crop in a.crops else b.id
        found.append((out.planted_s, AfterRow(b.id, name, "; ".join(facts), out.first_harvest_s is not None)))
    return [row for _, row in sorted(found, key=lambda x: -x[0])]


def _row(batch: Batch, name: str, tray: str, h: Hardening, at_s: float, fmt: Formatter) -> BatchRow:
    out_since = ""
    if h.out is not None:
        since = datetime.fromisoformat(str(h.out.fields["out_at"]))
        out_since = f"Out since {fmt.moment(since)}, {fmt.number(hours_of(h.out, at_s))} h."
    gate = h.gate
    return BatchRow(
        batch.id, tray, name, h.state,
        outing_sentence(h.today, fmt) if h.today is not None else "Was out today." if h.out is None else "",
        working_view(f"outing-{batch.id}", h.today.working, fmt) if h.today is not None and h.today.working is not None else None,
        reasons(h.today, fmt) if h.today is not None else "", out_since,
        h.out is not None or (h.today is not None and h.today.go), h.today.sun if h.today is not None else "shade",
        _cells(h, fmt), gate_sentence(gate, fmt), gate.verdict, [why_words(w, fmt) for w in gate.why],
        working_view(f"gate-{batch.id}", gate.working, fmt), f"{batch.id} planted" if gate.verdict == "yes" else "",
    )  # fmt: skip


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
