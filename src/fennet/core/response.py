"""Response of emergence to constant soil temperature, and its fit to trials.

Below the plateau this is thermal time: a fixed sum of degree-days above a base. Sources: garcia_huidobro_1982, bradford_1990.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from fennet.core.records import FloatArray

#: Under this share of the live seed a temperature is one at which none are expected. Source: starting_estimate.
HARDLY_ANY = 0.03


@dataclass(frozen=True)
class Response:
    """Five numbers of the rate and four of the share, each with a life of its own: °C, and 1/day at the plateau."""

    t_base_c: float
    t_lo_c: float
    t_hi_c: float
    t_ceil_c: float
    r_max_per_day: float
    share_none_below_c: float
    share_full_from_c: float
    share_full_to_c: float
    share_none_at_c: float

    def rate_per_day(self, soil_c: FloatArray | float) -> FloatArray:
        """1 / days to half emerged at a constant soil temperature; 0 at and beyond base and ceiling.

        Any shape in, the same out. Piecewise linear with a flat top. Source: garcia_huidobro_1982, bradford_1990.

        >>> Response(2, 22, 30, 36, 0.25, 0, 8, 30, 36).rate_per_day([2, 12, 22, 33]).tolist()
        [0.0, 0.125, 0.25, 0.125]
        """
        t = np.asarray(soil_c, dtype=float)
        rising = (t - self.t_base_c) / (self.t_lo_c - self.t_base_c)
        falling = (self.t_ceil_c - t) / (self.t_ceil_c - self.t_hi_c)
        return self.r_max_per_day * np.clip(np.minimum(rising, falling), 0.0, 1.0)

    def share(self, soil_c: FloatArray | float) -> FloatArray:
        """Share of live seed that germinates at all at a constant soil temperature, 0–1.

        A cold shoulder from `share_none_below_c` up to `share_full_from_c`, a hot one from `share_full_to_c` down to
        `share_none_at_c`, straight lines both. Not tied to the plateau of the rate: spinach halves where it is quickest.
        Source: harrington_minges_share.

        >>> Response(2, 22, 30, 36, 0.25, 0, 10, 25, 33).share([5, 15, 29, 34]).tolist()
        [0.5, 1.0, 0.5, 0.0]
        """
        t = np.asarray(soil_c, dtype=float)
        hot = (self.share_none_at_c - t) / (self.share_none_at_c - self.share_full_to_c)
        cold = (t - self.share_none_below_c) / (self.share_full_from_c - self.share_none_below_c)
        return np.clip(np.minimum(hot, cold), 0.0, 1.0)

    def share_expected(self, soil_c: float) -> float:
        """The share to tell for a constant soil temperature: none where none is expected in any time (`days_to_half`).

        >>> Response(2, 22, 30, 36, 0.25, 0, 10, 25, 33).share_expected(1.5)
        0.0
        """
        return 0.0 if self.days_to_half(soil_c) is None else float(self.share(soil_c))

    def days_to_half(self, soil_c: float) -> float | None:
        """Days from sowing to half emerged at a constant soil temperature; None where none are expected.

        >>> Response(2, 22, 30, 36, 0.25, 0, 8, 30, 36).days_to_half(12.0)
        8.0
        """
        rate = float(self.rate_per_day(soil_c))
        if rate <= 0 or float(self.share(soil_c)) < HARDLY_ANY:
            return None
        return 1.0 / rate


class Shape(NamedTuple):
    """Where a group's plateau usually lies, in °C: the pull of the fit, strong where trials are few."""

    t_base_c: float
    t_lo_c: float
    t_hi_c: float
    t_ceil_c: float


#: Group shapes and how firmly they are held (sd, °C). Source: starting_estimate, from the trials of the same group.
SHAPES: dict[str, Shape] = {
    "cool": Shape(1.5, 24.5, 30.0, 38.0),
    "onion": Shape(1.5, 23.5, 30.0, 37.0),
    "celery": Shape(0.0, 21.0, 26.0, 33.0),
    "warm": Shape(10.0, 26.5, 32.0, 40.0),
    "cucurbit": Shape(11.5, 28.0, 36.0, 42.0),
    "legume": Shape(2.0, 24.0, 31.0, 38.0),
    "bean": Shape(9.5, 27.0, 35.0, 41.0),
    "lettuce": Shape(-0.5, 23.0, 29.0, 36.0),
}
SHAPE_SD_C = Shape(1.2, 1.5, 1.5, 1.5)


