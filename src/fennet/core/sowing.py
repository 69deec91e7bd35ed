"""What depth, light and pretreatment do to a sowing."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from fennet.core.bounds import EARLIEST
from fennet.core.crop import Crop
from fennet.core.records import Batch

#: Added part of a median wait for each 5 mm beyond the crop's depth, in light mix. Source: starting_estimate.
WAIT_PER_5_MM = 0.06
#: Depth, as multiples of the crop's own, at which seedlings begin to fail and half fail: of small seed, and of large, whose
#: shoots reach further but not so many times as far; and the least that arrives. Source: growers_rule, starting_estimate.
SMALL_SEED_DEPTH_MM, LARGE_SEED_DEPTH_MM = 15.0, 35.0
FAILS_FROM, HALF_FAILS_AT, LEAST_SHARE = (3.0, 2.2), (4.5, 3.2), 0.05
#: Seed as fine as dust has no depth of its own: it is reckoned from the first, mm; what light mostly decides from the second,
#: since in the trials it came from 13 mm. Source: starting_estimate, harrington_minges_1954.
FINEST_DEPTH_MM, LIGHT_DEPTH_MM = 1.5, 6.0
#: The crop table tells what share of light-needing seed comes under so much mix, mm; what lets light through counts as less.
#: Source: growers_rule, starting_estimate.
COVERED_MM, OPEN_COVER = 6.0, {"vermiculite": 0.6, "perlite": 0.6}
#: No school buries seed so that less of it comes; what comes from under a cover as often is not strict about light. Source:
#: growers_rule.
COMES_AT_LEAST = 0.5
#: A cover that costs so much is told as dark. Source: starting_estimate.
DARK_UNDER_SHARE = 0.9
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
    finest_mm = LIGHT_DEPTH_MM if crop.seed_light == "light" else FINEST_DEPTH_MM
    own_mm = max(crop.depth_mm, finest_mm)
    sizes_mm = (SMALL_SEED_DEPTH_MM, LARGE_SEED_DEPTH_MM)
    fails_mm, half_mm = (own_mm * float(np.interp(own_mm, sizes_mm, times)) for times in (FAILS_FROM, HALF_FAILS_AT))
    deep_share = float(np.clip(1.0 - 0.5 * (depth_mm - fails_mm) / (half_mm - fails_mm), LEAST_SHARE, 1.0))
    light_share = treated_share = 1.0
    if crop.seed_light == "light" and not towel:
        under_mm = depth_mm * OPEN_COVER.get(batch.covered_with or "", 1.0)
        # At the kind's own depth it is as light as it should be.
        light_share = min(1.0, light_reaches(crop.covered_share, under_mm) / light_reaches(crop.covered_share, crop.depth_mm))
    wanted = crop.pretreatment
    if wanted not in ("", "none") and not towel:
        had = {p.kind for p in batch.pretreatment or []}
        if wanted not in had:
            treated_share = crop.untreated_share
    return SowingEffect(deep_wait * (TOWEL_WAIT if towel else 1.0), deep_wait, deep_share, light_share, treated_share)


def light_reaches(covered_share: float, depth_mm: float) -> float:
    """Share of light-needing seed that comes under so much mix: by degrees, not at a step.

    `covered_share` is the share that comes under 6 mm. Source: growers_rule, starting_estimate.

    >>> [round(light_reaches(0.8, mm), 2) for mm in (0, 3, 6, 12)]
    [1.0, 0.94, 0.8, 0.5]
    >>> round(light_reaches(0.15, 5), 2)
    0.2
    """
    share = min(max(covered_share, 1e-3), 1.0)
    return 1.0 / (1.0 + (1.0 - share) / share * (max(0.0, depth_mm) / COVERED_MM) ** 2)


def rooted_sowing(effect: SowingEffect) -> SowingEffect:
    """The same sowing of seed whose root shows already: it has half its wait behind it, and its treatment. Source:
    starting_estimate.

    >>> rooted_sowing(SowingEffect(1.0, 1.0, 1.0, 1.0, 0.4)).wait
    0.5
    """
    return replace(effect, wait=effect.wait * (1.0 - TOWEL_WAIT), pretreatment_share=1.0)


#: Share of the usual depth (two and a half times the seed's thickness) that each school sows at. Source: growers_rule.
DEPTH_SHARE = {"two_to_three": 1.0, "twice": 0.8, "three_to_five": 1.6}
FIXED_DEPTH_MM = 6.0


def depth_by_school_mm(crop: Crop, school: str) -> float:
    """Depth a practice sows a crop at, mm, from the crop's own. Seed that would not come from there keeps its own: what is left
    uncovered stays so, and dust is buried by no rule. Source: growers_rule."""
    if crop.depth_mm <= 0:
        return crop.depth_mm
    depth_mm = FIXED_DEPTH_MM if school == "fixed_6_mm" else round(crop.depth_mm * DEPTH_SHARE.get(school, 1.0), 1)
    if school == "three_to_five" and crop.depth_mm < SMALL_SEED_DEPTH_MM:
        return crop.depth_mm
    effect = sowing_effect(crop, Batch(id="planned", crop=crop.id, sown_at=EARLIEST, cells=1, depth_mm=depth_mm))
    return depth_mm if effect.deep_share * effect.light_share >= COMES_AT_LEAST else crop.depth_mm
