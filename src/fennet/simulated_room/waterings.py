"""Simulated trays between waterings, weighed by a person: what they lose goes with the weather and the leaves, not with what is
left in the mix."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

ZONE = ZoneInfo("UTC")
START = datetime(2026, 3, 1, 8, tzinfo=ZONE)
TRIGGER_PCT = 50.0


@dataclass(frozen=True)
class WaterCase:
    """A journal of three weighed cycles and a fresh watering, the moment to ask at, and when the tray really wants water."""

    journal: dict[str, Any]
    at: datetime
    now_pct: float
    true_days: float


def draw_watering(seed: int) -> WaterCase:
    """One drawn tray: loses a steady part of its water an hour, more on dry days and as its leaves grow."""
    rng = np.random.default_rng([seed, 311])
    covered = rng.random() < 0.2
    loss = float(rng.uniform(4.0, 8.0)) if covered else float(rng.uniform(9.0, 24.0))
    grows = 0.0 if covered else float(rng.uniform(0.0, 0.012))
    readings: list[dict[str, Any]] = []
    events: list[dict[str, Any]] = [
        {"at": (START - timedelta(days=9)).isoformat(), "kind": "placed", "tray": "T", "place": "shelf"},
        {"at": (START - timedelta(days=9)).isoformat(), "kind": "cover", "tray": "T", "on": bool(covered)},
    ]
    day, cycle, now = 0.0, 0, 93.0
    weather, step = 0.0, 1 / 24

    def text(d: float) -> str:
        return (START + timedelta(days=d)).isoformat(timespec="seconds")

    def weigh(d: float, pct: float) -> None:
        # A kitchen scale: two points calibrate it, five grams its error on a tray that holds six hundred.
        grams = round(900 + 6 * pct + float(rng.normal(0, 9)))
        readings.append({"at": text(d), "place": "T", "quantity": "moisture", "value": grams, "unit": "g", "source": "scale"})

    def lose(d: float, pct: float) -> float:
        nonlocal weather
        weather = 0.985 * weather + float(rng.normal(0, 0.02))
        sun = 1.0 + 0.35 * np.cos((d % 1.0 - 0.25) * 2 * np.pi)
        held = 0.55 + 0.45 * min(1.0, pct / 70.0)
        return float(loss * (1 + grows * d) * np.exp(weather) * sun * held * step)

    events.append({"at": text(0.0), "kind": "watered", "tray": "T", "how": "below", "ml": 300})
    weigh(0.05, now)
    asked_pct, asked_day, true_days = now, 0.0, 0.0
    hours = 0
    while cycle < 4:
        now -= lose(day, now)
        day += step
        hours += 1
        if cycle < 3 and hours % 24 == 12 and rng.random() < 0.7:
            weigh(day, now)
        if now <= TRIGGER_PCT - (3.0 if cycle < 3 else 0.0):
            if cycle == 3:
                true_days = day - asked_day
                break
            weigh(day, now)
            now = float(rng.uniform(88, 97))
            cycle += 1
            day += step
            events.append({"at": text(day), "kind": "watered", "tray": "T", "how": "below", "ml": 300})
            day += step
            weigh(day, now)
            hours = 0
            if cycle == 3:
                asked_day, asked_pct = day, now
    journal = {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Drawn watering {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}], "places": [{"id": "shelf", "room": "room", "kind": "shelf"}],
        "trays": [{"id": "T", "kind": "cells", "rows": 3, "columns": 4, "cell_ml": 100}],
        "sources": [{"id": "scale", "kind": "moisture",
                     "calibration": [{"quantity": "moisture", "dry": 900, "capacity": 1500, "unit": "g"}]}],
        "batches": [{"id": "b1", "tray": "T", "crop": "cabbage", "sown_at": text(-8.0), "cells": 12}],
        "readings": readings, "events": sorted(events, key=lambda e: str(e["at"])),
    }  # fmt: skip
    return WaterCase(journal, START + timedelta(days=asked_day, minutes=5), asked_pct, true_days)