class ShareShape(NamedTuple):
    """Where a group's share lies, in °C: none below, full from, full to, none above."""

    none_below_c: float
    full_from_c: float
    full_to_c: float
    none_at_c: float


#: Group shapes of the share and how firmly they are held (sd, °C). Source: starting_estimate, from the trials of the same group.
SHARE_SHAPES: dict[str, ShareShape] = {
    "cool": ShareShape(1.0, 11.0, 29.0, 40.0),
    "onion": ShareShape(-5.0, 5.0, 29.0, 40.0),
    "celery": ShareShape(-3.0, 6.0, 23.0, 33.0),
    "warm": ShareShape(8.0, 17.0, 30.0, 41.0),
    "cucurbit": ShareShape(12.0, 19.0, 36.0, 45.0),
    "legume": ShareShape(0.0, 6.0, 27.0, 38.0),
    "bean": ShareShape(9.0, 18.0, 29.0, 40.0),
    "lettuce": ShareShape(-5.0, 0.0, 26.0, 33.0),
}
SHARE_SHAPE_SD_C = 3.0
#: A shoulder is at least so wide, °C: seeds of a lot differ. Source: starting_estimate.
SHOULDER_LEAST_C = 2.0
#: Where a trial gives days, some came: the share ends so far beyond at least, and is usually full so far inside its coldest, °C.
#: Source: starting_estimate.
SHARE_BEYOND_TRIAL_C, FULL_INSIDE_TRIAL_C = 1.5, 8.0
#: How far a share of a trial may lie off a smooth curve; and what counts as the same. Sources: starting_estimate, the trials.
SHARE_SD, SHARE_TOLERANCE = 0.06, 0.15
#: A kind that came at a temperature in its trial has its base under it by so much at least, °C. Source: harrington_minges_1954.
BASE_UNDER_TRIAL_C = 0.2
#: What took longer in a trial is a foot under the line, not its end. Source: starting_estimate.
WAITED_MOST_D = 90.0


def tolerance_days(observed_d: FloatArray) -> FloatArray:
    """What counts as the same: within a day or a fifth. Source: the rounding of the trials themselves.

    >>> tolerance_days(np.array([3.0, 20.0])).tolist()
    [1.0, 4.0]
    """
    return np.maximum(1.0, 0.2 * observed_d)


def fit_response(soil_c: FloatArray, days: FloatArray, shape: Shape) -> Response:
    """Fit the rate's five numbers to constant-temperature trials; the share is left as wide as the rate (`fit_share` fits it).

    Least squares of the misses in units of the tolerance, pulled to the group's shape, from a few starts; deterministic.
    `soil_c`, `days`: same length, one or more cells. Raises ValueError for none. Source: garcia_huidobro_1982.

    >>> r = fit_response(np.array([10.0, 15, 20, 25]), np.array([20.0, 10, 6.7, 5]), SHAPES["cool"])
    >>> abs(r.days_to_half(18.0) - 7.7) < 0.6
    True
    """
    if len(days) == 0:
        raise ValueError("fit_response needs at least one trial cell")
    from scipy.optimize import least_squares

    prior = np.array(shape)
    sd = np.array(SHAPE_SD_C)
    # A rate of nothing where the trial saw seedlings would leave the search no slope to come down by.
    awaited = days <= WAITED_MOST_D
    base_most_c = float(np.min(soil_c[awaited] if awaited.any() else soil_c)) - BASE_UNDER_TRIAL_C

    def build(p: FloatArray) -> Response:
        base = base_most_c - np.exp(p[0])
        lo = base + np.exp(p[1])
        hi = lo + np.exp(p[2])
        ceiling = hi + np.exp(p[3])
        return Response(*(float(v) for v in (base, lo, hi, ceiling, np.exp(p[4]), base, lo, hi, ceiling)))

    def misses(p: FloatArray) -> FloatArray:
        r = build(p)
        predicted = 1.0 / np.maximum(r.rate_per_day(soil_c), 1e-3)
        scaled = (np.log(predicted) - np.log(days)) * days / tolerance_days(days)
        pull = (np.array([r.t_base_c, r.t_lo_c, r.t_hi_c, r.t_ceil_c]) - prior) / sd
        return np.concatenate([scaled / 0.45, pull])

    best: tuple[float, FloatArray] | None = None
    for shift_c in (-1.5, 0.0, 1.5):
        for speed in (0.8, 1.2):
            under_c = np.log(max(0.3, base_most_c - prior[0] - shift_c))
            start = np.array([under_c, *np.log(np.diff(prior)), np.log(speed / max(0.5, float(np.min(days))))])
            found = least_squares(misses, start, method="trf", max_nfev=400)
            if best is None or found.cost < best[0] - 1e-9:
                best = (float(found.cost), found.x)
    assert best is not None
    return build(best[1])


