"""Whether a logger can be gone by, whatever it measures: one that stands still, lies in the open, shows what cannot be or moves
away from what else is read beside it tells of itself, however right its figure looks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.exposure import JUMP_C, OPEN_AT_MOST_S, jumps_of
from fennet.core.records import Series, is_logger

HOUR_S = 3_600.0
#: So many readings over so long, h, without the least change are a stuck probe; of one that reads to half degrees, over a day:
#: soil that a thermostat holds may stay within one step for hours. Source: starting_estimate.
STUCK_READINGS, STUCK_H, COARSE_STUCK_H, COARSE_C = 10, 12.0, 24.0, 0.5
#: Air in a cellar and mix under a lid stay as they are for longer than soil with a day around it; a probe of moisture at an end
#: of its scale tells wet or dry, and may stay there. Source: starting_estimate.
LONGER = {"air_temperature": 2.0, "moisture": 3.0}
ENDS_PCT = (2.0, 98.0)
#: What a probe in a tray indoors cannot read for hours: a slip of the unit, a probe on the mat itself, a broken wire; moisture
#: that its calibration makes nonsense of. Source: growers_rule for soil; starting_estimate.
POSSIBLE = {"soil_temperature": (-8.0, 45.0), "air_temperature": (-15.0, 50.0), "moisture": (-3.0, 118.0)}
IMPOSSIBLE_H, IMPOSSIBLE_READINGS = 2.0, 2
#: A jump out of the mix is believed where it has lasted so long, h, and so much of it stands. Source: starting_estimate.
FALLEN_AFTER_H, FALLEN_STANDS = 2.0, 0.7
#: Two that are read at one place have come so far apart, °C or points, over the last weeks, ever in one direction. Source:
#: starting_estimate.
APART = {"soil_temperature": 1.5, "air_temperature": 1.5, "moisture": 15.0, "humidity": 12.0}
DRIFT_DAYS, DRIFT_LEAST_DAYS, DRIFT_STEADY = 28.0, 7, 0.85
#: A logger's figure beside one by hand is the nearest within so long, s.
BESIDE_S = 1.5 * HOUR_S


@dataclass(frozen=True)
class Stuck:
    """A probe that stands still: the figure it shows, and since when (seconds UTC)."""

    value: float
    since_s: float


def stuck(series: Series, at_s: float) -> Stuck | None:
    """Whether a logger stands still at a moment (seconds UTC). What never moved since it began may be a figure typed once and
    repeated, and is none. Source: starting_estimate.

    >>> at = np.arange(60) * HOUR_S
    >>> value = np.where(at < 30 * HOUR_S, 20 + np.sin(at / 9000), 21.3)
    >>> found = stuck(Series("A", "soil_temperature", "p", at, value, np.zeros(60, bool)), 60 * HOUR_S)
    >>> found.value, found.since_s / HOUR_S
    (21.3, 30.0)
    """
    if not len(series.at_s) or float(np.ptp(series.value)) == 0.0:
        return None
    coarse = bool(np.all(np.abs(series.value / COARSE_C - np.round(series.value / COARSE_C)) < 1e-6))
    long_h = (COARSE_STUCK_H if coarse else STUCK_H) * LONGER.get(series.quantity, 1.0)
    recent = series.only(series.at_s > at_s - long_h * HOUR_S)
    spans_h = float(recent.at_s[-1] - recent.at_s[0]) / HOUR_S if len(recent.at_s) else 0.0
    if len(recent.at_s) < STUCK_READINGS or spans_h <= 0.75 * long_h or float(np.ptp(recent.value)) != 0.0:
        return None
    last = float(series.value[-1])
    if series.quantity == "moisture" and not ENDS_PCT[0] < last < ENDS_PCT[1]:
        return None
    moved = np.flatnonzero(series.value != last)
    return Stuck(last, float(series.at_s[moved[-1] + 1]))


@dataclass(frozen=True)
class Impossible:
    """A probe that shows what cannot be: its last figure, and since when (seconds UTC)."""

    value: float
    since_s: float


def impossible(series: Series, at_s: float) -> Impossible | None:
    """Whether a logger has shown for hours what no tray indoors can be. Source: growers_rule, starting_estimate.

    >>> at = np.arange(12) * HOUR_S
    >>> value = np.where(at < 8 * HOUR_S, 21.0, 69.8)
    >>> impossible(Series("A", "soil_temperature", "p", at, value, np.zeros(12, bool)), 11 * HOUR_S)
    Impossible(value=69.8, since_s=28800.0)
    """
    known = series.until(at_s)
    if series.quantity not in POSSIBLE or not len(known.at_s):
        return None
    low, high = POSSIBLE[series.quantity]
    out = (known.value < low) | (known.value > high)
    run = len(out) - 1 - (int(np.flatnonzero(~out)[-1]) if not out.all() else -1)
    since_s = float(known.at_s[-run]) if run else at_s
    lasts = run >= IMPOSSIBLE_READINGS and float(known.at_s[-1]) - since_s >= IMPOSSIBLE_H * HOUR_S
    return Impossible(float(known.value[-1]), since_s) if lasts else None


@dataclass(frozen=True)
class FallenOut:
    """A probe that seems to lie in the open: what it showed in the mix and shows now, °C, and since when (seconds UTC)."""

    was_c: float
    now_c: float
    since_s: float


def fallen_out(soil: Series, at_s: float) -> FallenOut | None:
    """Whether a logger in the mix made a jump that no mix can make, and has not jumped back. One whose jump wears off was a can
    of cold water. Source: starting_estimate.

    >>> at = np.arange(48) * 1800.0
    >>> value = np.where(at < 20 * HOUR_S, 24.0, 17.5) + 0.1 * np.sin(at)
    >>> found = fallen_out(Series("A", "soil_temperature", "p", at, value, np.zeros(48, bool)), 24 * HOUR_S)
    >>> found.since_s / HOUR_S, round(found.was_c), round(found.now_c, 1)
    (20.0, 24, 17.5)
    """
    known = soil.until(at_s)
    jumps = jumps_of(known)
    # One that began on the bench, or was pulled out and put back, jumped twice.
    if not len(jumps) or known.at_s[jumps[-1]] < at_s - OPEN_AT_MOST_S:
        return None
    last = int(jumps[-1])
    step_c = float(known.value[last + 1] - known.value[last])
    earlier = [j for j in jumps[:-1] if known.at_s[last] - known.at_s[j] <= OPEN_AT_MOST_S]
    if earlier and float(known.value[earlier[-1] + 1] - known.value[earlier[-1]]) * step_c < 0:
        return None
    since = known.value[last + 1 :]
    lasts_h = float(known.at_s[-1] - known.at_s[last + 1]) / HOUR_S
    was_c, now_c = float(known.value[last]), float(np.median(since))
    first_h = float(known.at_s[last] - known.at_s[0]) / HOUR_S
    stands = abs(now_c - was_c) >= max(FALLEN_STANDS * abs(step_c), FALLEN_STANDS * JUMP_C) and (now_c - was_c) * step_c > 0
    if lasts_h < FALLEN_AFTER_H or first_h < FALLEN_AFTER_H or not stands:
        return None
    return FallenOut(was_c, float(known.value[-1]), float(known.at_s[last + 1]))


@dataclass(frozen=True)
class Drifting:
    """A logger that moves away from what is read beside it: by what, how far over the weeks, since when (seconds UTC), and
    whether the other was read by hand, so that it is this one that goes wrong."""

    other: str
    apart: float
    since_s: float
    by_hand: bool


def drifting(series: Series, others: Sequence[Series], at_s: float) -> Drifting | None:
    """Whether a logger comes steadily apart from another thermometer or moisture probe of its place. Of two loggers neither is
    known to be the wrong one. Source: starting_estimate.

    >>> at = np.arange(20 * 24) * HOUR_S
    >>> one, other = (Series("A", "soil_temperature", k, at, 21 + np.sin(at / 13_751) + at / 86_400 * d, np.zeros(480, bool))
    ...               for k, d in (("p", 0.15), ("q", 0.0)))
    >>> found = drifting(one, [other], 20 * 86_400.0)
    >>> found.other, round(found.apart, 1), found.by_hand, drifting(other, [other.only(at < 0)], 20 * 86_400.0)
    ('q', 2.9, False, None)
    """
    if series.quantity not in APART:
        return None
    from_s = at_s - DRIFT_DAYS * 24 * HOUR_S
    mine = series.only((series.at_s > from_s) & (series.at_s <= at_s) & ~series.estimated)
    for other in others:
        beside = other.only((other.at_s > from_s) & (other.at_s <= at_s) & ~other.estimated)
        if len(mine.at_s) < 2 or len(beside.at_s) < 2:
            continue
        near = np.clip(np.searchsorted(mine.at_s, beside.at_s), 1, len(mine.at_s) - 1)
        close_s = np.minimum(abs(mine.at_s[near] - beside.at_s), abs(mine.at_s[near - 1] - beside.at_s))
        met = close_s <= BESIDE_S
        off = (np.interp(beside.at_s, mine.at_s, mine.value) - beside.value)[met]
        day, which = np.unique((beside.at_s[met] // (24 * HOUR_S)).astype(int), return_inverse=True)
        if len(day) < DRIFT_LEAST_DAYS:
            continue
        by_day = np.bincount(which, off) / np.bincount(which)
        slope, _ = np.polyfit(day - day[0], by_day, 1)
        apart = float(slope * (day[-1] - day[0]))
        steady = float(np.corrcoef(day, by_day)[0, 1]) if np.ptp(by_day) > 0 else 0.0
        if abs(apart) >= APART[series.quantity] and abs(steady) >= DRIFT_STEADY:
            return Drifting(other.source or "", apart, float(day[0] * 24 * HOUR_S), not is_logger(other))
    return None
