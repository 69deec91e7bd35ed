"""How fast batches came, at the warmth each really had, so that a mat is not mistaken for a variety."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.crop import Crop
from fennet.core.emergence import progress
from fennet.core.exposure import soil_record
from fennet.core.history import counts_of, over_s
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.scoring import settled_s

#: Until so many median waits more may come. Source: starting_estimate.
STILL_COMING = 2.0


@dataclass(frozen=True)
class Came:
    """One batch: of how many how many came; after how many days at target warmth each, between the look before and the one it was
    seen at; and the days of the last look, up to which the rest had not come. `told` why nothing can be said of its pace:
    no_readings, gap, not_sown, not_counted, still_coming; empty where it can."""

    batch: Batch
    of: int
    up: int
    days: FloatArray
    last_days: float
    told: str = ""


def came(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> Came:
    """A batch's emergence by days at target warmth until a moment (seconds UTC). `events` are effective events.

    Only warmth counts: seed, depth and mix may be what is compared. Source: garcia_huidobro_1982.
    """
    counts = counts_of(batch, events)

    def tells_nothing(why: str) -> Came:
        return Came(batch, counts.of, counts.up, np.zeros(0), 0.0, why)

    if not batch.from_seed:
        return tells_nothing("not_sown")
    done_s = settled_s(counts, batch.sown_at.timestamp(), over_s(batch, events, at_s), at_s)
    if done_s is not None:
        # Once nothing more was waited for its thermometer went elsewhere.
        at_s = max(done_s, batch.sown_at.timestamp())
    soil = soil_record(journal, batch, events, at_s)
    if soil.gap_reason:
        return tells_nothing(soil.gap_reason)
    if not counts.at_s:
        return tells_nothing("not_counted")
    course = progress(crop.response, soil.grid_s, soil.soil_c, np.full(len(soil.grid_s), np.nan), soil.pattern_c)
    if done_s is None and counts.up < counts.of and float(course.at(at_s)) < STILL_COMING:
        # The middle of those that came first is not the middle of all that come.
        return tells_nothing("still_coming")
    per_day = float(crop.response.rate_per_day(crop.target_soil_c))
    looks = course.at(np.array(counts.at_s)) / per_day
    before = np.concatenate([[0.0], looks[:-1]])
    new = np.diff(np.concatenate([[0], counts.total]))
    # Seen at a look, it came at some time since the one before: the middle stands for it.
    days = np.repeat((before + looks) / 2, new)
    return Came(batch, counts.of, counts.up, days, float(looks[-1]))
