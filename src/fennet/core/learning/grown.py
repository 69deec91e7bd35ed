"""What one batch taught of how its kind grows here: how tall it stood against what its age leads one to expect, and how fast its
leaves followed each other. Looked at once it is on its way out or over, as if nothing else had ever been grown."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.care.leaves import SEED_LEAVES_D
from fennet.core.crop import Crop
from fennet.core.history import ancestors, life_events
from fennet.core.learning.lessons import Told, variety_of
from fennet.core.records import Batch, Event, Journal
from fennet.core.stages import ENDED, stage_spans
from fennet.core.stretch import LEAST_AGE_D, ThermalAge, thermal_age

#: Quantities that a plant's age and height are read from.
READ_OF_GROWTH = frozenset(("soil_temperature", "air_temperature", "moisture", "height"))
#: Log sd of one height: the ruler, which plants were measured, how well their age is known. Source: starting_estimate.
HEIGHT_SD, HEIGHTS_SD = 0.12, 0.08
#: A leaf that is counted may be just there or nearly followed by the next, leaves; and log sd of an age. Source:
#: starting_estimate.
LEAF_SD, AGE_SD = 0.35, 0.08


@dataclass(frozen=True)
class GrownLesson:
    """What a batch taught by the time it left the room (seconds UTC): `height` log of how tall it stood against the table's, mean
    of all that was measured; `leaves` log of days from leaf to leaf against the table's. None where it told nothing."""

    batch: str
    crop: str
    variety: str
    year: int
    settled_s: float
    height: Told | None
    leaves: Told | None


def grown_s(batch: Batch, events: Sequence[Event], at_s: float) -> float | None:
    """When a batch had grown what it grew inside (seconds UTC): at its first outing, or when it was over; None before, and for
    plants that were not sown here. `events` are effective events."""
    if not batch.from_seed:
        return None
    spans = stage_spans(batch, events, at_s)
    return next((s.from_s for s in spans if s.stage == "hardening" or s.stage in ENDED), None)


def is_measured(batch: Batch, journal: Journal) -> bool:
    """Whether anybody measured a batch or counted its leaves, or those of what it was parted from."""
    line = {batch.id, *(b.id for b in ancestors(journal, batch))}
    told = any(e.kind == "height" and e.fields.get("batch") in line for e in journal.events)
    return told or any(s.quantity == "height" and s.place == batch.id for s in journal.series)


def grown(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], done_s: float) -> GrownLesson | None:
    """What a batch taught of growth by `done_s` (seconds UTC); None where nothing was measured. `crop` as the table has it;
    `events` are effective events. Source: growth_estimate, empirical_bayes."""
    known = [e for e in events if e.at_s <= done_s]
    age = thermal_age(journal, crop, batch, known, done_s)
    if age.up_s is None or not age.judged:
        return None
    height, leaves = _height(crop, batch, known, age), _leaves(crop, batch, known, age)
    if height is None and leaves is None:
        return None
    year = batch.sown_at.astimezone(journal.garden.zone).year
    return GrownLesson(batch.id, crop.id, variety_of(journal, batch), year, done_s, height, leaves)


def _height(crop: Crop, batch: Batch, events: Sequence[Event], age: ThermalAge) -> Told | None:
    """Plants that were topped tell only what they were before."""
    topped_s = min((e.at_s for e in life_events(batch, events, "topped")), default=math.inf)
    seen = zip(age.heights, age.measured_s, strict=True)
    told = [(at_d, mm) for (at_d, mm), when in seen if at_d >= LEAST_AGE_D and mm > 0 and when < topped_s]
    off = [math.log(mm / float(crop.growth.height_mm(at_d))) for at_d, mm in told]
    return Told(float(np.mean(off)), HEIGHTS_SD**2 + HEIGHT_SD**2 / len(off)) if off else None


def _leaves(crop: Crop, batch: Batch, events: Sequence[Event], age: ThermalAge) -> Told | None:
    """By the last leaves counted: more of them tell more."""
    counted = [e for e in life_events(batch, events, "height") if (e.fields.get("true_leaves") or 0) >= 1]
    seen = [e for e in counted if e.at_s >= (age.up_s or 0.0)]
    if not seen:
        return None
    last = max(seen, key=lambda e: e.at_s)
    days = float(np.interp(last.at_s, age.at_s, age.age_d)) - SEED_LEAVES_D
    made = float(last.fields["true_leaves"]) + 0.5
    if days <= 0.5:
        return None
    return Told(math.log(days / (made * crop.growth.leaf_days)), (LEAF_SD / made) ** 2 + AGE_SD**2)
