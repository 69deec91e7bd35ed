"""What one tray's page shows, worked out from its record."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import partial

from fennet.answering.answers import Answers
from fennet.core.conditions import Conditions
from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.history import occupancies, place_stays
from fennet.core.light import lamp_states
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.room import canopy_mm, leaf_distance_mm, room_at
from fennet.core.stages import ENDED, stage_spans
from fennet.core.targets import practice_of
from fennet.crops import CropTable
from fennet.operations.logging import cells_up
from fennet.presentation.crops import container_words
from fennet.presentation.entries import entry_words
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import counted, narrower_words, verdict_sentence, verdict_word
from fennet.presentation.sowing import came_words
from fennet.presentation.work import WATER_HOW
from fennet.web import answers
from fennet.web.bands import STAGE_WORDS, grown_sentence, is_grown
from fennet.web.drawing import Plot, Tick, day_ticks
from fennet.web.parts import Untold, part, untold
from fennet.web.tray.plants import Plants, plants
from fennet.web.tray.ribbons import Ribbons, ribbons
from fennet.web.tray.risk import RiskStrip, risk_strip
from fennet.web.tray.shares import Share, delay_shares, delay_words
from fennet.web.tray.surroundings import surroundings_rows
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_views

CHART_HEIGHT = 210.0
LETTERS = "abcdefghijklmnopqrstuvwxyz"


#: Stages in which there are plants to measure, water and pot up.
WITH_PLANTS = ("emerging", "seedling", "growing_on", "hardening")


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
    stage: str
    stage_words: str
    grown: bool
    plants: Plants | None = None
    #: What a thermometer would do for its dates.
    narrower: str = ""
    #: Advice where the kind and what it stands in do not suit.
    suits: str = ""


@dataclass(frozen=True)
class TrayView:
    tray: Tray
    where: str
    parts: list[Part]
    cells: list[Cell]
    ribbons: Ribbons | None
    risk: RiskStrip | None
    shown: str
    room: TrayRoom
    events: list[LogEntry]
    free: int = 0
    columns: int = 1
    workings: list[WorkingView] = field(default_factory=list)
    untold: list[Untold] = field(default_factory=list)
    batches: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class LogEntry:
    """One entry of the tray's log: its id, when, what, by whom."""

    id: str
    when: str
    what: str
    by: str


@dataclass(frozen=True)
class TrayRoom:
    """What is set around the tray now: cover, mat, lamp, and the distance from lamp to leaf."""

    cover: str
    mat: str
    lamp: str
    lamp_height_mm: float | None
    distance: str
    distance_mm: float | None
    how: str
    surroundings: list[tuple[str, str, WorkingView]]


def tray_view(a: Answers, journal: Journal, tray_id: str, fmt: Formatter, of: str = "", all_days: bool = False) -> TrayView:
    """One tray's page. `journal` is the record's part about this tray; `of` the batch whose ribbons are drawn."""
    whole, events, now_s, table = a.journal, a.events, a.at_s, a.table
    tray = journal.trays[0]
    batches = _to_show(journal, events, now_s)
    letters = {b.id: LETTERS[i % 26] if len(batches) > 1 else "" for i, b in enumerate(batches)}
    parts: list[Part] = []
    forecasts: list[Forecast] = []
    standing_now: dict[str, Conditions] = {}
    for batch in batches:
        f = answers.forecast(a, batch, curves=True)
        state = answers.conditions(a, batch)
        if f is None or state is None:
            continue
        forecasts.append(f)
        standing_now[batch.id] = state
        answered = partial(_part, f, _name(table, batch), letters[batch.id], state, fmt)
        made = part(f"the answers for {batch.id}", answered, None, batch.id)
        if made is None:
            continue
        if f.half_up is not None and not f.half_up.settled and f.soil.basis in ("house", "guess", "air"):
            told = part(f"what a reading of {batch.id} is worth", partial(a.narrower_d, batch), None, batch.id)
            made = replace(made, narrower=narrower_words(told, fmt) if told is not None else "")
        made = replace(made, suits=container_words(f.crop, tray, fmt))
        if f.counts.up and state.stage in WITH_PLANTS:
            grown = part(f"the plants of {batch.id}", partial(_plants, a, batch, tray, state, fmt), None, batch.id)
            made = replace(made, plants=grown)
        parts.append(made)
    stays = [s for s in place_stays(tray_id, events) if s.from_s <= now_s]
    names = {p.id: p.name or p.id for p in journal.places} | {r.id: r.name or r.id for r in journal.rooms}
    live = forecasts
    waiting = [f for f in live if f.verdict != "finished"] or live
    drawn = next((f for f in live if f.batch.id == of), waiting[0] if waiting else None)
    shown: Ribbons | None = None
    risk: RiskStrip | None = None
    if drawn is not None:
        state = standing_now[drawn.batch.id]
        place = stays[-1].where if stays else None
        lamps = {x.id for x in whole.lamps if any(s.place == place for s in lamp_states(x, events))}
        strips = partial(ribbons, state, events, {tray_id}, lamps, now_s, fmt, drawn, all_days)
        shown = part("the ribbons", strips, None, drawn.batch.id)
        if shown is not None:
            risky = partial(_risk, a, drawn.batch, tray, state, shown, fmt)
            risk = part("the risk of damping off", risky, None, drawn.batch.id)
    set_up = _room(whole, tray, batches, events, now_s, fmt)
    cells = _cells(tray, batches, events, table, letters, now_s, fmt)
    answered_for = {p.batch.id for p in parts}
    return TrayView(
        tray=tray,
        where=names.get(stays[-1].where, stays[-1].where) if stays else "",
        parts=parts,
        cells=cells,
        ribbons=shown,
        risk=risk,
        shown=drawn.batch.id if drawn else "",
        room=set_up,
        events=[LogEntry(e.id, fmt.moment(e.at), entry_words(e, fmt), e.by or "") for e in _lately(journal, tray_id)],
        free=sum(c.state == "free" for c in cells),
        columns=tray.columns or 1,
        workings=[w for p in parts for w in p.workings.values()]
        + [w for p in parts if p.plants for _, _, w in p.plants.rows if w]
        + [s.channel.working for s in (shown.strips if shown else []) if s.channel.working]
        + [w for _, _, w in set_up.surroundings]
        + ([risk.working] if risk else []),
        untold=untold((b.id, _name(table, b)) for b in batches if b.id not in answered_for),
        batches=[b.id for b in batches],
    )


