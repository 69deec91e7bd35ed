"""The plan as a page shows it: a chart of sowings against weeks with the frost behind, the load of the room under it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from fennet.core.planning.clashes import Change, Clash, clashes
from fennet.core.planning.drafts import Draft
from fennet.core.planning.frost import midwinter, season_of
from fennet.core.planning.plan import IfSown, Plan, Planned, if_sown, notes_of
from fennet.core.planning.room_for import RESOURCES, ROOM_GIVEN, load_workings
from fennet.core.records import Journal
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import (
    area_words,
    clash_words,
    day_words,
    note_words,
    sowing_words,
    way_words,
)
from fennet.web.workings import WorkingView, working_view

#: The chart's measures: width in all, of the names, of a row; its top with months and weeks.
WIDTH, NAMES, ROW, TOP, PAD = 1200.0, 226.0, 30.0, 46.0, 26.0
LOAD_HEIGHT = 62.0
SHORT_WORDS = {"mat_places": "Mat places", "shelf_mm2": "Shelf", "lamp_mm2": "Under lamps"}


@dataclass(frozen=True)
class Scale:
    """Days across the chart."""

    first: date
    last: date

    def x(self, day: date | datetime) -> float:
        moment = day if isinstance(day, datetime) else datetime(day.year, day.month, day.day)
        days = (moment - datetime(self.first.year, self.first.month, self.first.day)).total_seconds() / 86_400
        return round(NAMES + days * self.per_day, 1)

    @property
    def per_day(self) -> float:
        return (WIDTH - NAMES - PAD) / max(1, (self.last - self.first).days)


@dataclass(frozen=True)
class Row:
    """One sowing of the chart and of the table."""

    p: Planned
    position: int
    key: str
    name: str
    y: float
    x: dict[str, float]
    said: dict[str, str]
    notes: list[tuple[str, bool]]
    workings: list[WorkingView]
    fits_in: str
    day: str
    label: str
    after: str


@dataclass(frozen=True)
class Bar:
    """One resource of one week."""

    x: float
    width: float
    y: float
    height: float
    over: bool
    words: str


@dataclass(frozen=True)
class Strip:
    name: str
    have_y: float | None
    have: str
    top: str
    bars: list[Bar]
    over: bool


@dataclass(frozen=True)
class ClashView:
    words: str
    ways: list[tuple[str, list[tuple[str, str]]]]


@dataclass(frozen=True)
class PlanView:
    rows: list[Row]
    cannot: list[Row]
    height: float
    months: list[tuple[float, str]]
    weeks: list[tuple[float, float, str]]
    frost: str
    frost_field: str
    frost_marks: list[tuple[float, str]]
    today_x: float | None
    strips: list[Strip]
    clashes: list[ClashView]
    lead: str
    load_rows: list[tuple[str, list[str]]]
    room: list[tuple[str, str, str]]
    days: list[tuple[str, str, int]]
    per_day: float
    load_workings: list[WorkingView]


#: What this garden's past says of a sowing, each with whether it is a warning.
Past = Callable[[Draft], list[tuple[str, bool]]]


def _no_past(_: Draft) -> list[tuple[str, bool]]:
    return []


def plan_view(
    plan: Plan, positions: Sequence[int], fmt: Formatter, journal: Journal | None = None, past: Past = _no_past
) -> PlanView:
    """Everything the page shows of a plan."""
    listed = sorted(
        (p for p in plan.sowings if p.sow_on),
        key=lambda p: (p.sow_on, p.draft.crop.name, p.draft.at, p.draft.number, p.draft.part),
    )
    cannot = [p for p in plan.sowings if not p.sow_on]
    scale = _scale(plan, listed)
    rows = [_row(p, positions[p.draft.at], i, scale, fmt, past) for i, p in enumerate(listed)]
    found = clashes(plan)
    frost, frost_field, marks = _frost(plan, scale, len(rows))
    return PlanView(
        rows=rows,
        cannot=[_row(p, positions[p.draft.at], 0, scale, fmt, past) for p in cannot],
        height=TOP + ROW * max(1, len(rows)) + 8,
        months=_months(scale, fmt),
        weeks=_weeks(scale),
        frost=frost,
        frost_field=frost_field,
        frost_marks=marks,
        today_x=scale.x(plan.today) if scale.first <= plan.today <= scale.last else None,
        strips=[_strip(plan, r, scale, fmt) for r in range(len(RESOURCES))],
        clashes=[_clash(c, positions, fmt) for c in found],
        lead=lead(plan, found, fmt),
        load_rows=_load_rows(plan, fmt),
        room=_room(plan, fmt),
        days=_days(listed, fmt),
        per_day=scale.per_day,
        load_workings=[
            working_view(f"w-load-{n}", w, fmt)
            for n, w in enumerate(load_workings(journal, plan.have, plan.tray) if journal else [])
        ],
    )


def lead(plan: Plan, found: Sequence[Clash], fmt: Formatter) -> str:
    """The plan in a sentence or two."""
    n = sum(1 for p in plan.sowings if p.sow_on)
    if not plan.sowings:
        return "Nothing planned yet. Say how many plants of which crop, and Plan counts back from the day they go out."
    first = min((p.sow_on for p in plan.sowings if p.sow_on), default=None)
    words = f"{fmt.small(n).capitalize()} sowing{'s' if n != 1 else ''}"
    if first:
        words += f", the first on {day_words(first, fmt, plan.today)}"
    if not found and plan.crowded:
        short = " and ".join(SHORT_WORDS[r].lower() for r in plan.crowded)
        return f"{words}. The room holds them all; what grows now takes more than there is: {short}."
    if not found:
        return f"{words}. The room holds them all."
    missing = "no schedule fits" if plan.settled else "no schedule that fits was found"
    return (
        f"{words}. The room does not hold them all: {missing} without a change."
        if not plan.fits
        else f"{words}; one thing is short."
    )


def _scale(plan: Plan, listed: Sequence[Planned]) -> Scale:
    days = [d for p in listed for d in (p.draft.sow_from, p.sow_on, p.out_on) if d]
    first, last = min(days, default=plan.today), max(days, default=plan.today + timedelta(days=180))
    first -= timedelta(days=first.weekday() + 7)
    return Scale(first, max(last + timedelta(days=13 - last.weekday()), first + timedelta(days=84)))


def _row(p: Planned, position: int, i: int, scale: Scale, fmt: Formatter, past: Past) -> Row:
    y = TOP + ROW * i
    d = p.draft
    x: dict[str, float] = {}
    if p.sow_on and p.half_up:
        grown = p.harden_from or p.out_on
        x = {
            "sow": scale.x(p.sow_on),
            "half": scale.x(p.half_up.p50),
            "half_low": scale.x(p.half_up.p10),
            "half_high": scale.x(p.half_up.p90),
            "pot": scale.x(p.pot_up_on or grown),
            "harden": scale.x(grown),
            "out": scale.x(p.out_on),
            "from": scale.x(d.sow_from or p.sow_on),
            "to": scale.x(d.sow_to or p.sow_on),
        }
    much = d.much
    said = {
        "wanted": f"{d.much.wanted}",
        "seeds": str(much.seeds),
        "cells": _cells(p),
        "chance": fmt.percent(much.chance_enough),
        "sow": _short(p.sow_on, fmt),
        "half": _range(p, fmt),
        "between": f"{_short(d.sow_from, fmt)} – {_short(d.sow_to, fmt)}" if d.sow_from else "",
        "pot": _short(p.pot_up_on, fmt),
        "harden": _short(p.harden_from, fmt),
        "out": _short(p.out_on, fmt),
        "risk": fmt.percent(p.risk) if p.risk is not None else "",
        "soil": fmt.temperature(p.heat.soil_c, 0) if p.heat else "",
        "thin": fmt.number(much.to_thin, 0) if much.to_thin >= 0.5 else "",
    }
    found = [
        w
        for w in (
            much.working,
            p.heat.working if p.heat else None,
            d.growing.working if d.growing else None,
            d.gate.working if d.gate else None,
            d.seed.working,
        )
        if w is not None
    ]
    if d.gate and d.gate.frost:
        found.append(d.gate.frost.working(p.out_on))
    name = sowing_words(p)
    return Row(
        p,
        position,
        d.key,
        name,
        y,
        x,
        said,
        [(note_words(n, fmt, d.crop.name), n.grave) for n in notes_of(p)] + past(d),
        [working_view(f"w-{position}-{d.key.replace('.', '-')}-{n}", w, fmt) for n, w in enumerate(found)],
        "on a mat" if p.on_mat else "",
        p.sow_on.isoformat() if p.sow_on else "",
        _label(p, fmt),
        _after(p, fmt),
    )


def _cells(p: Planned) -> str:
    much = p.draft.much
    if much.set_up == "towel":
        return f"towel, then {much.cells}"
    if much.set_up == "crowd":
        return f"crowd in {much.cells}"
    return f"{much.cells} × {much.seeds_per_cell}"


def _short(day: date | None, fmt: Formatter) -> str:
    return fmt.short_day(datetime(day.year, day.month, day.day, 12, tzinfo=fmt.zone)) if day else ""


def _range(p: Planned, fmt: Formatter) -> str:
    return f"{_short(p.half_up.p10.date(), fmt)} – {_short(p.half_up.p90.date(), fmt)}" if p.half_up else ""


def _label(p: Planned, fmt: Formatter) -> str:
    """The whole row for who cannot see it."""
    if not p.sow_on:
        return sowing_words(p)
    words = [f"{sowing_words(p)}: sown {day_words(p.sow_on, fmt)}{' on a mat' if p.on_mat else ''}", f"half up {_range(p, fmt)}"]
    if p.pot_up_on:
        words.append(f"potted up {day_words(p.pot_up_on, fmt)}")
    if p.harden_from:
        words.append(f"hardened off from {day_words(p.harden_from, fmt)}")
    words.append(f"{'ready' if p.draft.indoors else 'planted out'} {day_words(p.out_on, fmt)}")
    return ", ".join(words)


def _after(p: Planned, fmt: Formatter) -> str:
    """What sowing a fortnight earlier or later would mean."""
    if not p.sow_on:
        return ""
    parts = []
    for days, word in ((-14, "Two weeks earlier"), (14, "two weeks later")):
        found = if_sown(p, p.sow_on + timedelta(days=days))
        if found is not None:
            parts.append(f"{word}: {_if_words(found, fmt)}")
    return "; ".join(parts) + "." if parts else ""


def _if_words(found: IfSown, fmt: Formatter) -> str:
    weeks = f"{fmt.small(round(found.weeks_old))} weeks old when planted"
    if found.stretched:
        return f"{weeks}, root-bound and stretched"
    if found.small:
        return f"too small by then, ready about {day_words(found.ready_on, fmt)}"
    return f"{weeks}, {fmt.percent(found.size)} of the growing it is meant to have"


def _months(scale: Scale, fmt: Formatter) -> list[tuple[float, str]]:
    out = []
    day = scale.first.replace(day=1)
    while day <= scale.last:
        x = max(scale.x(day), NAMES)
        if x < WIDTH - 60 and not (day < scale.first and (scale.first.replace(day=28) - scale.first).days < 10):
            out.append((x, fmt.month(day)))
        day = (day + timedelta(days=32)).replace(day=1)
    return out


def _weeks(scale: Scale) -> list[tuple[float, float, str]]:
    out = []
    day = scale.first
    while day < scale.last:
        out.append((scale.x(day), scale.per_day * 7, str(day.day)))
        day += timedelta(days=7)
    return out


def _frost(plan: Plan, scale: Scale, n: int) -> tuple[str, str, list[tuple[float, str]]]:
    """The chance of a later frost (0 °C) as a curve across the rows, the field under it, and its marks."""
    dates = plan.frosts.at(0.0)
    if dates is None or n == 0:
        return "", "", []
    top, bottom = TOP, TOP + ROW * n
    points = []
    day = scale.first
    # What the whole coming spring still holds is at stake in the months before it.
    spring = midwinter(season_of(scale.last, plan.frosts.southern)[0], plan.frosts.southern)
    while day <= scale.last:
        points.append(f"{scale.x(day)},{bottom - (bottom - top) * dates.chance_after(max(day, spring)):.1f}")
        day += timedelta(days=2)
    line = " ".join(points)
    field = f"{NAMES},{bottom} {line} {points[-1].split(',')[0]},{bottom}"
    marks = [(bottom - (bottom - top) * share, f"{share:.0%}".replace("%", " %")) for share in (1.0, 0.5, 0.2)]
    return line, field, marks


def _strip(plan: Plan, r: int, scale: Scale, fmt: Formatter) -> Strip:
    name = RESOURCES[r]
    have = plan.have.as_row()[r]
    known = have != float("inf")
    most = max([w.needed[r] for w in plan.load] + ([have] if known else []) + [1e-9]) * 1.08

    def y(value: float) -> float:
        return round(LOAD_HEIGHT - 6 - (LOAD_HEIGHT - 20) * value / most, 1)

    bars, over_any = [], False
    for w in plan.load:
        need = w.needed[r]
        if w.monday + timedelta(days=7) <= scale.first or w.monday >= scale.last or need <= 0:
            continue
        over = known and need > have * float(ROOM_GIVEN[r, 0]) + 1e-6
        over_any |= over
        words = f"week of {day_words(w.monday, fmt)}: {_amount(name, need, fmt)}" + (
            f" of {_amount(name, have, fmt)}" if known else ""
        )
        x = max(scale.x(w.monday), NAMES)
        bars.append(
            Bar(x + 1, scale.x(w.monday + timedelta(days=7)) - x - 2, y(need), round(LOAD_HEIGHT - 6 - y(need), 1), over, words)
        )
    return Strip(
        SHORT_WORDS[name],
        y(have) if known else None,
        f"of {_amount(name, have, fmt)}" if known else "size not known",
        _amount(name, max((w.needed[r] for w in plan.load), default=0.0), fmt),
        bars,
        over_any,
    )


def _amount(name: str, value: float, fmt: Formatter) -> str:
    return fmt.number(-(-value // 1), 0) if name == "mat_places" else area_words(value, fmt)


def _load_rows(plan: Plan, fmt: Formatter) -> list[tuple[str, list[str]]]:
    out = []
    for w in plan.load:
        out.append(
            (f"{day_words(w.monday, fmt)}", [*(_amount(RESOURCES[r], w.needed[r], fmt) for r in range(3)), str(w.settings)])
        )
    return out


def _clash(c: Clash, positions: Sequence[int], fmt: Formatter) -> ClashView:
    ways = []
    for way in c.changes:
        actions = [("do", _do(change, positions)) for change in way]
        ways.append((way_words(way, fmt), actions if all(value for _, value in actions) else []))
    return ClashView(clash_words(c, fmt), ways)


def _do(change: Change, positions: Sequence[int]) -> str:
    """A change as a form carries it; empty for what no press can do."""
    if change.sowing is None:
        return ""
    position, key = positions[change.sowing.draft.at], change.sowing.draft.key
    if change.kind == "fewer":
        d = change.sowing.draft
        left = (d.want.plants or 0) - ((change.wanted or 0) - (change.plants or 0))
        return f"fewer:{position}:{left}" if left > 0 else f"drop:{position}"
    return f"move:{position}:{key}:{change.day.isoformat()}" if change.day else ""


def _room(plan: Plan, fmt: Formatter) -> list[tuple[str, str, str]]:
    """What the plan assumes about the room: field, figure in the reader's unit, where from."""
    room = plan.surroundings.room
    return [
        ("soil_without_mat_c", fmt.number(fmt.shown_temperature(room.soil_without_mat_c)), _from(room.from_record, "air_c")),
        ("air_c", fmt.number(fmt.shown_temperature(room.air_c)), _from(room.from_record, "air_c")),
        ("dli_mol", "" if room.dli_mol is None else fmt.number(room.dli_mol), _from(room.from_record, "dli_mol")),
    ]


def _from(seen: Any, name: str) -> str:
    return "from the record" if name in seen else "told or taken"


def _days(listed: Sequence[Planned], fmt: Formatter) -> list[tuple[str, str, int]]:
    """Sowing days with how many sowings each has."""
    out: dict[date, int] = {}
    for p in listed:
        if p.sow_on:
            out[p.sow_on] = out.get(p.sow_on, 0) + 1
    return [(d.isoformat(), day_words(d, fmt), n) for d, n in sorted(out.items())]
