"""A second simulated room, an attic: trays of seed, in other forms than the first room's and noted by other habits.

Each seed has a base, a ceiling and a water limit of its own and adds up degree-hours until its Weibull-drawn sum is reached;
over its ceiling it lies asleep. Lots age in probits and lie apart. The person reads a kitchen thermometer at the shelf or in the
mix once a day or less, often in °F, counts seedlings as often as cells, and writes what is found in words.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from scipy.special import ndtr, ndtri

from fennet.simulated_room.simulated_faults import ILL_FROM, Told

ZONE = ZoneInfo("Europe/Riga")
START = datetime(2026, 2, 20, 17, 30, tzinfo=ZONE)
STEPS_A_DAY = 24


@dataclass(frozen=True)
class Kind:
    """Base, best and ceiling in °C, degree-days from base to half up, depth mm, half-life of seed years, soil it is well kept at;
    and the depth under which half of it stays dark, mm (0: light does not matter)."""

    base_c: float
    best_c: float
    ceiling_c: float
    sum_cd: float
    depth_mm: float
    half_life_y: float
    good_c: float
    dark_mm: float = 0.0


#: This attic's own figures, set by hand; sums of kinds with published trials are about theirs.
KINDS: dict[str, Kind] = {
    "leek": Kind(1.5, 24, 33, 140, 10, 4.5, 18), "onion": Kind(1.8, 25, 35, 94, 10, 4.8, 18),
    "parsley": Kind(0.5, 23, 31, 270, 8, 5, 18), "celery": Kind(1.5, 20, 27, 160, 2, 6.5, 18, 11),
    "lettuce": Kind(-1.5, 24, 28.5, 66, 4, 6.5, 18, 12), "spinach": Kind(0.0, 22, 20, 106, 12, 9, 12),
    "cabbage": Kind(2.4, 25, 34, 112, 10, 9, 19), "kale": Kind(2.2, 25, 34, 108, 10, 9, 19),
    "beet": Kind(2.0, 26, 35, 128, 15, 9, 19), "tomato": Kind(8.0, 27, 35, 100, 7, 13, 26),
    "pepper": Kind(10.0, 28, 37, 124, 8, 6.5, 27), "aubergine": Kind(11.0, 29, 36, 114, 7, 9, 27),
    "basil": Kind(10.0, 28, 37, 75, 4, 7, 24), "cucumber": Kind(11.5, 29, 40, 52, 15, 10, 27),
    "pea": Kind(1.5, 24, 31, 135, 30, 12, 16), "snapdragon": Kind(2.5, 22, 29, 150, 1, 6, 21, 3),
    "cosmos": Kind(8.0, 27, 36, 68, 6, 7, 21), "carrot": Kind(2.5, 25, 36, 122, 8, 6.5, 18),
}  # fmt: skip
ILLS = ("cold_soil", "hot_soil", "dry_spell", "waterlogged", "weak_seed", "sown_deep", "needs_light", "coarse_or_crusted_mix")
OFTEN = np.array([0.25, 0.10, 0.14, 0.12, 0.15, 0.10, 0.06, 0.08])
LIGHT = tuple(k for k, kind in KINDS.items() if kind.dark_mm)


@dataclass
class _Tray:
    """One tray as it was: what ails it and how badly, its temperatures, its moisture, and what its person knows of it."""

    kind: str
    ills: dict[str, float]
    cells: int
    per_cell: int
    days: float
    soil_c: np.ndarray
    moist_pct: np.ndarray
    waters_d: list[float]
    depth_mm: float
    years: float
    mat_c: float | None
    told: dict[str, Any] = field(default_factory=dict)


class _Lot:
    """The seeds of a tray, each with its own luck, to be lived through with some ills mended."""

    def __init__(self, tray: _Tray, rng: np.random.Generator) -> None:
        kind, n = KINDS[tray.kind], tray.cells * tray.per_cell
        self.tray, self.kind = tray, kind
        pace = float(np.exp(rng.normal(0, 0.13)))
        self.sum_cd = kind.sum_cd * pace * rng.weibull(float(rng.uniform(3.6, 6.5)), n) / 0.92
        self.base_c = kind.base_c + rng.normal(0, 0.5) + rng.normal(0, 0.4, n)
        self.ceiling_c = kind.ceiling_c + rng.normal(0, 0.7) + rng.normal(0, 2.2 if tray.kind != "spinach" else 6.0, n)
        self.drinks = rng.normal(0.86, 0.1, n)
        self.probit = rng.normal(0, 1, n)
        self.lot = float(rng.normal(0, 1))
        self.reach_mm = 4.2 * max(kind.depth_mm, 1.6) * np.exp(rng.normal(0, 0.28, n)) * (0.78 if kind.depth_mm > 14 else 1.0)
        self.luck = {name: rng.random(n) for name in ("dark", "crust", "rot", "dry")}

    def share_alive(self, years: float) -> float:
        spread = 0.4 + 0.1 * years
        return float(ndtr(ndtri(0.9) - 1.645 / self.kind.half_life_y * years + spread * self.lot * 0.8))

    def up_d(self, ills: frozenset[str]) -> np.ndarray:
        """Day on which each seed shows (inf: never), with only these ills at work."""
        t, kind = self.tray, self.kind
        hot, cold = "hot_soil" in ills, "cold_soil" in ills
        soil = t.soil_c if hot or cold else np.full(len(t.soil_c), kind.good_c)
        moist = t.moist_pct
        moist = moist if "dry_spell" in ills else np.maximum(moist, 60.0)
        moist = moist if "waterlogged" in ills else np.minimum(moist, 92.0)
        pull = 0.02 * (np.maximum(moist, 4.0) / 100.0) ** -2.66
        done = np.zeros((len(soil), len(self.sum_cd)))
        warm = np.minimum(soil[:, None], kind.best_c) - self.base_c[None, :]
        over = np.clip((self.ceiling_c[None, :] + 1.0 - soil[:, None]) / 2.0, 0.0, 1.0)
        wet = np.clip(1.0 - pull[:, None] / self.drinks[None, :], 0.0, 1.0)
        done = np.cumsum(np.maximum(warm, 0.0) * over * wet / STEPS_A_DAY, axis=0)
        years = t.years if "weak_seed" in ills else 0.3
        wait = self.sum_cd * (1.0 + 0.035 * (years if years > 1 else 0.0))
        step = (done < wait[None, :]).sum(axis=0).astype(float)
        never = (step >= len(soil)) | (ndtr(self.probit) > self.share_alive(years))
        rotted = np.cumsum(np.where(moist > 103.0, 0.028 * 1.07 ** (soil - 18.0), 0.0)) ** 1.4
        dried = np.cumsum(np.where((moist[:, None] < 20.0) & (done > 0.3 * wait[None, :]), 0.02, 0.0), axis=0)
        at = np.minimum(step, len(soil) - 1).astype(int)
        never |= rotted[at] > -np.log(self.luck["rot"])
        never |= dried[at, np.arange(len(at))] > -np.log(self.luck["dry"])
        depth = t.depth_mm if {"sown_deep", "needs_light"} & ills else kind.depth_mm
        if "sown_deep" in ills:
            never |= self.reach_mm < depth
            step = step + max(0.0, depth - kind.depth_mm) / 14.0 * STEPS_A_DAY
        if "needs_light" in ills and kind.dark_mm:
            never |= self.luck["dark"] > 1.0 / (1.0 + (depth / kind.dark_mm) ** 2.2)
        if "coarse_or_crusted_mix" in ills:
            never |= self.luck["crust"] < 0.45 + 0.45 * t.ills["coarse_or_crusted_mix"]
        return np.where(never, np.inf, step / STEPS_A_DAY)

    def cells_d(self, ills: frozenset[str]) -> np.ndarray:
        return np.asarray(self.up_d(ills).reshape(self.tray.cells, self.tray.per_cell).min(axis=1))


def _drawn(seed: int, days_on: float = 0.0) -> tuple[_Tray, _Lot, np.random.Generator]:
    rng = np.random.default_rng([seed, 401])
    n = 0 if rng.random() < 0.3 else (2 if rng.random() < 0.2 else 1)
    ills = {ILLS[int(i)]: float(rng.random()) for i in rng.choice(len(ILLS), size=n, replace=False, p=OFTEN)}
    for one, other in (("cold_soil", "hot_soil"), ("dry_spell", "waterlogged"), ("needs_light", "sown_deep")):
        if one in ills:
            ills.pop(other, None)
    kind_id = str(rng.choice(LIGHT if "needs_light" in ills else sorted(KINDS)))
    kind = KINDS[kind_id]
    typical = kind.sum_cd / (min(kind.good_c, kind.best_c) - kind.base_c)
    days = typical * float(rng.uniform(1.5, 2.6) if ills else rng.uniform(0.4, 2.4))
    hours = np.arange(int((days + days_on) * STEPS_A_DAY) + 2)
    soil, mat_c = _soil(kind, ills, hours, rng)
    moist, waters = _moist(ills, hours, rng)
    depth = kind.depth_mm * float(rng.uniform(0.8, 1.3))
    if "sown_deep" in ills:
        depth = max(kind.depth_mm, 1.6) * (3.6 + 2.0 * ills["sown_deep"]) * (0.8 if kind.depth_mm > 14 else 1.0)
    if "needs_light" in ills:
        depth = kind.dark_mm * (1.2 + ills["needs_light"])
    years = float(rng.uniform(0.1, 1.3))
    if "weak_seed" in ills:
        years = kind.half_life_y * (1.1 + 0.8 * ills["weak_seed"])
    cells, per_cell = int(rng.choice([6, 8, 12, 20, 24])), int(rng.choice([1, 1, 2, 3]))
    tray = _Tray(kind_id, ills, cells, per_cell, days, soil, moist, waters, depth, years, mat_c)
    return tray, _Lot(tray, np.random.default_rng([seed, 402])), rng


def _soil(kind: Kind, ills: dict[str, float], hours: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, float | None]:
    """Soil by the hour: a square day of lamp or sun, slow weather, a mat with its own bias."""
    aim: Any = kind.good_c + float(rng.uniform(-1.2, 1.2))
    if "cold_soil" in ills:
        aim -= 4.5 + 6.0 * ills["cold_soil"]
    if "hot_soil" in ills:
        aim = kind.ceiling_c + 0.5 + 3.5 * ills["hot_soil"]
    day = np.where((hours + 17) % 24 < 15, 1.0, -1.4) * float(rng.uniform(0.3, 1.6))
    weather = np.interp(
        hours, np.arange(0, hours[-1] + 72, 72), np.cumsum(rng.normal(0, 0.5, len(np.arange(0, hours[-1] + 72, 72))))
    )
    if "hot_soil" in ills and rng.random() < 0.4:
        # A hot week that ends.
        aim = np.where(hours < 24 * (4 + 4 * ills["hot_soil"]), aim, kind.good_c)
    mat = round(float(np.mean(aim)) + float(rng.normal(0, 1.0))) if np.mean(aim) > 19.5 else None
    return np.asarray(aim + day + weather - weather[0]), mat


def _moist(ills: dict[str, float], hours: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, list[float]]:
    """Moisture by the hour: an exponential loss, watered when it is felt to be time."""
    k = float(rng.uniform(0.07, 0.16)) / STEPS_A_DAY
    dry = (24 * rng.uniform(0.8, 3), 24 * rng.uniform(6, 14) if "dry_spell" in ills else 0.0)
    out, now, waters = np.empty(len(hours)), 95.0, []
    for i, h in enumerate(hours):
        spell = dry[0] <= h < dry[0] + dry[1]
        now *= 1.0 - k * (3.0 if spell else 1.0)
        if "waterlogged" in ills and h > 20 and now < 105:
            now = 108.0 + 14.0 * ills["waterlogged"]
            waters.append(h / 24)
        elif not spell and now < 62 and h % 24 in (0, 14):
            now = float(rng.uniform(82, 98))
            waters.append(h / 24)
        out[i] = now
    return out, waters


def attic_slow(seed: int, noting: tuple[float, float] = (0.65, 1.0)) -> Told:
    """One drawn tray of the attic with what is true of it, as the first room's `tell`."""
    tray, lot, rng = _drawn(seed)
    keen = float(rng.uniform(*noting))
    acting = frozenset(tray.ills)
    come = lot.cells_d(acting)
    now, well = float((come <= tray.days).sum()), float((lot.cells_d(frozenset()) <= tray.days).sum())
    missing = max(0.0, well - now) / max(well, 1.0) if well >= 0.3 * tray.cells else 0.0
    main = None
    if missing >= ILL_FROM and tray.ills:

        def gains(ill: str) -> tuple[float, float]:
            rest = float((lot.cells_d(acting - {ill}) <= tray.days).sum()) - now
            return rest, well - float((lot.cells_d(frozenset({ill})) <= tray.days).sum())

        main = max(tray.ills, key=gains)
    return Told(_noted(seed, tray, come, lot, keen, rng), main, tuple(tray.ills), missing, START + timedelta(days=tray.days))


