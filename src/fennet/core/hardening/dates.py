"""The dates of what is growing: half up, hardening off, planting and the first pick, as they stand by what has happened."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from fennet.core.answer import Forecast
from fennet.core.crop import Crop
from fennet.core.hardening.after import FirstExpected
from fennet.core.hardening.hardening import Hardening, begins_on
from fennet.core.hardening.outings import SCHOOLS
from fennet.core.planning.gate import Gate
from fennet.core.records import Batch, Garden
from fennet.core.working import Interval

DAY_S = 86_400.0


@dataclass(frozen=True)
class BatchDates:
    """The dates of one batch. `half_up` seconds UTC, an 80 % range, of no width once known; `harden_from` and `out_on` days, None
    where nobody can tell or they are over; `planted_s` when it was planted; `first` the first pick or flower expected."""

    batch: Batch
    half_up: Interval[float] | None = None
    harden_from: date | None = None
    out_on: date | None = None
    planted_s: float | None = None
    first: FirstExpected | None = None


def dates_of(
    crop: Crop, batch: Batch, forecast: Forecast | None, h: Hardening | None, gate: Gate, school: str, garden: Garden, at_s: float
) -> BatchDates:
    """The dates of a batch that is still growing, at a moment (seconds UTC). One that is up goes by its outings and its gate; one
    that is not by when half of it is expected, its least time to a plant, and its gate. Source: growers_rule.
    """
    half = forecast.half_up if forecast is not None and batch.from_seed else None
    if h is not None:
        first = h.done[0].day if h.done and h.state != "early" else h.begins
        return BatchDates(batch, half, first, h.gate.on)
    if half is None:
        return BatchDates(batch)
    today = garden.day_of(datetime.fromtimestamp(at_s, UTC))
    left_d = max(0.0, (half.p50 - at_s) / DAY_S) + crop.planting.grow_least_days
    begins = begins_on(gate, SCHOOLS[school], today, left_d)
    if begins is None:
        return BatchDates(batch, half)
    steps_done = begins + timedelta(days=len(SCHOOLS[school]) + 1)
    opens = gate.opens if gate.opens is not None and not gate.never else steps_done
    return BatchDates(batch, half, begins, max(opens, steps_done, today + timedelta(days=math.ceil(left_d))))
