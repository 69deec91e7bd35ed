"""Whether seedlings are taller than they should be: thermal age since they came up, expected height, stretch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from fennet.core.crop import Crop, key_of
from fennet.core.emerged import half_up_s, started_age_d
from fennet.core.exposure import DAY_S, STEP_S, grid_from, soil_record
from fennet.core.history import life_events
from fennet.core.kept import last_known_s, moment_s, of_batch, shared
from fennet.core.kinds import EVENT_KINDS
from fennet.core.planning.growing import USUAL_AIR_C, growing_band_c
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.working import Input, Working

#: Measured over expected from which seedlings are leggy, and from which to watch. Source: growers_rule.
LEGGY_FROM, WATCH_FROM = 1.5, 1.25
#: A day counts at most so many days of age, and not under this. Source: starting_estimate.
FASTEST, SLOWEST = 1.8, 0.1
#: Heights that fall by more than this part were not measured of the same plants, or were topped. Source: growers_rule.
SHRINKS = 0.15

#: What an age is read from: whatever was done or seen says that they are up.
TELLS_OF_AGE, READ_OF_AGE = frozenset(EVENT_KINDS), frozenset(("soil_temperature", "air_temperature", "height"))


@dataclass(frozen=True)
class ThermalAge:
    """Age since half were up (or the first, if never half), in days at the kind's growing band.

    `at_s` and `age_d` an even half-hour grid from coming up; `pace` thermal days a day now; `heights` (age d, mm) as measured;
    `temperature_c` on the grid, NaN where not known; `shrunk` a height that fell.
    """

    up_s: float | None
    at_s: FloatArray
    age_d: FloatArray
    temperature_c: FloatArray
    pace: float
    heights: list[tuple[float, float]] = field(default_factory=list)
    measured_s: list[float] = field(default_factory=list)
    shrunk: tuple[float, float] | None = None
    #: Whether the age is known well enough to judge a height by.
    judged: bool = True

    @property
    def now_d(self) -> float:
        return float(self.age_d[-1]) if len(self.age_d) else 0.0


def pace_at(crop: Crop, temperature_c: FloatArray) -> FloatArray:
    """Days of age a day at a temperature: degrees over the growing base against the growing band's. Source: growth_estimate."""
    base = crop.planting.grow_base_c
    per = (np.asarray(temperature_c, dtype=float) - base) / max(growing_band_c(crop) - base, 2.0)
    return np.clip(np.where(np.isnan(per), 1.0, per), SLOWEST, FASTEST)


