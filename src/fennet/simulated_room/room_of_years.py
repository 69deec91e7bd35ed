"""A simulated room over three springs: trays that dry as they do, mats that lift what they lift, lamps that fade.

Each tray loses water by a wind of its own and by how dry the house is in that month; the middle of a tray stands over or under
its mat's probe; a lamp gives less for every hour it burned. In the last spring a tray, a mat and a lamp are new. What is asked is
what nobody has read yet: the first days of the third spring.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

FIRST_YEAR, SPRINGS = 2023, 3
#: When a spring begins, and for how many days it lasts.
BEGINS, LASTS_D = (2, 6), 84
SETPOINT_C = 24.0


@dataclass
class RoomTruth:
    """What is true of a room in the first days of its third spring, and the moment that is asked about: the share of what it
    holds that each tray loses a day; the mean soil of each tray on its mat at a set-point; what each lamp gives a leaf 200 mm
    under it."""

    journal: dict[str, Any]
    at: datetime
    loses: dict[str, float] = field(default_factory=dict)
    soil_c: dict[tuple[str, str], float] = field(default_factory=dict)
    gives_umol: dict[str, float] = field(default_factory=dict)
    new: frozenset[str] = frozenset()


def room_of_years(seed: int) -> RoomTruth:
    """One drawn room: six trays (the last new in the third spring), three mats (two and a new one), three lamps (two and a new
    one)."""
    rng = np.random.default_rng([seed, 411])
    trays = [f"T{i}" for i in range(6)]
    house, dry_month = float(rng.normal(0, 0.25)), {m: float(rng.normal(0, 0.12)) for m in range(1, 13)}
    wind = {t: float(rng.normal(0, 0.33)) for t in trays}
    room_c = float(rng.uniform(15.5, 19.5))
    mats = {f"mat-{i}": (float(rng.normal(0, 1.2)), float(rng.uniform(4.5, 9.5))) for i in range(3)}
    sits = {t: float(rng.normal(0, 0.7)) for t in trays}
    maker = float(rng.normal(0, 0.2))
    lamps = {f"lamp-{i}": (maker + float(rng.normal(0, 0.25)), float(rng.uniform(0.005, 0.04))) for i in range(3)}
    fall_off = float(rng.uniform(1.0, 1.5))
    j: dict[str, Any] = {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Room of years {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}],
        "places": [{"id": f"shelf-{i}", "room": "room", "kind": "shelf", "width_mm": 900, "depth_mm": 450} for i in range(3)],
        "trays": [{"id": t, "kind": "cells", "rows": 3, "columns": 4, "cell_ml": 60, "height_mm": 60} for t in trays],
        "mats": [{"id": m, "control": "thermostat", "watts": 20} for m in mats],
        "lamps": [{"id": x, "kind": "white_led", "lumens": 3000, "watts": 35} for x in lamps],
        "sources": [{"id": "scale", "kind": "moisture",
                     "calibration": [{"quantity": "moisture", "dry": 900, "capacity": 1500, "unit": "g"}]}],
        "batches": [], "readings": [], "events": [],
    }  # fmt: skip
    truth = RoomTruth(j, datetime.now(UTC), new=frozenset((trays[-1], "mat-2", "lamp-2")))
    burned_h = dict.fromkeys(lamps, 0.0)
    for spring in range(SPRINGS):
        first = datetime(FIRST_YEAR + spring, *BEGINS, 9, tzinfo=UTC)
        last = spring == SPRINGS - 1
        for i, t in enumerate(trays):
            if t in truth.new and not last:
                continue
            _set(j, first, t, f"shelf-{i % 3}", spring)
            if not last:
                _waterings(j, rng, first, t, house, wind[t], dry_month)
            else:
                truth.loses[t] = 0.22 * math.exp(house + wind[t] + dry_month[first.month])
        for k, m in enumerate(mats):
            if m in truth.new and not last:
                continue
            for t in (trays[k], trays[k + 3]):
                if t in truth.new and not last:
                    continue
                air_c = room_c + (float(rng.normal(0, 0.5)) if not last else 0.0)
                truth.soil_c[(m, t)] = _mats(j, rng, first, m, t, mats[m], sits[t], air_c, not last)
        for k, x in enumerate(lamps):
            if x in truth.new and not last:
                continue
            _lit(j, rng, first, x, f"shelf-{k}", (trays[k], trays[k + 3]), lamps[x], burned_h[x], fall_off, not last)
            rough = 3000 / 70 * 0.6 / (0.9 * 0.45)
            level = rough * math.exp(lamps[x][0] - lamps[x][1] * burned_h[x] / 1000)
            truth.gives_umol[x] = level * ((150 + 60) / (200 + 60)) ** fall_off
            burned_h[x] += 14.0 * LASTS_D
        truth.at = first + timedelta(days=1)
    j["events"].sort(key=lambda e: datetime.fromisoformat(e["at"]))
    return truth


def _at(first: datetime, day: float) -> str:
    return (first + timedelta(days=float(day))).isoformat(timespec="seconds")


def _set(j: dict[str, Any], first: datetime, tray: str, shelf: str, spring: int) -> None:
    j["batches"].append({"id": f"b{spring}-{tray}", "tray": tray, "crop": "leek", "sown_at": _at(first, 0), "cells": 12})
    j["events"].append({"at": _at(first, -0.1), "kind": "placed", "tray": tray, "place": shelf})
    j["events"].append({"at": _at(first, -0.05), "kind": "cover", "tray": tray, "on": False})


def _waterings(
    j: dict[str, Any], rng: np.random.Generator, first: datetime, tray: str, house: float, wind: float, dry: dict[int, float]
) -> None:  # fmt: skip
    """A tray weighed every other evening and watered when it is light, for six weeks: seedlings only."""
    day, now = 0.2, 93.0
    j["events"].append({"at": _at(first, day), "kind": "watered", "tray": tray, "how": "below", "ml": 300})
    while day < 42.0:
        month = (first + timedelta(days=day)).month
        step = float(rng.uniform(0.8, 1.2))
        now *= math.exp(-0.22 * math.exp(house + wind + dry[month] + float(rng.normal(0, 0.12))) * step)
        day += step
        grams = round(900 + 6 * now + float(rng.normal(0, 9)))
        j["readings"].append({"at": _at(first, day), "place": tray, "quantity": "moisture", "value": grams, "unit": "g",
                              "source": "scale"})  # fmt: skip
        if now < 52.0:
            day += 0.05
            j["events"].append({"at": _at(first, day), "kind": "watered", "tray": tray, "how": "below", "ml": 300})
            now = float(rng.uniform(88, 96))
            day += 0.1


def _mats(
    j: dict[str, Any], rng: np.random.Generator, first: datetime, mat: str, tray: str, of: tuple[float, float], sits_c: float,
    air_c: float, read: bool,
) -> float:  # fmt: skip
    """Soil on a mat for three weeks, at two set-points where anything is read; returns the mean soil at SETPOINT_C."""
    off_c, lift_c = of
    hours = np.arange(24 * 21)
    air = air_c + 1.2 * np.cos((hours - 6) / 24 * 2 * np.pi) + np.interp(hours, hours[::48], rng.normal(0, 0.5, len(hours[::48])))

    def soil(setpoint: np.ndarray) -> np.ndarray:
        want = np.minimum(setpoint + off_c, air + lift_c)
        out, now = np.empty(len(hours)), float(air[0])
        for i in hours:
            now += (max(want[i], air[i]) - now) / 2.5
            out[i] = now
        return out + sits_c * min(1.0, lift_c / 10.0)

    j["events"].append({"at": _at(first, 0), "kind": "mat", "mat": mat, "tray": tray, "on": True, "setpoint_c": SETPOINT_C})
    if read:
        setpoint = np.where(hours < 24 * 12, SETPOINT_C, 21.0)
        j["events"].append({"at": _at(first, 12), "kind": "mat", "mat": mat, "tray": tray, "on": True, "setpoint_c": 21.0})
        course = soil(setpoint)
        for h in hours[::3]:
            j["readings"].append({"at": _at(first, h / 24), "place": tray, "quantity": "soil_temperature", "unit": "degC",
                                  "value": round(float(course[h] + rng.normal(0, 0.2)), 1)})  # fmt: skip
        j["events"].append({"at": _at(first, 21), "kind": "mat", "mat": mat, "tray": tray, "on": False})
    known = {(r["at"], r["place"]) for r in j["readings"][-4000:] if r["quantity"] == "air_temperature"}
    back = range(-72, 24) if not read else range(0, len(hours), 3)
    for h in back:
        at, value = _at(first, h / 24), float(air[h % len(hours)] + rng.normal(0, 0.2))
        if (at, "room") not in known:
            j["readings"].append({"at": at, "place": "room", "quantity": "air_temperature", "unit": "degC",
                                  "value": round(value, 1)})  # fmt: skip
    return float(soil(np.full(len(hours), SETPOINT_C))[48:].mean())


def _lit(
    j: dict[str, Any], rng: np.random.Generator, first: datetime, lamp: str, shelf: str, trays: tuple[str, str],
    of: tuple[float, float], burned_h: float, fall_off: float, read: bool,
) -> None:  # fmt: skip
    """A lamp hung over two trays for a spring, read every other week at the leaf."""
    j["events"].append({"at": _at(first, 0), "kind": "lamp", "lamp": lamp, "place": shelf, "height_mm": 260, "on": "07:00",
                        "off": "21:00"})  # fmt: skip
    if not read:
        return
    rough = 3000 / 70 * 0.6 / (0.9 * 0.45)
    for day in range(3, LASTS_D, 12):
        level = rough * math.exp(of[0] - of[1] * (burned_h + 14.0 * day) / 1000)
        for t in trays[: 1 + (day // 12) % 2]:
            if any(t == b["tray"] for b in j["batches"]):
                umol = level * ((150 + 60) / (195 + 60)) ** fall_off * math.exp(float(rng.normal(0, 0.06)))
                j["readings"].append({"at": _at(first, day), "place": t, "quantity": "light", "value": round(umol, 1),
                                      "unit": "umol/m2/s"})  # fmt: skip
    j["events"].append({"at": _at(first, LASTS_D), "kind": "lamp", "lamp": lamp, "on": False})
