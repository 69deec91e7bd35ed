"""Four ribbons on one axis of time: soil, light, hours, moisture, with stages as a rule above and deeds as pegs below."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from fennet.core.care.spells import Spell, moisture_spells
from fennet.core.conditions import Conditions
from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.light import DayOfLight
from fennet.core.records import Event, FloatArray
from fennet.core.stages import ENDED
from fennet.core.targets import Band
from fennet.presentation.entries import deed_words
from fennet.presentation.formatter import Formatter
from fennet.presentation.sowing import came_words
from fennet.web.bands import STAGE_WORDS, ChannelView, channel_view, figure
from fennet.web.drawing import Plot, Tick, day_ticks, round_scale

HEIGHTS = {"soil_temperature": 92.0, "daily_light": 56.0, "light_hours": 72.0, "moisture": 64.0}
#: How far back the drawn ribbons go; older record is in the table, the zoom and the file.
SHOWN_DAYS = 28
PEG_WORDS = {
    "cover": "cover",
    "mat": "mat",
    "watered": "water",
    "placed": "moved",
    "moved_to_light": "to light",
    "gave_up": "given up",
    "fed": "fed",
    "potted_up": "potted up",
    "thinned": "thinned",
    "lost": "lost",
    "sign": "sign",
    "outing": "out",
    "planted": "planted",
    "topped": "pinched",
    "lamp": "lamp",
    "washed": "washed",
}


@dataclass(frozen=True)
class Field:
    """A band as drawn over one stage."""

    x: float
    width: float
    y: float
    height: float
    night: bool = False


@dataclass(frozen=True)
class Bar:
    x: float
    width: float
    y: float
    height: float
    words: str = ""
    kind: str = ""


@dataclass(frozen=True)
class Strip:
    """One ribbon: its channel told, its band as fields, and what is drawn in it."""

    channel: ChannelView
    css: str
    height: float
    fields: list[Field]
    lines: list[str] = field(default_factory=list)
    guessed: list[str] = field(default_factory=list)
    ahead: str = ""
    bars: list[Bar] = field(default_factory=list)
    frames: list[Bar] = field(default_factory=list)
    label: str = ""


@dataclass(frozen=True)
class Peg:
    at: str
    words: str
    anchor: str
    title: str


@dataclass(frozen=True)
class StageMark:
    at: str
    x: float
    width: float
    words: str


@dataclass(frozen=True)
class Ribbons:
    strips: list[Strip]
    stages: list[StageMark]
    pegs: list[Peg]
    ticks: list[Tick]
    now_x: float
    now_at: str
    table: list[tuple[str, ...]]
    cut: str
    from_s: float
    to_s: float
    spells: str = ""


def ribbons(
    c: Conditions,
    events: Sequence[Event],
    tray_ids: set[str],
    lamps: set[str],
    at_s: float,
    fmt: Formatter,
    forecast: Forecast | None,
    whole: bool = False,
) -> Ribbons:
    """The ribbons of one batch up to a moment; the last four weeks unless the `whole` is asked for."""
    sown_s = c.batch.sown_at.timestamp()
    first_s = sown_s - 0.25 * DAY_S
    from_s = first_s if whole else max(first_s, at_s - SHOWN_DAYS * DAY_S)
    ended = next((s.from_s for s in c.spans if s.stage in ENDED), None)
    ahead_s = 0.0 if ended else max(0.8 * DAY_S, (at_s - from_s) * 0.08)
    plot = Plot(from_s, at_s + ahead_s, 0.0, 1.0, 1.0)
    strips = [
        _soil(c, plot, at_s, fmt, forecast),
        _light(c, plot, fmt),
        _hours(c, plot, fmt),
        _moisture(c, plot, fmt),
    ]
    return Ribbons(
        strips,
        _stages(c, plot, at_s),
        _pegs(c, events, tray_ids, lamps, plot, fmt),
        day_ticks(plot, fmt),
        plot.x(at_s),
        plot.percent(at_s),
        _table(c, fmt),
        f"since {fmt.day(from_s)}" if from_s > first_s else "",
        from_s,
        plot.to_s,
        spell_words([s for s in spells_of(c) if s.to_s > from_s], fmt),
    )


def _scaled(plot: Plot, low: float, high: float, height: float) -> Plot:
    return Plot(plot.from_s, plot.to_s, low, high, height)


def _fields(c: Conditions, quantity: str, plot: Plot, convert: Formatter | None = None) -> list[Field]:
    """The band of each stage as a field; the night's beside the day's where they differ."""
    out = []
    for span, bands in c.bands:
        band = bands.get(quantity)
        if band is None:
            continue
        x0, x1 = plot.x(max(span.from_s, plot.from_s)), plot.x(min(span.to_s, plot.to_s))
        if x1 <= x0:
            continue
        for low, high, night in ((band.low, band.high, False), *(((*band.night, True),) if band.night else ())):
            shown = (convert.shown_temperature(low), convert.shown_temperature(high)) if convert else (low, high)
            top = plot.y(shown[1])
            out.append(Field(x0, round(x1 - x0, 1), top, round(plot.y(shown[0]) - top, 1), night))
    return out


def _range(c: Conditions, quantity: str) -> list[float]:
    found: list[Band] = [b[quantity] for _, b in c.bands if quantity in b]
    return [v for b in found for v in (b.lowest, b.highest)]


def _soil(c: Conditions, plot: Plot, at_s: float, fmt: Formatter, forecast: Forecast | None) -> Strip:
    shown = [s.only(s.at_s >= plot.from_s) for s in c.soil]
    shown = [s for s in shown if len(s.at_s)]
    values = [float(v) for s in shown for v in (s.value.min(), s.value.max())] + _range(c, "soil_temperature")
    low, high = round_scale(
        min((fmt.shown_temperature(v) for v in values), default=0.0) - 1,
        max((fmt.shown_temperature(v) for v in values), default=1.0) + 1,
        1.0,
    )
    scaled = _scaled(plot, low, high, HEIGHTS["soil_temperature"])
    lines: list[str] = []
    guessed: list[str] = []
    for s in shown:
        degrees = s.value * 1.8 + 32 if fmt.temperature_unit == "degF" else s.value
        for piece in np.split(np.arange(len(s.at_s)), np.flatnonzero(np.diff(s.at_s) > DAY_S / 2) + 1):
            points = scaled.line(s.at_s[piece], degrees[piece])
            (guessed if s.estimated[piece].all() else lines).append(points)
    ahead = ""
    if forecast is not None and not forecast.soil.gap_reason and forecast.soil.n_readings and plot.to_s > at_s:
        future_s = at_s + np.arange(0, plot.to_s - at_s, 1800.0)
        future = np.resize(forecast.soil.pattern_c, len(future_s))
        ahead = scaled.line(future_s, future * 1.8 + 32 if fmt.temperature_unit == "degF" else future)
    view = channel_view(c.channels["soil_temperature"], c.batch.id, fmt)
    label = f"{'Air' if c.soil_is_air else 'Soil'} temperature against {view.band or 'no band'}; now {view.value}, {view.mark}"
    return Strip(view, "soil", scaled.height, _fields(c, "soil_temperature", scaled, fmt), lines, guessed, ahead, label=label)


def _light(c: Conditions, plot: Plot, fmt: Formatter) -> Strip:
    days = _shown(c.days, plot)
    known = [d.mol for d in days if d.mol is not None]
    top = max([*known, *_range(c, "daily_light"), 1.0]) * 1.15
    scaled = _scaled(plot, 0.0, top, HEIGHTS["daily_light"])
    bars = []
    for d in days:
        if d.mol is None:
            continue
        x, width = _column(d, plot)
        y = scaled.y(d.mol)
        kind = "guess" if d.basis in ("moved", "lumens") else ""
        bars.append(
            Bar(x, width, y, round(scaled.height - y, 1), f"{fmt.day(d.from_s)}: {figure('daily_light', d.mol, fmt)}", kind)
        )
    view = channel_view(c.channels["daily_light"], c.batch.id, fmt)
    label = f"Daily light against {view.band or 'no band'}; today {view.value}, {view.mark}"
    return Strip(view, "light", scaled.height, _fields(c, "daily_light", scaled), bars=bars, label=label)


def _hours(c: Conditions, plot: Plot, fmt: Formatter) -> Strip:
    """One column a day, midnight above and midnight below, what was lit inked."""
    height = HEIGHTS["light_hours"]
    bars, frames = [], []
    for d in _shown(c.days, plot):
        x, width = _column(d, plot)
        frames.append(Bar(x, width, 0.5, height - 1))
        length = d.to_s - d.from_s
        for start, end in d.lit:
            y = (start - d.from_s) / length * height
            bars.append(Bar(x, width, round(y, 1), round((end - start) / length * height, 1), d.hours_from))
    view = channel_view(c.channels["light_hours"], c.batch.id, fmt)
    label = f"Hours lit each day against {view.band or 'no band'}; today {view.value}, {view.mark}"
    return Strip(view, "hours", height, [], bars=bars, frames=frames, label=label)


def _moisture(c: Conditions, plot: Plot, fmt: Formatter) -> Strip:
    scaled = _scaled(plot, 0.0, 115.0, HEIGHTS["moisture"])
    keep = (c.moisture_s >= plot.from_s) & ~np.isnan(c.moisture_pct)
    at_s, value = c.moisture_s[keep], c.moisture_pct[keep]
    lines = [scaled.line(at_s[p], value[p]) for p in _pieces(at_s, 3700.0)]
    view = channel_view(c.channels["moisture"], c.batch.id, fmt)
    label = f"Moisture against {view.band or 'no band'}; now {view.value} %, {view.mark}"
    spells = [s for s in spells_of(c) if s.to_s > plot.from_s]
    # A drought is marked along the foot, standing wet along the head, where its own trace runs.
    marks = [
        Bar(scaled.x(max(s.from_s, plot.from_s)), round(scaled.x(s.to_s) - scaled.x(max(s.from_s, plot.from_s)), 1),
            HEIGHTS["moisture"] - 4 if s.kind == "drought" else 0.0, 4.0, kind=f"spell-{s.kind}")
        for s in spells
    ]  # fmt: skip
    if spells:
        label += f"; {spell_words(spells, fmt)}"
    return Strip(view, "moisture", scaled.height, _fields(c, "moisture", scaled), lines, bars=marks, label=label)


def spells_of(c: Conditions) -> list[Spell]:
    """Droughts and standing wet of a batch, against the band of each stage."""
    low = np.full(len(c.moisture_s), np.nan)
    for span, bands in c.bands:
        if "moisture" in bands:
            low[(c.moisture_s >= span.from_s) & (c.moisture_s < span.to_s)] = bands["moisture"].low
    return moisture_spells(c.moisture_s, c.moisture_pct, low)


def spell_words(spells: Sequence[Spell], fmt: Formatter) -> str:
    """Spells in words, the last ones first."""
    names = {"drought": "dry", "standing_wet": "standing wet"}
    told = [
        f"{names[s.kind]} {fmt.days((s.to_s - s.from_s) / DAY_S)} until {fmt.day(s.to_s)} ({fmt.number(s.worst_pct, 0)} %)"
        for s in sorted(spells, key=lambda s: -s.to_s)[:3]
    ]
    return "; ".join(told)


def _pieces(at_s: FloatArray, most_s: float) -> list[np.ndarray]:
    if not len(at_s):
        return []
    return np.split(np.arange(len(at_s)), np.flatnonzero(np.diff(at_s) > most_s) + 1)


def _shown(days: Sequence[DayOfLight], plot: Plot) -> list[DayOfLight]:
    return [d for d in days if d.to_s > plot.from_s and d.from_s < plot.to_s]


def _column(d: DayOfLight, plot: Plot) -> tuple[float, float]:
    x0, x1 = plot.x(max(d.from_s, plot.from_s)), plot.x(min(d.to_s, plot.to_s))
    gap = min(3.0, (x1 - x0) * 0.12)
    return round(x0 + gap / 2, 1), round(max(1.0, x1 - x0 - gap), 1)


def _stages(c: Conditions, plot: Plot, at_s: float) -> list[StageMark]:
    out = []
    for s in c.spans:
        first, last = max(s.from_s, plot.from_s), min(s.to_s, at_s)
        if last > first:
            x = plot.x(first)
            width = round(plot.x(last) - x, 1)
            words = STAGE_WORDS[s.stage] if width > 60 else ""
            out.append(StageMark(plot.percent(first), x, width, words))
    return out


def _pegs(c: Conditions, events: Sequence[Event], trays: set[str], lamps: set[str], plot: Plot, fmt: Formatter) -> list[Peg]:
    """Deeds on the axis; words that would fall on one another are left out, the peg stays."""
    marks: list[tuple[float, str, str, int]] = [(c.batch.sown_at.timestamp(), came_words(c.batch), came_words(c.batch), 0)]
    first = c.batch.from_seed
    for e in events:
        at, f = e.at_s, e.fields
        if e.kind == "count" and f["batch"] == c.batch.id and first:
            marks.append((at, "first up", "first up", 0))
            first = False
        if e.kind not in PEG_WORDS or not plot.from_s <= at <= plot.to_s:
            continue
        mine = f.get("batch") == c.batch.id or (f.get("batch") is None and f.get("tray") in trays) or f.get("lamp") in lamps
        if mine:
            words = "cover off" if e.kind == "cover" and f.get("on") is False else PEG_WORDS[e.kind]
            marks.append((at, words, deed_words(e.kind, f, fmt), 2 if e.kind == "watered" else 1))
    taken: list[float] = []
    named: dict[int, str] = {}
    # The rarer deed gets the words.
    for i, (at, words, _, _) in sorted(enumerate(marks), key=lambda item: (item[1][3], -item[1][0])):
        x = plot.x(at)
        if 0 <= x <= 1000 and all(abs(x - other) > 78 for other in taken):
            named[i] = words
            taken.append(x)
    out = []
    for i, (at, _, told, _) in enumerate(marks):
        x = plot.x(at)
        if 0 <= x <= 1000:
            anchor = "start" if x < 40 else "end" if x > 950 else "middle"
            out.append(Peg(plot.percent(at), named.get(i, ""), anchor, f"{fmt.moment(at)}: {told}"))
    return out


def zoom_charts(c: Conditions, fmt: Formatter) -> dict[str, Any]:
    """Every reading of one batch's life in chart series: a name, its unit, times in seconds UTC and figures; null is a gap."""
    soil = max(c.soil, key=lambda s: len(s.at_s), default=None)
    charts = []
    if soil is not None:
        degrees = soil.value * 1.8 + 32 if fmt.temperature_unit == "degF" else soil.value
        name = "Air" if c.soil_is_air else "Soil"
        charts.append({"name": name, "unit": fmt.degree, "css": "soil", **_points(soil.at_s, degrees, DAY_S / 2)})
    if c.days:
        noon = np.array([(d.from_s + d.to_s) / 2 for d in c.days])
        mol = np.array([np.nan if d.mol is None else d.mol for d in c.days])
        charts.append({"name": "Light", "unit": "mol a day", "css": "light", **_points(noon, mol, 2 * DAY_S)})
        lit = np.array([d.lit_h for d in c.days])
        charts.append({"name": "Hours", "unit": "h lit", "css": "hours", **_points(noon, lit, 2 * DAY_S)})
    if len(c.moisture_s):
        charts.append(
            {"name": "Moisture", "unit": "%", "css": "moisture", **_points(c.moisture_s[::4], c.moisture_pct[::4], DAY_S)}
        )
    return {"charts": charts, "zone": fmt.zone.key, "locale": fmt.locale.replace("_", "-")}


