"""The attic's seedlings after they are up: long thin ones, ones that fall, and healthy ones, with their truth.

Stems grow by the day: a logistic share of the kind's height, lengthened in proportion to the light that is missing, to warmth,
cover and leaf area around them. Disease passes from cell to cell by a daily chance whose log-odds add up. The person reads lux by
telephone at the shelf or the tray, logs the day's hours of light or a timer, uses the ruler now and then only, and speaks of the
tray as often as of the batch.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from fennet.simulated_room.grown_life import Grown

ZONE = ZoneInfo("America/Halifax")
START = datetime(2026, 3, 1, 8, 15, tzinfo=ZONE)
#: Kind: height at twelve days mm, mol a day it wants, hours, warmest day, coldest good soil, days to come up.
KINDS: dict[str, tuple[float, float, float, float, float, float]] = {
    "tomato": (40, 13, 15, 24, 18, 7), "pepper": (30, 13, 15, 25, 19, 9), "basil": (24, 11, 15, 25, 19, 7),
    "cucumber": (50, 13, 15, 25, 19, 5), "cabbage": (30, 9.5, 14, 18, 9, 7), "kale": (30, 9.5, 14, 18, 9, 6),
    "lettuce": (22, 9.5, 14, 18, 9, 5), "beet": (30, 9.5, 14, 19, 9, 8), "leek": (45, 9, 12, 18, 9, 12),
    "celery": (15, 9.5, 14, 20, 12, 15), "snapdragon": (12, 8, 14, 20, 13, 9), "cosmos": (45, 8, 14, 20, 13, 6),
}  # fmt: skip
LEGGY = ("weak_light", "lamp_too_far", "short_hours", "late_to_light", "too_warm", "covered_too_long", "crowded")
FALLS = ("too_wet", "covered_too_long", "still_air", "unclean_mix", "watered_from_above", "cool_and_slow", "crowded")
#: Log-odds that each condition adds to a day's chance of falling when it holds in full.
WEIGHS = {"too_wet": 1.25, "covered_too_long": 1.1, "still_air": 0.75, "unclean_mix": 1.2, "watered_from_above": 0.8,
          "cool_and_slow": 1.1, "crowded": 0.9}  # fmt: skip
LUX_PER_PPFD = 67.0


@dataclass
class _Way:
    """How a tray was kept: by the day since it came up where it says so."""

    kind: str
    days: int
    ills: dict[str, float]
    ppfd_umol: float = 0.0
    near_umol: float = 0.0
    hours: float = 14.0
    dark_d: float = 0.0
    warm_c: float = 19.0
    cover_d: float = 0.3
    a_cell: int = 1
    fan: bool = True
    clean: bool = True
    above: bool = False
    moist_pct: float = 66.0
    soil_c: float = 19.0
    told: list[str] = field(default_factory=list)


def _kept(kind: str, ills: dict[str, float], days: int, rng: np.random.Generator) -> _Way:
    _, aim, hours, warmest, coldest, _ = KINDS[kind]
    w = _Way(kind, days, ills, hours=hours + float(rng.uniform(-0.5, 1.0)), warm_c=warmest - float(rng.uniform(1, 5)))
    w.ppfd_umol = w.near_umol = aim * float(rng.uniform(1.0, 1.35)) / (0.0036 * hours)
    w.soil_c = max(coldest + 1.0, w.warm_c - 1.0)
    w.moist_pct = float(rng.uniform(55, 75))
    w.a_cell = int(rng.choice([1, 1, 2]))
    w.fan = bool(rng.random() < 0.85)
    if "weak_light" in ills:
        w.ppfd_umol = w.near_umol = w.ppfd_umol * (0.6 - 0.42 * ills["weak_light"])
    if "lamp_too_far" in ills:
        w.ppfd_umol = w.near_umol / (1.8 + 2.4 * ills["lamp_too_far"])
    if "short_hours" in ills:
        w.hours = hours * (0.6 - 0.28 * ills["short_hours"])
    if "late_to_light" in ills:
        w.dark_d = 2.5 + 5.0 * ills["late_to_light"]
    if "too_warm" in ills:
        w.warm_c = warmest + 4.0 + 5.0 * ills["too_warm"]
    if "covered_too_long" in ills:
        w.cover_d = 3.5 + 8.0 * ills["covered_too_long"]
    if "crowded" in ills:
        w.a_cell = round(5 + 5 * ills["crowded"])
    if "too_wet" in ills:
        w.moist_pct = 94.0 + 9.0 * ills["too_wet"]
    if "cool_and_slow" in ills:
        w.soil_c = coldest - 3.0 - 3.5 * ills["cool_and_slow"]
        w.warm_c = w.soil_c + 1.0
    w.fan = w.fan and "still_air" not in ills
    w.clean, w.above = "unclean_mix" not in ills, "watered_from_above" in ills
    return w


def _height_mm(w: _Way, mended: frozenset[str], own: np.ndarray) -> float:
    base, aim, hours, warmest, _, _ = KINDS[w.kind]
    ppfd = w.near_umol if "lamp_too_far" in mended else w.ppfd_umol
    if "weak_light" in mended and "weak_light" in w.ills:
        ppfd = max(ppfd, aim / (0.0036 * hours))
    lit = max(w.hours, hours) if "short_hours" in mended else w.hours
    warm = min(w.warm_c, warmest) if "too_warm" in mended else w.warm_c
    cover = 0.3 if "covered_too_long" in mended else w.cover_d
    company = 1.0 if "crowded" in mended else float(w.a_cell)
    height = 0.0
    for day in range(w.days):
        grown = 1 / (1 + np.exp(-(day + 1 - 11.0) / 3.4)) - 1 / (1 + np.exp(-(day - 11.0) / 3.4)) + 0.13 * np.exp(-day / 2.2)
        dark = day < w.dark_d and "late_to_light" not in mended
        lack = 1.0 if dark else max(0.0, 1.0 - 0.0036 * ppfd * lit / aim)
        longer = 1.0 + own[0] * 1.45 * lack**1.15
        longer *= 1.0 + own[1] * 0.115 * max(0.0, warm - warmest)
        longer *= 1.0 + own[2] * 0.4 * (day < cover)
        longer *= 1.0 + own[3] * 0.85 * np.clip((company - 2.0) / 5.0, 0.0, 1.0) * np.clip((day - 3.0) / 5.0, 0.0, 1.0)
        height += grown * longer
    return float(base * height)


def _hold(w: _Way, day: float) -> dict[str, float]:
    """How far each condition of falling holds on a day."""
    return {
        "too_wet": float(np.clip((w.moist_pct - 84.0) / 10.0, 0.0, 1.0)), "covered_too_long": float(0.8 < day < w.cover_d),
        "still_air": 0.0 if w.fan else 1.0, "unclean_mix": 0.0 if w.clean else 1.0, "watered_from_above": 1.0 if w.above else 0.0,
        "cool_and_slow": float(np.clip((KINDS[w.kind][4] - w.soil_c) / 4.0, 0.0, 1.2)),
        "crowded": float(np.clip((w.a_cell - 2.0) / 4.0, 0.0, 1.2)),
    }  # fmt: skip


def _falls(w: _Way, luck: np.ndarray, mended: str | None = None) -> np.ndarray:
    """Day on which each cell falls (inf: none): a chance a day, higher beside one that fell."""
    n = len(luck)
    fell, met = np.full(n, np.inf), np.zeros(n)
    for day in range(w.days):
        odds = -6.2 + sum(WEIGHS[c] * v for c, v in _hold(w, day).items() if c != mended) - 0.11 * day
        beside = np.array([any(fell[j] < day for j in (i - 1, i + 1, i - 4, i + 4) if 0 <= j < n) for i in range(n)])
        met += 1.0 / (1.0 + np.exp(-(odds + 1.6 * beside)))
        fell = np.where((fell == np.inf) & (met > luck), float(day), fell)
    return fell


def attic_grown(seed: int, what: str | None = None, noting: tuple[float, float] = (0.65, 1.0)) -> Grown:
    """One drawn tray: `what` leggy, damping_off or well; three in ten are well where not given."""
    rng = np.random.default_rng([seed, 431])
    what = what or str(rng.choice(["leggy", "damping_off", "well"], p=[0.36, 0.34, 0.30]))
    kind, keen = str(rng.choice(sorted(KINDS))), float(rng.uniform(*noting))
    names = {"leggy": LEGGY, "damping_off": FALLS, "well": ()}[what]
    n = 0 if not names else 1 if what == "leggy" and rng.random() < 0.75 else 1 if rng.random() < 0.4 else 2
    ills = {str(c): float(rng.uniform(0.3, 1.0)) for c in rng.choice(names, size=n, replace=False)} if names else {}
    days = int(rng.integers(9, 18))
    w = _kept(kind, ills, days, rng)
    own = np.exp(0.2 * rng.standard_normal(4))
    stretch, cause, complaint, fell, first = 1.0, None, None, None, None
    full, well = _height_mm(w, frozenset(), own), _height_mm(w, frozenset(LEGGY), own)
    stretch = full / well
    if what == "leggy" and stretch >= 1.45:
        complaint, cause = "leggy", min(ills, key=lambda c: _height_mm(w, frozenset({c}), own))
    if what == "damping_off":
        luck = rng.exponential(0.35, 16) + 0.03
        fell = _falls(w, luck)
        if np.isfinite(fell).sum() < 2:
            luck = luck * 0.35
            fell = _falls(w, luck)
        if np.isfinite(fell).any():
            first = float(fell.min())
            w.days = min(days, int(first) + 2)
            complaint = "damping_off"
            # Whichever mends most: fewest of them would have met their luck.
            cause = min(ills, key=lambda c: _pressure(w, c))
    calm = what == "well" and stretch < 1.2
    journal = _noted(seed, w, keen, complaint, full * float(np.exp(rng.normal(0, 0.12))), stretch, fell, rng)
    at = START + timedelta(days=KINDS[kind][5] + w.days)
    return Grown(journal, at, complaint, cause, tuple(ills), None, calm)


def _pressure(w: _Way, mended: str) -> float:
    return sum(sum(WEIGHS[c] * v for c, v in _hold(w, day).items() if c != mended) for day in range(w.days))


def _noted(
    seed: int, w: _Way, keen: float, complaint: str | None, height_mm: float, stretch: float, fell: np.ndarray | None,
    rng: np.random.Generator,
) -> dict[str, Any]:  # fmt: skip
    up_d = KINDS[w.kind][5]
    end_d = up_d + w.days
    cells = [f"r{i // 4 + 1}c{i % 4 + 1}" for i in range(16)]
    events: list[dict[str, Any]] = []
    readings: list[dict[str, Any]] = []

    def at(day: float) -> str:
        return (START + timedelta(days=float(day))).isoformat(timespec="seconds")

    def happened(day: float, kind: str, **more: Any) -> None:
        events.append({"at": at(day), "kind": kind, **more})

    def read(day: float, place: str, quantity: str, value: float, unit: str) -> None:
        readings.append({"at": at(day), "place": place, "quantity": quantity, "value": value, "unit": unit})

    batch: dict[str, Any] = {"id": "b1", "tray": "T", "crop": w.kind, "sown_at": at(0), "cell_list": cells}
    if rng.random() < keen or w.a_cell > 2:
        batch["seeds_per_cell"] = w.a_cell
    if rng.random() < keen or not w.clean:
        batch["mix"] = {"kind": "seed_mix" if w.clean or rng.random() < 0.5 else "garden_soil", "clean": w.clean}
    happened(-0.02, "placed", tray="T", place="eaves")
    lit_at = up_d + w.dark_d if w.dark_d else 0.0
    off = 7 * 60 + round(w.hours * 60)
    lamp_known = rng.random() < keen
    if w.dark_d:
        happened(up_d - 0.5, "lamp", lamp="lamp", on=False)
    lamp: dict[str, Any] = {"lamp": "lamp"}
    if lamp_known:
        lamp |= {"height_mm": 60 + 20 + round(108 * np.sqrt(w.near_umol / w.ppfd_umol))}
    timer = rng.random() < 0.7
    if timer:
        lamp |= {"on": "07:00", "off": f"{off // 60 % 24:02}:{off % 60:02}"}
    happened(lit_at, "lamp", **lamp)
    if w.dark_d:
        happened(lit_at, "moved_to_light", batch="b1")
    if not timer:
        for d in [float(x) for x in np.arange(int(lit_at), int(end_d))]:
            read(d + 0.5, "T" if rng.random() < 0.5 else "eaves", "photoperiod", round(w.hours, 1), "h")
    if rng.random() < keen:
        for d in [float(x) for x in np.array([lit_at + 0.3, lit_at + 4.3])]:
            if up_d - 1 < d < end_d:
                lux = w.ppfd_umol * LUX_PER_PPFD * float(np.exp(rng.normal(0, 0.1)))
                read(d, "T" if rng.random() < 0.6 else "eaves", "light", round(lux, -2), "lux")
    if rng.random() < keen:
        for d in [float(x) for x in np.arange(0.2, end_d, float(rng.choice([0.5, 1.0])))]:
            before = d < up_d and "cool_and_slow" not in w.ills
            c = max(w.soil_c, KINDS[w.kind][3] - 1) if before else w.soil_c if "cool_and_slow" in w.ills else w.warm_c - 0.5
            read(d, "T", "soil_temperature", round(float(c + rng.normal(0, 0.6)) * 9 / 5 + 32, 1), "degF")
    happened(0.02, "cover", tray="T", on=True)
    if w.cover_d < w.days and (rng.random() < keen or w.cover_d > 2):
        happened(up_d + w.cover_d, "cover", tray="T", on=False)
    elif w.cover_d >= w.days and rng.random() < keen:
        happened(end_d - 1.0, "note", text="lid still on", batch="b1")
    if rng.random() < keen:
        for d in [float(x) for x in np.arange(1.0, end_d - 0.2, 1.0 if w.moist_pct > 88 else 2.5)]:
            happened(d, "watered", tray="T", how="above" if w.above else "below")
    if rng.random() < keen:
        for d in [float(x) for x in np.arange(up_d - 3.0, end_d, 1.5)]:
            felt = 1 + sum(w.moist_pct + rng.normal(0, 4) > e for e in (27, 57, 76, 98))
            read(max(0.5, d), "T", "moisture", float(felt), "feel")
    fans = []
    if rng.random() < keen:
        fans = [{"id": "fan", "place": "eaves"}]
        happened(-0.01, "fan", place="eaves", hours_per_day=6.0 if w.fan else 0.0)
    for share, later_d in ((0.35, 0.0), (0.9, 1.2)):
        n = max(1, round(15 * share))
        happened(
            up_d + later_d, "count", batch="b1", **({"cells_up": n} if rng.random() < 0.7 else {"seedlings_up": n * w.a_cell})
        )
    if rng.random() < 0.55 * keen:
        happened(end_d - 0.3, "height", batch="b1", mm=round(height_mm))
    if complaint == "leggy" and rng.random() < 0.85:
        happened(end_d - 0.2, "sign", **({"tray": "T"} if rng.random() < 0.4 else {"batch": "b1"}), sign="long_thin")
    if fell is not None and complaint == "damping_off":
        for i in np.flatnonzero(fell <= w.days - 1):
            pinched = rng.random() < 0.8
            happened(up_d + float(fell[i]) + 0.6, "sign", batch="b1", cell_list=[cells[i]],
                     sign="fallen_pinched_base" if pinched else "patch_down")  # fmt: skip
    if w.moist_pct > 90 and rng.random() < 0.5 * keen:
        happened(end_d - 1.1, "sign", tray="T", sign="green_film")
    return {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Attic seedlings {seed}", "timezone": "America/Halifax"},
        "rooms": [{"id": "attic"}], "places": [{"id": "eaves", "room": "attic", "kind": "shelf"}], "fans": fans,
        "lamps": [{"id": "lamp", "place": "eaves", "kind": "white_led", "watts": 30}],
        "trays": [{"id": "T", "kind": "cells", "rows": 4, "columns": 4, "cell_ml": 50, "height_mm": 60}], "batches": [batch],
        "readings": readings, "events": sorted(events, key=lambda e: str(e["at"])),
    }  # fmt: skip
