"""A hand-written journal that uses every key of the format."""

# ruff: noqa: E501 — one entry a line reads best.

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

AT = "2026-02-03T10:00:00+02:00"


def at(day: int, hour: int = 10) -> str:
    return (datetime.fromisoformat(AT) + timedelta(days=day)).replace(hour=hour).isoformat()


def whole_journal() -> dict[str, Any]:
    events: list[dict[str, Any]] = [
        {"kind": "placed", "tray": "A", "place": "shelf-1", "x_mm": 100, "y_mm": 20, "turned": 180},
        {
            "kind": "mat",
            "tray": "A",
            "mat": "mat-1",
            "on": True,
            "setpoint_c": 24.5,
            "periods": [["06:00", "10:00"]],
            "insulated": True,
            "probe": "A",
        },
        {"kind": "cover", "tray": "A", "on": "vented"},
        {"kind": "lamp", "lamp": "lamp-1", "place": "shelf-1", "height_mm": 300, "on": "07:00", "off": "21:30", "dim_pct": 80},
        {"kind": "lamp", "lamp": "lamp-1", "periods": [["06:00", "10:00"], ["16:00", "22:00"]]},
        {"kind": "fan", "fan": "fan-1", "hours_per_day": 2.5},
        {"kind": "washed", "tray": "A", "how": "bleach, rinsed"},
        {"kind": "count", "batch": "b1", "cells_up": 1, "cell_list": ["r1c1"]},
        {"kind": "count", "batch": "b2", "rooted": 4},
        {"kind": "watered", "tray": "A", "how": "below", "ml": 250, "minutes": 20},
        {"kind": "fed", "tray": "A", "feed": "weak", "n_mg_per_l": 50},
        {"kind": "thinned", "batch": "b1", "left": 1},
        {"kind": "moved", "batch": "b1", "to_batch": "b3", "count": 1, "cell_list": ["r1c2"], "buried": False},
        {"kind": "moved_to_light", "batch": "b1"},
        {"kind": "topped", "batch": "b1"},
        {"kind": "height", "batch": "b1", "mm": 41.5, "true_leaves": 1},
        {"kind": "sign", "batch": "b1", "sign": "long_thin", "cells": 2, "cell_list": ["r1c1"]},
        {"kind": "lost", "batch": "b3", "cells": 1, "why": "cat"},
        {"kind": "check", "batch": "b1", "what": "press two seeds", "result": "firm"},
        {"kind": "outing", "batch": "b1", "hours": 1.5, "shade_share": 0.8, "stress": False},
        {
            "kind": "outing",
            "batch": "b1",
            "out_at": at(20, 9),
            "in_at": at(20, 15),
            "night": False,
            "sheltered": True,
            "seen": "limp",
            "place": "shelf-1",
        },
        {"kind": "planted", "batch": "b3", "count": 1, "place": "shelf-1", "spares": 0},
        {"kind": "gave_up", "batch": "b2"},
        {"kind": "harvest", "batch": "b1", "grams": 120.5, "pieces": 3},
        {"kind": "taste", "batch": "b1", "mark": 4},
        {"kind": "set", "what": "mat-1", "value": 24, "promise": "p1"},
        {"kind": "note", "text": "smells of rain — grüne Blätter", "batch": "b1"},
        {"kind": "potted_up", "batch": "b1", "tray": "P", "buried": True},
    ]
    for i, entry in enumerate(events):
        entry |= {"id": f"e{i}", "by": "Ottilie", "at": at(i)}
    events += [
        {"kind": "corrects", "id": "e15", "entry": "x1", "by": "Bram", "at": at(24, 12),
         "event": {"id": "e15", "by": "Ottilie", "at": at(15), "kind": "height", "batch": "b1", "mm": 39}},
        {"kind": "withdrawn", "id": "e13", "entry": "x2", "by": "Bram", "at": at(24, 13)},
    ]  # fmt: skip
    return {
        "format": "fennet-journal", "version": 1,
        "garden": {"name": "Canal house", "timezone": "Europe/Tallinn", "latitude": 58.4, "longitude": 26.7, "last_frost": "05-18",
                   "last_frost_sd_d": 10, "tariff_per_kwh": 0.31, "currency": "EUR", "practice": {"light_hours": "14-16", "water_when": "pale_top"}},
        "crops": [{"id": "my_shiso", "like": "basil", "note": "from a friend", "r_max_per_day": 0.15}],
        "seed_lots": [{"id": "s1", "crop": "leek", "variety": "Grey Sluice", "source": "swap", "mother": "m1", "packed": 2023, "storage": "cold_dry",
                       "rate": 0.85, "seeds": 200, "treated": False, "tests": [{"on": "2026-01-10", "sown": 20, "germinated": 15}]}],
        "rooms": [{"id": "landing"}],
        "places": [{"id": "shelf-1", "room": "landing", "kind": "shelf", "width_mm": 1200, "depth_mm": 450, "x_mm": 0, "z_mm": 900, "facing_deg": 180},
                   {"id": "bag-1", "kind": "bag"}],
        "outlets": [{"id": "wall-1", "limit_w": 2300}],
        "lamps": [{"id": "lamp-1", "place": "shelf-1", "kind": "white_led", "watts": 36, "lumens": 3600, "lux_per_ppfd": 66.5, "length_mm": 900,
                   "min_distance_mm": 50, "outlet": "wall-1"}],
        "mats": [{"id": "mat-1", "watts": 20, "control": "thermostat", "trays_max": 2, "width_mm": 500, "depth_mm": 250, "outlet": "wall-1"}],
        "fans": [{"id": "fan-1", "place": "shelf-1", "watts": 5}],
        "trays": [{"id": "A", "kind": "cells", "rows": 4, "columns": 6, "cell_ml": 50, "width_mm": 280, "depth_mm": 540, "height_mm": 60},
                  {"id": "P", "kind": "pots", "rows": 2, "columns": 3}, {"id": "T", "kind": "towel"}],
        "sources": [{"id": "probe-1", "kind": "moisture", "sited": "A",
                     "calibration": [{"quantity": "moisture", "dry": 410, "capacity": 760, "unit": "g", "from": at(0, 9)}]}],
        "batches": [
            {"id": "b1", "tray": "A", "cell_list": ["r1c1", "r1c2"], "seed_lot": "s1", "crop": "leek", "variety": "Grey Sluice", "set_up": "in_mix",
             "sown_at": AT, "cells": 2, "seeds_per_cell": 2, "depth_mm": 10, "mix": {"kind": "seed_mix", "clean": True, "fed": False},
             "covered_with": "vermiculite", "pretreatment": [{"kind": "soak", "hours": 12}], "practice": {"depth": "twice"}},
            {"id": "b2", "tray": "T", "crop": "my_shiso", "set_up": "towel", "seeds": 10, "sown_at": AT},
            {"id": "b3", "tray": "P", "crop": "leek", "cells": 1, "sown_at": AT, "from": "b1"},
            {"id": "b4", "tray": "P", "crop": "leek", "cells": 1, "sown_at": AT, "start": "bought", "source": "market", "size_mm": 120.0,
             "practice": {"gate": "own", "gate_night_c": "9.5"}},
        ],
        "readings": [
            {"at": at(0, 21), "place": "A", "quantity": "soil_temperature", "value": 21.4, "unit": "degC", "source": "probe-1"},
            {"at": at(1), "place": "landing", "quantity": "air_temperature", "value": 64.4, "unit": "degF", "estimated": True},
            {"at": at(1), "place": "A", "quantity": "light", "value": 6.5, "unit": "klux", "under": "lamp-1", "x_mm": 10, "y_mm": 20, "z_mm": 30},
            {"at": at(1), "place": "shelf-1", "quantity": "light", "value": 300, "unit": "fc", "under": "daylight"},
            {"at": at(2), "place": "A", "quantity": "moisture", "value": 585, "unit": "g", "source": "probe-1"},
            {"at": at(2), "place": "A", "quantity": "moisture", "value": 3, "unit": "feel"},
            {"at": at(2), "place": "A", "quantity": "moisture", "value": 512, "unit": "raw", "source": "other"},
            {"at": at(2), "place": "lamp-1", "quantity": "lamp_on", "value": 1, "unit": "0|1"},
            {"at": at(2), "place": "shelf-1", "quantity": "photoperiod", "value": 14.5, "unit": "h"},
            {"at": at(2), "place": "landing", "quantity": "humidity", "value": 61, "unit": "percent"},
            {"at": at(2), "place": "b1", "quantity": "height", "value": 1.6, "unit": "in"},
            {"at": at(2), "place": "landing", "quantity": "outdoor_temperature", "value": -3, "unit": "degC"},
        ],
        "events": events,
        "wants": [{"crop": "leek", "variety": "Grey Sluice", "plants": 40, "out_by": "2026-05-20", "spares": 4}],
        "targets": [{"quantity": "soil_temperature", "crop": "leek", "low": 12, "high": 20}], "feeds": [{"id": "weak", "npk": [4, 3, 8]}], "recipes": [{"parts": {"coir": 2}}],
        "promises": [{"id": "p1", "kind": "mat", "made_at": at(1)}], "minima": [{"on": "2025-05-01", "min_c": -1.5}], "weather": [{"at": at(1), "sky": "grey"}],
    }  # fmt: skip