def attic_waits(seed: int) -> tuple[dict[str, Any], np.ndarray, tuple[str, ...]]:
    """One drawn tray to be forecast: its journal, when each cell really shows, seconds UTC (inf: never), and what ails it."""
    tray, lot, rng = _drawn(seed, days_on=90.0)
    come = lot.cells_d(frozenset(tray.ills))
    journal = _noted(seed, tray, come, lot, float(rng.uniform(0.75, 1.0)), rng, read_to_end=True)
    return journal, START.timestamp() + come * 86_400, tuple(tray.ills)


def _at(day: float) -> str:
    return (START + timedelta(days=float(day))).isoformat(timespec="seconds")


def _noted(
    seed: int, t: _Tray, come: np.ndarray, lot: _Lot, keen: float, rng: np.random.Generator, read_to_end: bool = False
) -> dict[str, Any]:
    """What the person of this tray put on record."""
    until = t.days if not read_to_end else max(t.days, 6.0)
    batch: dict[str, Any] = {
        "id": "b1",
        "tray": "T",
        "crop": t.kind,
        "sown_at": _at(0),
        "cells": t.cells,
        "seeds_per_cell": t.per_cell,
    }
    if rng.random() < keen or "sown_deep" in t.ills:
        batch["depth_mm"] = round(t.depth_mm) if rng.random() < 0.7 else round(t.depth_mm / 5) * 5
    if rng.random() < keen:
        batch["covered_with"] = "none" if t.depth_mm < 1 else "mix"
    if rng.random() < keen:
        garden = "coarse_or_crusted_mix" in t.ills and rng.random() < 0.6
        batch["mix"] = {"kind": "garden_soil" if garden else "seed_mix"}
    lots = []
    if rng.random() < keen:
        entry: dict[str, Any] = {"id": "lot", "crop": t.kind}
        if rng.random() < 0.85:
            entry["packed"] = 2026 - round(t.years) if t.years > 0.7 else 2026
        if t.years > 2 and rng.random() < 0.35:
            sown = int(rng.choice([10, 20]))
            entry["tests"] = [{"on": "2026-02-01", "sown": sown, "germinated": int(rng.binomial(sown, lot.share_alive(t.years)))}]
        batch["seed_lot"] = "lot"
        lots = [entry]
    readings: list[dict[str, Any]] = []
    events: list[dict[str, Any]] = [{"at": _at(-0.1), "kind": "placed", "tray": "T", "place": "eaves"}]
    if t.mat_c is not None:
        events.append({"at": _at(-0.05), "kind": "mat", "mat": "mat", "tray": "T", "on": True, "setpoint_c": float(t.mat_c)})
    _heat_read(t, readings, until, keen, rng)
    if rng.random() < keen:
        events += [{"at": _at(d), "kind": "watered", "tray": "T", "how": "below"} for d in t.waters_d if d < until]
    if rng.random() < 0.75 * keen:
        for d in np.arange(1.2, until, float(rng.choice([1.0, 2.0, 3.0]))):
            felt = 1 + sum(t.moist_pct[int(d * STEPS_A_DAY)] + rng.normal(0, 5) > e for e in (25, 56, 75, 99))
            readings.append({"at": _at(d), "place": "T", "quantity": "moisture", "value": int(felt), "unit": "feel"})
    by_seedlings = t.per_cell == 1 and rng.random() < 0.4
    seen, day = 0, float(rng.uniform(0.5, 2.0))
    while day < until + 1e-9:
        n = int((come <= day).sum())
        if n > seen:
            name = "seedlings_up" if by_seedlings else "cells_up"
            events.append({"at": _at(day), "kind": "count", "batch": "b1", name: n})
            seen = n
        day += float(rng.choice([1.0, 1.0, 2.0, 3.0]))
    if not read_to_end:
        _looked(t, come, events, keen, rng)
    return {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Attic tray {seed}", "timezone": "Europe/Riga"},
        "rooms": [{"id": "attic"}], "places": [{"id": "eaves", "room": "attic", "kind": "shelf"}],
        "trays": [{"id": "T", "kind": "cells", "rows": t.cells // 2, "columns": 2, "cell_ml": 40}],
        "mats": [{"id": "mat", "control": "thermostat"}] if t.mat_c is not None else [], "seed_lots": lots, "batches": [batch],
        "readings": readings, "events": sorted(events, key=lambda e: str(e["at"])),
    }  # fmt: skip


def _heat_read(t: _Tray, readings: list[dict[str, Any]], until: float, keen: float, rng: np.random.Generator) -> None:
    """A kitchen thermometer in the mix once a day or less, or one on the shelf; now and then a guess; some have none."""
    how = rng.random()
    if how > keen:
        return
    off, fahrenheit, every = float(rng.normal(0, 0.5)), rng.random() < 0.4, float(rng.choice([0.5, 1.0, 1.0, 2.0]))
    in_mix = t.mat_c is not None or how < 0.8 * keen
    for d in np.arange(0.1, until, every):
        i = min(len(t.soil_c) - 1, int((d + rng.uniform(-0.1, 0.1)) * STEPS_A_DAY))
        value = float(t.soil_c[max(i, 0)]) + off + (0.0 if in_mix else 0.5) + float(rng.normal(0, 0.3))
        value, unit = (round(value * 9 / 5 + 32), "degF") if fahrenheit else (round(value, 1), "degC")
        readings.append({"at": _at(d), "place": "T" if in_mix else "eaves", "value": value, "unit": unit,
                         "quantity": "soil_temperature" if in_mix else "air_temperature"})  # fmt: skip


def _looked(t: _Tray, come: np.ndarray, events: list[dict[str, Any]], keen: float, rng: np.random.Generator) -> None:
    """What is seen by somebody who wonders: in their own words."""
    wonders = float((come > t.days).mean()) > 0.3
    late = _at(t.days - 0.1)

    def note(what: str, result: str) -> None:
        events.append({"at": late, "kind": "check", "batch": "b1", "what": what, "result": result})

    if wonders and rng.random() < 0.5 * keen:
        soft = 0.7 if "waterlogged" in t.ills else 0.35 if "weak_seed" in t.ills else 0.05
        shoots = 0.5 if {"sown_deep", "coarse_or_crusted_mix"} & set(t.ills) else 0.08
        found = "mushy" if rng.random() < soft else "sprouting" if rng.random() < shoots else "hard and plump"
        note("dug_seed", found)
    if wonders and rng.random() < 0.4 * keen and {"sown_deep", "needs_light"} & set(t.ills):
        note("seed_depth", "deeper")
    if "coarse_or_crusted_mix" in t.ills and rng.random() < 0.7 * keen:
        events.append({"at": late, "kind": "sign", "tray": "T", "sign": "crust"})
    if "waterlogged" in t.ills and rng.random() < 0.5 * keen:
        events.append({"at": late, "kind": "sign", "tray": "T", "sign": "green_film"})
    if wonders and rng.random() < 0.6 * keen:
        m = float(t.moist_pct[int(t.days * STEPS_A_DAY)])
        note("mix_feel", ("dust_dry", "pale_top", "even", "dark", "standing")[sum(m > e for e in (25, 56, 75, 101))])
