"""What Tune shows of lamps: the sentence, the curve, two handles with their answers, the map, trays compared, what it costs."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from fennet.answering.answers import Answers
from fennet.core.light import clock_of, least_mm
from fennet.core.lighting.compared import area_in_band, compared
from fennet.core.lighting.energy import LightCost, cost_of_lamp, light_cost
from fennet.core.lighting.shelf_map import ShelfMap
from fennet.core.records import Journal
from fennet.core.targets import LONGEST_DAY_H
from fennet.core.tuning.lamps import LampSetting, heights_open
from fennet.core.tuning.under_lamp import ExpectedLight, expected_at
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import (
    CAUTION,
    basis_words,
    button_words,
    expect_words,
    instead_words,
    ratio_words,
    setting_sentence,
)
from fennet.web.drawing import Plot
from fennet.web.parts import Untold, lacks, part, untold
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view

CURVE_HEIGHT, MAP_WIDTH = 240.0, 600.0
#: The scale of daily light that the handles are drawn on ends here, mol.
MOST_MOL = 24.0
FEWEST_H = 6.0
#: The part of the page that all lamps hang on.
WHOLE = "what the lamps should be set to"


@dataclass(frozen=True)
class Handle:
    """A handle: from, to and step of its slider, where it stands."""

    low: float
    high: float
    step: float
    value: float
    words: str


@dataclass(frozen=True)
class Answer:
    """One batch at the handles' setting: where its daily light lies on a scale of 1000, and in words."""

    tray: str
    batch: str
    name: str
    band_x: float
    band_w: float
    ideal_x: float
    ideal_w: float
    range_x: float
    range_w: float
    at_x: float
    words: str
    out: bool


@dataclass(frozen=True)
class CurveView:
    fan: str
    line: str
    dots: list[tuple[str, float]]
    here: tuple[float, float]
    ticks_x: list[tuple[str, str]]
    ticks_y: list[tuple[float, str]]
    table: list[tuple[str, str]]


@dataclass(frozen=True)
class MapView:
    width: float
    height: float
    #: The squares of each shade as one path: hundreds of elements would make the page slow.
    shades: list[tuple[int, str]]
    spots: list[tuple[float, float, str]]
    trays: list[tuple[float, float, float, float, str]]
    words: str
    rows: list[tuple[str, str, str, str, str]]


@dataclass(frozen=True)
class ComparedView:
    """One batch under a lamp: its light, hours, days in band, ratio, and of the costed hours those in band."""

    tray: str
    name: str
    mol: str
    hours: str
    in_band: str
    ratio: str
    ratio_working: WorkingView | None
    costed: str


@dataclass(frozen=True)
class LampView:
    id: str
    name: str
    sentence: str
    now: str
    basis: str
    height: Handle | None
    hours: Handle | None
    on: str
    button: str
    answers: list[Answer]
    table: dict[str, Any]
    curve: CurveView | None
    map: MapView | None
    instead: list[str]
    raise_at: list[str]
    compared: list[ComparedView]
    cost: list[tuple[str, str]]
    cost_working: WorkingView | None
    workings: list[WorkingView]
    reaches: bool
    outside_day: str


@dataclass(frozen=True)
class LampsView:
    lamps: list[LampView]
    idle: list[str]
    caution: str
    workings: list[WorkingView]
    untold: list[Untold]


