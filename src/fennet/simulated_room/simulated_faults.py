"""Simulated trays that come up slowly for a known reason, and healthy ones, each as a journal with its truth.

What ails a tray acts here in this simulator's own forms: seed in dry mix goes by a logistic curve, drowned and dried seed dies
by a
hazard, a shoot's reach is drawn seed by seed, a crust holds each shoot with a chance. What a person writes of it is drawn too:
how often they look, what they measure, what they forget.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from fennet.simulated_room.plants import KINDS, Kind, Truth
from fennet.simulated_room.room import STEP_S, STEPS_A_DAY, Corner, SimulatedMat, air, probe, soil

ZONE = ZoneInfo("UTC")
START = datetime(2026, 2, 2, 10, tzinfo=ZONE)
#: Kinds whose seed wants something first, for these trays alone.
TREATED_KINDS: dict[str, tuple[Kind, str, float]] = {
    "lavender": (Kind((3, 6), (20, 25), (33, 37), (11, 16), (0.22, 0.36), (0.6, 0.85)), "cold_moist", 0.28),
}
LIGHT_KINDS = ("celeriac", "lettuce", "snapdragon", "shiso")
#: Depth in mm that a careful person sows each kind at.
DEPTH_MM = {
    "leek": 10, "celeriac": 1, "parsley": 8, "tomatillo": 6, "shiso": 2, "pak_choi": 8, "snapdragon": 0, "statice": 4,
    "cosmos": 6,
    "onion": 12, "lettuce": 3, "tomato": 7, "pepper": 8, "cabbage": 10, "lavender": 2,
}  # fmt: skip
#: Soil in °C that a careful person holds for each kind.
GOOD_C = {
    "leek": 18.5, "celeriac": 18, "parsley": 18, "tomatillo": 26, "shiso": 24, "pak_choi": 18.5, "snapdragon": 21, "statice": 21,
    "cosmos": 21, "onion": 18.5, "lettuce": 18, "tomato": 26, "pepper": 26.5, "cabbage": 18.5, "lavender": 20,
}  # fmt: skip
ILLS = (
    "cold_soil", "hot_soil", "dry_spell", "waterlogged", "weak_seed", "sown_deep", "needs_light", "needs_pretreatment",
    "coarse_or_crusted_mix",
)  # fmt: skip
#: How often each is met, for drawing.
OFTEN = np.array([0.26, 0.07, 0.15, 0.12, 0.15, 0.09, 0.06, 0.04, 0.06])
#: A tray counts as ill when this part of the seedlings due is missing; between, it is neither ill nor well.
ILL_FROM, WELL_UNDER = 0.30, 0.10
#: How much of what they could note people note: who keeps a record, and who hardly does (share, drawn evenly between).
KEEN, CARELESS = (0.75, 1.0), (0.3, 0.65)


@dataclass(frozen=True)
class Ill:
    """One drawn tray: what ails it (none: healthy), and how bad, 0–1 for each."""

    kind: str
    ills: dict[str, float]
    at_d: float
    cells: int
    per_cell: int


@dataclass
class Told:
    """A journal with what is true of its batch b1: the main cause (None: healthy), all that ailed it, and the part missing."""

    journal: dict[str, Any]
    main: str | None
    ills: tuple[str, ...]
    missing: float
    at: datetime
    up_s: list[float] = field(default_factory=list)


def _moisture(ills: dict[str, float], days: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, list[float]]:
    """Moisture over time in percent of capacity, and when it was watered (days): it loses the same amount each hour until
    watered."""
    loss = float(rng.uniform(5.5, 9.5))
    at_pct = float(rng.uniform(58, 68))
    dry_from = float(rng.uniform(0.5, 2.5))
    dry_to = dry_from + 3.0 + 9.0 * ills.get("dry_spell", 0.0) + (5.0 if "dry_spell" in ills else 0.0)
    wet_from = float(rng.uniform(0.5, 2.0))
    out, now, waters = np.empty(len(days)), 92.0, []
    step = days[1] - days[0]
    for i, day in enumerate(days):
        dry = "dry_spell" in ills and dry_from <= day < dry_to
        wet = "waterlogged" in ills and wet_from <= day
        now -= (loss * (2.2 if dry else 1.0)) * step
        if wet and now < 106 + 8 * ills["waterlogged"]:
            now = 112 + 10 * ills["waterlogged"]
            waters.append(float(day))
        elif not dry and not wet and now < at_pct:
            now = float(rng.uniform(84, 96))
            waters.append(float(day))
        now = max(now, 8.0)
        out[i] = now
    return out, waters


def _temperatures(d: Ill, hours: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray, SimulatedMat | None]:
    """Soil and air over time, and the mat if there is one. Cold: no mat, or one that is off; hot: a set-point far too high."""
    good = GOOD_C[d.kind] + float(rng.uniform(-1.5, 1.5))
    aim = good - (5.5 + 5.5 * d.ills["cold_soil"]) if "cold_soil" in d.ills else good
    if "hot_soil" in d.ills:
        aim = (KINDS.get(d.kind) or TREATED_KINDS[d.kind][0]).ceiling_c[0] - 1.5 + 4.0 * d.ills["hot_soil"]
    warm_room = "hot_soil" not in d.ills and (aim < 19.5 or rng.random() < 0.2)
    mean = aim + 0.4 if warm_room else min(aim - 3.0, float(rng.uniform(13, 18.5)))
    corner = Corner(mean, float(rng.uniform(0.5, 2.5)), float(rng.uniform(0.2, 0.6)))
    air_c = air(corner, hours, rng)
    mat = None
    if not warm_room:
        off = float(rng.normal(0, 0.8))
        mat = SimulatedMat(round(2 * (aim + off)) / 2, max(11.0, aim - mean + 4.0), off)
    return soil(air_c, rng, mat), air_c, mat


class _Seeds:
    """Every seed of a batch with its luck fixed, so that the same seeds can be lived through with one ill mended."""

    def __init__(self, d: Ill, rng: np.random.Generator) -> None:
        self.d, n = d, d.cells * d.per_cell
        kind = KINDS.get(d.kind) or TREATED_KINDS[d.kind][0]
        self.truth = Truth(d.kind, rng, kind=kind)
        self.wait = rng.gamma(1 / self.truth.spread**2, self.truth.spread**2, n)
        self.luck = {name: rng.random(n) for name in ("alive", "reach", "light", "treated", "crust", "heat", "dry", "wet")}
        self.reach_z = rng.normal(0, 1, n)

    def up(
        self, ills: dict[str, float], soil_c: np.ndarray, good_c: np.ndarray, moist: np.ndarray, fine: np.ndarray
    ) -> np.ndarray:
        """When each cell shows, in steps from sowing (inf: never), with these ills only. `good_c`, `fine`: as it should have
        been."""
        d, truth = self.d, self.truth
        temp = soil_c if ("cold_soil" in ills or "hot_soil" in ills) else good_c
        water = moist if ("dry_spell" in ills or "waterlogged" in ills) else fine
        pace = truth.rate_per_day(temp) / (1.0 + np.exp(-(water - 41.0) / 4.5)) / STEPS_A_DAY
        alive = truth.alive * (1.0 if "weak_seed" not in ills else 0.38 - 0.33 * ills["weak_seed"])
        wait = self.wait * (1.0 + (0.15 * ills["weak_seed"] if "weak_seed" in ills else 0.0))
        done = np.cumsum(pace)
        step = np.searchsorted(done, wait).astype(float)
        never = (self.luck["alive"] >= alive) | (step >= len(done))
        # Dried out once the root is out, or drowned: a hazard by the day, each seed with its own endurance.
        dry_h = np.where((water < 21) & (done > 0.25), 0.55, 0.0)
        wet_h = 0.30 / (1.0 + np.exp(-(water - 110.0) / 2.0)) * np.where(temp > 14, 1.0, 0.6)
        for name, hazard in (("dry", dry_h), ("wet", wet_h)):
            dies = np.searchsorted(np.cumsum(hazard) / STEPS_A_DAY, -np.log(self.luck[name]))
            never |= dies < step
        # Heat: some seed falls asleep and stays so.
        over = float(np.mean(temp[: max(1, len(temp) // 2)])) - (truth.ceiling_c - 5.0)
        never |= self.luck["heat"] < np.clip(over / 4.5, 0.0, 0.97)
        usual = max(float(DEPTH_MM[d.kind]), 2.0)
        if "sown_deep" in ills:
            depth = usual * (3.2 + 2.8 * ills["sown_deep"]) + 6.0
            # Half of the shoots reach about four and a half times the usual depth, one in six much less.
            never |= usual * (4.5 + 1.1 * self.reach_z) + 6.0 < depth
            step = step + (depth - usual) / 9.0 * STEPS_A_DAY
        if "needs_light" in ills:
            never |= self.luck["light"] > 0.30 - 0.22 * ills["needs_light"]
        if "needs_pretreatment" in ills:
            never |= self.luck["treated"] > TREATED_KINDS[d.kind][2]
        if "coarse_or_crusted_mix" in ills:
            never |= self.luck["crust"] < 0.5 + 0.42 * ills["coarse_or_crusted_mix"]
            step = step + 0.8 * STEPS_A_DAY
        step = np.where(never, np.inf, step)
        return np.asarray(step.reshape(d.cells, d.per_cell).min(axis=1))


def draw(seed: int) -> Ill:
    """What tray a seed draws: one in four healthy, one ailing in four with a second ill."""
    rng = np.random.default_rng([seed, 77])
    ills: dict[str, float] = {}
    n = 0 if rng.random() < 0.27 else (2 if rng.random() < 0.22 else 1)
    for name in rng.choice(len(ILLS), size=n, replace=False, p=OFTEN):
        ills[ILLS[int(name)]] = float(rng.random())
    if "cold_soil" in ills:
        ills.pop("hot_soil", None)
    if "dry_spell" in ills:
        ills.pop("waterlogged", None)
    if "needs_pretreatment" in ills:
        kind = str(rng.choice(list(TREATED_KINDS)))
        ills.pop("needs_light", None)
    elif "needs_light" in ills:
        kind = str(rng.choice(LIGHT_KINDS))
        ills.pop("sown_deep", None)
    else:
        kind = str(rng.choice(sorted(KINDS)))
    if DEPTH_MM[kind] < 2:
        ills.pop("sown_deep", None)
    if "hot_soil" in ills and kind in ("tomato", "pepper", "tomatillo"):
        ills["hot_soil"] = 0.5 + ills["hot_soil"] / 2
    typical = float(np.mean((KINDS.get(kind) or TREATED_KINDS[kind][0]).days_at_best)) * 1.3
    at_d = typical * float(rng.uniform(1.5, 2.6) if ills else rng.uniform(0.4, 2.6))
    shape = [6, 9, 12, 18, 24][int(rng.integers(5))]
    return Ill(kind, ills, at_d, shape, int(rng.integers(1, 4)))


def tell(seed: int, noting: tuple[float, float] = KEEN) -> Told:
    """The drawn tray as a journal, with what is true of it. `noting`: how much of what they could note the person notes."""
    d, rng = draw(seed), np.random.default_rng([seed, 78])
    keen = float(np.random.default_rng([seed, 81]).uniform(*noting))
    n = int(d.at_d * STEPS_A_DAY) + 2
    at_s = START.timestamp() + STEP_S * np.arange(n)
    hours = (at_s / 3600) % 24
    days = np.arange(n) / STEPS_A_DAY
    state = rng.bit_generator.state
    soil_c, air_c, mat = _temperatures(d, hours, rng)
    rng.bit_generator.state = state
    good_c, _, _ = _temperatures(replace(d, ills={}), hours, rng)
    moist, waters = _moisture(d.ills, days, np.random.default_rng([seed, 79]))
    fine, _ = _moisture({}, days, np.random.default_rng([seed, 79]))
    seeds = _Seeds(d, np.random.default_rng([seed, 80]))

    def up_with(ills: dict[str, float]) -> np.ndarray:
        temp = soil_c if ("cold_soil" in ills or "hot_soil" in ills) else good_c
        water = moist if ("dry_spell" in ills or "waterlogged" in ills) else fine
        return seeds.up(ills, temp, good_c, water, fine)

    come = up_with(d.ills)
    due, up = float((up_with({}) < n).sum()), float((come < n).sum())
    missing = max(0.0, due - up) / max(due, 1.0) if due >= 0.3 * d.cells else 0.0
    main = _main(d.ills, up_with, n) if missing >= ILL_FROM else None
    journal = _write(d, seed, at_s, soil_c, air_c, mat, moist, waters, come, keen, rng)
    return Told(journal, main, tuple(d.ills), missing, _time(at_s[-1]), [float(at_s[0] + s * STEP_S) for s in come])


def _main(ills: dict[str, float], up_with: Any, n: int) -> str | None:
    """The ill whose mending brings most; where no single one does, the one that alone costs most."""
    now = float((up_with(ills) < n).sum())
    gains = {}
    for name in ills:
        rest = {k: v for k, v in ills.items() if k != name}
        alone = float((up_with({}) < n).sum() - (up_with({name: ills[name]}) < n).sum())
        gains[name] = (float((up_with(rest) < n).sum()) - now, alone)
    return max(gains, key=lambda k: gains[k]) if gains else None


def _time(at_s: float) -> datetime:
    return datetime.fromtimestamp(float(at_s), ZONE)


def _text(at_s: float) -> str:
    return _time(round(float(at_s))).isoformat(timespec="seconds")


def _write(
    d: Ill, seed: int, at_s: np.ndarray, soil_c: np.ndarray, air_c: np.ndarray, mat: SimulatedMat | None, moist: np.ndarray,
    waters: list[float], come: np.ndarray, keen: float, rng: np.random.Generator,
) -> dict[str, Any]:  # fmt: skip
    """What the person of this tray put on record."""
    columns = 6 if d.cells >= 12 else 3
    cells = [f"r{i // columns + 1}c{i % columns + 1}" for i in range(d.cells)]
    batch = _batch(d, cells, keen, rng)
    journal: dict[str, Any] = {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Drawn tray {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}], "places": [{"id": "bench", "room": "room", "kind": "shelf"}],
        "trays": [{"id": "T", "kind": "cells", "rows": -(-d.cells // columns), "columns": columns, "cell_ml": 50}],
        "seed_lots": _lot(d, batch, keen, rng), "batches": [batch], "readings": [], "events": [],
        "mats": [{"id": "mat", "watts": 20, "control": "thermostat"}] if mat else [],
    }  # fmt: skip
    events = journal["events"]
    events.append({"at": _text(at_s[0] - 600), "kind": "placed", "tray": "T", "place": "bench"})
    if mat:
        mat_event = {
            "at": _text(at_s[0] - 500),
            "kind": "mat",
            "mat": "mat",
            "tray": "T",
            "on": True,
            "setpoint_c": mat.setpoint_c,
        }
        events.append(mat_event)
    events.append({"at": _text(at_s[0] + 300), "kind": "cover", "tray": "T", "on": True})
    _read_heat(journal, at_s, soil_c, air_c, keen, rng)
    if rng.random() < keen:
        for w in waters:
            events.append(
                {
                    "at": _text(at_s[0] + w * 86400),
                    "kind": "watered",
                    "tray": "T",
                    "how": "below" if rng.random() < 0.7 else "above",
                }
            )
    if rng.random() < keen:
        feel = rng.random() < 0.5
        for day in np.arange(0.9, d.at_d, float(rng.choice([1.0, 2.0]))):
            m = float(moist[min(len(moist) - 1, int(day * STEPS_A_DAY))]) + float(rng.normal(0, 4))
            value, unit = (float(1 + sum(m > e for e in (27, 57, 76, 98))), "feel") if feel else (round(max(3.0, m)), "percent")
            journal["readings"].append(
                {"at": _text(at_s[0] + day * 86400), "place": "T", "quantity": "moisture", "value": value, "unit": unit}
            )
    _count(journal, cells, at_s, come, d, rng)
    _look(journal, d, at_s, come, moist, keen, rng)
    _neighbours(journal, d, at_s, soil_c, moist, rng)
    return journal


def _batch(d: Ill, cells: list[str], keen: float, rng: np.random.Generator) -> dict[str, Any]:
    usual = float(DEPTH_MM[d.kind])
    depth = max(usual, 2.0) * (3.2 + 2.8 * d.ills["sown_deep"]) + 6.0 if "sown_deep" in d.ills else usual
    if "needs_light" in d.ills:
        depth = float(rng.uniform(6, 9.5))
    batch: dict[str, Any] = {"id": "b1", "tray": "T", "cell_list": cells, "crop": d.kind, "sown_at": _text(START.timestamp()),
                             "seeds_per_cell": d.per_cell, "variety": "drawn"}  # fmt: skip
    if rng.random() < keen:
        batch["depth_mm"] = round(depth)
    if rng.random() < keen:
        batch["covered_with"] = "none" if depth < 1.5 else "mix"
    crusted = "coarse_or_crusted_mix" in d.ills
    if rng.random() < keen:
        garden = crusted and rng.random() < 0.7
        batch["mix"] = {"kind": "garden_soil" if garden else str(rng.choice(["seed_mix", "seed_mix", "coir", "potting_mix"]))}
    if d.kind in TREATED_KINDS:
        if "needs_pretreatment" not in d.ills:
            batch["pretreatment"] = [{"kind": TREATED_KINDS[d.kind][1], "hours": 500}]
        elif rng.random() < keen:
            batch["pretreatment"] = []
    elif d.kind == "shiso":
        batch["pretreatment"] = [{"kind": "soak", "hours": 12}]
    return batch


def _lot(d: Ill, batch: dict[str, Any], keen: float, rng: np.random.Generator) -> list[dict[str, Any]]:
    draw_lot = rng.random()
    if draw_lot > keen:
        return []
    batch["seed_lot"] = "lot"
    lot: dict[str, Any] = {"id": "lot", "crop": d.kind, "rate": 0.9}
    if "weak_seed" not in d.ills:
        lot["packed"] = 2025
    elif rng.random() < 0.75:
        long_lived = d.kind not in ("leek", "onion", "parsley", "shiso", "statice")
        lot["packed"] = int(2026 - (12 if long_lived else 7) - round((8 if long_lived else 5) * d.ills["weak_seed"]))
    else:
        lot["packed"] = 2025
        if rng.random() < 0.5:
            sown = 10
            lot["tests"] = [
                {"on": "2026-01-20", "sown": sown, "germinated": int(rng.binomial(sown, 0.3 - 0.25 * d.ills["weak_seed"]))}
            ]
    return [lot]


def _read_heat(
    journal: dict[str, Any], at_s: np.ndarray, soil_c: np.ndarray, air_c: np.ndarray, keen: float, rng: np.random.Generator
) -> None:
    """Soil by a logger, by hand twice a day in either unit, air only, or nothing."""
    how = rng.random()
    if how < 0.5 * keen:
        steps, values = probe(soil_c, rng)
        keep = steps % 6 == 0
        pairs, where, quantity = list(zip(steps[keep], values[keep], strict=True)), "T", "soil_temperature"
        journal["sources"] = [{"id": "probe", "kind": "thermometer", "sited": "T"}]
    elif how < keen:
        air_only = how > 0.9 * keen
        steps = np.flatnonzero(np.isin(np.round((at_s / 3600) % 24, 2), (8.0, 19.0)))
        steps = steps[rng.random(len(steps)) < 0.85]
        off = float(rng.normal(0, 0.35))
        values = np.round((air_c if air_only else soil_c)[steps] + off + rng.normal(0, 0.2, len(steps)), 1)
        pairs, where = list(zip(steps, values, strict=True)), "room" if air_only else "T"
        quantity = "air_temperature" if air_only else "soil_temperature"
    else:
        return
    fahrenheit = rng.random() < 0.3
    for i, v in pairs:
        value = round(float(v) * 9 / 5 + 32, 1) if fahrenheit else float(v)
        journal["readings"].append(
            {
                "at": _text(at_s[int(i)]),
                "place": where,
                "quantity": quantity,
                "value": value,
                "unit": "degF" if fahrenheit else "degC",
            }
        )


def _count(
    journal: dict[str, Any], cells: list[str], at_s: np.ndarray, come: np.ndarray, d: Ill, rng: np.random.Generator
) -> None:
    every, seen, last = float(rng.choice([1.0, 1.0, 2.0])), 0, 0
    located = rng.random() < 0.6
    # Whoever asks why has just looked.
    for day in [*np.arange(0.9, d.at_d - 0.3, every), d.at_d - 0.05]:
        step = day * STEPS_A_DAY
        up = [c for c, s in zip(cells, come, strict=True) if s <= step]
        number = len(up) + (int(rng.choice([-1, 1])) if rng.random() < 0.03 and up else 0)
        number = min(len(cells), max(0, number))
        if number > seen or (number == seen and day - last > 4):
            count: dict[str, Any] = {"at": _text(at_s[0] + day * 86400), "kind": "count", "batch": "b1", "cells_up": number}
            if located and number == len(up) and up:
                count["cell_list"] = up
            journal["events"].append(count)
            seen, last = number, day


def _look(
    journal: dict[str, Any], d: Ill, at_s: np.ndarray, come: np.ndarray, moist: np.ndarray, keen: float, rng: np.random.Generator
) -> None:
    """Sometimes a person digs, presses, or notes what they see near the end."""
    late = _text(at_s[-1] - 7200)
    missing = bool((come > len(at_s)).mean() > 0.3)

    def check(what: str, result: str) -> None:
        journal["events"].append({"at": late, "kind": "check", "batch": "b1", "what": what, "result": result})

    if missing and rng.random() < 0.7 * keen:
        rotten = 0.75 if "waterlogged" in d.ills else 0.45 if "weak_seed" in d.ills else 0.06
        dry = 0.7 if "dry_spell" in d.ills else 0.03
        roots = 0.55 if {"sown_deep", "coarse_or_crusted_mix"} & set(d.ills) else 0.1
        draw_seed = rng.random()
        found = "soft" if draw_seed < rotten else "dry" if rng.random() < dry else "sprouting" if rng.random() < roots else "firm"
        check("dug_seed", found)
    if rng.random() < (0.5 * keen if missing else 0.1):
        deep = "sown_deep" in d.ills or "needs_light" in d.ills
        check("seed_depth", "deeper" if deep and rng.random() < 0.9 else "as_meant")
    if rng.random() < (0.85 * keen if "coarse_or_crusted_mix" in d.ills else 0.04):
        journal["events"].append({"at": late, "kind": "sign", "batch": "b1", "sign": "crust"})
    if rng.random() < (0.7 * keen if "waterlogged" in d.ills else 0.04):
        sign = str(rng.choice(["green_film", "white_fluff", "tiny_flies"]))
        journal["events"].append({"at": late, "kind": "sign", "tray": "T", "sign": sign})
    # Whoever wonders at a tray squeezes a pinch of its mix before anything else.
    if rng.random() < (0.8 * keen if missing else 0.2):
        m = float(moist[-1])
        words = ("dust_dry", "pale_top", "even", "dark", "standing")[sum(m > e for e in (27, 57, 76, 100))]
        check("mix_feel", words)


def _neighbours(
    journal: dict[str, Any], d: Ill, at_s: np.ndarray, soil_c: np.ndarray, moist: np.ndarray, rng: np.random.Generator
) -> None:
    """Other seed in the same tray, or the same seed elsewhere, with its own count."""
    n = len(at_s)
    place = {
        k: v for k, v in d.ills.items() if k in ("cold_soil", "hot_soil", "dry_spell", "waterlogged", "coarse_or_crusted_mix")
    }
    own = {k: v for k, v in d.ills.items() if k not in place}
    if rng.random() < 0.35:
        kind = str(rng.choice([k for k in KINDS if abs(GOOD_C[k] - GOOD_C[d.kind]) < 2 and k not in TREATED_KINDS] or ["tomato"]))
        other = Ill(kind, place, d.at_d, 6, 2)
        up = _Seeds(other, rng).up(place, soil_c, soil_c, moist, moist)
        _add(journal, "b2", kind, "T", [f"r9c{i}" for i in range(1, 7)], None, int((up < n).sum()), at_s)
    if rng.random() < 0.3 and journal["seed_lots"]:
        good = np.full(n, GOOD_C[d.kind])
        up = _Seeds(replace(d, ills=own, cells=6), rng).up(own, good, good, np.full(n, 70.0), np.full(n, 70.0))
        journal["trays"].append({"id": "U", "kind": "cells", "rows": 1, "columns": 6, "cell_ml": 50})
        _add(journal, "b3", d.kind, "U", [f"r1c{i}" for i in range(1, 7)], "lot", int((up < n).sum()), at_s)


def _add(
    journal: dict[str, Any], name: str, kind: str, tray: str, cells: list[str], lot: str | None, up: int, at_s: np.ndarray
) -> None:
    batch = {"id": name, "tray": tray, "crop": kind, "sown_at": _text(at_s[0]), "cells": len(cells), "seeds_per_cell": 2}
    journal["batches"].append(batch if lot is None else {**batch, "seed_lot": lot})
    if up:
        journal["events"].append({"at": _text(at_s[-1] - 3600), "kind": "count", "batch": name, "cells_up": up})
