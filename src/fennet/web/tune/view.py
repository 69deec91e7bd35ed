"""What Tune shows of mats: the sentence, the chart of set-point against soil, what helps beside it, places and exchanges."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import partial

import numpy as np

from fennet.answering.answers import Answers
from fennet.core.exposure import DAY_S
from fennet.core.tuning.guards import HOLD_S, TIMER_HOLD_S
from fennet.core.tuning.mat_fit import soil_by
from fennet.core.tuning.mats import LEAST_SETPOINT_C, MatSetting
from fennet.core.tuning.on_mat import OnMat
from fennet.core.tuning.places import Exchange, places
from fennet.presentation.formatter import Formatter
from fennet.presentation.tuning import CAUTION, instead_words, setting_sentence
from fennet.storage.queries import Device
from fennet.web.drawing import Plot
from fennet.web.parts import Untold, lacks, part, untold
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view

CHART_HEIGHT = 260.0
#: The part of the page that all mats hang on.
WHOLE = "what the mats should be set to"


@dataclass(frozen=True)
class Dot:
    x: str
    y: float


@dataclass(frozen=True)
class MatChart:
    """Set-point across, soil up: what was read, the fitted line of each tray, the band, the proposal. Words stand in percent."""

    band: tuple[float, float]
    fan: str
    line: str
    dots: list[Dot]
    proposal: tuple[float, float, str] | None
    now: tuple[float, str] | None
    ticks_x: list[tuple[str, str]]
    ticks_y: list[tuple[float, str]]
    table: list[tuple[str, str, str]]
    tray: str


@dataclass(frozen=True)
class MatView:
    id: str
    name: str
    sentence: str
    flat_out: bool
    now: str
    propose: str
    button: str
    range: str
    waits: list[tuple[str, str, str]]
    charts: list[MatChart]
    instead: list[str]
    working: WorkingView | None


@dataclass(frozen=True)
class TuneView:
    mats: list[MatView]
    idle: list[str]
    places: list[tuple[str, str, str]]
    exchanges: list[tuple[str, str, str]]
    caution: str
    workings: list[WorkingView]
    degree: str
    untold: list[Untold]


@dataclass(frozen=True)
class DeviceView:
    """A thermostat behind the door, in words."""

    device: str
    mat: str
    words: str
    simulated: bool


def timer_views(found: list[Device], now: datetime, fmt: Formatter) -> list[DeviceView]:
    """What each timer last said of itself; one that has not spoken for long has gone dark by itself."""
    out = []
    for x in found:
        words = "has not called yet"
        if x.last_at is not None:
            lit_h = x.report.get("lit_h")
            so_far = f", lit {fmt.number(float(lit_h))} h so far today" if isinstance(lit_h, int | float) else ""
            words = f"called {fmt.moment(x.last_at)}: {'lit' if x.report.get('lit') else 'dark'}{so_far}"
            if (now - x.last_at).total_seconds() > TIMER_HOLD_S:
                words += ". It has not called since, so it has gone dark"
        out.append(DeviceView(x.token_hash, x.thing, words, bool(x.report.get("simulated"))))
    return out


def device_views(found: list[Device], now: datetime, fmt: Formatter) -> list[DeviceView]:
    """What each thermostat last said of itself; one that has not spoken lately has gone off by itself."""
    out = []
    for x in found:
        if x.last_at is None:
            words = "has not called yet"
        else:
            probe, heating = x.report.get("probe_c"), x.report.get("heating")
            reads = f"its probe reads {fmt.temperature(float(probe))}" if isinstance(probe, int | float) else "probe silent"
            doing = (
                "heating"
                if heating
                else "not heating" + (f" ({x.report['why']})" if x.report.get("why") not in ("", "as set", None) else "")
            )
            words = f"called {fmt.moment(x.last_at)}: {reads}, {doing}"
            if (now - x.last_at).total_seconds() > HOLD_S:
                words += ". It has not called since, so it has gone off"
        out.append(DeviceView(x.token_hash, x.thing, words, bool(x.report.get("simulated"))))
    return out


def mats_view(a: Answers, fmt: Formatter) -> TuneView:
    none: tuple[list[MatSetting], list[Exchange]] = ([], [])
    settings, swaps = part(WHOLE, a.mats, none)
    journal, at_s, table = a.journal, a.at_s, a.table
    names = {b.id: batch_name(b, table.get(b.crop).name) for b in journal.batches}
    made = [part(f"the answer for {s.mat.id}", partial(_mat, s, names, fmt), None, s.mat.id, light=True) for s in settings]
    views = [v for v in made if v is not None]
    in_use = {s.mat.id for s in settings}
    there = [m.id for m in journal.mats if m.until is None or m.until.timestamp() > at_s]
    # What lies on no mat is known only where the settings are.
    idle = [m for m in there if m not in in_use and not lacks(WHOLE)]
    come_free = [
        (p.mat, p.tray or "free", "now" if p.free_in_days <= 0 else f"about {fmt.day(at_s + p.free_in_days * DAY_S)}")
        for p in places(settings)
    ]
    return TuneView(
        views, idle, come_free, [_swap(e, fmt) for e in swaps], CAUTION, [v.working for v in views if v.working], fmt.degree,
        [*([Untold("", WHOLE)] if lacks(WHOLE) else []), *untold((s.mat.id, s.mat.name or s.mat.id) for s in settings)],
    )  # fmt: skip


def _swap(e: Exchange, fmt: Formatter) -> tuple[str, str, str]:
    """An exchange in words, its gain, and the log line that does it."""
    if e.instead_of is None:
        return f"{e.tray} onto {e.mat}", f"{fmt.days(e.gain_days)} sooner", f"{e.tray} mat {e.mat}"
    words = f"{e.tray} onto {e.mat}, {e.instead_of} off it"
    return words, f"{fmt.days(e.gain_days)} gained together", f"{e.instead_of} mat off; {e.tray} mat {e.mat}"


def _mat(s: MatSetting, names: dict[str, str], fmt: Formatter) -> MatView:
    waits = []
    for t in s.trays:
        for w in t.waiting:
            band = f"{fmt.temperature(w.crop.soil_ideal_low_c, unit=False)}–{fmt.temperature(w.crop.soil_ideal_high_c)}"
            loss = s.loss_days.get(t.tray)
            cost = f"loses {fmt.days(loss)}" if loss is not None and loss >= 0.5 and len(s.trays) > 1 else ""
            waits.append((t.tray, names[w.batch.id], f"needs {band}{'; ' + cost if cost else ''}"))
    now = "never logged" if s.now.setpoint_c is None else fmt.temperature(s.now.setpoint_c)
    propose = f"{fmt.number(fmt.shown_temperature(s.setpoint_c))}" if s.setpoint_c is not None else ""
    range_words = ""
    if s.range_c is not None and s.range_c[0] < s.range_c[1]:
        low = "up to " if s.range_c[0] <= LEAST_SETPOINT_C else f"{fmt.temperature(s.range_c[0], unit=False)}–"
        range_words = f"{low}{fmt.temperature(s.range_c[1])} would do"
    view = None
    if "setpoint" in s.workings:
        view = working_view(f"w-{s.mat.id}-setpoint".replace(".", "-"), s.workings["setpoint"], fmt)
    return MatView(
        s.mat.id,
        s.mat.name or s.mat.id,
        setting_sentence(s, fmt),
        s.flat_out,
        now,
        propose,
        f"Set {fmt.temperature(s.setpoint_c)}" if s.changes and s.setpoint_c is not None and not s.flat_out else "",
        range_words,
        waits,
        [c for t in s.trays if t.waiting and s.setpoint_c is not None and (c := _chart(s, t, fmt)) is not None],
        [instead_words(i, s, fmt) for i in s.instead],
        view,
    )


def _chart(s: MatSetting, t: OnMat, fmt: Formatter) -> MatChart | None:
    """One tray's soil against the set-point, at the air of the last days."""
    assert s.setpoint_c is not None
    seen_x, seen_y = t.record.setpoint_c, t.record.soil_c
    low = min([s.setpoint_c - 4, *(seen_x - 2)]) if len(seen_x) else s.setpoint_c - 5
    high = max([s.setpoint_c + 4, *(seen_x + 2)]) if len(seen_x) else s.setpoint_c + 5
    x = np.arange(np.floor(low), np.ceil(high) + 0.01, 0.25)
    air = t.air_c if t.air_known else np.full(24, float(t.fit.mean[4]))
    middle = np.array([float(soil_by(t.fit.mean, v, air).mean()) for v in x])
    drawn = np.array([t.soil_c(v).mean(axis=1) for v in x[::4]])
    p10, p90 = np.percentile(drawn, 10, axis=1), np.percentile(drawn, 90, axis=1)
    band = (max(w.crop.soil_ideal_low_c for w in t.waiting), min(w.crop.soil_ideal_high_c for w in t.waiting))
    band = (min(band), max(band))
    every = [*middle, *p10, *p90, *band, *seen_y]
    plot = Plot(float(x[0]), float(x[-1]), float(np.floor(min(every))) - 0.5, float(np.ceil(max(every))) + 0.5, CHART_HEIGHT)
    expected = t.expected(s.setpoint_c)
    step = 2 if x[-1] - x[0] > 9 else 1
    days = sorted({(float(v), int(a // DAY_S)) for v, a in zip(seen_x, t.record.at_s, strict=True)})
    dots = []
    for setpoint, day in days:
        mine = seen_y[(seen_x == setpoint) & (t.record.at_s // DAY_S == day)]
        dots.append(Dot(plot.percent(setpoint), plot.y(float(mine.mean()))))
    rows = [
        (fmt.temperature(float(v)), fmt.temperature(float(soil_by(t.fit.mean, float(v), air).mean())),
         ", ".join(fmt.temperature(float(seen_y[seen_x == v].mean())) for _ in range(1) if (seen_x == v).any()))
        for v in np.unique(np.concatenate([np.arange(np.ceil(x[0]), x[-1] + 0.1, step), seen_x]))
    ]  # fmt: skip
    now_c = s.now.setpoint_c
    return MatChart(
        (plot.y(band[1]), round(plot.y(band[0]) - plot.y(band[1]), 1)),
        plot.area(x[::4], p10, p90),
        plot.line(x, middle),
        dots,
        (plot.x(s.setpoint_c), plot.y(expected.p50), plot.percent(s.setpoint_c)),
        (plot.x(now_c), plot.percent(now_c)) if now_c is not None and x[0] <= now_c <= x[-1] else None,
        [(plot.percent(float(v)), fmt.temperature(float(v), 0, unit=False)) for v in np.arange(np.ceil(x[0]), x[-1] + 0.1, step)],
        [(plot.y(float(v)), fmt.temperature(float(v), 0)) for v in np.arange(np.ceil(plot.low), plot.high, 2)],
        rows,
        t.tray,
    )
