"""What the pages of what was read show."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np

from fennet.core.records import FloatArray, Journal
from fennet.core.units import CANONICAL_UNIT
from fennet.presentation.formatter import Formatter
from fennet.storage.reading_spans import DAY, FIVE_MINUTES, HOUR, WEEK, SeriesSpan, Steps
from fennet.web.drawing import Plot, round_scale
from fennet.web.places import named_places

#: How long a span is, days, and by what it is drawn: no more figures than a screen has dots.
SPANS: dict[str, tuple[int, str]] = {
    "day": (1, FIVE_MINUTES), "week": (7, HOUR), "month": (31, HOUR), "year": (366, DAY), "all": (0, WEEK),
}  # fmt: skip
STEP_S = {FIVE_MINUTES: 300.0, HOUR: 3_600.0, DAY: 86_400.0, WEEK: 7 * 86_400.0}
#: How a table of the span is parted.
PARTS = {"day": "hour", "week": "day", "month": "day", "year": "month", "all": "year"}
HEIGHT = 260.0
Ask = Callable[[int, datetime, datetime, str, str], Steps]


@dataclass(frozen=True)
class SeriesLine:
    id: int
    name: str
    source: str
    last: str
    span: str


@dataclass(frozen=True)
class SeriesView:
    """One series over one span: the drawing's parts (one a stretch without a gap), its ticks, a table, the ways on."""

    id: int
    span: str
    title: str
    unit: str
    fans: list[str]
    lines: list[str]
    ticks_y: list[tuple[float, str]]
    ticks_x: list[tuple[str, str]]
    table: list[tuple[str, str, str, str]]
    earlier: str
    later: str
    n: str


def named(s: SeriesSpan, journal: Journal) -> str:
    """What a series is, in words."""
    names = named_places(journal, gone=True)
    return f"{s.quantity.replace('_', ' ').capitalize()}, {names.get(s.place, s.place)}"


def series_lines(spans: Sequence[SeriesSpan], journal: Journal, fmt: Formatter) -> list[SeriesLine]:
    out = []
    for s in spans:
        last = "not known" if s.last is None else _figure(s.last, s.quantity, fmt)
        span = f"{fmt.day(s.first_at)} to {fmt.moment(s.last_at)}"
        out.append(SeriesLine(s.id, named(s, journal), s.source or "not said", last, span))
    return out


def series_view(s: SeriesSpan, span: str, until: date, fmt: Formatter, ask: Ask) -> SeriesView:
    long_d, step = SPANS[span]
    to_at = datetime.combine(until + timedelta(days=1), datetime.min.time(), fmt.zone)
    first_at = min(s.first_at, to_at - timedelta(days=1))
    from_at = datetime.combine(until - timedelta(days=long_d - 1), datetime.min.time(), fmt.zone) if long_d else first_at
    found = ask(s.id, from_at, to_at, step, fmt.zone.key)
    warm = "temperature" in s.quantity
    low, mean, high = (_shown(x, warm, fmt) for x in (found.low, found.mean, found.high))
    bottom, top = _scale(low, high)
    plot = Plot(from_at.timestamp(), to_at.timestamp(), bottom, top, HEIGHT)
    middle_s = found.at_s + STEP_S[step] / 2
    cuts = np.flatnonzero(np.diff(found.at_s) > 2.5 * STEP_S[step]) + 1
    stretches = [part for part in np.split(np.arange(len(found.at_s)), cuts) if len(part)]
    marks = np.linspace(bottom, top, 5)
    shift = timedelta(days=long_d or 366)
    return SeriesView(
        s.id, span,
        f"{fmt.day(from_at)} to {fmt.day(to_at - timedelta(hours=1))}" if span != "day" else fmt.day(from_at),
        fmt.degree if warm else CANONICAL_UNIT.get(s.quantity, ""),
        [plot.area(middle_s[p], low[p], high[p]) for p in stretches],
        [plot.line(middle_s[p], mean[p]) for p in stretches],
        [(plot.y(float(v)), fmt.number(float(v), 0 if top - bottom >= 8 else 1)) for v in marks],
        _ticks_x(plot, span, fmt),
        _table(found, low, mean, high, PARTS[span], fmt),
        (until - shift).isoformat() if span != "all" and from_at > s.first_at else "",
        (until + shift).isoformat() if span != "all" and to_at < s.last_at else "",
        fmt.number(float(found.n.sum()), 0),
    )  # fmt: skip


def _shown(value: FloatArray, warm: bool, fmt: Formatter) -> FloatArray:
    return value * 1.8 + 32 if warm and fmt.temperature_unit == "degF" else value


def _figure(value: float, quantity: str, fmt: Formatter) -> str:
    if "temperature" in quantity:
        return fmt.temperature(value)
    return f"{fmt.number(value)} {CANONICAL_UNIT.get(quantity, '')}".strip()


def _scale(low: FloatArray, high: FloatArray) -> tuple[float, float]:
    if not len(low):
        return 0.0, 1.0
    least, most = float(low.min()), float(high.max())
    span = most - least
    bottom, top = round_scale(least, most, 1.0 if span < 12 else 5.0 if span < 60 else 100.0)
    return bottom, max(top, bottom + 1.0)


def _ticks_x(plot: Plot, span: str, fmt: Formatter) -> list[tuple[str, str]]:
    """Some moments across, named: hours of a day, days of a month, months of a year."""
    out: list[tuple[str, str]] = []
    for share in (0.08, 0.29, 0.5, 0.71, 0.92):
        at_s = plot.from_s + share * (plot.to_s - plot.from_s)
        local = fmt.local(at_s)
        if span == "day":
            local = local.replace(minute=0, second=0)
            words = fmt.clock(local.hour)
        elif span in ("week", "month"):
            local = local.replace(hour=0, minute=0, second=0)
            words = fmt.short_day(local)
        else:
            local = local.replace(day=1, hour=0, minute=0, second=0)
            words = fmt.month(local.date()) if span == "year" else str(local.year)
        if plot.from_s <= local.timestamp() and (not out or out[-1][1] != words):
            out.append((plot.percent(local.timestamp()), words))
    return out


def _table(
    found: Steps, low: FloatArray, mean: FloatArray, high: FloatArray, part: str, fmt: Formatter
) -> list[tuple[str, str, str, str]]:
    """Lowest, mean and highest of each part, the newest first."""
    groups: dict[str, list[int]] = {}
    for i, at_s in enumerate(found.at_s):
        groups.setdefault(_part(fmt.local(float(at_s)), part, fmt), []).append(i)
    rows = []
    for name, of in groups.items():
        at = np.array(of)
        weighed = float(np.average(mean[at], weights=found.n[at]))
        rows.append((name, fmt.number(float(low[at].min())), fmt.number(weighed), fmt.number(float(high[at].max()))))
    return rows[::-1]


def _part(local: datetime, part: str, fmt: Formatter) -> str:
    if part == "hour":
        return fmt.clock(local.hour)
    if part == "day":
        return fmt.day(local)
    return f"{fmt.month(local.date())} {local.year}" if part == "month" else str(local.year)