def _points(at_s: FloatArray, value: FloatArray, most_s: float) -> dict[str, list[float | None]]:
    times: list[float | None] = []
    figures: list[float | None] = []
    for i, (t, v) in enumerate(zip(at_s.tolist(), value.tolist(), strict=True)):
        if i and t - at_s[i - 1] > most_s:
            times.append(round((t + float(at_s[i - 1])) / 2))
            figures.append(None)
        times.append(round(t))
        figures.append(None if np.isnan(v) else round(v, 2))
    return {"at": times, "value": figures}


def _table(c: Conditions, fmt: Formatter) -> list[tuple[str, ...]]:
    """The four by day, the newest first."""
    rows: list[tuple[str, ...]] = []
    for d in reversed(c.days):
        soil = [float(v) for s in c.soil for v in s.value[(s.at_s >= d.from_s) & (s.at_s < d.to_s)]]
        wet = c.moisture_pct[(c.moisture_s >= d.from_s) & (c.moisture_s < d.to_s)]
        wet = wet[~np.isnan(wet)]
        span = f"{fmt.temperature(min(soil), unit=False)}–{fmt.temperature(max(soil))}" if soil else "not read"
        rows.append(
            (
                fmt.day(d.from_s + DAY_S / 2),
                span,
                "not known" if d.mol is None else fmt.number(d.mol),
                fmt.number(d.lit_h),
                "not known" if not len(wet) else fmt.number(float(wet.mean()), 0),
            )
        )
    return rows
