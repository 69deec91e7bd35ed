"""Weeks of cold: kinds that flower in their first year only after some, counted from the record, day by day."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import numpy as np

from fennet.core.crop import Crop
from fennet.core.exposure import SoilRecord, readings_for
from fennet.core.hardening.weather import DAY_S, HOUR_S, DayOutdoors, Issue
from fennet.core.planning.climate import Climate
from fennet.core.records import Batch, Event, Garden, Journal

#: A day this cold in its mean counts, of a plant that has true leaves: so many days after it came up. Source: growers_rule.
COLD_UNDER_C, WITH_LEAVES_D = 10.0, 21.0
#: A day outdoors is known from so many of its hours.
LEAST_HOURS_OF_A_DAY = 12


@dataclass(frozen=True)
class ColdWeeks:
    """Weeks of cold a batch wants, how many it had (`least` as recorded, `most` were every day that nobody recorded a cold one),
    and how many an ordinary year still brings from today on; None where no record of nights tells."""

    wants: float
    least: float
    most: float
    ahead: float | None

    @property
    def enough(self) -> bool:
        return self.least >= self.wants


def cold_weeks(
    crop: Crop, up_s: float, inside: Mapping[date, float], outside: Mapping[date, float], outside_from: date | None,
    days: Sequence[DayOutdoors], climate: Climate | None, garden: Garden, at_s: float,
) -> ColdWeeks | None:  # fmt: skip
    """The weeks of cold of a batch by a moment (seconds UTC); None for a kind that wants none.

    `inside` is the mean of each day that was read in its tray or room; `outside` of each that was measured outdoors, which counts
    from `outside_from` on, the day it went out for good. Days that nobody measured widen the range and are not taken for warm or
    cold. Source: growers_rule, planting_estimate.
    """
    wants = crop.planting.cold_weeks
    if wants is None:
        return None
    first = garden.day_of(datetime.fromtimestamp(up_s + WITH_LEAVES_D * DAY_S, UTC))
    today = garden.day_of(datetime.fromtimestamp(at_s, UTC))
    cold = unknown = 0
    for i in range(max(0, (today - first).days)):
        day = first + timedelta(days=i)
        is_out = outside_from is not None and day >= outside_from
        mean_c = outside.get(day) if is_out else inside.get(day)
        if mean_c is None:
            unknown += 1
        elif mean_c < COLD_UNDER_C:
            cold += 1
    ahead = None
    if climate is not None:
        told = {d.day: float(d.temperature_c.mean()) for d in days if d.basis in ("forecast", "actual")}
        ahead_days = (today + timedelta(days=i) for i in range(120))
        ahead = sum(told.get(d, climate.mean_c(d)) < COLD_UNDER_C for d in ahead_days) / 7.0
    return ColdWeeks(wants, cold / 7.0, (cold + unknown) / 7.0, ahead)


def days_inside(journal: Journal, batch: Batch, events: Sequence[Event], soil: SoilRecord, at_s: float) -> dict[date, float]:
    """The mean of each local day on which something was read where a batch stood, °C; of other days nothing is said."""
    garden = journal.garden
    read: set[date] = set()
    for quantity in ("soil_temperature", "air_temperature"):
        for s in readings_for(journal, batch, events, quantity, at_s)[1]:
            read |= {garden.day_of(datetime.fromtimestamp(t, UTC)) for t in np.unique(s.at_s // HOUR_S * HOUR_S).tolist()}
    if not soil.n_readings:
        return {}
    by_day = _by_day(zip(soil.grid_s.tolist(), soil.soil_c.tolist(), strict=True), garden)
    return {d: float(np.mean(v)) for d, v in by_day.items() if d in read}


def days_measured(issues: Iterable[Issue], garden: Garden, at_s: float) -> dict[date, float]:
    """The mean of each local day that was measured outdoors for half of its hours by a moment, °C. Source: arithmetic."""
    by_hour: dict[float, list[float]] = {}
    for s in issues:
        for h in s.hours if s.actual else ():
            if h.at_s <= at_s:
                by_hour.setdefault(h.at_s // HOUR_S * HOUR_S, []).append(h.temperature_c)
    by_day = _by_day(((t, float(np.mean(v))) for t, v in by_hour.items()), garden)
    return {d: float(np.mean(v)) for d, v in by_day.items() if len(v) >= LEAST_HOURS_OF_A_DAY}


def _by_day(values: Iterable[tuple[float, float]], garden: Garden) -> dict[date, list[float]]:
    out: dict[date, list[float]] = {}
    for t, v in values:
        out.setdefault(garden.day_of(datetime.fromtimestamp(t, UTC)), []).append(v)
    return out
