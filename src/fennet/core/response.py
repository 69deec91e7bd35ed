"""Response of emergence to constant soil temperature, and its fit to trials.

Below the plateau this is thermal time: a fixed sum of degree-days above a base. Sources: garcia_huidobro_1982, bradford_1990.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from fennet.core.records import FloatArray

#: Share of live seed that still germinates at the base temperature, and how far above it all do. Source: starting_estimate.
SHARE_AT_BASE = 0.5
COLD_SHARE_SPAN_C = 3.0


@dataclass(frozen=True)
class Response:
    """Five numbers of the rate, two of the share: °C, and 1/day at the plateau."""

    t_base_c: float
    t_lo_c: float
    t_hi_c: float
    t_ceil_c: float
    r_max_per_day: float
    share_full_to_c: float
    share_none_at_c: float

    def rate_per_day(self, soil_c: FloatArray | float) -> FloatArray:
        """1 / days to half emerged at a constant soil temperature; 0 at and beyond base and ceiling.

        Any shape in, the same out. Piecewise linear with a flat top. Source: garcia_huidobro_1982, bradford_1990.

        >>> Response(2, 22, 30, 36, 0.25, 30, 36).rate_per_day([2, 12, 22, 33]).tolist()
        [0.0, 0.125, 0.25, 0.125]
        """
        t = np.asarray(soil_c, dtype=float)
        rising = (t - self.t_base_c) / (self.t_lo_c - self.t_base_c)
        falling = (self.t_ceil_c - t) / (self.t_ceil_c - self.t_hi_c)
        return self.r_max_per_day * np.clip(np.minimum(rising, falling), 0.0, 1.0)

    def share(self, soil_c: FloatArray | float) -> FloatArray:
        """Share of live seed that germinates at all at a soil temperature, 0–1.

        Full between a little above the base and `share_full_to_c`; then linearly to 0 at `share_none_at_c`; near the base it
        falls slowly to a half (a rule of thumb). Source: starting_estimate.

        >>> Response(2, 22, 30, 36, 0.25, 25, 33).share([2, 15, 29, 34]).tolist()
        [0.5, 1.0, 0.5, 0.0]
        """
        t = np.asarray(soil_c, dtype=float)
        hot = (self.share_none_at_c - t) / (self.share_none_at_c - self.share_full_to_c)
        cold = SHARE_AT_BASE + (1 - SHARE_AT_BASE) * (t - self.t_base_c) / COLD_SHARE_SPAN_C
        return np.clip(np.minimum(hot, np.maximum(cold, SHARE_AT_BASE)), 0.0, 1.0)

    def days_to_half(self, soil_c: float) -> float | None:
        """Days from sowing to half emerged at a constant soil temperature; None where none are expected.

        >>> Response(2, 22, 30, 36, 0.25, 30, 36).days_to_half(12.0)
        8.0
        """
        rate = float(self.rate_per_day(soil_c))
        if rate <= 0 or float(self.share(soil_c)) <= 0:
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


def tolerance_days(observed_d: FloatArray) -> FloatArray:
    """What counts as the same: within a day or a fifth. Source: the rounding of the trials themselves.

    >>> tolerance_days(np.array([3.0, 20.0])).tolist()
    [1.0, 4.0]
    """
    return np.maximum(1.0, 0.2 * observed_d)


def fit_response(soil_c: FloatArray, days: FloatArray, shape: Shape) -> Response:
    """Fit the rate's five numbers to constant-temperature trials.

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

    def build(p: FloatArray) -> Response:
        base, rise, flat, fall, log_r = p
        lo = base + np.exp(rise)
        hi = lo + np.exp(flat)
        return Response(
            float(base), float(lo), float(hi), float(hi + np.exp(fall)), float(np.exp(log_r)), float(hi), float(hi + np.exp(fall))
        )

    def misses(p: FloatArray) -> FloatArray:
        r = build(p)
        predicted = 1.0 / np.maximum(r.rate_per_day(soil_c), 1e-3)
        scaled = (np.log(predicted) - np.log(days)) * days / tolerance_days(days)
        pull = (np.array([r.t_base_c, r.t_lo_c, r.t_hi_c, r.t_ceil_c]) - prior) / sd
        return np.concatenate([scaled / 0.45, pull])

    best: tuple[float, FloatArray] | None = None
    for shift_c in (-1.5, 0.0, 1.5):
        for speed in (0.8, 1.2):
            start = np.array([prior[0] + shift_c, *np.log(np.diff(prior)), np.log(speed / max(0.5, float(np.min(days))))])
            found = least_squares(misses, start, method="trf", max_nfev=400)
            if best is None or found.cost < best[0] - 1e-9:
                best = (float(found.cost), found.x)
    assert best is not None
    return build(best[1])
