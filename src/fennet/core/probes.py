"""Whether a logger can be gone by, whatever it measures: one that stands still tells nothing, however right its figure looks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fennet.core.records import Series

HOUR_S = 3_600.0
#: So many readings over so long, h, without the least change are a stuck probe; of one that reads to half degrees, over a day:
#: soil that a thermostat holds may stay within one step for hours. Source: starting_estimate.
STUCK_READINGS, STUCK_H, COARSE_STUCK_H, COARSE_C = 10, 12.0, 24.0, 0.5
#: Air in a cellar and mix under a lid stay as they are for longer than soil with a day around it; a probe of moisture at an end
#: of its scale tells wet or dry, and may stay there. Source: starting_estimate.
LONGER = {"air_temperature": 2.0, "moisture": 3.0}
ENDS_PCT = (2.0, 98.0)


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