def lamps_view(a: Answers, fmt: Formatter, tried: dict[str, tuple[float, float]] | None = None) -> LampsView:
    """Every lamp that hangs over trays. `tried` lamp → (height mm, hours) as the handles were left, without scripts."""
    none: list[LampSetting] = []
    settings = part(WHOLE, a.lamps, none)
    journal, at_s, table = a.journal, a.at_s, a.table
    names = {b.id: batch_name(b, table.get(b.crop).name) for b in journal.batches}
    found = [
        part(
            f"the answer for {s.lamp.id}",
            partial(_lamp, s, a, fmt, names, (tried or {}).get(s.lamp.id)),
            None,
            s.lamp.id,
        )
        for s in settings
    ]
    views = [v for v in found if v is not None]
    used = {s.lamp.id for s in settings}
    there = [x.id for x in journal.lamps if x.until is None or x.until.timestamp() > at_s]
    # What stands under no lamp is known only where the settings are.
    idle = [x for x in there if x not in used and not lacks(WHOLE)]
    missing = untold((s.lamp.id, s.lamp.name or s.lamp.id) for s in settings)
    sheets = [w for v in views for w in (*v.workings, v.cost_working, *(c.ratio_working for c in v.compared)) if w is not None]
    return LampsView(views, idle, CAUTION, sheets, [*([Untold("", WHOLE)] if lacks(WHOLE) else []), *missing])


def _lamp(s: LampSetting, a: Answers, fmt: Formatter, names: dict[str, str], tried: tuple[float, float] | None) -> LampView:
    state = s.case.state
    lit = ", ".join(f"{clock_of(a)}–{clock_of(b)}" for a, b in state.periods or ())
    hangs = fmt.length(state.height_mm) if state.height_mm is not None else "height never logged"
    now = f"{hangs}, {'lit ' + lit if lit else 'switched off' if state.periods == () else 'timer never logged'}"
    height = hours = None
    answered: list[Answer] = []
    sampled: dict[str, Any] = {}
    curve = None
    if s.height_mm is not None and s.hours is not None:
        at_height, at_hours = tried or (s.height_mm, s.hours)
        heights = heights_open(s.case)
        low, high = float(heights[0]), float(heights[-1])
        at_height = min(max(at_height, low), high)
        at_hours = min(max(at_hours, FEWEST_H), LONGEST_DAY_H)
        height = Handle(low, high, 5.0, at_height, fmt.length(at_height))
        hours = Handle(FEWEST_H, LONGEST_DAY_H, 0.25, at_hours, f"{fmt.number(at_hours, 2)} h")
        answered = [_answer(e, s, names, fmt) for e in expected_at(s.case, at_height, at_hours)]
        sampled = _sampled(s, heights, fmt)
        curve = _curve(s, at_height, fmt)
    working = [working_view(f"w-{s.lamp.id}-{k}".replace(".", "-"), w, fmt) for k, w in s.workings.items()]
    cost = cost_of_lamp(a.journal, s.case, a.events, a.at_s, fmt.zone)
    return LampView(
        s.lamp.id, s.lamp.name or s.lamp.id, setting_sentence(s, fmt), now, basis_words(s, fmt), height, hours,
        clock_of(s.on_min) if s.on_min is not None else "", button_words(s, fmt) if s.height_mm is not None else "", answered,
        sampled, curve, _map(s.map, s, fmt) if s.map else None, [instead_words(i, s, fmt) for i in s.instead],
        [f"{fmt.day(t)}: to {fmt.length(mm)}" for t, mm in s.raise_at], _compared(s, a, fmt, names, cost),
        _cost_words(cost, a.journal, s, fmt) if cost else [],
        working_view(f"w-{s.lamp.id}-cost".replace(".", "-"), cost.working, fmt) if cost else None, working, s.reaches,
        _outside(s),
    )  # fmt: skip


def _outside(s: LampSetting) -> str:
    return next((b.hours.named.removeprefix("practice: ") for _, b in s.case.batches if "outdoors" in b.hours.named), "")


def _x(mol: float) -> float:
    return round(min(max(mol, 0.0), MOST_MOL) / MOST_MOL * 1000, 1)


