"""Time in a band: by duration, not by number of readings, with gaps left out and told."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.records import FloatArray

HOUR_S = 3_600.0


@dataclass(frozen=True)
class Spell:
    """One unbroken stretch outside the band: from, to (seconds UTC), and how far out it went at its worst."""

    from_s: float
    to_s: float
    furthest: float
    side: str


@dataclass(frozen=True)
class TimeInBand:
    """How a figure stood against a band. Hours known and not known; hours in, under and over; and unit-hours missed.

    `under_unit_h` is what was missing below the band times how long (degree-hours for a temperature), `over_unit_h` likewise.
    """

    known_h: float
    gap_h: float
    in_h: float
    under_h: float
    over_h: float
    under_unit_h: float
    over_unit_h: float
    worst: Spell | None

    @property
    def share(self) -> float | None:
        """Share of the known time in band, None when nothing is known."""
        return self.in_h / self.known_h if self.known_h > 0 else None


def time_in_band(
    at_s: FloatArray, value: FloatArray, low: FloatArray | float, high: FloatArray | float, join_s: float = 12 * HOUR_S
) -> TimeInBand:
    """Time a figure spent in, under and over its band, the figure going straight from reading to reading.

    `at_s` rising seconds, `value` the same length; `low` and `high` constants or arrays of the same length (the band that
    holds from that reading to the next). Steps longer than `join_s`, or with NaN at an end, are gaps: reported and not
    counted. Exact for straight lines, so splitting a step changes nothing. Source: growers_rule.

    >>> t = time_in_band(np.array([0.0, 3600.0]), np.array([10.0, 14.0]), 12.0, 20.0)
    >>> t.under_h, t.in_h, t.under_unit_h
    (0.5, 0.5, 0.5)
    """
    at_s, value = np.asarray(at_s, dtype=float), np.asarray(value, dtype=float)
    if len(at_s) < 2:
        return TimeInBand(0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, None)
    dt_s = np.diff(at_s)
    v0, v1 = value[:-1], value[1:]
    lows = np.broadcast_to(np.asarray(low, dtype=float), at_s.shape)[:-1]
    highs = np.broadcast_to(np.asarray(high, dtype=float), at_s.shape)[:-1]
    known = (dt_s <= join_s) & ~np.isnan(v0) & ~np.isnan(v1)
    under_share, under_area = _beyond(lows - v0, lows - v1)
    over_share, over_area = _beyond(v0 - highs, v1 - highs)
    hours = np.where(known, dt_s / HOUR_S, 0.0)
    under_h, over_h = float(np.nansum(hours * under_share)), float(np.nansum(hours * over_share))
    known_h = float(hours.sum())
    return TimeInBand(
        known_h,
        float((dt_s / HOUR_S).sum()) - known_h,
        known_h - under_h - over_h,
        under_h,
        over_h,
        float(np.nansum(hours * under_area)),
        float(np.nansum(hours * over_area)),
        _worst(
            at_s, known, hours, ((lows - v0, lows - v1, under_share, under_area), (v0 - highs, v1 - highs, over_share, over_area))
        ),
    )


def _beyond(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
    """For a straight line from a to b: the share of the way above zero, and the mean of its part above zero."""
    top, bottom = np.maximum(a, b), np.minimum(a, b)
    span = np.where(top > bottom, top - bottom, 1.0)
    share = np.where(bottom >= 0, 1.0, np.where(top <= 0, 0.0, top / span))
    # At exactly the limit the figure is inside.
    share = np.where((bottom == 0) & (top == 0), 0.0, share)
    area = np.where(bottom >= 0, (a + b) / 2, np.where(top <= 0, 0.0, top * top / (2 * span)))
    return share, area


def _worst(at_s: FloatArray, known: np.ndarray, hours: FloatArray, sides: Sequence[tuple[FloatArray, ...]]) -> Spell | None:
    """The spell that cost most: unbroken steps with time outside on one side, by the area outside. `sides`: under, then over,
    each how far each step begins and ends outside, and what `_beyond` makes of it."""
    best: tuple[float, Spell] | None = None
    for side, (a, b, share, area) in zip(("under", "over"), sides, strict=True):
        out = known & (share > 0)
        edges = np.flatnonzero(np.diff(np.concatenate([[False], out, [False]]).astype(int)))
        for start, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
            cost = float((area * hours)[start:end].sum())
            if best is None or cost > best[0]:
                first, last = at_s[start], at_s[end]
                if a[start] < 0:
                    first += (at_s[start + 1] - at_s[start]) * (1 - share[start])
                if b[end - 1] < 0:
                    last -= (at_s[end] - at_s[end - 1]) * (1 - share[end - 1])
                furthest = float(max(a[start:end].max(), b[start:end].max()))
                best = (cost, Spell(float(first), float(last), furthest, side))
    return best[1] if best else None