def fit_share(soil_c: FloatArray, shares: FloatArray, shape: ShareShape, came_c: tuple[float, float]) -> ShareShape:
    """Fit the share's four numbers to the shares that came at constant temperatures.

    Least squares in which a lone odd cell weighs little (soft L1), pulled to the group's shape, from a few starts;
    deterministic. `soil_c`, `shares` (0–1, of the best): same length, one or more cells; `came_c` the coldest and the hottest
    at which another trial saw some come. Source: harrington_minges_share.

    >>> cells_c, came = np.array([5.0, 10, 20, 25, 30, 35]), np.array([0.25, 0.5, 1.0, 1.0, 0.5, 0.0])
    >>> f = fit_share(cells_c, came, SHARE_SHAPES["cool"], (5.0, 30.0))
    >>> abs(f.full_to_c - 25) < 1.5 and abs(f.none_at_c - 35) < 1.5
    True
    """
    from scipy.optimize import least_squares

    coldest_c, hottest_c = came_c[0] - SHARE_BEYOND_TRIAL_C, came_c[1] + SHARE_BEYOND_TRIAL_C
    prior = np.array(
        [
            min(shape.none_below_c, coldest_c),
            min(shape.full_from_c, came_c[0] + FULL_INSIDE_TRIAL_C),
            shape.full_to_c,
            max(shape.none_at_c, hottest_c),
        ]
    )
    least_c = np.array([SHOULDER_LEAST_C, 0.0, SHOULDER_LEAST_C])

    def build(p: FloatArray) -> FloatArray:
        return np.asarray(np.cumsum([p[0], *(least_c + np.exp(p[1:]))]))

    def misses(p: FloatArray) -> FloatArray:
        none_below, full_from, full_to, none_at = found = build(p)
        cold = (soil_c - none_below) / (full_from - none_below)
        hot = (none_at - soil_c) / (none_at - full_to)
        off = (np.clip(np.minimum(cold, hot), 0.0, 1.0) - shares) / SHARE_SD
        outside = np.array([max(0.0, none_below - coldest_c), max(0.0, hottest_c - none_at)]) / SHARE_SD
        return np.concatenate([off, (found - prior) / SHARE_SHAPE_SD_C, outside])

    best: tuple[float, FloatArray] | None = None
    # A cell on the far side of a shoulder leaves no slope to come down by: some starts lie beyond it.
    for cold_c in (-3.0, 0.0, 4.0, 9.0):
        for hot_c in (-4.0, 0.0, 6.0):
            ends = np.maximum.accumulate(prior + np.array([cold_c, cold_c, hot_c, hot_c]))
            start = np.array([ends[0], *np.log(np.maximum(np.diff(ends) - least_c, 0.2))])
            found = least_squares(misses, start, loss="soft_l1", max_nfev=400)
            if best is None or found.cost < best[0] - 1e-9:
                best = (float(found.cost), found.x)
    assert best is not None
    return ShareShape(*(float(v) for v in build(best[1])))
