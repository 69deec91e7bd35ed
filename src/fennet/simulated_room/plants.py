"""Simulated seed: each kind's truth is drawn from stated ranges, once a batch.

Response: a beta function of soil temperature (base, optimum, ceiling), not a broken line. Waits: gamma, not log-normal.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Kind:
    """Ranges (low, high) a batch's truth is drawn from: °C, days at the optimum, spread of waits (sd / mean), share alive."""

    base_c: tuple[float, float]
    best_c: tuple[float, float]
    ceiling_c: tuple[float, float]
    days_at_best: tuple[float, float]
    spread: tuple[float, float] = (0.16, 0.32)
    alive: tuple[float, float] = (0.72, 0.95)


#: Ranges set by hand from packets and growers' notes; they are this simulator's own and not the crop table's.
KINDS: dict[str, Kind] = {
    "leek": Kind((0.5, 2.5), (21, 26), (35, 39), (5.5, 8.5)),
    "celeriac": Kind((-0.5, 3.0), (19, 23), (31, 35), (8, 12), (0.22, 0.38), (0.6, 0.9)),
    "parsley": Kind((-0.5, 2.0), (20, 26), (32, 36), (10, 14), (0.22, 0.36), (0.6, 0.9)),
    "tomatillo": Kind((8, 11.5), (26, 30), (37, 41), (4.5, 6.5)),
    "shiso": Kind((8, 11), (25, 29), (36, 40), (6, 9.5), (0.22, 0.36), (0.5, 0.85)),
    "pak_choi": Kind((0.5, 3.0), (24, 29), (36, 40), (3, 4.5), (0.12, 0.24), (0.8, 0.97)),
    "snapdragon": Kind((1, 4), (21, 26), (32, 37), (5.5, 8.5)),
    "statice": Kind((1, 4), (21, 26), (33, 37), (5.5, 8.5)),
    "cosmos": Kind((7, 11), (25, 29), (37, 41), (3.2, 4.8), (0.14, 0.26)),
    "onion": Kind((0.5, 3), (23, 28), (35, 39), (3.6, 5), (0.15, 0.3)),
    "lettuce": Kind((-2, 0.5), (22, 26), (33, 36), (2.6, 3.8), (0.13, 0.25)),
    "tomato": Kind((6.5, 9.5), (26, 30), (37, 41), (5, 6.6), (0.15, 0.28)),
    "pepper": Kind((9, 11.5), (26, 31), (37, 41), (7, 9), (0.18, 0.32)),
    "cabbage": Kind((1, 3.5), (25, 29), (36, 40), (4.2, 5.4), (0.13, 0.24), (0.8, 0.97)),
}


class Truth:
    """What one batch of seed really is. `rate_per_day` is its beta response; each seed waits its own gamma time."""

    def __init__(self, crop: str, rng: np.random.Generator, alive: float | None = None, kind: Kind | None = None) -> None:
        kind = kind or KINDS[crop]

        def drawn(span: tuple[float, float]) -> float:
            return float(rng.uniform(*span))

        self.base_c, self.best_c, self.ceiling_c = drawn(kind.base_c), drawn(kind.best_c), drawn(kind.ceiling_c)
        # Varieties of a kind differ in pace.
        self.days_at_best = drawn(kind.days_at_best) * float(np.exp(rng.normal(0, 0.10)))
        self.spread = drawn(kind.spread)
        self.alive = drawn(kind.alive) if alive is None else alive

    def rate_per_day(self, soil_c: np.ndarray) -> np.ndarray:
        """Progress a day, 1 being a mean wait, for soil temperatures in °C."""
        t = np.clip(soil_c, self.base_c, self.ceiling_c)
        power = (self.best_c - self.base_c) / (self.ceiling_c - self.best_c)
        shape = (self.ceiling_c - t) / (self.ceiling_c - self.best_c) * ((t - self.base_c) / (self.best_c - self.base_c)) ** power
        return np.asarray(np.clip(shape, 0.0, 1.0) / self.days_at_best)

    def waits(self, rng: np.random.Generator, n: int) -> np.ndarray:
        """Progress each of `n` seeds needs; infinite for the dead."""
        k = 1.0 / self.spread**2
        waits = rng.gamma(k, 1.0 / k, n)
        return np.where(rng.random(n) < self.alive, waits, np.inf)
