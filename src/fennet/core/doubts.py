"""Figures that may be a slip, doubted before they are written down and told once they are: weights, doses of feed, degrees."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.care.feeding import too_strong
from fennet.core.care.leaves import leaves_made
from fennet.core.crop import Crop
from fennet.core.learning.garden import crop_of
from fennet.core.records import Event, Journal, Source
from fennet.core.room import tray_of
from fennet.core.stages import ENDED, stage_at, stage_spans
from fennet.core.stretch import thermal_age
from fennet.core.tuning.probes import NO_SOIL_C
from fennet.core.units import moisture_pct

#: A tray that weighs more than this was weighed dripping or wet outside; more than the second no tray can hold, standing in water
#: is 125. % of capacity. Source: growers_rule.
DRIPS_PCT, MOST_PCT = 106.0, 140.0


@dataclass(frozen=True)
class Doubt:
    """What is doubted, of which tray, with its figure: a share of capacity in %, mg of nitrogen a litre, or °C.

    `kind` uncalibrated (nobody weighed it dry and full), dripping; of feed burns, slip (a decimal point), early; hot.
    """

    kind: str
    tray: str
    figure: float | None = None


def scale_of(sources: Sequence[Source], tray: str) -> Source | None:
    """The scale that knows a tray: sited there, with its dry and its full weight; the last of several."""
    weighs = [s for s in sources if s.sited == tray and any(c.quantity == "moisture" and c.unit == "g" for c in s.calibration)]
    return weighs[-1] if weighs else None


def weighed_pct(scale: Source, grams: float, at_s: float) -> float:
    """A tray's weight as moisture, % of capacity, by the calibration in force. Source: arithmetic."""
    return float(moisture_pct(np.array([grams]), "g", np.array([at_s]), scale.calibration)[0])


def doubt_weight(sources: Sequence[Source], tray: str, grams: float, at_s: float) -> Doubt | None:
    """What is odd about a tray's weight; None where nothing is. Source: growers_rule."""
    scale = scale_of(sources, tray)
    if scale is None:
        return Doubt("uncalibrated", tray)
    pct = weighed_pct(scale, grams, at_s)
    return Doubt("dripping", tray, pct) if pct > DRIPS_PCT else None


def doubt_degrees(place: str, value_c: float) -> Doubt | None:
    """A temperature that no grow-room has, °C: mostly °F without its letter. Source: growers_rule.

    >>> doubt_degrees("A", 75.0).kind, doubt_degrees("A", 31.0) is None
    ('hot', True)
    """
    return Doubt("hot", place, value_c) if value_c > NO_SOIL_C else None


def as_fahrenheit_c(value_c: float) -> float:
    """What a figure taken for °C is where it was °F. Source: arithmetic."""
    return (value_c - 32.0) * 5.0 / 9.0


def doubt_feed(
    journal: Journal, crops: Mapping[str, Crop], tray: str, n_mg_per_l: float, events: Sequence[Event], at_s: float
) -> Doubt | None:
    """What is wrong with a feed of a tray at a moment (seconds UTC): it burns, is a slip of the decimal point, or nothing in the
    tray has a true leaf yet. `events` are effective events. Source: growers_rule."""
    inside = [
        b
        for b in journal.batches
        if b.sown_at.timestamp() <= at_s
        and tray_of(b, events, at_s) == tray
        and stage_at(stage_spans(b, events, at_s), at_s) not in ENDED
    ]
    ages = [(b, crop_of(crops, b), thermal_age(journal, crop_of(crops, b), b, events, at_s)) for b in inside if b.crop in crops]
    young = bool(ages) and all(leaves_made(crop, age, events, b) < 1 for b, crop, age in ages)
    wrong = too_strong(n_mg_per_l, young)
    return Doubt(wrong, tray, n_mg_per_l) if wrong else None
