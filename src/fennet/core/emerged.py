"""When a batch's plants came up: by its counts, else by what the record shows that only plants can do or have done to them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, STEP_S, SoilRecord
from fennet.core.history import counts_of, life_events
from fennet.core.records import Batch, Event

#: Deeds that are done to plants above ground.
DONE_TO_PLANTS = frozenset(("height", "thinned", "topped", "moved_to_light", "outing"))
#: Signs that need no plant above ground; any other is seen on one.
BEFORE_PLANTS = frozenset(("nothing_up", "seed_on_top", "crust", "rotted_seed", "white_fluff", "green_film", "tiny_flies"))
#: A plant that is measured or ails was up at least so long before, d. Source: starting_estimate.
UP_BEFORE_D = 1.0


def seen_uncounted_s(batch: Batch, events: Sequence[Event]) -> float | None:
    """When the record first shows plants of a batch above ground though nobody ever counted any (seconds UTC); None where
    somebody counted, or nothing shows it. `events` are effective events.

    >>> from datetime import datetime, UTC
    >>> b = Batch(id="b", crop="leek", sown_at=datetime(2026, 2, 3, tzinfo=UTC), cells=4)
    >>> seen = Event(kind="height", at=datetime(2026, 2, 20, tzinfo=UTC), id="e", fields={"batch": "b", "mm": 30})
    >>> seen_uncounted_s(b, [seen]) == seen.at_s
    True
    """
    if counts_of(batch, events).at_s:
        return None
    for e in events:
        mine = e.fields.get("batch") == batch.id or (e.fields.get("batch") is None and e.fields.get("tray") == batch.tray)
        if mine and (e.kind in DONE_TO_PLANTS or (e.kind == "sign" and e.fields["sign"] not in BEFORE_PLANTS)):
            return e.at_s
    return None


def started_age_d(crop: Crop, batch: Batch) -> float:
    """How old plants that were never sown here count as when they came, days: by their height, else what is bought or parted as
    old enough to plant, what has still to root as new. Source: growth_estimate, starting_estimate.

    >>> from datetime import datetime, UTC
    >>> from fennet.crops import shipped
    >>> bought = Batch(id="b", crop="tomato", sown_at=datetime(2026, 5, 3, tzinfo=UTC), cells=4, start="bought")
    >>> started_age_d(shipped().get("tomato"), bought)
    26.0
    """
    if batch.size_mm is not None:
        return crop.growth.age_for(batch.size_mm)
    return crop.planting.grow_least_days if batch.start in ("bought", "division") else 0.0


def half_up_s(crop: Crop, batch: Batch, events: Sequence[Event], soil: SoilRecord) -> float | None:
    """When half of what came up was up (seconds UTC): as counted, else, where plants are seen that nobody counted, when the soil
    as recorded would have had half of them up, and a day before they were seen at the latest. None while nothing shows any.

    Source: gummerson_1986 for the wait; starting_estimate for the day.
    """
    if not batch.from_seed:
        return batch.sown_at.timestamp() - started_age_d(crop, batch) * DAY_S
    counts = counts_of(batch, events)
    if counts.at_s:
        return counts.reached(-(-counts.up // 2)) if counts.up else None
    seen_s = seen_uncounted_s(batch, events)
    if seen_s is None:
        return None
    sown_s = batch.sown_at.timestamp()
    if soil.n_readings:
        progress = np.cumsum(crop.response.rate_per_day(soil.soil_c)) * STEP_S / DAY_S
        there = np.flatnonzero(progress >= 1.0)
        due_s = float(soil.grid_s[there[0]]) if len(there) else seen_s
    else:
        due_s = sown_s + DAY_S / float(crop.response.rate_per_day(crop.target_soil_c))
    moved = [e.at_s for e in life_events(batch, events, "moved_to_light")]
    return max(sown_s, min([due_s, seen_s - UP_BEFORE_D * DAY_S, *moved]))