def thermal_age(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> ThermalAge:
    """The age of a batch's seedlings at a moment, and the heights measured on the way. `events` are effective events.

    Where nothing was read the room counts as 18 °C. Source: growth_estimate.
    """
    told, read = of_batch(journal, batch, events, TELLS_OF_AGE, READ_OF_AGE)
    # Whoever asks in one half hour, about the batch or the room, shares one answer.
    now_s = moment_s(at_s, max(last_known_s(told, read, at_s), min(at_s, batch.sown_at.timestamp())))
    return shared(
        "thermal_age", journal, told, read, lambda part: _thermal_age(part, crop, batch, part.events, now_s), batch.id, now_s,
        key_of(crop),
    )  # fmt: skip


def _thermal_age(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> ThermalAge:
    soil = soil_record(journal, batch, events, at_s)
    up_s = half_up_s(crop, batch, events, soil)
    if not batch.from_seed:
        # What it went through before it came nobody recorded.
        return _age_since(journal, batch, events, at_s, started_age_d(crop, batch))
    if up_s is None or up_s >= at_s:
        return ThermalAge(up_s, np.zeros(0), np.zeros(0), np.zeros(0), 1.0)
    grid = grid_from(up_s, at_s + STEP_S)
    warm = np.full(len(grid), np.nan)
    if soil.n_readings:
        warm = np.interp(grid, soil.grid_s, soil.soil_c)
    pace = pace_at(crop, np.where(np.isnan(warm), USUAL_AIR_C, warm))
    age = np.concatenate([[0.0], np.cumsum(pace[:-1]) * STEP_S / DAY_S])
    heights: list[tuple[float, float]] = []
    times: list[float] = []
    shrunk = None
    for when, mm in measured_heights(journal, batch, events, at_s):
        if when < up_s:
            continue
        if heights and mm < heights[-1][1] * (1 - SHRINKS):
            shrunk = (heights[-1][1], mm)
        heights.append((float(np.interp(when, grid, age)), mm))
        times.append(when)
    return ThermalAge(up_s, grid, age, warm, float(pace[-48:].mean()), heights, times, shrunk)


def _age_since(journal: Journal, batch: Batch, events: Sequence[Event], at_s: float, came_d: float) -> ThermalAge:
    """The age of plants that came on their first day: so old then, and a day older a day. Their heights are told, not judged."""
    came_s = batch.sown_at.timestamp()
    grid = grid_from(came_s, max(at_s, came_s) + STEP_S)
    age = came_d + (grid - came_s) / DAY_S
    seen = [(float(np.interp(t, grid, age)), mm, t) for t, mm in measured_heights(journal, batch, events, at_s)]
    return ThermalAge(
        came_s,
        grid,
        age,
        np.full(len(grid), np.nan),
        1.0,
        [(a, mm) for a, mm, _ in seen],
        [t for _, _, t in seen],
        judged=False,
    )


def measured_heights(journal: Journal, batch: Batch, events: Sequence[Event], at_s: float) -> list[tuple[float, float]]:
    """Heights of a batch as logged, by deed or by reading: (seconds UTC, mm) in order."""
    out = [(e.at_s, float(e.fields["mm"])) for e in life_events(batch, events, "height") if e.at_s <= at_s]
    for s in journal.series:
        if s.quantity == "height" and s.place == batch.id:
            known = s.until(at_s)
            out += list(zip(known.at_s.tolist(), known.value.tolist(), strict=True))
    return sorted(out)


@dataclass(frozen=True)
class Stretch:
    """Measured height over the expected: from 1.5 leggy, from 1.25 to watch. `age_d` when it was measured."""

    ratio: float
    height_mm: float
    expected_mm: float
    age_d: float
    measured_s: float
    working: Working

    @property
    def words(self) -> str:
        """leggy, watch or sturdy."""
        return "leggy" if self.ratio >= LEGGY_FROM else "watch" if self.ratio >= WATCH_FROM else "sturdy"


#: Younger than this nothing can be said of a height, days at the band. Source: starting_estimate.
LEAST_AGE_D = 3.0


def stretch_of(crop: Crop, age: ThermalAge) -> Stretch | None:
    """The stretch at the last height measured; None without one, or too soon after coming up. Range: 3–60 d of age.

    Source: growth_estimate. A worked example stands in tests/core/test_stretch.py.
    """
    if not age.judged or not age.heights or age.heights[-1][0] < LEAST_AGE_D:
        return None
    at_d, mm = age.heights[-1]
    expected = float(crop.growth.height_mm(at_d))
    working = Working(
        "stretch",
        (
            Input("height measured", round(mm, 1), "mm", "your ruler"),
            Input("age at the growing band", round(at_d, 1), "d", crop.growth.source, True),
            Input("height at 12 days", crop.growth.height_12d_mm, "mm", crop.growth.source, True),
            Input("expected height", round(expected, 1), "mm", crop.growth.source, True),
        ),
        "measured height over the height expected at this age; age runs with the degrees over the growing base",
        ("growth_estimate",),
        "3 to 60 days of age; varieties differ by a fifth and more",
        round(mm / expected, 2),
        "times",
    )
    return Stretch(mm / expected, mm, expected, at_d, age.measured_s[-1], working)
