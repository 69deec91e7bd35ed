"""When a batch that is up is likely ready to be potted up and to be planted, as ranges to be promised."""

from __future__ import annotations

from fennet.core.crop import Crop
from fennet.core.planning.growing import PlannedRoom, growing
from fennet.core.working import Interval

DAY_S = 86_400.0


def potting_s(crop: Crop, half_up_s: float) -> Interval[float] | None:
    """When a kind that is potted up wants it, seconds UTC: from its days in the usual room, the range as wide as the kind's days
    of growing run from least to most. None for a kind that is not potted up. Source: planting_estimate.

    >>> from fennet.crops import shipped
    >>> when = potting_s(shipped().get("tomato"), 0.0)
    >>> when.p10 < when.p50 < when.p90
    True
    """
    grown = growing(crop, PlannedRoom())
    if grown is None or grown.pot_up_days is None:
        return None
    p = crop.planting
    low, high = p.grow_least_days / p.grow_days, p.grow_most_days / p.grow_days
    return Interval(*(half_up_s + grown.pot_up_days * x * DAY_S for x in (low, 1.0, high)))


def planting_s(crop: Crop, out_s: float) -> Interval[float]:
    """A planting day as the plan has it, with the range in which the kind's plants are neither too young nor too old for it,
    seconds UTC. Source: planting_estimate.
    """
    p = crop.planting
    return Interval(out_s - (p.grow_days - p.grow_least_days) * DAY_S, out_s, out_s + (p.grow_most_days - p.grow_days) * DAY_S)
