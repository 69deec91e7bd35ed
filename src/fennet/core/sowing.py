"""What depth, light and pretreatment do to a sowing."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from fennet.core.crop import Crop
from fennet.core.records import Batch

#: Added part of a median wait for each 5 mm beyond the crop's depth, in light mix. Source: starting_estimate.
WAIT_PER_5_MM = 0.06
#: Depth, as multiples of the crop's own, at which small seed begins to fail, half fails, and least that arrives.
#: Source: starting_estimate.
FAILS_FROM, HALF_FAILS_AT, LEAST_SHARE = 3.0, 4.5, 0.1
SMALL_SEED_DEPTH_MM = 15.0
#: Seed that needs light waits when covered deeper than this. Source: growers_rule.
DARK_FROM_MM = 5.0
#: A root shows in the towel at about half the wait to emergence. Source: starting_estimate.
TOWEL_WAIT = 0.5


@dataclass(frozen=True)
class SowingEffect:
    """`wait` multiplies the median wait; the shares multiply what arrives."""

    wait: float
    deep_wait: float
    deep_share: float
    light_share: float = 1.0
    pretreatment_share: float = 1.0

    @property
    def other_share(self) -> float:
        return self.light_share * self.pretreatment_share


def sowing_effect(crop: Crop, batch: Batch) -> SowingEffect:
    """How this batch's depth, covering and pretreatment slow it or cost seedlings, against the crop's own way.

    Unknown depth is taken as the crop's own. Source: starting_estimate.
    """
    towel = batch.set_up == "towel"
    depth_mm = crop.depth_mm if batch.depth_mm is None or towel else batch.depth_mm
    deep_wait = 1.0 + WAIT_PER_5_MM * max(0.0, depth_mm - crop.depth_mm) / 5.0
    deep_share = 1.0
    if crop.depth_mm <= SMALL_SEED_DEPTH_MM and depth_mm > 0:
        times = depth_mm / max(crop.depth_mm, 1.0)
        # A fine seed's own depth is nearly nothing; what buries it is millimetres, so at least one centimetre counts as shallow.
        if depth_mm > 10.0:
            deep_share = float(np.clip(1.0 - 0.5 * (times - FAILS_FROM) / (HALF_FAILS_AT - FAILS_FROM), LEAST_SHARE, 1.0))
    light_share = treated_share = 1.0
    if crop.seed_light == "light" and not towel and depth_mm > DARK_FROM_MM:
        light_share = crop.covered_share
    wanted = crop.pretreatment
    if wanted not in ("", "none") and not towel:
        had = {p.kind for p in batch.pretreatment or []}
        if wanted not in had:
            treated_share = crop.untreated_share
    return SowingEffect(deep_wait * (TOWEL_WAIT if towel else 1.0), deep_wait, deep_share, light_share, treated_share)


def rooted_sowing(effect: SowingEffect) -> SowingEffect:
    """The same sowing of seed whose root shows already: it has half its wait behind it, and its treatment. Source:
    starting_estimate.

    >>> rooted_sowing(SowingEffect(1.0, 1.0, 1.0, 1.0, 0.4)).wait
    0.5
    """
    return replace(effect, wait=effect.wait * (1.0 - TOWEL_WAIT), pretreatment_share=1.0)


#: Share of the usual depth (two and a half times the seed's thickness) that each school sows at. Source: growers_rule.
DEPTH_SHARE = {"two_to_three": 1.0, "twice": 0.8, "three_to_five": 1.6}
#: Seed sown this deep counts as large, mm; the deepest school is for it alone. Source: starting_estimate.
LARGE_SEED_DEPTH_MM, FIXED_DEPTH_MM = 15.0, 6.0


def depth_by_school_mm(crop_depth_mm: float, school: str) -> float:
    """Depth a practice sows a crop at, mm, from the crop's own. Seed left uncovered stays uncovered. Source: growers_rule.

    >>> depth_by_school_mm(25.0, "three_to_five"), depth_by_school_mm(10.0, "fixed_6_mm")
    (40.0, 6.0)
    """
    if crop_depth_mm <= 0:
        return crop_depth_mm
    if school == "fixed_6_mm":
        return FIXED_DEPTH_MM
    if school == "three_to_five" and crop_depth_mm < LARGE_SEED_DEPTH_MM:
        return crop_depth_mm
    return round(crop_depth_mm * DEPTH_SHARE.get(school, 1.0), 1)
