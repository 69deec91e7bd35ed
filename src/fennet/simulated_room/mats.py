"""Simulated mats whose thermostat is not the soil: a probe that is off, sits in a corner or in a draught; seen at one setting
or more.

The truth here is a march through time in five-minute steps; the middle of the tray stands over its corner by a part of what
the mat
lifts, which no fit is told.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from fennet.simulated_room.room import STEP_S, STEPS_A_DAY, STEPS_AN_HOUR, Corner, air
from fennet.simulated_room.simulated_faults import GOOD_C, START

ZONE = ZoneInfo("UTC")


@dataclass(frozen=True)
class MatTruth:
    """One tray on one mat: probe error, what the middle adds to the corner for each degree of lift, lift, draught, lag in
    hours."""

    probe_off_c: float
    middle_share: float
    lift_c: float
    draught_c: float
    lag_h: float

    def soil(self, air_c: np.ndarray, setpoint_c: np.ndarray, start_c: float) -> np.ndarray:
        """Soil in the middle of the tray over time, for a set-point that may change."""
        step = STEP_S / 3600 / self.lag_h
        out, now, heating = np.empty(len(air_c)), start_c, False
        for i, a in enumerate(air_c - self.draught_c):
            heating = now + self.probe_off_c < setpoint_c[i] + (0.4 if heating else -0.4)
            now += step * (a + (self.lift_c if heating else 0.0) - now)
            out[i] = now + self.middle_share * max(0.0, now - a)
        return out


@dataclass(frozen=True)
class MatCase:
    """A journal, the moment to ask at, and the means to judge the answer."""

    journal: dict[str, Any]
    at: datetime
    truth: MatTruth
    air_c: np.ndarray
    seen: int
    last_soil_c: float
    settings: int

    def outcome_c(self, setpoint_c: float) -> float:
        """Mean soil of the second and third day after the mat is set."""
        rest = self.air_c[self.seen :]
        soil_c = self.truth.soil(rest, np.full(len(rest), setpoint_c), self.last_soil_c)
        return float(soil_c[STEPS_A_DAY:].mean())

    def most_c(self) -> float:
        """What the mat could bring at its hardest."""
        return self.outcome_c(60.0)


def _text(step: float) -> str:
    return datetime.fromtimestamp(START.timestamp() + step * STEP_S, ZONE).isoformat(timespec="seconds")


def draw_mat(seed: int) -> MatCase:
    """One drawn room with a mat, its record, and three days yet to come."""
    rng = np.random.default_rng([seed, 91])
    kind = str(rng.choice(["tomato", "pepper", "tomatillo", "shiso", "leek", "onion", "cosmos", "snapdragon", "cabbage"]))
    draught_c = float(rng.choice([0, 0, rng.uniform(0.5, 2)]))
    truth = MatTruth(
        float(rng.normal(0, 1.0)),
        float(rng.uniform(0, 0.12)),
        float(rng.uniform(9.5, 16.0)),
        draught_c,
        float(rng.uniform(1.2, 3.8)),
    )
    n_settings = int(rng.choice([1, 1, 2, 3]))
    days = [float(rng.uniform(1.5, 3.5)) for _ in range(n_settings)]
    seen = int(sum(days) * STEPS_A_DAY)
    n = seen + 3 * STEPS_A_DAY
    hours = (10.0 + np.arange(n) * STEP_S / 3600) % 24
    room = min(float(rng.uniform(12, 20)), GOOD_C[kind] - 1.5)
    air_c = air(Corner(room, float(rng.uniform(0.3, 2.0)), float(rng.uniform(0.1, 0.4))), hours, rng)
    # Nobody sets a mat colder than the room.
    tried = [float(np.round(2 * max(room + 2.5, GOOD_C[kind] + rng.uniform(-5, 5))) / 2) for _ in range(n_settings)]
    ends = np.cumsum([int(d * STEPS_A_DAY) for d in days])
    setpoint = np.array([tried[min(n_settings - 1, int(np.searchsorted(ends, i, side="right")))] for i in range(n)])
    soil_c = truth.soil(air_c[:seen], setpoint[:seen], float(air_c[0]))
    steps = np.arange(0, seen, STEPS_AN_HOUR) if rng.random() < 0.6 else np.arange(0, seen, 10 * STEPS_AN_HOUR)
    off, air_off = float(rng.normal(0, 0.2)), float(rng.normal(0, 0.3))
    readings = [_reading(int(i), "T", "soil_temperature", soil_c[i] + off + rng.normal(0, 0.15)) for i in steps]
    if rng.random() < 0.85:
        readings += [_reading(int(i), "room", "air_temperature", air_c[i] + air_off + rng.normal(0, 0.15)) for i in steps]
    starts = [0, *ends[:-1]]
    events: list[dict[str, Any]] = [{"at": _text(-1), "kind": "placed", "tray": "T", "place": "bench"},
                                    {"at": _text(0), "kind": "cover", "tray": "T", "on": True}]  # fmt: skip
    for start, value in zip(starts, tried, strict=True):
        events.append({"at": _text(int(start)), "kind": "mat", "mat": "mat", "tray": "T", "on": True, "setpoint_c": value})
    journal = {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Drawn mat {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}], "places": [{"id": "bench", "room": "room", "kind": "shelf"}],
        "trays": [{"id": "T", "kind": "cells", "rows": 3, "columns": 4}],
        "mats": [{"id": "mat", "watts": 20, "control": "thermostat", "trays_max": 1}],
        "batches": [{"id": "b1", "tray": "T", "crop": kind, "sown_at": _text(max(0, seen - 2 * STEPS_A_DAY)), "cells": 12}],
        "readings": readings, "events": events,
    }  # fmt: skip
    return MatCase(
        journal,
        datetime.fromtimestamp(START.timestamp() + seen * STEP_S, ZONE),
        truth,
        air_c,
        seen,
        float(soil_c[-1]),
        n_settings,
    )


def _reading(step: int, place: str, quantity: str, value_c: float) -> dict[str, Any]:
    return {"at": _text(int(step)), "place": place, "quantity": quantity, "value": round(float(value_c), 1), "unit": "degC"}