def _answer(e: ExpectedLight, s: LampSetting, names: dict[str, str], fmt: Formatter) -> Answer:
    band = next(b.light for _, b in s.case.batches if b.batch.id == e.batch)
    words = expect_words(e, fmt)
    if e.too_bright:
        words += f"; brighter than {fmt.number(e.ceiling_umol, 0)} µmol, may bleach"
    if not e.hours_ok:
        words += "; hours out of its band"
    return Answer(
        e.tray, e.batch, names[e.batch], _x(band.low), _x(band.high) - _x(band.low), _x(band.ideal_low),
        _x(band.ideal_high) - _x(band.ideal_low), _x(e.dli.p10), max(3.0, _x(e.dli.p90) - _x(e.dli.p10)), _x(e.dli.p50), words,
        not e.reaches or e.too_bright,
    )  # fmt: skip


def _sampled(s: LampSetting, heights: np.ndarray, fmt: Formatter) -> dict[str, Any]:
    """Answers sampled over the handle of height, for the page to multiply by hours: brightness of every batch at each height."""
    batches = []
    for t, b in s.case.batches:
        at = [s.case.curve.ppfd(max(t.distance_mm(float(h)), 5.0), t.tray.id, s.case.dim) for h in heights]
        batches.append(
            {
                "low": b.light.low, "high": b.light.high, "ceiling": b.ceiling_umol, "other": round(t.other_mol, 3),
                "hours": [b.hours.low, b.hours.high], "p10": [round(i.p10, 2) for i in at], "p50": [round(i.p50, 2) for i in at],
                "p90": [round(i.p90, 2) for i in at],
            }
        )  # fmt: skip
    gap = min(t.distance_mm(float(heights[0])) for t in s.case.trays)
    return {"from": float(heights[0]), "step": 5.0, "gap": gap, "most": MOST_MOL, "locale": fmt.locale.replace("_", "-"),
            "inches": fmt.imperial, "batches": batches}  # fmt: skip


def _curve(s: LampSetting, at_height: float, fmt: Formatter) -> CurveView:
    """Brightness against the distance from the lamp's face, at the tray most read."""
    c = s.case.curve
    seen = [p.tray for p in c.points if p.tray]
    tray = max(set(seen), key=seen.count) if seen else None
    near = min([least_mm(s.lamp), *(p.distance_mm for p in c.points)])
    far = max([350.0, *(p.distance_mm + 40 for p in c.points)])
    x = np.linspace(max(15.0, near - 15), far, 60)
    found = [c.ppfd(float(d), tray, s.case.dim) for d in x]
    top = max(float(np.percentile([i.p90 for i in found], 88)), *[p.ppfd_umol for p in c.points], 100.0)
    top = float(np.ceil(top / 100.0) * 100.0)
    plot = Plot(float(x[0]), float(x[-1]), 0.0, top, CURVE_HEIGHT)
    here = min(t.distance_mm(at_height) for t in s.case.trays)
    dots = [(plot.percent(p.distance_mm), plot.y(p.ppfd_umol * s.case.dim)) for p in c.points]
    ticks = [v for v in range(0, int(far) + 1, 100) if v >= x[0]]
    some = zip(x[::8], found[::8], strict=True)
    return CurveView(
        plot.area(x, np.array([i.p10 for i in found]), np.array([i.p90 for i in found])),
        plot.line(x, np.array([i.p50 for i in found])), dots, (plot.x(here), plot.y(c.ppfd(here, tray, s.case.dim).p50)),
        [(plot.percent(v), fmt.length(v)) for v in ticks],
        [(plot.y(v), fmt.number(v, 0)) for v in np.arange(0, top + 1, 100 if top <= 500 else 200)],
        [(fmt.length(float(d)), f"{fmt.number(i.p10, 0)}–{fmt.number(i.p90, 0)}") for d, i in some],
    )  # fmt: skip


