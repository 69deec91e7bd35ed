"""How much of a lot is alive, and how quick it still is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np
from scipy.special import betaincinv, ndtr, ndtri

from fennet.core.crop import LEARNED_HERE, Crop
from fennet.core.records import Batch, FloatArray, Journal, SeedLot, SeedTest
from fennet.core.working import Input, Working

#: What a label is worth, in seeds; and the rate where there is no label. Source: starting_estimate.
PRIOR_WEIGHT_SEEDS = 20.0
USUAL_RATE = 0.85
#: Probits lost over one half-life (95 % to 50 %). Source: ellis_roberts_1980.
PROBITS_PER_HALF_LIFE = 1.645
#: How far lots of one label lie apart, in probits: when packed, and more for each year since. Source: growers_rule.
LOT_SD, LOT_SD_PER_YEAR = 0.4, 0.1
#: A packet bought for a year was tested for it: it ages from the start of that year's season. Source: growers_rule.
SEASON_BEGINS = (2, 1)
#: Storage against room-cool dry, as a factor on the half-life. Source: starting_estimate.
STORAGE_FACTOR = {"room": 1.0, "cold_dry": 3.0, "warm_damp": 0.5}
#: Old seed is slow: the rate is multiplied by this for every half probit lost. Source: starting_estimate.
SPEED_PER_HALF_PROBIT = 0.94
#: Beyond this many probits the little that lives is not slower still. Source: starting_estimate.
PROBITS_LOST_AT_MOST = 3.0
DAYS_PER_YEAR = 365.25


@dataclass(frozen=True)
class SeedState:
    """What is believed of a lot on one day: the share alive as Beta(a, b), and its speed against fresh seed."""

    a: float
    b: float
    speed: float
    working: Working

    @property
    def mean(self) -> float:
        return self.a / (self.a + self.b)

    def quantiles(self, p: FloatArray) -> FloatArray:
        """Share alive at probabilities `p`."""
        return np.asarray(betaincinv(self.a, self.b, p))


def aged(rate: float, years: float, half_life_y: float) -> float:
    """The share alive after some years: probits fall in a straight line.

    Range: rate in (0, 1), years ≥ 0, half_life_y > 0. Source: ellis_roberts_1980.

    >>> round(aged(0.95, 2.0, 2.0), 2)
    0.5
    """
    clipped = min(max(rate, 1e-4), 1 - 1e-4)
    return float(ndtr(ndtri(clipped) - PROBITS_PER_HALF_LIFE / half_life_y * max(0.0, years)))


_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(21)


def aged_belief(a: float, b: float, years: float, half_life_y: float, untested: bool = True) -> tuple[float, float]:
    """Beta(a, b) over the share alive after some years: the middle falls in probits, and lots drift apart. What is `untested` is
    known by its label alone, from which lots lie apart whatever it says.

    Range: a, b > 0, years ≥ 0. Source: ellis_roberts_1980; the spread between lots is growers_rule.

    >>> a, b = aged_belief(17.0, 3.0, 3.0, 4.5)
    >>> 0.4 < a / (a + b) < 0.55 and a + b < 10
    True
    """
    if years <= 0:
        return a, b
    if untested:
        # The label is the mean of its lots, and they are skewed about it.
        mid, sd = float(ndtri(a / (a + b))) * float(np.hypot(1.0, LOT_SD)), LOT_SD
    else:
        low, mid, high = (float(ndtri(np.clip(q, 1e-6, 1 - 1e-6))) for q in betaincinv(a, b, [0.1587, 0.5, 0.8413]))
        sd = (high - low) / 2
    sd += LOT_SD_PER_YEAR * years
    return _beta_of(mid - PROBITS_PER_HALF_LIFE / half_life_y * years, sd)


def _beta_of(probit: float, sd: float) -> tuple[float, float]:
    """The Beta that is like a share whose probit is normal: its mean and variance."""
    alive = np.clip(ndtr(probit + sd * _NODES), 1e-6, 1 - 1e-6)
    weight = _WEIGHTS / _WEIGHTS.sum()
    mean = float((alive * weight).sum())
    mean = min(max(mean, 0.005), 0.995)
    variance = max(float(((alive - mean) ** 2 * weight).sum()), 1e-6)
    n = max(1.5, mean * (1 - mean) / variance - 1)
    return mean * n, (1 - mean) * n


def seed_state(crop: Crop, lot: SeedLot | None, on: date) -> SeedState:
    """What a lot is worth on a day: label or usual rate, aged by storage life, updated by each test at its date.

    Without a lot, or without a year, the seed is taken for fresh, and the working says so. A test after `on` is not used.
    Source: ellis_roberts_1980 for ageing; the label's weight of 20 seeds is starting_estimate.
    """
    rate = lot.rate if lot and lot.rate is not None else USUAL_RATE
    rate = min(max(rate, 0.01), 0.99)
    storage = (lot.storage if lot else None) or "room"
    half_life_y = crop.half_life_y * STORAGE_FACTOR[storage]
    tests: Sequence[SeedTest] = sorted((t for t in (lot.tests if lot else []) if t.on <= on), key=lambda t: t.on)
    packed = date(lot.packed, *SEASON_BEGINS) if lot and lot.packed else (tests[0].on if tests else on)
    a, b, day = rate * PRIOR_WEIGHT_SEEDS, (1 - rate) * PRIOR_WEIGHT_SEEDS, packed
    for i, test in enumerate(tests):
        a, b = aged_belief(a, b, (test.on - day).days / DAYS_PER_YEAR, half_life_y, untested=i == 0)
        germinated = min(test.germinated, test.sown)
        a, b = a + germinated, b + test.sown - germinated
        day = max(day, test.on)
    a, b = aged_belief(a, b, (on - day).days / DAYS_PER_YEAR, half_life_y, untested=not tests)
    aged_mean = a / (a + b)
    a, b, told_here = _as_here(a, b, crop)
    mean = a / (a + b)
    lost = min(PROBITS_LOST_AT_MOST, max(0.0, float(ndtri(rate) - ndtri(aged_mean))))
    speed = SPEED_PER_HALF_PROBIT ** (lost / 0.5)
    age_y = max(0.0, (on - packed).days / DAYS_PER_YEAR)
    notes = [] if lot and lot.packed else ["no packing year is recorded: taken for fresh"]
    working = Working(
        "seed alive",
        (
            Input(
                "rate when packed",
                rate,
                "share",
                "label" if lot and lot.rate is not None else "starting_estimate",
                not (lot and lot.rate),
            ),
            Input("age", round(age_y, 2), "y"),
            Input("half-life as stored", half_life_y, "y", crop.sources.get("half_life_y", ""), "half_life_y" in crop.estimates),
            *(Input(f"test on {t.on.isoformat()}", f"{t.germinated} of {t.sown}") for t in tests),
            *told_here,
        ),
        "probits of the rate fall by 1.645 in each half-life; lots lie 0.4 probits apart and 0.1 more for each year; a test of x "
        "in n adds x and n − x to the belief; speed falls 6 % for each half probit lost"
        + ("; what came of such seed here moves it and narrows it" if told_here else ""),
        ("ellis_roberts_1980", "growers_rule", "starting_estimate"),
        "rates from 1 to 99 %, dry storage",
        value=round(mean, 3),
        unit="share",
        notes=tuple(notes),
    )
    return SeedState(a, b, speed, working)


#: How far a lot may lie off its label in a garden that nothing is known of, in probits, as what is learned here is measured.
#: Source: starting_estimate.
OFF_LABEL_SD = 0.4072


def _as_here(a: float, b: float, crop: Crop) -> tuple[float, float, tuple[Input, ...]]:
    """Beta(a, b) moved and narrowed by what came of such seed in this garden before; and the inputs to show for it."""
    alive = crop.here.alive if crop.here is not None else None
    if alive is None or not alive.rests_on:
        return a, b, ()
    low, mid, high = (float(ndtri(np.clip(q, 1e-6, 1 - 1e-6))) for q in betaincinv(a, b, [0.1587, 0.5, 0.8413]))
    sd = (high - low) / 2 * min(1.0, alive.sd / OFF_LABEL_SD)
    told = Input("came here against that", f"{alive.off:+.2f} probits, from {alive.rests_on} batches", "", LEARNED_HERE)
    return *_beta_of(mid + alive.off, sd), (told,)


#: Seed that showed its root in the towel is alive: what may still go wrong in handling, as Beta(a, b). Source: starting_estimate.
ROOTED_A, ROOTED_B = 38.0, 2.0


def rooted(seed: SeedState) -> SeedState:
    """The same lot, of which only seed that rooted in a towel was sown. Source: starting_estimate."""
    return replace(seed, a=ROOTED_A, b=ROOTED_B)


def sown_seed(journal: Journal, crop: Crop, batch: Batch) -> SeedState:
    """What the seed of a batch was worth on the garden's own day of its sowing."""
    return seed_state(crop, lot_of(journal, batch), journal.garden.day_of(batch.sown_at))


def fresh_seed(journal: Journal, crop: Crop, batch: Batch) -> SeedState:
    """The same seed as it was when packed: what `weak_seed` is measured against."""
    lot = lot_of(journal, batch)
    young = lot and SeedLot(id=lot.id, crop=lot.crop, rate=max(lot.rate or USUAL_RATE, USUAL_RATE))
    return seed_state(crop, young, journal.garden.day_of(batch.sown_at))


def lot_of(journal: Journal, batch: Batch) -> SeedLot | None:
    """The packet a batch was sown from; None where none is named, or none of that name is there."""
    return next((s for s in journal.seed_lots if s.id == batch.seed_lot), None)