def _name(table: CropTable, batch: Batch) -> str:
    return batch_name(batch, table.get(batch.crop).name)


def _plants(a: Answers, batch: Batch, tray: Tray, state: Conditions, fmt: Formatter) -> Plants:
    """How a batch's plants stand and what they want."""
    care, name = a.care(batch, tray, state), _name(a.table, batch)
    return plants(a, batch, name, tray, state, care, fmt)


def _risk(a: Answers, batch: Batch, tray: Tray, state: Conditions, shown: Ribbons, fmt: Formatter) -> RiskStrip | None:
    care = a.care(batch, tray, state)
    return risk_strip(care.risk, shown.from_s, shown.to_s, fmt) if care.risk is not None else None


def _to_show(journal: Journal, events: list[Event], now_s: float) -> list[Batch]:
    """The batches in the tray: those that live or ended within a week, else the last one."""

    def lately(batch: Batch) -> bool:
        spans = stage_spans(batch, events, now_s)
        return spans[-1].stage not in ENDED or now_s - spans[-1].from_s < 7 * DAY_S

    in_order = sorted((b for b in journal.batches if b.sown_at.timestamp() <= now_s), key=lambda b: b.sown_at)
    return [b for b in in_order if lately(b)] or in_order[-1:]


def _room(whole: Journal, tray: Tray, batches: list[Batch], events: list[Event], now_s: float, fmt: Formatter) -> TrayRoom:
    state = room_at(whole, events, now_s)
    here = state.trays[tray.id]
    over = state.over(here.place)
    lamp = over[0] if over else None
    distance = leaf_distance_mm(lamp.height_mm, tray, canopy_mm(batches, events, now_s, whole.series)) if lamp else None
    return TrayRoom(
        here.cover,
        here.mat or "",
        lamp.lamp if lamp else "",
        lamp.height_mm if lamp else None,
        fmt.length(distance) if distance is not None else "",
        distance,
        WATER_HOW[practice_of(whole.garden)["water_how"]],
        surroundings_rows(whole, tray, state, batches, events, now_s, fmt),
    )


def _lately(journal: Journal, tray_id: str) -> list[Event]:
    """The newest entries about this tray; the events of mats and lamps came along for the answers."""

    def mine(e: Event) -> bool:
        return e.fields.get("batch") is not None or e.fields.get("tray") == tray_id

    return [e for e in reversed(journal.events) if mine(e)][:12]


