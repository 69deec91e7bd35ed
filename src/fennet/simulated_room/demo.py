"""The demo's story: a stair-landing and a box-room in a tall old house by a canal. People, packets and varieties are invented.

The season always ends at the moment asked for, whatever the calendar says, so that the demo is alive on the day it is run.
Ninety days of six probes: one drifts, one has fallen out of its tray, all have gaps.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import count
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from fennet.simulated_room.keeping import Care
from fennet.simulated_room.last_season import add_last_season
from fennet.simulated_room.room import STEP_S, STEPS_A_DAY, Corner, SimulatedMat, air, lamp_light, probe
from fennet.simulated_room.season import SimulatedTray, Sowing, cells, play
from fennet.simulated_room.weather_station import foretold, measured, minima

ZONE = "Europe/Amsterdam"
GARDENER, HELPER = "Ottilie", "Bram"
SEED = 42
DAYS = 90.0


def _shelf(id: str, name: str, z_mm: float) -> dict[str, Any]:
    return {
        "id": id, "name": name, "room": "box-room", "kind": "shelf", "width_mm": 1200, "depth_mm": 450, "x_mm": 0, "z_mm": z_mm,
    }  # fmt: skip


def _lamp(id: str, place: str, watts: float, lumens: float) -> dict[str, Any]:
    return {
        "id": id, "place": place, "kind": "white_led", "watts": watts, "lumens": lumens, "length_mm": 1000,
        "min_distance_mm": 60, "outlet": "box-wall",
    }  # fmt: skip


def _mat(id: str) -> dict[str, Any]:
    return {
        "id": id, "watts": 20, "control": "thermostat", "trays_max": 1, "width_mm": 350, "depth_mm": 250, "outlet": "box-wall",
    }  # fmt: skip


SETTING: dict[str, Any] = {
    "garden": {
        "name": "Canal house", "timezone": ZONE, "latitude": 52.1, "longitude": 4.6, "last_frost": "05-05", "last_frost_sd_d": 11,
        "tariff_per_kwh": 0.31, "currency": "EUR", "practice": {"light_hours": "14-16", "water_when": "pale_top"},
    },
    "rooms": [
        {"id": "box-room", "name": "Box-room"}, {"id": "landing", "name": "Stair-landing"}, {"id": "yard", "name": "Back yard"},
    ],
    "places": [
        {
            "id": "landing-sill", "name": "Landing, under the skylight", "room": "landing", "kind": "sill", "width_mm": 1400,
            "depth_mm": 300, "x_mm": 0, "z_mm": 900, "facing_deg": 95,
        },
        _shelf("box-top", "Box-room, upper shelf", 1480),
        _shelf("box-mid", "Box-room, middle shelf", 900),
        _shelf("box-low", "Box-room, lower shelf", 350),
        {
            "id": "porch", "name": "Porch bench", "room": "yard", "kind": "porch", "width_mm": 1100, "depth_mm": 400, "x_mm": 0,
            "z_mm": 500, "facing_deg": 180,
        },
    ],
    "outlets": [{"id": "box-wall", "limit_w": 2300}],
    "lamps": [_lamp("lamp-1", "box-top", 36, 3600), _lamp("lamp-2", "box-mid", 30, 2900)],
    "mats": [_mat("mat-1"), _mat("mat-2")],
    "fans": [{"id": "fan-1", "place": "box-top", "watts": 4, "outlet": "box-wall"}],
    "sources": [
        {"id": "by-hand", "kind": "person"},
        {"id": "light-meter", "kind": "light"},
        {"id": "kitchen-scale", "kind": "moisture", "sited": "D", "calibration": [
            {"quantity": "moisture", "dry": 520, "capacity": 1180, "unit": "g"}]},
    ],
    "wants": [
        {"id": "want-leek", "crop": "leek", "variety": "Grey Sluice", "plants": 30, "spares": 4},
        {"id": "want-celeriac", "crop": "celeriac", "variety": "Lockkeeper", "plants": 12, "spares": 2},
        {"id": "want-parsley", "crop": "parsley", "variety": "Flat Bottom", "plants": 12},
        {"id": "want-tomatillo", "crop": "tomatillo", "variety": "Barge Lantern", "plants": 6, "spares": 1},
        {"id": "want-shiso", "crop": "shiso", "variety": "Wharf Red", "plants": 8},
        {"id": "want-pak-choi", "crop": "pak_choi", "variety": "Towpath", "plants": 10, "every_days": 14, "times": 3},
        {"id": "want-snapdragon", "crop": "snapdragon", "variety": "Bargee's Coat", "plants": 20, "spares": 2},
        {"id": "want-statice", "crop": "statice", "variety": "Ferry Blue", "plants": 18},
        {"id": "want-cosmos", "crop": "cosmos", "variety": "Lamplighter", "plants": 16, "note": "for the wall by the lock"},
    ],
    "recipes": [{"name": "Ottilie's fine mix", "parts": {"coir": 3, "compost": 1, "vermiculite": 1}}],
    "feeds": [
        {"id": "quay feed", "name": "quay feed", "n_pct": 4.0, "p_pct": 2.5, "k_pct": 6.0, "dose_ml_per_l": 5.0},
        {"id": "crystals", "name": "crystals", "n_pct": 15.0, "p_pct": 10.0, "k_pct": 20.0, "dose_g_per_l": 1.0},
    ],
    "targets": [{"crop": "snapdragon", "stage": "growing_on", "quantity": "light_hours", "low": 12, "high": 15}],
}  # fmt: skip

LANDING = Corner(10.5, 1.2, 0.3)
BOX_ROOM = Corner(17.0, 1.6, 0.3)
YARD = Corner(9.0, 3.5, 1.0)
COVERED = Care(dries_per_day=0.05, waters_at_pct=72, looks_every_d=3)


def trays(year: int) -> list[SimulatedTray]:
    """What stands where, in a given year. Two seeds a cell unless said."""
    swap, saved, post = "Swap table at the lock-keeper's", "Saved at home", "By post from Aunt Wilhelmine"
    left, right = cells(range(1, 5), range(1, 4)), cells(range(1, 5), range(4, 7))
    two_rows = cells(range(1, 3), range(1, 7))
    three_rows = cells(range(1, 4), range(1, 5))
    three_by_six = cells(range(1, 4), range(1, 7))

    def lot(source: str, back: int = 0, **more: Any) -> dict[str, Any]:
        return {"packed": year - back, "source": source, **more}

    statice, pak_choi = lot(post, 2, storage="cold_dry", rate=0.8, seeds=120), lot(swap, rate=0.92, seeds=300)
    leek, celeriac = lot(post, storage="cold_dry", rate=0.88, seeds=150), lot(swap, storage="cold_dry", rate=0.8, seeds=90)
    return [
        SimulatedTray(
            "A", "landing-sill", LANDING, probe_id="probe-landing", days=DAYS, x_mm=40, care=COVERED,
            sowings=[
                Sowing("leek-0", "leek", "Grey Sluice", 85, three_rows, leek, depth_mm=10, left_days_ago=38,
                       uncovered_days_ago=52, grows_mm=170, half_grown_d=24),
                Sowing("leek-1", "leek", "Grey Sluice", 13, three_rows, leek, depth_mm=10),
            ],
        ),
        SimulatedTray(
            "B", "box-low", BOX_ROOM, probe_id="probe-box-low", mat=SimulatedMat(21.0), mat_id="mat-1", days=DAYS, x_mm=20,
            care=COVERED,
            sowings=[
                Sowing("celeriac-0", "celeriac", "Old Dredger", 55, two_rows, lot(saved, 5, storage="warm_damp"), 3, 2,
                       alive=0.04, left_days_ago=20),
                Sowing("celeriac-1", "celeriac", "Lockkeeper", 5, two_rows, celeriac, 3, 2),
            ],
        ),
        SimulatedTray(
            "C", "box-low", BOX_ROOM, probe_id="probe-tomatillo", mat=SimulatedMat(26.5), mat_id="mat-2", days=DAYS, x_mm=420,
            care=COVERED,
            sowings=[
                Sowing("tomatillo-1", "tomatillo", "Barge Lantern", 6, cells(range(1, 3), range(1, 5)),
                       lot(saved, 1, rate=0.9, seeds=60, mother="the one by the bicycle shed"), depth_mm=6),
            ],
        ),
        SimulatedTray(
            "D", "box-top", BOX_ROOM, probe_id="probe-box-top", days=DAYS, x_mm=20, drift_c_per_day=0.03,
            care=Care(0.15, 52, looks_every_d=1, scale_g=(520, 1180)),
            sowings=[
                Sowing("pak-choi-0", "pak_choi", "Towpath", 62, left, pak_choi, 2, 8, left_days_ago=40,
                       uncovered_days_ago=52, grows_mm=90, half_grown_d=16),
                Sowing("statice-0", "statice", "Ferry Blue", 62, right, statice, 2, 4,
                       left_days_ago=36, grows_mm=30),
                Sowing("pak-choi-1", "pak_choi", "Towpath", 8, left, pak_choi, 2, 8, uncovered_days_ago=1.4),
                Sowing("statice-1", "statice", "Ferry Blue", 8, right, statice, 2, 4),
            ],
        ),
        SimulatedTray("E", "porch", YARD, x_mm=20, sowings=[
            Sowing("snapdragon-1", "snapdragon", "Bargee's Coat", 3, three_rows, lot(swap), 3, 1)]),
        SimulatedTray(
            "F", "box-top", BOX_ROOM, rows=3, columns=5, days=20, x_mm=420, care=Care(0.16, 50), sowings=[
                Sowing("cosmos-1", "cosmos", "Lamplighter", 19, cells(range(1, 3), range(1, 6)), lot(saved, 1, rate=0.9), 1, 8,
                       uncovered_days_ago=9, grows_mm=150, half_grown_d=12, stretch=1.4)],
        ),
        SimulatedTray(
            "G", "box-mid", BOX_ROOM, rows=3, columns=6, days=70, x_mm=20, height_mm=90, cell_ml=120,
            care=Care(0.22, 60, neglected_d=3.5),
            sowings=[
                Sowing("parsley-1", "parsley", "Flat Bottom", 68, three_by_six, lot(post, rate=0.82), 3, 6,
                       uncovered_days_ago=42, grows_mm=110, half_grown_d=24)],
        ),
        SimulatedTray(
            "H", "box-mid", BOX_ROOM, rows=3, columns=5, probe_id="probe-shiso", days=DAYS, x_mm=420, fell_days_ago=6,
            care=Care(0.2, 52),
            sowings=[
                Sowing("shiso-1", "shiso", "Wharf Red", 36, cells(range(1, 4), range(1, 6)), lot(swap, 1, rate=0.75), 3, 1,
                       uncovered_days_ago=14, grows_mm=60, half_grown_d=14)],
        ),
        SimulatedTray(
            "S", "box-mid", BOX_ROOM, rows=3, columns=6, days=77, x_mm=780, height_mm=70, cell_ml=80, care=Care(0.2, 52),
            sowings=[
                Sowing("snapdragon-0", "snapdragon", "Bargee's Coat", 75, three_by_six, lot(swap, rate=0.85),
                       3, 1, uncovered_days_ago=62, grows_mm=120, half_grown_d=26)],
        ),
        SimulatedTray("P", "porch", YARD, [], 3, 4, days=39, x_mm=420, height_mm=100, cell_ml=280, care=Care(0.15, 50)),
        SimulatedTray("R", "landing-sill", LANDING, [], 2, 3, days=11, x_mm=920, height_mm=80, cell_ml=150, care=Care(0.12, 50)),
        SimulatedTray("Q", "landing-sill", LANDING, [], 3, 4, days=41, x_mm=480, height_mm=100, cell_ml=280, care=Care(0.12, 50)),
    ]  # fmt: skip


#: (days before the end, clock, by whom, kind, fields): what was done that no tray's own play tells.
ACTIONS: list[tuple[float, str, str, str, dict[str, Any]]] = [
    (90, "09:00", GARDENER, "lamp", {"lamp": "lamp-1", "place": "box-top", "height_mm": 210, "on": "07:00", "off": "21:30"}),
    (90, "09:05", GARDENER, "lamp", {"lamp": "lamp-2", "place": "box-mid", "height_mm": 230, "on": "06:00", "off": "20:30"}),
    (58, "18:00", GARDENER, "fan", {"fan": "fan-1", "place": "box-top", "hours_per_day": 12}),
    (48, "18:10", GARDENER, "lamp", {"lamp": "lamp-1", "height_mm": 260}),
    (41, "10:00", GARDENER, "washed", {"tray": "Q", "how": "hot water and a brush"}),
    (40, "10:30", GARDENER, "potted_up", {"batch": "pak-choi-0", "tray": "Q", "buried": False}),
    (38, "10:30", GARDENER, "potted_up", {"batch": "leek-0", "tray": "P", "buried": True}),
    (37, "19:00", HELPER, "sign", {"batch": "statice-0", "sign": "fallen_pinched_base", "cells": 4}),
    (36, "08:30", GARDENER, "lost", {"batch": "statice-0", "cells": 12, "why": "fell over at the soil line"}),
    (36, "08:40", GARDENER, "washed", {"tray": "D", "how": "soap and a day in the sun"}),
    (34, "18:00", GARDENER, "fed", {"tray": "G", "feed": "tomato feed, quarter strength", "n_mg_per_l": 50}),
    (30, "18:10", GARDENER, "lamp", {"lamp": "lamp-2", "height_mm": 270}),
    (28, "18:00", HELPER, "thinned", {"batch": "parsley-1", "left": 16}),
    (20, "08:20", GARDENER, "gave_up", {"batch": "celeriac-0"}),
    (20, "08:25", GARDENER, "note", {"text": "Old seed from the warm cupboard. Not again.", "batch": "celeriac-0"}),
    (17, "18:00", GARDENER, "fed", {"tray": "G", "feed": "tomato feed, quarter strength", "n_mg_per_l": 50}),
    (12, "11:00", GARDENER, "planted", {"batch": "pak-choi-0", "count": 10}),
    (9, "18:30", HELPER, "lamp", {"lamp": "lamp-1", "height_mm": 400}),
    (8, "20:00", HELPER, "lamp", {"lamp": "lamp-2", "on": "06:30", "off": "19:30"}),
    (8, "20:05", HELPER, "note", {"text": "Box-room lamp off earlier, the guest sleeps next door.", "place": "box-mid"}),
    (5, "11:00", GARDENER, "outing", {"batch": "leek-0", "hours": 3, "shade_share": 1.0, "seen": "none"}),
    (4, "11:00", GARDENER, "outing", {"batch": "leek-0", "hours": 4, "shade_share": 1.0, "seen": "limp"}),
    (3, "11:00", GARDENER, "outing", {"batch": "leek-0", "hours": 4, "shade_share": 0.7, "seen": "none"}),
    (2, "19:20", HELPER, "sign", {"batch": "cosmos-1", "sign": "long_thin"}),
    (1.2, "11:00", GARDENER, "outing", {"batch": "leek-0", "hours": 6, "shade_share": 0.5}),
    # The bought celeriac has its outings behind it, and a night.
    *((8 - i, "12:00", HELPER, "outing", {"batch": "celeriac-b", "hours": hours, "shade_share": shade, "sheltered": True,
                                          "seen": "none"})
      for i, (hours, shade) in enumerate(((0.25, 0.5), (0.5, 0.5), (1.5, 0.5), (3, 0.5), (4.5, 0.0), (6, 0.0), (8, 0.0)))),
    (1.1, "09:30", GARDENER, "outing", {"batch": "celeriac-b", "hours": 20, "shade_share": 0.0, "sheltered": True, "night": True,
                                        "seen": "none"}),
    (4, "18:40", HELPER, "check", {"batch": "pak-choi-0", "what": "health", "result": "well"}),
    (3, "08:50", GARDENER, "lost", {"batch": "pak-choi-0", "cells": 2, "why": "slugs"}),
]  # fmt: skip
#: Plants that fill the gap the old seed left.
BOUGHT: dict[str, Any] = {
    "id": "celeriac-b", "crop": "celeriac", "tray": "R", "cell_list": cells(range(1, 3), range(1, 4)), "start": "bought",
    "source": "the stall by the swing bridge", "size_mm": 120, "practice": {"harden": "quarter_hour"},
}  # fmt: skip
BOUGHT_DAYS_AGO = 10
#: The station's own readings go back so far, days.
WEATHER_D = 10

#: Light by hand: (days before the end, place, lamp's height mm, tray and plants mm, what the lamp gives at 100 mm, unit).
LIGHT: list[tuple[float, str, float, float, float, str]] = [
    (84, "S", 230, 70, 250, "umol/m2/s"), (52, "D", 210, 70, 300, "umol/m2/s"), (47, "D", 260, 80, 300, "umol/m2/s"),
    (41, "G", 230, 95, 250, "umol/m2/s"), (29, "G", 270, 130, 250, "umol/m2/s"), (29, "S", 270, 130, 250, "lux"),
    (13, "H", 270, 80, 250, "umol/m2/s"), (8.4, "F", 400, 85, 300, "umol/m2/s"), (7, "G", 270, 170, 250, "umol/m2/s"),
    (1.1, "D", 400, 65, 300, "lux"), (1.1, "F", 400, 120, 300, "umol/m2/s"), (0.9, "S", 270, 165, 250, "umol/m2/s"),
]  # fmt: skip
LUX_PER_UMOL = 68.0


def demo_journal(end: datetime, seed: int = SEED) -> dict[str, Any]:
    """The demo season as a journal, ending at a moment. Deterministic for a moment's local time of day."""
    zone = ZoneInfo(ZONE)
    setting = {k: list(v) if isinstance(v, list) else v for k, v in SETTING.items()}
    setting["readings"], setting["events"] = [], []
    rng = np.random.default_rng([seed, 7])

    def clock(days_ago: float, at: str) -> str:
        hour, minute = (int(part) for part in at.split(":"))
        day = (end - timedelta(days=days_ago)).astimezone(zone)
        return min(day.replace(hour=hour, minute=minute, second=0, microsecond=0), end.astimezone(zone)).isoformat(
            timespec="seconds"
        )

    for days_ago, at, by, kind, fields in ACTIONS:
        setting["events"].append({"by": by, "at": clock(days_ago, at), "kind": kind, **fields})
    for days_ago, place, height, below, strength, unit in LIGHT:
        umol = lamp_light(strength, height - below) * float(rng.normal(1, 0.03))
        figure = round(umol * LUX_PER_UMOL, -2) if unit == "lux" else round(umol)
        lamp = "lamp-2" if place in "GHS" else "lamp-1"
        setting["readings"].append({
            "at": clock(days_ago, "19:10"), "place": place, "quantity": "light", "value": figure, "unit": unit,
            "source": "light-meter", "under": lamp,
        })  # fmt: skip
    # One evening the meter went over the upper shelf spot by spot, at the height of the leaves.
    for x_mm, y_mm in ((60, 80), (60, 370), (360, 225), (600, 80), (600, 370), (840, 225), (1140, 80), (1140, 370)):
        rejected = ((x_mm - 600) / 620) ** 2 + ((y_mm - 225) / 330) ** 2
        umol = lamp_light(355, 280) / (1.0 + 0.55 * rejected) * float(rng.normal(1, 0.03))
        setting["readings"].append({
            "at": clock(2, "19:20"), "place": "box-top", "x_mm": x_mm, "y_mm": y_mm, "z_mm": 120, "quantity": "light",
            "value": round(umol), "unit": "umol/m2/s", "source": "light-meter", "under": "lamp-1",
        })  # fmt: skip
    _air_probe(setting, end, zone, rng)
    setting["minima"] = minima(end.year - 1, seed)
    now = end.astimezone(zone)
    hour = now.replace(minute=0, second=0, microsecond=0)
    setting["weather"] = [foretold(now, seed), measured(hour - timedelta(days=WEATHER_D), hour, seed)]
    setting["batches"] = [{**BOUGHT, "sown_at": clock(BOUGHT_DAYS_AGO, "16:00")}]
    journal = play(trays(end.year), setting, end, zone, seed, GARDENER)
    add_last_season(journal, end, zone, seed, GARDENER)
    for section in ("readings", "events"):
        journal[section].sort(key=lambda entry: datetime.fromisoformat(entry["at"]))
    taken = {e["id"] for e in journal["events"] if "id" in e}
    numbers = (f"past-{n:04}" for n in count(1))
    for event in journal["events"]:
        if "id" not in event:
            event["id"] = next(x for x in numbers if x not in taken)
    return journal


def _air_probe(setting: dict[str, Any], end: datetime, zone: ZoneInfo, rng: np.random.Generator) -> None:
    """The sixth probe hangs in the box-room and reads its air."""
    setting["sources"].append({"id": "probe-air", "kind": "thermometer", "sited": "box-room"})
    n = int(DAYS * STEPS_A_DAY) + 1
    at_s = end.timestamp() - STEP_S * np.arange(n)[::-1]
    hours = (at_s / 3600 + (end.astimezone(zone).utcoffset() or timedelta()).total_seconds() / 3600) % 24
    steps, figures = probe(air(BOX_ROOM, hours, rng), rng)
    setting["readings"] += [
        {"at": datetime.fromtimestamp(float(at_s[i]), zone).isoformat(timespec="seconds"), "place": "box-room",
         "quantity": "air_temperature", "value": float(v), "unit": "degC", "source": "probe-air"}
        for i, v in zip(steps, figures, strict=True)
    ]  # fmt: skip
