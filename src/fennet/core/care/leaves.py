"""How many true leaves a batch has, and when the next ones are there: as counted, carried on by its age."""

from __future__ import annotations

from collections.abc import Sequence

from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S
from fennet.core.history import life_events
from fennet.core.records import Batch, Event
from fennet.core.stretch import ThermalAge

#: Seed leaves are alone for so long, days at the growing band. Source: growth_estimate.
SEED_LEAVES_D = 3.0


def leaves_made(crop: Crop, age: ThermalAge, events: Sequence[Event], batch: Batch) -> float:
    """True leaves and the part of the next, from the last count and the age since, else from the age alone; below nought while
    the seed leaves are alone. `age` from `thermal_age`, `events` effective events. Source: growth_estimate."""
    seen = [e for e in life_events(batch, events, "height") if e.fields.get("true_leaves") is not None]
    if seen and age.up_s is not None:
        before = age.age_d[age.at_s <= seen[-1].at_s]
        since_d = max(0.0, age.now_d - (float(before[-1]) if len(before) else 0.0))
        return float(seen[-1].fields["true_leaves"]) + since_d / crop.growth.leaf_days
    return (age.now_d - SEED_LEAVES_D) / crop.growth.leaf_days


def leaf_there_s(crop: Crop, age: ThermalAge, made: float, nth: int, at_s: float) -> float:
    """When the nth true leaf is there at the pace of late, seconds UTC; `at_s` where it is. `made` from `leaves_made`.

    Source: growth_estimate.
    """
    return at_s + max(0.0, nth - made) * crop.growth.leaf_days / max(age.pace, 0.1) * DAY_S
