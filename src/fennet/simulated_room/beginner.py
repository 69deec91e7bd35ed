"""A second, tiny demo: a beginner two weeks in, with a window sill, one lamp, three trays and no thermometer."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from fennet.simulated_room.demo import ZONE
from fennet.simulated_room.room import Corner
from fennet.simulated_room.season import SimulatedTray, Sowing, cells, play

GARDENER = "Jorrit"
SETTING: dict[str, Any] = {
    "garden": {"name": "Jorrit's sill", "timezone": ZONE, "latitude": 52.1, "longitude": 4.6},
    "rooms": [{"id": "kitchen", "name": "Kitchen"}],
    "places": [
        {"id": "sill", "name": "Kitchen sill", "room": "kitchen", "kind": "sill", "width_mm": 1100, "depth_mm": 250, "x_mm": 0,
         "z_mm": 900, "facing_deg": 140},
        {"id": "table", "name": "Table under the lamp", "room": "kitchen", "kind": "shelf", "width_mm": 900, "depth_mm": 450,
         "x_mm": 1300, "z_mm": 750},
    ],
    "lamps": [{"id": "lamp-1", "place": "table", "kind": "white_led", "watts": 20}],
    "sources": [{"id": "by-hand", "kind": "person"}],
    "wants": [{"id": "want-cosmos", "crop": "cosmos", "variety": "Tollhouse", "plants": 8}],
}  # fmt: skip
SILL, TABLE = Corner(17.0, 2.6, 0.4), Corner(19.0, 1.5, 0.3)


def beginner_journal(end: datetime, seed: int = 11) -> dict[str, Any]:
    """The beginner's fortnight as a journal, ending at a moment. Deterministic for a moment's local time of day."""
    row = cells(range(1, 3), range(1, 4))
    shop = {"packed": end.year, "source": "the corner shop", "rate": 0.8}
    trays = [
        SimulatedTray("A", "sill", SILL, rows=2, columns=3, x_mm=40, sowings=[
            Sowing("parsley-1", "parsley", "Stoop Curl", 13, row, dict(shop), 4)]),
        SimulatedTray("B", "table", TABLE, rows=2, columns=3, x_mm=40, sowings=[
            Sowing("tomatillo-1", "tomatillo", "Dusk", 14, row, dict(shop), 2, uncovered_days_ago=5, grows_mm=140,
                   half_grown_d=12, stretch=1.5)]),
        SimulatedTray("C", "sill", SILL, rows=2, columns=3, x_mm=440, sowings=[
            Sowing("leek-1", "leek", "Plain Sailing", 4, row, dict(shop), 2)]),
    ]  # fmt: skip
    setting = {k: list(v) if isinstance(v, list) else v for k, v in SETTING.items()}
    setting["readings"], setting["events"] = [], []
    return play(trays, setting, end, ZoneInfo(ZONE), seed, GARDENER)