def _map(m: ShelfMap, s: LampSetting, fmt: Formatter) -> MapView:
    scale = MAP_WIDTH / float(m.x_mm[-1])
    dx, dy = float(m.x_mm[1] - m.x_mm[0]) * scale, float(m.y_mm[1] - m.y_mm[0]) * scale
    top = float(m.umol.max())
    squares: dict[int, list[str]] = {}
    for j, row in enumerate(m.umol):
        for i, v in enumerate(row):
            square = f"M{i * dx - dx / 2:.2f} {j * dy - dy / 2:.2f}h{dx:.2f}v{dy:.2f}h{-dx:.2f}z"
            squares.setdefault(min(9, int(v / top * 10)), []).append(square)
    shades = [(shade, "".join(found)) for shade, found in sorted(squares.items())]
    height = float(m.y_mm[-1]) * scale
    spots = [(round(x * scale, 1), round(y * scale, 1), fmt.number(v, 0)) for x, y, v in m.spots]
    inside = area_in_band(s.case, m)
    trays, rows = [], []
    for t in m.trays:
        corner = (round(t.x_mm * scale, 1), round(t.y_mm * scale, 1))
        trays.append((*corner, round(t.width_mm * scale, 1), round(t.depth_mm * scale, 1), t.tray))
        left, right = t.ends_umol
        rows.append(
            (t.tray, fmt.number(t.mean_umol, 0), f"{fmt.number(t.least_umol, 0)}–{fmt.number(t.most_umol, 0)}",
             f"{fmt.number(left, 0)} left, {fmt.number(right, 0)} right",
             f"{fmt.percent(inside[t.tray])} of it" if t.tray in inside else "not known")
        )  # fmt: skip
    words = f"mean {fmt.number(m.mean_umol, 0)} µmol m⁻² s⁻¹, the darkest spot {fmt.percent(m.evenness)} of it"
    return MapView(MAP_WIDTH, round(height, 1), shades, spots, trays, words, rows)


def _compared(s: LampSetting, a: Answers, fmt: Formatter, names: dict[str, str], cost: LightCost | None) -> list[ComparedView]:
    found = {b.batch.id: a.conditions(b.batch) for _, b in s.case.batches}
    costed = {h.batch: h for h in cost.in_band} if cost else {}
    out = []
    for c in compared(s.case, found, a.at_s):
        hours = costed.get(c.batch)
        working = None if c.ratio is None else working_view(f"w-{c.batch}-ratio".replace(".", "-"), c.ratio.working, fmt)
        out.append(
            ComparedView(
                c.tray, names[c.batch], "not known" if c.mol is None else f"{fmt.number(c.mol)} mol",
                "" if c.hours is None else f"{fmt.number(c.hours)} h",
                f"{c.in_band} of {c.days} days" if c.days else "no day known",
                "not known" if c.ratio is None else ratio_words(c.ratio, fmt), working,
                f"{fmt.number(hours.in_band_h, 0)} of {fmt.number(hours.lit_h, 0)} h" if hours else "",
            )
        )  # fmt: skip
    return out


def _cost_words(c: LightCost, journal: Journal, s: LampSetting, fmt: Formatter) -> list[tuple[str, str]]:
    """What the lamp cost, and what the proposal would cost a day."""
    money, tariff = journal.garden.currency or "", journal.garden.tariff_per_kwh
    out = [("energy, last 30 days", f"{fmt.number(c.kwh)} kWh")]
    if c.cost is None or tariff is None:
        return [*out, ("cost", "the garden has no tariff yet")]
    out.append(("cost", f"{fmt.number(c.cost, 2)} {money}"))
    if c.per_tray is not None:
        out.append(("a tray", f"{fmt.number(c.per_tray, 2)} {money}"))
    if c.per_plant is not None:
        out.append(("a plant", f"{fmt.number(c.per_plant, 3)} {money}"))
    if s.hours is not None and s.lamp.watts:
        a_day = light_cost(s.lamp.watts, s.hours, 1, tariff, 0, 0).cost or 0.0
        out.append(("as proposed, a day", f"{fmt.number(a_day, 2)} {money}"))
    return out
