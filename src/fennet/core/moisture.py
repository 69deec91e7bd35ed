"""What moisture does to germination: hydrotime in its plainest form."""

from __future__ import annotations

import numpy as np

from fennet.core.records import FloatArray

#: Percent of capacity where water is held too tightly for seed to advance, and from where it no longer matters.
#: Source: gummerson_1986.
DRY_PCT, MOIST_PCT = 25.0, 55.0
#: Over this for more than a day the mix is waterlogged. Source: starting_estimate.
LOGGED_PCT, LOGGED_GRACE_D = 105.0, 1.0
#: Viability lost a day: waterlogged at 20 °C (grows by a tenth for each degree), and dried out after a third of progress.
#: Source: starting_estimate.
LOGGED_LOSS_PER_DAY, LOGGED_LOSS_PER_C, DRY_LOSS_PER_DAY = 0.10, 0.10, 0.30
KILLS_FROM_PROGRESS = 1.0 / 3.0


def advance(moisture_pct: FloatArray) -> FloatArray:
    """Factor on the rate of emergence, 0–1, for moisture in percent of capacity; NaN (not recorded) counts as moist.

    Rises from 0 at 25 % to 1 at 55 %. Source: gummerson_1986, bradford_1990.

    >>> advance(np.array([20.0, 40.0, 70.0, np.nan])).tolist()
    [0.0, 0.5, 1.0, 1.0]
    """
    w = np.clip((moisture_pct - DRY_PCT) / (MOIST_PCT - DRY_PCT), 0.0, 1.0)
    return np.where(np.isnan(moisture_pct), 1.0, w)


#: Soil over this kills seed, so much of it a day. Source: growers_rule, starting_estimate.
KILLING_SOIL_C, HEAT_LOSS_PER_DAY = 40.0, 0.7


def heat_survival(soil_c: FloatArray, progress: FloatArray, step_d: float) -> float:
    """Share of the seed that soil over 40 °C left alive while it waited. Arrays of one length, `step_d` days apart.

    >>> round(heat_survival(np.array([25.0, 42.0, 42.0, 25.0]), np.zeros(4), 0.5), 2)
    0.5
    """
    days = float(((soil_c > KILLING_SOIL_C) & (progress <= 1.0)).sum()) * step_d
    return float(np.exp(-HEAT_LOSS_PER_DAY * days))


def survival(moisture_pct: FloatArray, soil_c: FloatArray, progress: FloatArray, step_d: float) -> FloatArray:
    """Share of the seed still alive over time after drying out and waterlogging, 1 at the start.

    Arrays of one length on an even grid of `step_d` days; `progress` in median waits. Drying kills only after a third of
    the way; waterlogging counts from the second day on, more in warm mix. Source: starting_estimate.

    >>> survival(np.full(3, 60.0), np.full(3, 20.0), np.zeros(3), 1.0).tolist()
    [1.0, 1.0, 1.0]
    """
    m = np.where(np.isnan(moisture_pct), 60.0, moisture_pct)
    dry = (m < DRY_PCT) & (progress > KILLS_FROM_PROGRESS)
    over = m > LOGGED_PCT
    # Length of the wet spell so far, at each step: steps since the last one that was not over.
    index = np.arange(len(m))
    last_fine = np.maximum.accumulate(np.where(over, -1, index))
    logged = over & ((index - last_fine) * step_d > LOGGED_GRACE_D)
    warm = np.clip(1.0 + LOGGED_LOSS_PER_C * (soil_c - 20.0), 0.5, 2.0)
    loss = np.where(dry, DRY_LOSS_PER_DAY, 0.0) + np.where(logged, LOGGED_LOSS_PER_DAY * warm, 0.0)
    return np.asarray(np.exp(-np.concatenate([[0.0], np.cumsum(loss[:-1] * step_d)])))