def _part(f: Forecast, name: str, letter: str, state: Conditions, fmt: Formatter) -> Part:
    stage, grown = state.stage, is_grown(state.stage, f)
    batch = f.batch
    views = working_views(f, fmt)
    depth = f", {fmt.number(batch.depth_mm, 0)} mm deep" if batch.depth_mm is not None else ""
    seeds = "one seed each" if batch.n_seeds_per_cell == 1 else f"{fmt.small(batch.n_seeds_per_cell)} seeds each"
    age_d = int((f.at_s - batch.sown_at.timestamp()) // DAY_S)
    way = f"{seeds}{depth}" if batch.from_batch is None else f"from {batch.from_batch}"
    held = f"{batch.seeds} seeds{depth}" if batch.seeds and batch.cells is None else f"{batch.n_cells} cells, {way}"
    if not batch.from_seed:
        tall = f", {fmt.length(batch.size_mm)} tall then" if batch.size_mm is not None else ""
        held = f"{batch.n_cells} plants{tall}{f', from {batch.source}' if batch.source else ''}"
    facts = f"{held}, {came_words(batch)} {fmt.day(batch.sown_at)}, day {age_d}"
    figures: list[tuple[str, str, WorkingView | None]] = []
    if f.half_up and batch.from_seed:
        words = "since" if f.half_up.settled else ""
        figures.append(("half up", f"{words} {fmt.day_range(f.half_up)}".strip(), views.get("half_up")))
    if f.first_up and not f.counts.up:
        figures.append(("first up", fmt.day_range(f.first_up), views.get("half_up")))
    if f.final_count and f.verdict != "finished":
        figures.append(("up in the end", f"{fmt.count_range(f.final_count)} of {f.counts.of}", views.get("final_count")))
    if f.chance_of_more is not None and f.verdict != "finished":
        figures.append(("chance of more", fmt.percent(f.chance_of_more), views.get("chance_of_more")))
    if f.call_it_s is not None and f.verdict not in ("finished", "cannot_tell"):
        figures.append(("give up on", fmt.day(f.call_it_s), views.get("chance_of_more")))
    if f.days_at_target is not None:
        figures.append(("at target", f"{fmt.number(f.days_at_target)} days", views.get("days_at_target")))
    estimated = []
    if f.crop.estimated:
        estimated.append(f"there are no trials of {f.crop.name}: its figures are those of its family")
    if f.soil.basis == "guess":
        estimated.append("the soil temperature is a guess")
    if f.supposed:
        estimated.append("nothing measures the soil: an ordinary house is assumed")
    if f.soil.basis == "air":
        estimated.append("soil is judged from the air")
    return Part(
        batch,
        name,
        letter,
        f,
        f.verdict,
        verdict_word(f),
        grown_sentence(state, fmt) if grown else verdict_sentence(f, fmt),
        facts,
        emergence_chart(f, fmt),
        delay_shares(f, fmt),
        delay_words(f, fmt),
        figures,
        views,
        counted(f),
        f.verdict not in ("finished",) and f.counts.up < f.counts.of,
        bool(batch.cell_list),
        "; ".join(estimated),
        f.crop.caution,
        stage,
        STAGE_WORDS[stage],
        grown,
    )


def emergence_chart(f: Forecast, fmt: Formatter) -> EmergenceChart | None:
    """What was seen of a batch, what was expected of it, and what it would do at target; None without curves."""
    if f.expected is None or f.at_target is None:
        return None
    curve, target = f.expected, f.at_target
    plot = Plot(float(curve.at_s[0]), float(curve.at_s[-1]), 0, f.counts.of * 1.04, CHART_HEIGHT)
    rows = []
    for i in range(0, len(curve.at_s), 6):
        seen = _seen_at(f, float(curve.at_s[i]))
        rows.append(
            (
                fmt.day(float(curve.at_s[i])),
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
        day_ticks(plot, fmt, 5),
        [(plot.y(n), str(n)) for n in dict.fromkeys((0, half, f.counts.of))],
        rows,
    )


def _seen_at(f: Forecast, at_s: float) -> int:
    return max((n for t, n in zip(f.counts.at_s, f.counts.total, strict=True) if t <= at_s), default=0)


def _cells(
    tray: Tray, batches: list[Batch], events: list[Event], table: CropTable, letters: dict[str, str], at_s: float, fmt: Formatter
) -> list[Cell]:
    """The cells as the record has them, whatever could be worked out of the batches in them."""
    held: dict[str, Cell] = {}
    for batch in batches:
        letter, up = letters[batch.id], cells_up(batch, events)
        for stay in occupancies(batch, events):
            if not stay.from_s <= at_s < stay.to_s:
                continue
            at = up.get(stay.cell)
            state = "up" if at else "waiting"
            since = f"d{int((at.timestamp() - batch.sown_at.timestamp()) // DAY_S)}" if at else ""
            # What is written on the cell opens its name, for those who speak to their machine.
            written = " ".join(word for word in (letter, since) if word)
            told = f"up since {fmt.day(at)}" if at else "not up: press when it comes"
            label = f"{written} {stay.cell}, {_name(table, batch)}, {told}".strip()
            held[stay.cell] = Cell(stay.cell, state, batch.id, letter, table.get(batch.crop).seed_leaf, since, label)
    return [held.get(name, Cell(name, "free", label=f"{name}, free")) for name in tray.cell_names()]
