"""What a person does with a tray day by day: feels the mix, waters, measures a height. Written into a journal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

#: When the mix is felt and watered, local clock.
MORNING = (8, 15)


@dataclass(frozen=True)
class Care:
    """How one tray is kept: how fast it dries (share a day), when it is watered (% of capacity), how often it is felt, and
    whether a kitchen scale is used instead of a finger (dry and full weight, g). `forgets`: share of days nobody looks."""

    dries_per_day: float = 0.14
    waters_at_pct: float = 50.0
    fills_to_pct: float = 93.0
    looks_every_d: int = 2
    ml: float = 250.0
    how: str = "below"
    scale_g: tuple[float, float] | None = None
    forgets: float = 0.1
    # The last days of the story, when nobody watered.
    neglected_d: float = 0.0


#: Five steps of feel and where one turns into the next, % of capacity.
FEEL_EDGES_PCT = (30.0, 57.0, 75.0, 97.0)


def keep(
    journal: dict[str, Any], tray: str, care: Care, start: datetime, end: datetime, zone: ZoneInfo, rng: np.random.Generator,
    by: str, text: Callable[[Any], str],
) -> None:  # fmt: skip
    """Add a tray's waterings and its moisture as felt or weighed."""
    moisture, day, n = 90.0, start.astimezone(zone).replace(hour=MORNING[0], minute=MORNING[1], second=0, microsecond=0), 0
    while day <= end:
        if day > start:
            neglected = day > end - timedelta(days=care.neglected_d)
            if rng.random() > care.forgets or neglected:
                if n % care.looks_every_d == 0:
                    journal["readings"].append(_felt(tray, care, moisture, day, rng, text))
                if moisture < care.waters_at_pct and not neglected:
                    at = text(day + timedelta(minutes=5))
                    journal["events"].append(
                        {"by": by, "at": at, "kind": "watered", "tray": tray, "how": care.how, "ml": care.ml}
                    )
                    moisture = care.fills_to_pct + float(rng.normal(0, 2))
            n += 1
        moisture *= float(np.exp(-care.dries_per_day * rng.uniform(0.8, 1.2)))
        day += timedelta(days=1)


def _felt(
    tray: str, care: Care, moisture: float, at: datetime, rng: np.random.Generator, text: Callable[[Any], str]
) -> dict[str, Any]:
    entry: dict[str, Any] = {"at": text(at), "place": tray, "quantity": "moisture"}
    if care.scale_g:
        dry, full = care.scale_g
        grams = round(dry + (full - dry) * moisture / 100 + float(rng.normal(0, 6)))
        return entry | {"value": grams, "unit": "g", "source": "kitchen-scale"}
    step = 1 + int(np.searchsorted(FEEL_EDGES_PCT, moisture + float(rng.normal(0, 4))))
    return entry | {"value": step, "unit": "feel", "source": "by-hand"}


def measure_heights(
    journal: dict[str, Any], batch: str, grown_mm: float, half_d: float, up_s: float, until: datetime, zone: ZoneInfo, by: str,
    text: Callable[[Any], str],
) -> None:  # fmt: skip
    """Heights of a batch every four days from emergence on, with its true leaves: it grows by a logistic curve."""
    if not np.isfinite(up_s):
        return
    day = datetime.fromtimestamp(up_s, zone).replace(hour=19, minute=0, second=0, microsecond=0) + timedelta(days=3)
    while day <= until:
        age_d = (day.timestamp() - up_s) / 86_400
        mm = grown_mm / (1 + np.exp(-(age_d - half_d) / (half_d / 2.4)))
        entry = {
            "by": by,
            "at": text(day),
            "kind": "height",
            "batch": batch,
            "mm": round(float(mm)),
            "true_leaves": int(age_d // 8),
        }
        journal["events"].append(entry)
        day += timedelta(days=4)
