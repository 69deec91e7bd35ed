"""From figures to places on paper. A plot is 1000 wide and `height` high and stretches with the page; words are placed in
percent so that they keep their size."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from fennet.core.records import FloatArray
from fennet.presentation.formatter import Formatter

WIDTH = 1000.0
#: More points than this on a line show nothing more.
MOST_POINTS = 600


@dataclass(frozen=True)
class Plot:
    """Time across, a figure up."""

    from_s: float
    to_s: float
    low: float
    high: float
    height: float

    def x(self, at_s: float) -> float:
        return round((at_s - self.from_s) / max(self.to_s - self.from_s, 1.0) * WIDTH, 1)

    def percent(self, at_s: float) -> str:
        return f"{self.x(at_s) / 10:.2f}%"

    def y(self, value: float) -> float:
        share = (value - self.low) / max(self.high - self.low, 1e-9)
        return round(self.height * (1 - min(max(share, 0.0), 1.0)), 1)

    def line(self, at_s: FloatArray, value: FloatArray) -> str:
        """Points of a polyline; thinned to the least and the greatest of each stretch."""
        at_s, value = thinned(at_s, value)
        x = (at_s - self.from_s) / max(self.to_s - self.from_s, 1.0) * WIDTH
        y = self.height * (1 - np.clip((value - self.low) / max(self.high - self.low, 1e-9), 0.0, 1.0))
        return " ".join(map("{:.1f},{:.1f}".format, x.tolist(), y.tolist()))

    def area(self, at_s: FloatArray, low: FloatArray, high: FloatArray) -> str:
        return f"{self.line(at_s, high)} {self.line(at_s[::-1], low[::-1])}"

    def steps(self, at_s: Sequence[float], total: Sequence[int], until_s: float) -> str:
        """A staircase of running totals from the left edge to a moment."""
        points = [(self.from_s, 0.0)]
        for t, n in zip(at_s, total, strict=True):
            points += [(t, points[-1][1]), (t, float(n))]
        points.append((until_s, points[-1][1]))
        return " ".join(f"{self.x(t)},{self.y(v)}" for t, v in points)


def thinned(at_s: FloatArray, value: FloatArray) -> tuple[FloatArray, FloatArray]:
    """A line with no more points than show, every peak and trough kept."""
    if len(at_s) <= MOST_POINTS:
        return at_s, value
    n = MOST_POINTS // 2
    parts = np.array_split(np.arange(len(at_s)), n)
    keep = sorted({int(i) for p in parts for i in (p[np.argmin(value[p])], p[np.argmax(value[p])])})
    return at_s[keep], value[keep]


@dataclass(frozen=True)
class Tick:
    at: str
    x: float
    words: str
    minor: bool
    anchor: str


def day_ticks(plot: Plot, fmt: Formatter, most: int = 7) -> list[Tick]:
    """Local midnights across a plot, at most `most` of them named; every second name is minor and goes on a narrow page."""
    first = fmt.local(plot.from_s)
    midnight = datetime(first.year, first.month, first.day) + timedelta(days=1)
    n_days = max(1, round((plot.to_s - plot.from_s) / 86_400))
    every = max(1, -(-n_days // most))
    out: list[Tick] = []
    for i in range(0, n_days + 1, every):
        at = (midnight + timedelta(days=i)).replace(tzinfo=fmt.zone).timestamp()
        if plot.from_s <= at <= plot.to_s and plot.x(at) < 965:
            out.append(
                Tick(plot.percent(at), plot.x(at), fmt.short_day(at), len(out) % 2 == 1, "start" if plot.x(at) < 40 else "middle")
            )
    return out


def round_scale(low: float, high: float, step: float) -> tuple[float, float]:
    """Bounds widened to whole steps."""
    return float(np.floor(low / step) * step), float(np.ceil(high / step) * step)
