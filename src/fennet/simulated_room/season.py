"""A simulated season as a journal: who sows what where, what the probes wrote, what a person counted."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from fennet.simulated_room.keeping import Care, keep, measure_heights
from fennet.simulated_room.plants import KINDS, Truth
from fennet.simulated_room.room import STEP_S, STEPS_A_DAY, Corner, SimulatedMat, air, probe, soil

#: When the person of the story lifts the covers and counts, local clock.
LOOKS = ((8, 10), (19, 30))


@dataclass
class Sowing:
    """One batch of the story: days before the end it was sown, in which cells, from which packet."""

    id: str
    crop: str
    variety: str
    days_ago: float
    cells: list[str]
    lot: dict[str, Any] = field(default_factory=dict)
    seeds_per_cell: int = 2
    depth_mm: float | None = None
    alive: float | None = None
    pretreatment: list[dict[str, Any]] = field(default_factory=list)
    # Days before the end on which nobody counts it any more, and on which its cover came off.
    left_days_ago: float = 0.0
    uncovered_days_ago: float | None = None
    # How it grows once up: mm high when grown, days to half of that, and how far the story stretches it.
    grows_mm: float = 0.0
    half_grown_d: float = 14.0
    stretch: float = 1.0


@dataclass
class SimulatedTray:
    """One tray of the story: its size, where it stands, what warms it, whether a probe sits in it, and what is sown in it."""

    id: str
    place: str
    corner: Corner
    sowings: list[Sowing]
    rows: int = 4
    columns: int = 6
    mat: SimulatedMat | None = None
    mat_id: str | None = None
    probe_id: str | None = None
    covered: bool = True
    # The tray's own record: days back it begins (0: a day before the first sowing), how its probe fails, who waters it how.
    days: float = 0.0
    x_mm: float | None = None
    cell_ml: float = 50.0
    height_mm: float = 60.0
    drift_c_per_day: float = 0.0
    fell_days_ago: float | None = None
    care: Care | None = None


def cells(rows: range, columns: range) -> list[str]:
    return [f"r{r}c{c}" for r in rows for c in columns]


def play(
    trays: list[SimulatedTray],
    setting: dict[str, Any],
    end: datetime,
    zone: ZoneInfo,
    seed: int,
    by: str,
    truths: dict[str, Any] | None = None,
) -> dict[str, Any]:
    """The journal of a season that ends at a moment. `setting` holds garden, rooms, places and other things as journal entries.

    If `truths` is given it is filled with each batch's real emergence times (seconds UTC), for scoring.
    """
    rng = np.random.default_rng(seed)
    journal: dict[str, Any] = {"format": "fennet-journal", "version": 1, **setting}
    for section in ("seed_lots", "trays", "sources", "batches", "readings", "events"):
        journal.setdefault(section, [])
    for tray in trays:
        _play_tray(journal, tray, end, zone, np.random.default_rng(rng.integers(2**63)), by, truths)
    # By the moment and not by its text: a clock may have changed in between.
    for section in ("readings", "events"):
        journal[section].sort(key=lambda entry: datetime.fromisoformat(entry["at"]))
    for number, event in enumerate(journal["events"], 1):
        event["id"] = f"sim-{number:04}"
    return journal


def _play_tray(
    journal: dict[str, Any],
    tray: SimulatedTray,
    end: datetime,
    zone: ZoneInfo,
    rng: np.random.Generator,
    by: str,
    truths: dict[str, Any] | None,
) -> None:
    first_day = max(tray.days, max((s.days_ago for s in tray.sowings), default=1.0) + 1.0)
    start = end - timedelta(days=first_day)
    # The truth runs on past the end, so that what was still to come can be told to whoever marks the forecasts.
    n_seen = int(first_day * STEPS_A_DAY) + 1
    n = n_seen + (60 * STEPS_A_DAY if truths is not None else 0)
    at_s = start.timestamp() + STEP_S * np.arange(n)
    offset_h = (start.astimezone(zone).utcoffset() or timedelta()).total_seconds() / 3600
    hours = (at_s / 3600 + offset_h) % 24
    air_c = air(tray.corner, hours, rng)
    soil_c = soil(air_c, rng, tray.mat)

    def text(moment: float | datetime) -> str:
        at = moment if isinstance(moment, datetime) else datetime.fromtimestamp(moment, zone)
        return at.astimezone(zone).isoformat(timespec="seconds")

    journal["trays"].append(
        {
            "id": tray.id,
            "kind": "cells",
            "rows": tray.rows,
            "columns": tray.columns,
            "cell_ml": tray.cell_ml,
            "width_mm": 60 * tray.columns,
            "depth_mm": 60 * tray.rows,
            "height_mm": tray.height_mm,
        }
    )
    placed: dict[str, Any] = {"by": by, "at": text(start), "kind": "placed", "tray": tray.id, "place": tray.place}
    if tray.x_mm is not None:
        placed["x_mm"] = tray.x_mm
    journal["events"].append(placed)
    if tray.mat and tray.mat_id:
        journal["events"].append(
            {
                "by": by,
                "at": text(start),
                "kind": "mat",
                "mat": tray.mat_id,
                "tray": tray.id,
                "on": True,
                "setpoint_c": tray.mat.setpoint_c,
            }
        )
    if tray.probe_id:
        journal["sources"].append({"id": tray.probe_id, "kind": "thermometer", "sited": tray.id})
        felt = soil_c[:n_seen] + tray.drift_c_per_day * np.arange(n_seen) / STEPS_A_DAY
        if tray.fell_days_ago is not None:
            # Out of the mix it reads the room.
            out = np.arange(n_seen) >= n_seen - tray.fell_days_ago * STEPS_A_DAY
            felt = np.where(out, air_c[:n_seen], felt)
        steps, figures = probe(felt, rng)
        journal["readings"] += [
            {
                "at": text(float(at_s[i])),
                "place": tray.id,
                "quantity": "soil_temperature",
                "value": float(v),
                "unit": "degC",
                "source": tray.probe_id,
            }
            for i, v in zip(steps, figures, strict=True)
        ]
    for sowing in tray.sowings:
        _play_batch(journal, tray, sowing, at_s, soil_c, end, zone, rng, by, text, truths)
    if tray.care is not None:
        keep(journal, tray.id, tray.care, start, end, zone, np.random.default_rng([int(first_day), *tray.id.encode()]), by, text)


def _play_batch(
    journal: dict[str, Any],
    tray: SimulatedTray,
    sowing: Sowing,
    at_s: np.ndarray,
    soil_c: np.ndarray,
    end: datetime,
    zone: ZoneInfo,
    rng: np.random.Generator,
    by: str,
    text: Any,
    truths: dict[str, Any] | None,
) -> None:
    sown = (end - timedelta(days=sowing.days_ago)).astimezone(zone).replace(hour=10, minute=0, second=0, microsecond=0)
    truth = Truth(sowing.crop, rng, sowing.alive)
    packet = {"crop": sowing.crop, "variety": sowing.variety, **sowing.lot}
    # Two sowings from one packet take from one packet.
    lot = next((x for x in journal["seed_lots"] if {k: v for k, v in x.items() if k != "id"} == packet), None)
    if lot is None:
        lot = {"id": f"lot-{sowing.id}", **packet}
        journal["seed_lots"].append(lot)
    batch: dict[str, Any] = {
        "id": sowing.id,
        "tray": tray.id,
        "cell_list": sowing.cells,
        "seed_lot": lot["id"],
        "crop": sowing.crop,
        "variety": sowing.variety,
        "set_up": "in_mix",
        "sown_at": text(sown),
        "cells": len(sowing.cells),
        "seeds_per_cell": sowing.seeds_per_cell,
        "mix": {"kind": "seed_mix", "clean": True, "fed": False},
        "covered_with": "mix",
    }
    if sowing.depth_mm is not None:
        batch["depth_mm"] = sowing.depth_mm
    if sowing.pretreatment:
        batch["pretreatment"] = sowing.pretreatment
    journal["batches"].append(batch)
    if tray.covered:
        journal["events"].append(
            {"by": by, "at": text(sown + timedelta(minutes=10)), "kind": "cover", "tray": tray.id, "on": True}
        )
    if sowing.uncovered_days_ago is not None:
        off = (
            (end - timedelta(days=sowing.uncovered_days_ago))
            .astimezone(zone)
            .replace(hour=19, minute=40, second=0, microsecond=0)
        )
        if off <= end:
            journal["events"].append({"by": by, "at": text(off), "kind": "cover", "tray": tray.id, "on": False})
            journal["events"].append(
                {"by": by, "at": text(off + timedelta(minutes=1)), "kind": "moved_to_light", "batch": sowing.id}
            )
    first = int(np.searchsorted(at_s, sown.timestamp()))
    done = np.cumsum(truth.rate_per_day(soil_c[first:])) / STEPS_A_DAY
    waits = truth.waits(rng, len(sowing.cells) * sowing.seeds_per_cell).reshape(len(sowing.cells), -1).min(axis=1)
    step = np.searchsorted(done, waits)
    up_s = np.where(step < len(done), at_s[np.minimum(first + step, len(at_s) - 1)], np.inf)
    if truths is not None:
        truths[sowing.id] = up_s.tolist()
    seen = 0
    day = sown
    while day <= end:
        for hour, minute in LOOKS if day <= end - timedelta(days=sowing.left_days_ago) else ():
            look = day.replace(hour=hour, minute=minute)
            up = [cell for cell, t in zip(sowing.cells, up_s, strict=True) if t <= look.timestamp()]
            if sown < look <= end and len(up) > seen:
                journal["events"].append(
                    {"by": by, "at": text(look), "kind": "count", "batch": sowing.id, "cells_up": len(up), "cell_list": up}
                )
                seen = len(up)
        day += timedelta(days=1)
    if sowing.grows_mm:
        half = float(np.sort(up_s)[len(up_s) // 2])
        until = end - timedelta(days=sowing.left_days_ago)
        measure_heights(journal, sowing.id, sowing.grows_mm * sowing.stretch, sowing.half_grown_d, half, until, zone, by, text)


def drawn_room(
    seed: int,
    n_batches: int,
    days: float,
    end: datetime,
    truths: dict[str, Any] | None = None,
    sown_days_ago: float | None = None,
) -> dict[str, Any]:
    """A room drawn by a seed: as many trays as batches, warm and cold corners, with and without mats."""
    rng = np.random.default_rng(seed)
    zone = ZoneInfo("UTC")
    trays, mats = [], []
    for i in range(n_batches):
        crop = str(rng.choice(sorted(KINDS)))
        mat = None
        if rng.random() < 0.45:
            mat = SimulatedMat(float(np.round(rng.uniform(20, 28) * 2) / 2), float(rng.uniform(7, 13)), float(rng.normal(0, 1.2)))
            mats.append({"id": f"mat-{i + 1}", "watts": 20, "control": "thermostat"})
        corner = Corner(float(rng.uniform(9, 21)), float(rng.uniform(0.5, 3)), float(rng.uniform(0.2, 0.9)))
        ago = float(rng.uniform(1, days)) if sown_days_ago is None else sown_days_ago
        shape = [(2, 3), (3, 4), (4, 6)][int(rng.integers(3))]
        sowing = Sowing(
            f"b{i + 1}",
            crop,
            "drawn",
            ago,
            cells(range(1, shape[0] + 1), range(1, shape[1] + 1)),
            seeds_per_cell=int(rng.integers(1, 4)),
        )
        trays.append(
            SimulatedTray(f"T{i + 1}", "bench", corner, [sowing], *shape, mat, f"mat-{i + 1}" if mat else None, f"probe-{i + 1}")
        )
    setting = {
        "garden": {"name": f"Simulated room {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}],
        "places": [{"id": "bench", "room": "room", "kind": "shelf"}],
        "mats": mats,
    }
    return play(trays, setting, end, zone, seed + 1_000_003, "simulated", truths)


#: Kinds that a grower puts on a mat.
WARM = ("cosmos", "pepper", "shiso", "tomatillo", "tomato")


def germinating_room(
    seed: int, n_batches: int, end: datetime, truths: dict[str, Any] | None = None, sown_days_ago: float = 30.0,
    air_c: tuple[float, float] = (12.0, 21.0),
) -> dict[str, Any]:  # fmt: skip
    """A room as growers germinate in: kinds that want warmth mostly on mats, the others on a sill or shelf of the house, in air
    between two bounds."""
    rng = np.random.default_rng([seed, 17])
    trays, mats = [], []
    for i in range(n_batches):
        crop = str(rng.choice(sorted(KINDS)))
        warm = crop in WARM
        mat = None
        if rng.random() < (0.85 if warm else 0.35):
            asked = rng.uniform(22, 28) if warm else rng.uniform(17, 23)
            mat = SimulatedMat(float(np.round(asked * 2) / 2), float(rng.uniform(8, 13)), float(rng.normal(0, 1.0)))
            mats.append({"id": f"mat-{i + 1}", "watts": 20, "control": "thermostat"})
        corner = Corner(float(rng.uniform(*air_c)), float(rng.uniform(0.5, 3)), float(rng.uniform(0.2, 0.9)))
        rows, columns = [(2, 3), (3, 4), (4, 6)][int(rng.integers(3))]
        where = cells(range(1, rows + 1), range(1, columns + 1))
        sowing = Sowing(f"b{i + 1}", crop, "drawn", sown_days_ago, where, seeds_per_cell=int(rng.integers(1, 4)))
        tray = SimulatedTray(
            f"T{i + 1}", "bench", corner, [sowing], rows, columns, mat, f"mat-{i + 1}" if mat else None, f"probe-{i + 1}"
        )
        trays.append(tray)
    setting = {
        "garden": {"name": f"Simulated room {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}],
        "places": [{"id": "bench", "room": "room", "kind": "shelf"}],
        "mats": mats,
    }
    return play(trays, setting, end, ZoneInfo("UTC"), seed + 2_000_003, "simulated", truths)
