"""Simulated shelves under a lamp whose true curve is known, with the readings a person took beneath it.

A lamp's light falls off here as an extended source's does, level near by and with the square far off, and towards the ends of
the shelf; nothing of it is the curve that is fitted.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

ZONE = ZoneInfo("UTC")
START = datetime(2026, 3, 2, 9, tzinfo=ZONE)
METER = 0.05
#: Kinds under the lamp and what a careful grower aims at, mol a day.
AIMS = {"tomato": 15.0, "pepper": 15.0, "leek": 11.0, "parsley": 11.0, "pak_choi": 11.0, "cosmos": 9.0, "snapdragon": 9.0,
        "shiso": 13.0, "lettuce": 11.0, "tomatillo": 15.0}  # fmt: skip
HOURS = {"leek": (10.0, 14.0)}


@dataclass(frozen=True)
class ShelfCase:
    """A journal, the moment to ask at, and the means to judge the answer."""

    journal: dict[str, Any]
    at: datetime
    level_umol: float
    soft_mm: float
    sides: tuple[float, ...]
    leaf_mm: float
    aim_mol: float
    most_mol: float

    def ppfd(self, height_mm: float, tray: int) -> float:
        """True brightness at the leaves of a tray with the lamp so high."""
        return _light(self.level_umol, self.soft_mm, height_mm - self.leaf_mm) * self.sides[tray]

    def outcome_mol(self, height_mm: float, hours: float) -> float:
        """True daily light of the middle tray."""
        return float(np.median([0.0036 * self.ppfd(height_mm, i) * hours for i in range(len(self.sides))]))


def _light(level_umol: float, soft_mm: float, distance_mm: float) -> float:
    return level_umol * (150.0**2 + soft_mm**2) / (max(distance_mm, 1.0) ** 2 + soft_mm**2)


def draw_shelf(seed: int, readings: int) -> ShelfCase:
    """One drawn shelf with so many readings taken under its lamp, at two heights and more."""
    rng = np.random.default_rng([seed, 131])
    kind = str(rng.choice(sorted(AIMS)))
    soft = float(rng.uniform(90, 260))
    aim = AIMS[kind]
    _, high_h = HOURS.get(kind, (14.0, 16.0))
    n_trays = int(rng.integers(1, 3))
    sides = tuple(float(x) for x in rng.uniform(0.82, 1.08, n_trays))
    tray_mm, canopy = 60.0, float(rng.uniform(15, 70))
    # Most lamps can reach the aim somewhere; some cannot.
    level = aim / (0.0036 * 14.0) * float(rng.uniform(0.7, 1.9))
    # Whoever reads twice hangs the lamp a hand's breadth and more apart.
    first = float(rng.choice(np.arange(180, 320, 20)))
    heights = [first + step * float(rng.choice([80.0, 100.0, 120.0])) for step in range(max(2, readings // 2))]
    hours = float(rng.choice([12.0, 14.0, 15.0, 16.0]))
    events: list[dict[str, Any]] = []
    trays, batches = [], []
    sown = START - timedelta(days=24)
    for i in range(n_trays):
        name = "TU"[i]
        trays.append(
            {"id": name, "kind": "cells", "rows": 4, "columns": 6, "height_mm": tray_mm, "width_mm": 380, "depth_mm": 240}
        )
        batches.append({"id": f"b{i + 1}", "tray": name, "crop": kind, "sown_at": sown.isoformat(), "cells": 24})
        events.append({"at": sown.isoformat(), "kind": "placed", "tray": name, "place": "shelf", "x_mm": 20 + 420 * i})
        events.append({"at": (START - timedelta(days=13)).isoformat(), "kind": "count", "batch": f"b{i + 1}", "cells_up": 22})
        events.append(
            {
                "at": (START - timedelta(hours=1)).isoformat(),
                "kind": "height",
                "batch": f"b{i + 1}",
                "mm": round(canopy),
                "true_leaves": 1,
            }
        )
    got: list[dict[str, Any]] = []
    leaf = tray_mm + round(canopy)
    for n, height in enumerate(heights):
        at = START + timedelta(minutes=20 * n)
        events.append({"at": at.isoformat(), "kind": "lamp", "lamp": "lamp", "place": "shelf", "height_mm": height,
                       "on": "06:00", "off": f"{6 + int(hours):02}:00"})  # fmt: skip
        each = readings // len(heights) + (1 if n < readings % len(heights) else 0)
        for k in range(each):
            i = (n + k) % n_trays
            true = _light(level, soft, height - leaf) * sides[i]
            read = round(true * float(np.exp(rng.normal(0, METER))), 1)
            when = (at + timedelta(minutes=2 + 3 * k)).isoformat()
            got.append({"at": when, "place": "TU"[i], "quantity": "light", "value": read, "unit": "umol/m2/s", "under": "lamp"})
    journal = {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Drawn shelf {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}],
        "places": [{"id": "shelf", "room": "room", "kind": "shelf", "width_mm": 900, "depth_mm": 300}],
        "lamps": [{"id": "lamp", "place": "shelf", "kind": "white_led", "watts": 40, "min_distance_mm": 50}],
        "trays": trays, "batches": batches, "events": sorted(events, key=lambda e: e["at"]), "readings": got,
    }  # fmt: skip
    most = float(np.median([0.0036 * _light(level, soft, 50.0) * s * high_h for s in sides]))
    return ShelfCase(journal, START + timedelta(hours=3), level, soft, sides, leaf, aim, most)
