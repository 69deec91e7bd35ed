"""A tray on a mat: its fit, the air around it, what waits in it, and the soil it would have at a set-point."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, HOUR_S, STEP_S, SoilRecord, moisture_record, one_in_air, soil_record, soil_series
from fennet.core.history import counts_of
from fennet.core.kept import shared
from fennet.core.learning.garden import crop_of
from fennet.core.moisture import advance
from fennet.core.records import Batch, Event, FloatArray, Journal, Mat
from fennet.core.room import TrayState, in_trays
from fennet.core.sowing import sowing_effect
from fennet.core.stages import stages_now
from fennet.core.tuning.mat_fit import (
    SD_DAY_C,
    SUPPOSED_AIR_C,
    MatFit,
    MatRecord,
    air_over,
    fit_mat,
    mat_record,
    soil_by,
    usual_of,
)
from fennet.core.working import Interval

#: No soil over this for any crop, °C. Source: growers_rule.
CEILING_C = 35.0
#: Nobody waits longer, d.
MOST_DAYS = 120.0
#: Stages in which a batch still wants warmth to come up.
WAITING = ("sown", "towel", "emerging")


@dataclass(frozen=True)
class Waiting:
    """One batch still coming up: what is left of its middle wait (0–1), and its crop."""

    batch: Batch
    crop: Crop
    left: float

    def days(self, soil_c: FloatArray) -> float:
        """Days its middle seed still needs at a day's course of soil temperature, at most so many."""
        rate = float(self.crop.response.rate_per_day(soil_c).mean() * self.crop.response.share(soil_c).mean())
        return float(min(MOST_DAYS, self.left / rate)) if rate > 0 else MOST_DAYS


@dataclass(frozen=True)
class OnMat:
    """A tray on a mat: its fit, the air over a day ahead, and the batches that wait in it."""

    tray: str
    state: TrayState
    record: MatRecord
    fit: MatFit
    air_c: FloatArray
    air_known: bool
    waiting: tuple[Waiting, ...]
    now_c: FloatArray | None
    apart_c: float | None
    last_c: float | None = None
    one_in_air: bool = False

    @cached_property
    def theta(self) -> FloatArray:
        return self.fit.draws()

    @cached_property
    def wander_c(self) -> FloatArray:
        """What a day's mean may be off besides, for every draw."""
        return np.asarray(SD_DAY_C * np.random.default_rng(9).standard_normal((len(self.theta), 1)))

    def soil_c(self, setpoint_c: float) -> FloatArray:
        """A day's course of soil at a set-point, for every draw of the fit: (draws, hours)."""
        theta = self.theta
        air = self.air_c[None, :] if self.air_known else np.broadcast_to(theta[:, 4:5], (len(theta), 24))
        return soil_by(theta[:, None, :], setpoint_c, air) + self.wander_c

    def expected(self, setpoint_c: float) -> Interval[float]:
        """Mean soil of a day at a set-point, 80 % range, °C."""
        p10, p50, p90 = (float(q) for q in np.percentile(self.soil_c(setpoint_c).mean(axis=1), (10, 50, 90)))
        return Interval(p10, p50, p90)

    def ceiling_c(self) -> float:
        return min([CEILING_C, *(w.crop.t_ceil_c for w in self.waiting)])


def waiting_in(journal: Journal, events: Sequence[Event], at_s: float) -> dict[str, list[Batch]]:
    """The batches of each tray that still want warmth to come up, at a moment (seconds UTC). `events` are effective events."""

    def made(part: Journal) -> dict[str, list[Batch]]:
        return waiting_by_stage(part.batches, part.events, stages_now(part.batches, part.events, at_s), at_s)

    return shared("waiting_in", journal, events, (), made, at_s)


def waiting_by_stage(
    batches: Sequence[Batch], events: Sequence[Event], stages: Mapping[str, str], at_s: float
) -> dict[str, list[Batch]]:
    """The same of some batches whose stages are known."""
    waiting = [b for b in batches if b.sown_at.timestamp() <= at_s and stages[b.id] in WAITING]
    return in_trays([b for b in waiting if counts_of(b, events).up < b.n_cells], events, at_s)


def tray_on(
    journal: Journal, crops: Mapping[str, Crop], mat: Mat | None, state: TrayState, events: Sequence[Event], at_s: float
) -> OnMat:
    """A tray as a mat sees it, or as one would if it lay on one (`mat` None): its air, what waits in it, and its fit."""
    usual = usual_of(journal, mat.id if mat else None, state.tray)
    since_s = max(u.since_s for u in usual)
    record = mat_record(journal, mat.id, state.tray, events, at_s, since_s) if mat else MatRecord.nothing()
    fit = fit_mat(record, state.cover == "on", usual)
    hours = np.arange(at_s - 3 * DAY_S, at_s, HOUR_S)
    air = air_over(journal, state.tray, events, hours)
    by_hour = air.reshape(3, 24)
    known = bool((~np.isnan(air)).sum() >= 12)
    day_c = np.full(24, SUPPOSED_AIR_C)
    if known:
        counted = (~np.isnan(by_hour)).sum(axis=0)
        mean = float(np.nanmean(air))
        day_c = np.where(counted > 0, np.nansum(by_hour, axis=0) / np.maximum(counted, 1), mean)
    waiting, now_c = [], None
    for batch in waiting_in(journal, events, at_s).get(state.tray, []):
        if batch.crop not in crops:
            continue
        soil = soil_record(journal, batch, events, at_s)
        if soil.n_readings and not soil.gap_reason:
            now_c = soil.pattern_c
        waiting.append(Waiting(batch, crop_of(crops, batch), _left(journal, batch, crop_of(crops, batch), events, soil, at_s)))
    return OnMat(
        state.tray,
        state,
        record,
        fit,
        day_c,
        known,
        tuple(waiting),
        now_c,
        _apart(journal, state.tray, at_s),
        _last_c(journal, state.tray, events, at_s),
        one_in_air(journal, state.tray, events, at_s - 2 * DAY_S, at_s),
    )


def _left(journal: Journal, batch: Batch, crop: Crop, events: Sequence[Event], soil: SoilRecord, at_s: float) -> float:
    """What is left of the middle seed's wait, in median waits, at least a tenth while anything is waited for."""
    if not soil.n_readings:
        return 1.0
    moisture_pct, _ = moisture_record(journal, batch, events, soil.grid_s, at_s)
    rate = crop.response.rate_per_day(soil.soil_c) * advance(moisture_pct)
    done = float(((rate[1:] + rate[:-1]) / 2).sum()) * STEP_S / DAY_S
    return max(0.1, 1.0 - done / sowing_effect(crop, batch).wait)


def _last_c(journal: Journal, tray: str, events: Sequence[Event], at_s: float) -> float | None:
    """The last soil temperature read in a tray, °C."""
    newest = max(soil_series(journal, tray, events, at_s), key=lambda s: float(s.at_s[-1]), default=None)
    return None if newest is None else float(newest.value[-1])


def _apart(journal: Journal, tray: str, at_s: float) -> float | None:
    """How far two thermometers in one tray read apart over the last two days, °C."""
    means = [
        float(known.value.mean())
        for s in journal.series
        if s.quantity == "soil_temperature" and s.place == tray
        and len((known := s.only((s.at_s > at_s - 2 * DAY_S) & (s.at_s <= at_s))).at_s) >= 2
    ]  # fmt: skip
    return max(means) - min(means) if len(means) > 1 else None
