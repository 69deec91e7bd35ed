"""What one tray's page shows, worked out from its record."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.history import occupancies, place_stays, standing
from fennet.core.records import Batch, Event, Journal, Series, Tray
from fennet.operations.logging import cells_up
from fennet.telling.entries import entry_words
from fennet.telling.sentences import CAUSE_WORDS, VERDICT_WORDS, counted, verdict_sentence
from fennet.telling.speech import Speech
from fennet.web import answers
from fennet.web.drawing import Plot, Tick, day_ticks, round_scale
from fennet.web.trays.view import band_words, batch_name
from fennet.web.workings import WorkingView, working_views

RIBBON_HEIGHT, CHART_HEIGHT = 120.0, 210.0
LETTERS = "abcdefghijklmnopqrstuvwxyz"


@dataclass(frozen=True)
class Cell:
    """One cell as drawn: `state` is free, waiting, up or gone."""

    name: str
    state: str
    batch: str = ""
    letter: str = ""
    seed_leaf: str = ""
    since: str = ""
    label: str = ""


@dataclass(frozen=True)
class Peg:
    at: str
    words: str
    side: str


@dataclass(frozen=True)
class Ribbon:
    plot: Plot
    band_y: float
    band_height: float
    band_words: str
    lines: list[str]
    guessed: list[str]
    ahead: str
    now_x: float
    now_at: str
    pegs: list[Peg]
    ticks: list[Tick]
    value: str
    mark: str
    low_words: str
    high_words: str
    table: list[tuple[str, str, str, str]]


@dataclass(frozen=True)
class EmergenceChart:
    plot: Plot
    fan: str
    middle: str
    target: str
    seen: str
    now_x: float
    now_at: str
    ticks: list[Tick]
    marks: list[tuple[float, str]]
    table: list[tuple[str, str, str, str]]


@dataclass(frozen=True)
class Share:
    cause: str
    words: str
    days: str
    x: float
    width: float
    gain: bool


@dataclass(frozen=True)
class Part:
    """One batch of the tray."""

    batch: Batch
    name: str
    letter: str
    forecast: Forecast | None
    verdict: str
    verdict_words: str
    sentence: str
    facts: str
    chart: EmergenceChart | None
    shares: list[Share]
    delay_words: str
    figures: list[tuple[str, str, WorkingView | None]]
    workings: dict[str, WorkingView]
    counted: str
    waiting: bool
    located: bool
    estimated: str
    caution: str


@dataclass(frozen=True)
class TrayView:
    tray: Tray
    where: str
    parts: list[Part]
    cells: list[Cell]
    ribbon: Ribbon | None
    soil_now: str
    events: list[tuple[str, str, str]]
    now_typed: str
    free: int = 0
    columns: int = 1
    workings: list[WorkingView] = field(default_factory=list)


def tray_view(journal: Journal, tray_id: str, now_s: float, garden_id: int, say: Speech) -> TrayView:
    tray = journal.trays[0]
    events = standing(journal.events, now_s)
    table = answers.table_for(journal)
    batches = sorted(journal.batches, key=lambda b: b.sown_at)
    many = len(batches) > 1
    parts, forecasts = [], []
    for i, batch in enumerate(batches):
        f = answers.answer(journal, batch, now_s, garden_id, curves=True)
        forecasts.append(f)
        if f is not None:
            parts.append(_part(f, batch_name(batch, table.get(batch.crop).name), LETTERS[i % 26] if many else "", say))
    stays = place_stays(tray_id, events)
    names = {p.id: p.name or p.id for p in journal.places} | {r.id: r.name or r.id for r in journal.rooms}
    live = [f for f in forecasts if f is not None]
    waiting = [f for f in live if f.verdict != "finished"] or live
    cells = _cells(tray, batches, events, parts, now_s, say)
    return TrayView(
        tray=tray,
        where=names.get(stays[-1].where, stays[-1].where) if stays else "",
        parts=parts,
        cells=cells,
        ribbon=_ribbon(journal, waiting[0], events, waiting[0].at_s, say) if waiting and waiting[0].soil.n_readings else None,
        soil_now=band_words(waiting[0], say)[0] if waiting else "",
        events=_log(events, tray_id, say),
        now_typed=say.typed(now_s),
        free=sum(c.state == "free" for c in cells),
        columns=tray.columns or 1,
        workings=[w for p in parts for w in p.workings.values()],
    )


def _part(f: Forecast, name: str, letter: str, say: Speech) -> Part:
    batch = f.batch
    views = working_views(f, say)
    depth = f", {say.number(batch.depth_mm, 0)} mm deep" if batch.depth_mm is not None else ""
    seeds = "one seed each" if batch.n_seeds_per_cell == 1 else f"{say.small(batch.n_seeds_per_cell)} seeds each"
    age_d = int((f.at_s - batch.sown_at.timestamp()) // DAY_S)
    facts = f"{f.batch.n_cells} cells, {seeds}{depth}, sown {say.day(batch.sown_at)}, day {age_d}"
    figures: list[tuple[str, str, WorkingView | None]] = []
    if f.half_up:
        words = "since" if f.half_up.settled else ""
        figures.append(("half up", f"{words} {say.day_range(f.half_up)}".strip(), views.get("half_up")))
    if f.first_up and not f.counts.up:
        figures.append(("first up", say.day_range(f.first_up), views.get("half_up")))
    if f.final_count and f.verdict != "finished":
        figures.append(("up in the end", f"{say.count_range(f.final_count)} of {f.counts.of}", views.get("final_count")))
    if f.chance_of_more is not None and f.verdict != "finished":
        figures.append(("chance of more", say.percent(f.chance_of_more), views.get("chance_of_more")))
    if f.call_it_s is not None and f.verdict not in ("finished", "cannot_tell"):
        figures.append(("call it on", say.day(f.call_it_s), views.get("chance_of_more")))
    if f.days_at_target is not None:
        figures.append(("at target", f"{say.number(f.days_at_target)} days", views.get("days_at_target")))
    estimated = []
    if f.crop.estimated:
        estimated.append(f"no trials stand behind {f.crop.name}: its figures are its family’s")
    if f.soil.basis == "guess":
        estimated.append("the soil temperature is a guess")
    if f.soil.basis == "air":
        estimated.append("soil is judged from the air")
    total = f.delay_total_days
    return Part(
        batch,
        name,
        letter,
        f,
        f.verdict,
        VERDICT_WORDS[f.verdict],
        verdict_sentence(f, say),
        facts,
        _chart(f, say),
        _shares(f, say),
        f"{say.days(total)} {'behind' if total > 0 else 'ahead of'} target, shared out"
        if total is not None and f.delay_days
        else "",
        figures,
        views,
        counted(f),
        f.verdict not in ("finished",) and f.counts.up < f.counts.of,
        bool(batch.cell_list),
        "; ".join(estimated),
        f.crop.caution,
    )


def _shares(f: Forecast, say: Speech) -> list[Share]:
    """The delay as a bar: what each cause costs, largest first; gains are told apart and take no room."""
    costs = {c: d for c, d in f.delay_days.items() if d > 0.05}
    whole = sum(costs.values()) or 1.0
    out, x = [], 0.0
    for cause, days in sorted(f.delay_days.items(), key=lambda item: (item[0] == "unexplained", -item[1])):
        if abs(days) < 0.05:
            continue
        gain = days < 0
        width = 0.0 if gain else days / whole * 1000
        out.append(Share(cause, CAUSE_WORDS[cause], f"{say.number(abs(days))} days", round(x, 1), round(width, 1), gain))
        x += width
    return out


def _chart(f: Forecast, say: Speech) -> EmergenceChart | None:
    if f.expected is None or f.at_target is None:
        return None
    curve, target = f.expected, f.at_target
    plot = Plot(float(curve.at_s[0]), float(curve.at_s[-1]), 0, f.counts.of * 1.04, CHART_HEIGHT)
    rows = []
    for i in range(0, len(curve.at_s), 6):
        seen = _seen_at(f, float(curve.at_s[i]))
        rows.append(
            (
                say.day(float(curve.at_s[i])),
                f"{curve.p10[i]:.0f}–{curve.p90[i]:.0f}",
                f"{target.p50[i]:.0f}",
                "" if curve.at_s[i] > f.at_s else str(seen),
            )
        )
    half = f.counts.of // 2
    return EmergenceChart(
        plot,
        plot.area(curve.at_s, curve.p10, curve.p90),
        plot.line(curve.at_s, curve.p50),
        plot.line(target.at_s, target.p50),
        plot.steps(f.counts.at_s, f.counts.total, f.at_s),
        plot.x(f.at_s),
        plot.percent(f.at_s),
        day_ticks(plot, say, 5),
        [(plot.y(n), str(n)) for n in dict.fromkeys((0, half, f.counts.of))],
        rows,
    )


def _seen_at(f: Forecast, at_s: float) -> int:
    return max((n for t, n in zip(f.counts.at_s, f.counts.total, strict=True) if t <= at_s), default=0)


def _cells(tray: Tray, batches: list[Batch], events: list[Event], parts: list[Part], at_s: float, say: Speech) -> list[Cell]:
    held: dict[str, Cell] = {}
    by_batch = {p.batch.id: p for p in parts}
    for batch in batches:
        part = by_batch.get(batch.id)
        if part is None or part.forecast is None:
            continue
        up = cells_up(batch, events)
        for stay in occupancies(batch, events):
            if not stay.from_s <= at_s < stay.to_s:
                continue
            at = up.get(stay.cell)
            state = "up" if at else "waiting"
            since = f"d{int((at.timestamp() - batch.sown_at.timestamp()) // DAY_S)}" if at else ""
            # What is written on the cell opens its name, for those who speak to their machine.
            written = " ".join(word for word in (part.letter, since) if word)
            told = f"up since {say.day(at)}" if at else "not up: press when it comes"
            label = f"{written} {stay.cell}, {part.name}, {told}".strip()
            held[stay.cell] = Cell(stay.cell, state, batch.id, part.letter, part.forecast.crop.seed_leaf, since, label)
    return [held.get(name, Cell(name, "free", label=f"{name}, free")) for name in tray.cell_names()]


def _soil_series(journal: Journal, f: Forecast, events: list[Event]) -> list[Series]:
    """The series drawn on the ribbon: those the forecast itself stands on."""
    wanted = "air_temperature" if f.soil.basis == "air" else "soil_temperature"
    from fennet.core.exposure import readings_for

    return readings_for(journal, f.batch, events, wanted, f.at_s)[1]


def _ribbon(journal: Journal, f: Forecast, events: list[Event], at_s: float, say: Speech) -> Ribbon:
    start_s = min(b.sown_at.timestamp() for b in journal.batches) - 0.3 * DAY_S
    ahead_s = max(1.5 * DAY_S, (at_s - start_s) * 0.14)
    series = _soil_series(journal, f, events)
    shown = [say.shown_temperature(c) for c in (f.crop.soil_low_c, f.crop.soil_high_c)]
    values = [say.shown_temperature(float(v)) for s in series for v in (s.value.min(), s.value.max())]
    low, high = round_scale(min([*shown, *values]) - 1, max([*shown, *values]) + 1, 1.0)
    plot = Plot(start_s, at_s + ahead_s, low, high, RIBBON_HEIGHT)
    to_reader = np.vectorize(say.shown_temperature)
    lines, guessed = [], []
    for s in series:
        for piece in np.split(np.arange(len(s.at_s)), np.flatnonzero(np.diff(s.at_s) > DAY_S / 2) + 1):
            if s.estimated[piece].all():
                guessed += [f"{plot.x(float(s.at_s[i]))},{plot.y(say.shown_temperature(float(s.value[i])))}" for i in piece]
            else:
                lines.append(plot.line(s.at_s[piece], to_reader(s.value[piece])))
    future_s = at_s + np.arange(0, ahead_s, 1800.0)
    future_c = np.resize(f.soil.pattern_c, len(future_s))
    pegs = _pegs(journal, events, plot, say)
    value, mark = band_words(f, say)
    rows = []
    for s in series:
        days = (s.at_s // DAY_S).astype(int)
        for day in sorted(set(days.tolist()))[-40:]:
            v = s.value[days == day]
            rows.append(
                (
                    say.day(day * DAY_S + DAY_S / 2),
                    say.temperature(float(v.mean())),
                    say.temperature(float(v.min())),
                    say.temperature(float(v.max())),
                )
            )
    return Ribbon(
        plot,
        plot.y(shown[1]),
        round(plot.y(shown[0]) - plot.y(shown[1]), 1),
        f"{say.number(shown[0], 0)}–{say.temperature(f.crop.soil_high_c, 0)} for {f.crop.name}",
        lines,
        guessed,
        "" if f.soil.trouble else plot.line(future_s, to_reader(future_c)),
        plot.x(at_s),
        plot.percent(at_s),
        pegs,
        day_ticks(plot, say),
        value.removeprefix("soil "),
        mark,
        say.number(shown[0], 0),
        say.number(shown[1], 0),
        rows,
    )


PEG_WORDS = {
    "cover": "cover",
    "mat": "mat",
    "watered": "watered",
    "placed": "moved",
    "moved_to_light": "light",
    "gave_up": "given up",
}


def _pegs(journal: Journal, events: list[Event], plot: Plot, say: Speech) -> list[Peg]:
    """Deeds on the axis; those that would fall on one another's words keep their peg and lose the words."""
    marks: list[tuple[float, str]] = [(b.sown_at.timestamp(), "sown") for b in journal.batches]
    trays = {t.id for t in journal.trays}
    for e in events:
        if e.kind in PEG_WORDS and (e.fields.get("tray") in trays or e.fields.get("batch") in {b.id for b in journal.batches}):
            words = PEG_WORDS[e.kind]
            if e.kind == "cover" and e.fields.get("on") is False:
                words = "cover off"
            marks.append((e.at.timestamp(), words))
    for s in (b for b in journal.batches):
        first = min((e.at.timestamp() for e in events if e.kind == "count" and e.fields["batch"] == s.id), default=None)
        if first:
            marks.append((first, "first up"))
    out, last = [], -1e9
    for at_s, words in sorted(marks):
        if not plot.from_s <= at_s <= plot.to_s:
            continue
        room = plot.x(at_s) - last > 90
        out.append(
            Peg(
                plot.percent(at_s),
                words if room else "",
                "end" if plot.x(at_s) > 930 else "middle" if plot.x(at_s) > 40 else "start",
            )
        )
        if room:
            last = plot.x(at_s)
    return out


def _log(events: list[Event], tray_id: str, say: Speech) -> list[tuple[str, str, str]]:
    """The newest entries in words: when, what, by whom. A mat's events came along for the forecast; other trays' are not told."""

    def mine(e: Event) -> bool:
        return e.kind != "mat" or e.fields.get("tray") in (None, tray_id)

    return [(say.moment(e.at), entry_words(e, say), e.by or "") for e in list(reversed(events))[:12] if mine(e)]
