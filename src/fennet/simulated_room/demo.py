"""The demo's story: a stair-landing and a box-room in a tall old house by a canal. People, packets and varieties are invented.

The season always ends at the moment asked for, whatever the calendar says, so that the demo is alive on the day it is run.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from fennet.simulated_room.room import Corner, SimulatedMat
from fennet.simulated_room.season import SimulatedTray, Sowing, cells, play

ZONE = "Europe/Amsterdam"
GARDENER = "Ottilie"
SEED = 23

SETTING: dict[str, Any] = {
    "garden": {
        "name": "Canal house",
        "timezone": ZONE,
        "latitude": 52.1,
        "longitude": 4.6,
        "last_frost": "05-05",
        "last_frost_sd_d": 11,
        "tariff_per_kwh": 0.31,
        "currency": "EUR",
        "practice": {"light_hours": "14-16", "water_when": "pale_top"},
    },
    "rooms": [{"id": "landing", "name": "Stair-landing"}, {"id": "box-room", "name": "Box-room"}],
    "places": [
        {
            "id": "landing-sill",
            "name": "Landing, under the skylight",
            "room": "landing",
            "kind": "sill",
            "width_mm": 1400,
            "depth_mm": 300,
            "x_mm": 0,
            "z_mm": 900,
            "facing_deg": 95,
        },
        {
            "id": "box-top",
            "name": "Box-room, upper shelf",
            "room": "box-room",
            "kind": "shelf",
            "width_mm": 1200,
            "depth_mm": 450,
            "x_mm": 0,
            "z_mm": 1300,
        },
        {
            "id": "box-low",
            "name": "Box-room, lower shelf",
            "room": "box-room",
            "kind": "shelf",
            "width_mm": 1200,
            "depth_mm": 450,
            "x_mm": 0,
            "z_mm": 700,
        },
    ],
    "outlets": [{"id": "box-wall", "limit_w": 2300}],
    "lamps": [
        {
            "id": "lamp-1",
            "place": "box-top",
            "kind": "white_led",
            "watts": 36,
            "lumens": 3600,
            "length_mm": 900,
            "min_distance_mm": 50,
            "outlet": "box-wall",
        }
    ],
    "mats": [
        {
            "id": "mat-1",
            "watts": 20,
            "control": "thermostat",
            "trays_max": 1,
            "width_mm": 500,
            "depth_mm": 250,
            "outlet": "box-wall",
        },
        {
            "id": "mat-2",
            "watts": 20,
            "control": "thermostat",
            "trays_max": 1,
            "width_mm": 500,
            "depth_mm": 250,
            "outlet": "box-wall",
        },
    ],
    "sources": [{"id": "by-hand", "kind": "person"}],
    "wants": [{"crop": "leek", "variety": "Grey Sluice", "plants": 30, "spares": 4}],
}

LANDING = Corner(10.5, 1.2, 0.3)
BOX_ROOM = Corner(17.0, 1.6, 0.3)


def trays(year: int) -> list[SimulatedTray]:
    """What stands where, in a given year. Two seeds a cell unless said."""
    swap, saved, post = "Swap table at the lock-keeper's", "Saved at home", "By post from Aunt Wilhelmine"
    left, right = cells(range(1, 5), range(1, 4)), cells(range(1, 5), range(4, 7))
    return [
        SimulatedTray(
            "A",
            "landing-sill",
            LANDING,
            probe_id="probe-landing",
            sowings=[
                Sowing(
                    "leek-1",
                    "leek",
                    "Grey Sluice",
                    13,
                    cells(range(1, 4), range(1, 5)),
                    {"packed": year, "storage": "cold_dry", "rate": 0.88, "source": post, "seeds": 150},
                    depth_mm=10,
                ),
            ],
        ),
        SimulatedTray(
            "B",
            "box-low",
            BOX_ROOM,
            probe_id="probe-box-low",
            mat=SimulatedMat(21.0),
            mat_id="mat-1",
            sowings=[
                Sowing(
                    "celeriac-1",
                    "celeriac",
                    "Lockkeeper",
                    5,
                    cells(range(1, 3), range(1, 7)),
                    {"packed": year, "storage": "cold_dry", "rate": 0.8, "source": swap, "seeds": 90},
                    3,
                    2,
                ),
            ],
        ),
        SimulatedTray(
            "C",
            "box-low",
            BOX_ROOM,
            probe_id="probe-tomatillo",
            mat=SimulatedMat(26.5),
            mat_id="mat-2",
            sowings=[
                Sowing(
                    "tomatillo-1",
                    "tomatillo",
                    "Barge Lantern",
                    6,
                    cells(range(1, 3), range(1, 5)),
                    {"packed": year - 1, "rate": 0.9, "source": saved, "mother": "the one by the bicycle shed"},
                    depth_mm=6,
                ),
            ],
        ),
        SimulatedTray(
            "D",
            "box-top",
            BOX_ROOM,
            probe_id="probe-box-top",
            sowings=[
                Sowing("pak-choi-1", "pak_choi", "Towpath", 8, left, {"packed": year, "rate": 0.92, "source": swap}, 2, 8),
                Sowing(
                    "statice-1",
                    "statice",
                    "Ferry Blue",
                    8,
                    right,
                    {"packed": year - 2, "storage": "cold_dry", "rate": 0.8, "source": post},
                    2,
                    4,
                ),
            ],
        ),
        SimulatedTray(
            "E",
            "box-top",
            BOX_ROOM,
            sowings=[
                Sowing(
                    "snapdragon-1",
                    "snapdragon",
                    "Bargee's Coat",
                    3,
                    cells(range(1, 4), range(1, 5)),
                    {"packed": year, "source": swap},
                    3,
                    1,
                ),
            ],
        ),
    ]


def demo_journal(end: datetime, seed: int = SEED) -> dict[str, Any]:
    """The demo season as a journal, ending at a moment. Deterministic for a moment's local time of day."""
    return play(
        trays(end.year),
        {k: list(v) if isinstance(v, list) else v for k, v in SETTING.items()},
        end,
        ZoneInfo(ZONE),
        seed,
        GARDENER,
    )
