"""How one simulated tray of seedlings stands: its kind, its days, what ails it and what that shows."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

ZONE = ZoneInfo("UTC")
START = datetime(2026, 2, 20, 9, tzinfo=ZONE)
DAY = timedelta(days=1)

#: Kind: height at twelve days mm, aim of daily light mol, hours, warmest day it likes, coldest root, days from seed to up, warm.
KINDS: dict[str, tuple[float, float, float, float, float, float, bool]] = {
    "tomato": (40, 13.5, 15, 24, 17, 7, True), "pepper": (30, 13.5, 15, 24, 17.5, 9, True),
    "tomatillo": (40, 13.5, 15, 24, 17, 7, True), "shiso": (16, 11.5, 15, 24, 18, 9, True),
    "leek": (45, 9.5, 12, 18, 10, 11, False), "celeriac": (15, 9.5, 14, 20, 12.5, 14, False),
    "parsley": (15, 9.5, 14, 20, 12.5, 16, False), "pak_choi": (30, 9.5, 14, 18, 10, 4, False),
    "cabbage": (30, 9.5, 14, 18, 10, 6, False), "lettuce": (22, 9.5, 14, 18, 10, 4, False),
    "snapdragon": (12, 7.5, 14, 20, 13.5, 9, False), "statice": (14, 7.5, 14, 20, 13.5, 9, False),
    "cosmos": (45, 7.5, 15, 20, 13.5, 6, False),
}  # fmt: skip
LEGGY = ("weak_light", "lamp_too_far", "short_hours", "late_to_light", "too_warm", "covered_too_long", "crowded")
LEGGY_OFTEN = np.array([0.22, 0.24, 0.12, 0.14, 0.10, 0.06, 0.12])
FALLS = ("too_wet", "covered_too_long", "still_air", "unclean_mix", "watered_from_above", "cool_and_slow", "crowded")
OTHERS = (
    "hungry", "overfed", "too_much_light", "lamp_too_near", "cold_roots", "airless_mix", "thirsty", "overwatered", "root_bound",
    "sun_scald", "wind_burn", "chilled", "gnats", "aphids", "bolting",
)  # fmt: skip
#: What each of these shows: sign and its chance.
SHOWS: dict[str, dict[str, float]] = {
    "hungry": {"yellow_lower": 0.85, "pale_all": 0.35, "purple_under": 0.2, "stalled": 0.3},
    "overfed": {"brown_edges": 0.85, "stalled": 0.2, "cupped": 0.15},
    "too_much_light": {"cupped": 0.65, "pale_all": 0.5, "bleached": 0.3},
    "lamp_too_near": {"bleached": 0.55, "cupped": 0.65, "brown_edges": 0.2},
    "cold_roots": {"purple_under": 0.75, "stalled": 0.7},
    "airless_mix": {"yellow_lower": 0.5, "wilt_wet": 0.35, "stalled": 0.45, "purple_under": 0.3, "green_film": 0.4},
    "thirsty": {"wilt_dry": 0.92, "brown_edges": 0.2},
    "overwatered": {"wilt_wet": 0.8, "yellow_lower": 0.45, "green_film": 0.35, "tiny_flies": 0.2},
    "root_bound": {"roots_circling": 0.85, "stalled": 0.5, "wilt_dry": 0.3, "yellow_lower": 0.3},
    "sun_scald": {"bleached": 0.95}, "wind_burn": {"brown_edges": 0.65, "wilt_dry": 0.3, "bleached": 0.15},
    "chilled": {"wilt_wet": 0.3, "stalled": 0.5, "bleached": 0.25, "purple_under": 0.2},
    "gnats": {"tiny_flies": 0.97, "green_film": 0.3}, "aphids": {"sticky_insects": 0.97, "cupped": 0.2},
    "bolting": {"early_stalk": 0.97},
}  # fmt: skip


@dataclass
class Grown:
    """A journal, when to ask, and what is true of its batch b1: the complaint and its main cause (None: healthy)."""

    journal: dict[str, Any]
    at: datetime
    complaint: str | None
    cause: str | None
    ills: tuple[str, ...]
    first_fall: datetime | None = None
    calm: bool = False


@dataclass
class Life:
    """How one tray really stood, by day since it came up (before: the same as the first). Units in the names."""

    kind: str
    days: int
    cells: int
    per_cell: int
    ills: dict[str, float]
    mol: np.ndarray = field(default_factory=lambda: np.zeros(0))
    hours: float = 14.0
    ppfd_umol: float = 200.0
    height_mm: float = 250.0
    near_times: float = 1.2
    dark_d: float = 0.0
    warm_c: float = 18.0
    night_c: float = 15.0
    cover_d: float = 0.5
    wet_pct: float = 65.0
    above: bool = False
    fan_h: float = 6.0
    clean: bool = True
    fed_every_d: float = 9.0
    fed_mg: float = 50.0
    rich: bool = False
    cell_ml: float = 60.0
    outing: tuple[float, float] | None = None
    window: bool = False
