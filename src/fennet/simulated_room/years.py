"""A third simulated house, over three springs: varieties, packets, mats and a pair of hands that stay what they are.

Each variety has a pace of its own and each packet a share that lives; seed adds up degree-hours over its kind's base until its
log-logistic sum is reached. A cheap thermometer is off by the same half degree every year. A spring may be odd: everything
in it comes far sooner or later, for a reason nobody wrote down.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

ZONE = ZoneInfo("Europe/Tallinn")
FIRST_YEAR, SEASONS = 2024, 3
#: Base and best °C, degree-days from base to half up, soil it is kept at: this house's own figures, of kinds with trials.
KINDS: dict[str, tuple[float, float, float, float]] = {
    "leek": (1.4, 24, 140, 18), "celery": (1.5, 20, 160, 18), "parsley": (0.5, 23, 270, 19), "lettuce": (-1.5, 23, 64, 17),
    "tomato": (8.0, 27, 98, 25), "pepper": (10.0, 28, 122, 26), "cabbage": (2.4, 25, 110, 18), "aubergine": (11.0, 29, 112, 26),
    "onion": (1.8, 25, 94, 17), "beet": (2.0, 26, 128, 18), "cucumber": (11.5, 29, 52, 25), "okra": (12.0, 30, 92, 26),
}  # fmt: skip
VARIETY_SD, KIND_SD, BATCH_SD, SEASON_SD = 0.15, 0.08, 0.07, 0.04


@dataclass
class Sown:
    """One batch as it really went: when it was sown and when each of its cells shows, seconds UTC (inf: never)."""

    id: str
    season: int
    sown_s: float
    come_s: np.ndarray


@dataclass
class House:
    """Three seasons of one house: the journal of all, and what is true of each batch."""

    journal: dict[str, Any]
    sown: list[Sown] = field(default_factory=list)


def house_of_years(seed: int, odd: bool = False, n_varieties: int = 6, a_season: int = 2, same: bool = False) -> House:
    """One drawn house. `odd`: its second spring is out of the ordinary; `same`: its varieties of a kind do not differ."""
    rng = np.random.default_rng([seed, 907])
    kinds = [str(k) for k in rng.choice(sorted(KINDS), size=max(1, n_varieties // 2), replace=False)]
    of_kind = {k: float(rng.normal(0, KIND_SD)) for k in kinds}
    off_c, every_d = float(rng.normal(0, 0.5)), float(rng.choice([0.5, 1.0, 1.0, 2.0]))
    mats = {f"mat-{i}": float(rng.normal(0, 0.8)) for i in (1, 2)}
    house = House({
        "format": "fennet-journal", "version": 1, "garden": {"name": f"House {seed}", "timezone": str(ZONE)},
        "rooms": [{"id": "room"}], "places": [{"id": "bench", "room": "room", "kind": "shelf"}], "trays": [], "seed_lots": [],
        "mats": [{"id": m, "control": "thermostat", "watts": 20} for m in mats], "batches": [], "readings": [], "events": [],
    })  # fmt: skip
    varieties = []
    for i in range(n_varieties):
        kind = kinds[i % len(kinds)]
        own = 0.0 if same else float(rng.normal(0, VARIETY_SD))
        varieties.append(
            (kind, f"Kind {kind} {i}", of_kind[kind] + own, float(rng.uniform(8.0, 14.0)), float(rng.normal(1.2, 0.35)))
        )
    for season in range(SEASONS):
        strange = (0.40 if rng.random() < 0.5 else -0.40) if odd and season == 1 else 0.0
        spring = float(rng.normal(0, SEASON_SD)) + strange
        for i, (kind, name, pace, shape, alive) in enumerate(varieties):
            lot = f"lot-{i}-{0 if season < 2 else 1}"
            if not any(x["id"] == lot for x in house.journal["seed_lots"]):
                house.journal["seed_lots"].append({"id": lot, "crop": kind, "variety": name, "packed": FIRST_YEAR + season})
            probit = alive + float(np.random.default_rng([seed, i, season // 2]).normal(0, 0.25)) - (0.05 * season)
            for n in range(a_season):
                day = float(rng.uniform(0, 25)) + n * 16
                sown = datetime(FIRST_YEAR + season, 2, 10, 10, tzinfo=ZONE) + timedelta(days=int(day))
                batch = f"b{season + 1}-{i}-{n}"
                waits = pace + spring + float(rng.normal(0, BATCH_SD))
                _sow(house, rng, batch, season, kind, name, lot, sown, waits, shape, probit, mats, off_c, every_d)
    house.journal["events"].sort(key=lambda e: datetime.fromisoformat(e["at"]))
    return house


def _sow(
    house: House, rng: np.random.Generator, batch: str, season: int, kind: str, name: str, lot: str, sown: datetime, pace: float,
    shape: float, probit: float, mats: dict[str, float], off_c: float, every_d: float,
) -> None:  # fmt: skip
    from scipy.special import ndtr

    base_c, best_c, sum_cd, kept_c = KINDS[kind]
    hours = np.arange(24 * 70)
    mat = str(rng.choice(sorted(mats))) if kept_c > 20 else None
    level = kept_c + float(rng.normal(0, 1.0)) + (mats[mat] if mat else float(rng.normal(0, 1.0)))
    weather = np.interp(hours, np.arange(0, hours[-1] + 48, 48), rng.normal(0, 0.6, len(np.arange(0, hours[-1] + 48, 48))))
    soil_c = level + 0.8 * np.cos((hours - 5) / 24 * 2 * np.pi) + weather
    cells, per_cell = int(rng.choice([12, 18, 24])), int(rng.choice([1, 1, 2]))
    n = cells * per_cell
    own = sum_cd * np.exp(pace) * (1.0 / rng.random(n) - 1.0) ** (1.0 / shape)
    done = np.cumsum(np.maximum(np.minimum(soil_c, best_c) - base_c, 0.0) / 24)
    step = np.searchsorted(done, own).astype(float)
    dead = (rng.random(n) > float(ndtr(probit))) | (step >= len(hours))
    come_d = np.where(dead, np.inf, step / 24).reshape(cells, per_cell).min(axis=1)
    tray = f"T{batch[1:]}"
    j = house.journal

    def at(day: float) -> str:
        return (sown + timedelta(days=float(day))).astimezone(ZONE).isoformat(timespec="seconds")

    j["trays"].append({"id": tray, "kind": "cells", "rows": cells // 6, "columns": 6, "cell_ml": 40})
    j["batches"].append({"id": batch, "tray": tray, "crop": kind, "variety": name, "seed_lot": lot, "sown_at": at(0),
                         "cells": cells, "seeds_per_cell": per_cell})  # fmt: skip
    j["events"].append({"at": at(-0.01), "kind": "placed", "tray": tray, "place": "bench"})
    if mat:
        j["events"].append({"at": at(-0.005), "kind": "mat", "mat": mat, "tray": tray, "on": True, "setpoint_c": round(kept_c)})
    last = float(np.max(come_d[np.isfinite(come_d)], initial=6.0)) + 12.0
    for d in np.arange(0.1, min(last, 60.0), 0.5):
        value = soil_c[int(d * 24)] + off_c + rng.normal(0, 0.2)
        j["readings"].append(
            {"at": at(d), "place": tray, "quantity": "soil_temperature", "value": round(float(value), 1), "unit": "degC"}
        )
    seen, day = 0, float(rng.uniform(0.3, 1.0))
    while day < min(last, 60.0):
        up = int((come_d <= day).sum())
        if up > seen:
            j["events"].append({"at": at(day), "kind": "count", "batch": batch, "cells_up": up})
            seen = up
        day += every_d
    house.sown.append(Sown(batch, season, sown.timestamp(), sown.timestamp() + come_d * 86_400.0))
