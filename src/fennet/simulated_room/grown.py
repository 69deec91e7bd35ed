"""Simulated seedlings from the day they come up: long thin ones, ones that fall, leaves that do not look right, and healthy ones.

Each is a journal with its truth. How conditions act is this simulator's own: stems lengthen by an exponential of the light that
is missing, disease is a population that grows on a wet surface and dies on a dry one, leaves show their signs by chance.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

ZONE = ZoneInfo("UTC")
START = datetime(2026, 2, 20, 9, tzinfo=ZONE)
DAY = timedelta(days=1)
KEEN = (0.75, 1.0)

#: Kind: height at twelve days mm, aim of daily light mol, hours, warmest day it likes, coldest root, days from seed to up, warm.
KINDS: dict[str, tuple[float, float, float, float, float, float, bool]] = {
    "tomato": (40, 13.5, 15, 24, 17, 7, True), "pepper": (30, 13.5, 15, 24, 17.5, 9, True),
    "tomatillo": (40, 13.5, 15, 24, 17, 7, True), "shiso": (16, 11.5, 15, 24, 18, 9, True),
    "leek": (45, 9.5, 12, 18, 10, 11, False), "celeriac": (15, 9.5, 14, 20, 12.5, 14, False),
    "parsley": (15, 9.5, 14, 20, 12.5, 16, False), "pak_choi": (30, 9.5, 14, 18, 10, 4, False),
    "cabbage": (30, 9.5, 14, 18, 10, 6, False), "lettuce": (22, 9.5, 14, 18, 10, 4, False),
    "snapdragon": (12, 7.5, 14, 20, 13.5, 9, False), "statice": (14, 7.5, 14, 20, 13.5, 9, False),
    "cosmos": (45, 7.5, 15, 20, 13.5, 6, False),
}  # fmt: skip
LEGGY = ("weak_light", "lamp_too_far", "short_hours", "late_to_light", "too_warm", "covered_too_long", "crowded")
LEGGY_OFTEN = np.array([0.22, 0.24, 0.12, 0.14, 0.10, 0.06, 0.12])
FALLS = ("too_wet", "covered_too_long", "still_air", "unclean_mix", "watered_from_above", "cool_and_slow", "crowded")
OTHERS = (
    "hungry", "overfed", "too_much_light", "lamp_too_near", "cold_roots", "airless_mix", "thirsty", "overwatered", "root_bound",
    "sun_scald", "wind_burn", "chilled", "gnats", "aphids", "bolting",
)  # fmt: skip
#: What each of these shows: sign and its chance.
SHOWS: dict[str, dict[str, float]] = {
    "hungry": {"yellow_lower": 0.85, "pale_all": 0.35, "purple_under": 0.2, "stalled": 0.3},
    "overfed": {"brown_edges": 0.85, "stalled": 0.2, "cupped": 0.15},
    "too_much_light": {"cupped": 0.65, "pale_all": 0.5, "bleached": 0.3},
    "lamp_too_near": {"bleached": 0.55, "cupped": 0.65, "brown_edges": 0.2},
    "cold_roots": {"purple_under": 0.75, "stalled": 0.7},
    "airless_mix": {"yellow_lower": 0.5, "wilt_wet": 0.35, "stalled": 0.45, "purple_under": 0.3, "green_film": 0.4},
    "thirsty": {"wilt_dry": 0.92, "brown_edges": 0.2},
    "overwatered": {"wilt_wet": 0.8, "yellow_lower": 0.45, "green_film": 0.35, "tiny_flies": 0.2},
    "root_bound": {"roots_circling": 0.85, "stalled": 0.5, "wilt_dry": 0.3, "yellow_lower": 0.3},
    "sun_scald": {"bleached": 0.95}, "wind_burn": {"brown_edges": 0.65, "wilt_dry": 0.3, "bleached": 0.15},
    "chilled": {"wilt_wet": 0.3, "stalled": 0.5, "bleached": 0.25, "purple_under": 0.2},
    "gnats": {"tiny_flies": 0.97, "green_film": 0.3}, "aphids": {"sticky_insects": 0.97, "cupped": 0.2},
    "bolting": {"early_stalk": 0.97},
}  # fmt: skip


@dataclass
class Grown:
    """A journal, when to ask, and what is true of its batch b1: the complaint and its main cause (None: healthy)."""

    journal: dict[str, Any]
    at: datetime
    complaint: str | None
    cause: str | None
    ills: tuple[str, ...]
    first_fall: datetime | None = None
    calm: bool = False


@dataclass
class Life:
    """How one tray really stood, by day since it came up (before: the same as the first). Units in the names."""

    kind: str
    days: int
    cells: int
    per_cell: int
    ills: dict[str, float]
    mol: np.ndarray = field(default_factory=lambda: np.zeros(0))
    hours: float = 14.0
    ppfd_umol: float = 200.0
    height_mm: float = 250.0
    near_times: float = 1.2
    dark_d: float = 0.0
    warm_c: float = 18.0
    night_c: float = 15.0
    cover_d: float = 0.5
    wet_pct: float = 65.0
    above: bool = False
    fan_h: float = 6.0
    clean: bool = True
    fed_every_d: float = 9.0
    fed_mg: float = 50.0
    rich: bool = False
    cell_ml: float = 60.0
    outing: tuple[float, float] | None = None
    window: bool = False


def draw_grown(seed: int, what: str | None = None, noting: tuple[float, float] = KEEN) -> Grown:
    """One drawn tray. `what` leggy, damping_off, other or well; drawn when not given: three in ten are well."""
    rng = np.random.default_rng([seed, 211])
    what = what or str(rng.choice(["leggy", "damping_off", "other", "well"], p=[0.26, 0.20, 0.26, 0.28]))
    kind = str(rng.choice(sorted(KINDS)))
    keen = float(rng.uniform(*noting))
    n_days = int(rng.integers(9, 19)) if what != "other" else int(rng.integers(12, 40))
    life = Life(kind, n_days, int(rng.choice([12, 18, 24])), 1, {})
    ills: dict[str, float] = {}
    if what == "leggy":
        for name in rng.choice(len(LEGGY), size=2 if rng.random() < 0.2 else 1, replace=False, p=LEGGY_OFTEN):
            ills[LEGGY[int(name)]] = float(rng.uniform(0.25, 1.0))
    elif what == "damping_off":
        for name in rng.choice(FALLS, size=1 if rng.random() < 0.45 else 2, replace=False):
            ills[str(name)] = float(rng.uniform(0.3, 1.0))
    elif what == "other":
        ills[_other_for(kind, rng)] = float(rng.uniform(0.3, 1.0))
    life.ills = ills
    _settle(life, what, rng)
    if what == "damping_off":
        return _falling(seed, life, keen, rng)
    if what == "leggy" or what == "well":
        stretch, main = _stretch(life, rng)
        truth = main if what == "leggy" and stretch >= 1.45 else None
        complaint = "leggy" if truth else None
        if what == "leggy" and truth is None and stretch > 1.2:
            # Between: neither leggy nor well; drawn again with more of it.
            life.ills = {k: min(1.0, v + 0.5) for k, v in ills.items()}
            _settle(life, what, rng)
            stretch, main = _stretch(life, rng)
            truth, complaint = (main, "leggy") if stretch >= 1.45 else (None, None)
        calm = what == "well"
        return _write(seed, life, keen, rng, complaint, truth, stretch, calm)
    return _write(seed, life, keen, rng, "other", next(iter(ills)), 1.0 + 0.1 * float(rng.normal()), False)


def _other_for(kind: str, rng: np.random.Generator) -> str:
    allowed = [c for c in OTHERS if c != "bolting" or kind in ("pak_choi", "cosmos", "leek")]
    if not KINDS[kind][6]:
        allowed = [c for c in allowed if c != "chilled"]
    return str(rng.choice(allowed))


def _settle(life: Life, what: str, rng: np.random.Generator) -> None:
    """Conditions of the tray: as a careful person keeps it, but for what ails it."""
    _, aim, hours, warmest, coldest, _, _ = KINDS[life.kind]
    ills = life.ills
    life.hours = hours + float(rng.uniform(-0.8, 0.8))
    life.near_times = 1.0 + float(rng.uniform(0.0, 0.25))
    strength = float(rng.uniform(0.95, 1.25))
    life.warm_c = warmest - float(rng.uniform(1.5, 4.0))
    life.night_c = life.warm_c - float(rng.uniform(2, 4))
    life.cover_d = float(rng.uniform(0.0, 1.2))
    life.per_cell = int(rng.choice([1, 1, 2]))
    life.wet_pct = float(rng.uniform(58, 74))
    life.fan_h = float(rng.uniform(4, 12))
    life.rich = bool(rng.random() < 0.3)
    life.cell_ml = float(rng.choice([50, 60, 80, 100]))
    if "weak_light" in ills:
        strength *= 0.62 - 0.42 * ills["weak_light"]
        life.near_times = 1.0 + float(rng.uniform(0.0, 0.1))
    if "lamp_too_far" in ills:
        life.near_times = 1.7 + 2.3 * ills["lamp_too_far"]
        strength *= 1.05 / life.near_times
    if "short_hours" in ills:
        life.hours = hours * (0.58 - 0.28 * ills["short_hours"])
    if "late_to_light" in ills:
        life.dark_d = 2.5 + 5.0 * ills["late_to_light"]
    if "too_warm" in ills:
        life.warm_c = warmest + 3.5 + 4.5 * ills["too_warm"]
        life.night_c = life.warm_c - 1.0
    if "covered_too_long" in ills:
        life.cover_d = float(life.days) if what == "leggy" else 4.0 + 6.0 * ills["covered_too_long"]
    if "crowded" in ills:
        life.per_cell = round(4 + 4 * ills["crowded"])
    if "too_wet" in ills or "airless_mix" in ills or "overwatered" in ills:
        life.wet_pct = 93.0 + 8.0 * max(ills.values())
    if "gnats" in ills:
        life.wet_pct = 84.0 + 8.0 * ills["gnats"]
    if "thirsty" in ills:
        life.wet_pct = 36.0 - 14.0 * ills["thirsty"]
    if "still_air" in ills:
        life.fan_h = 0.0
    life.clean = "unclean_mix" not in ills
    life.above = "watered_from_above" in ills
    if "cool_and_slow" in ills:
        life.warm_c = coldest - 1.0 - 3.0 * ills["cool_and_slow"] if KINDS[life.kind][6] else 8.5 - 2.0 * ills["cool_and_slow"]
        life.night_c = life.warm_c - 1.5
    if "cold_roots" in ills:
        life.warm_c = coldest - 2.0 - 3.0 * ills["cold_roots"]
        life.night_c = life.warm_c - 2.0
    if "chilled" in ills:
        life.night_c = 4.0 - 3.0 * ills["chilled"] + (3.0 if KINDS[life.kind][6] else 0.0)
    if "hungry" in ills:
        life.days, life.fed_every_d, life.rich = int(rng.integers(26, 45)), 999.0, False
    if "overfed" in ills:
        life.fed_mg = 220.0 + 500.0 * ills["overfed"]
    if "root_bound" in ills:
        life.cell_ml, life.days = float(rng.choice([15, 20, 30])), int(rng.integers(34, 50))
    if "too_much_light" in ills:
        strength *= 1.9 + 1.0 * ills["too_much_light"]
    if "lamp_too_near" in ills:
        life.near_times = 0.55
        strength *= 1.25
    if "sun_scald" in ills or "wind_burn" in ills:
        life.outing = (3.0 + 3.0 * max(ills.values()), 0.0 if "sun_scald" in ills else 0.8)
    if "bolting" in ills:
        life.hours = 17.0 if life.kind != "cosmos" else 10.0
    life.ppfd_umol = aim * strength / (0.0036 * hours)
    lit = np.where(np.arange(life.days) < life.dark_d, 0.0, 1.0)
    life.mol = 0.0036 * life.ppfd_umol * life.hours * lit
    # An extended source, as this simulator's other lamps: so far off that it is so many times dimmer than at 50 mm.
    soft = 110.0
    gap = float(np.sqrt(max(20.0**2, life.near_times * (50.0**2 + soft**2) - soft**2)))
    life.height_mm = 60 + 25 + gap


# -- stems --------------------------------------------------------------------------------------------------------------------


def _height(life: Life, mended: frozenset[str], gains: np.ndarray) -> float:
    """Height after all days, mm at the kind's own scale, with some ills mended."""
    base, aim, hours, warmest, _, _, _ = KINDS[life.kind]
    near = life.near_times if "lamp_too_far" not in mended else min(life.near_times, 1.05)
    ppfd = life.ppfd_umol * life.near_times / near
    need = aim / (0.0036 * hours)
    if "weak_light" in mended and "weak_light" in life.ills:
        ppfd = max(ppfd, need)
    lit_h = hours if "short_hours" in mended else life.hours
    dark = 0.0 if "late_to_light" in mended else life.dark_d
    warm = min(life.warm_c, warmest - 1.0) if "too_warm" in mended else life.warm_c
    cover = min(life.cover_d, 0.5) if "covered_too_long" in mended else life.cover_d
    company = 1.5 if "crowded" in mended else float(life.per_cell)
    height, age, step = 0.0, 0.0, 0.25
    for i in range(int(life.days / step)):
        day = i * step
        mol = 0.1 if day < dark else 0.0036 * ppfd * lit_h
        pale = np.exp(-1.9 * (mol / aim) ** 1.5)
        long = (1 + 2.2 * gains[0] * pale) / (1 + 2.2 * gains[0] * 0.15)
        hot = 1.125 ** (gains[1] * max(0.0, warm - warmest))
        damp = 1 + 0.36 * gains[2] * (day < cover)
        shade = 1 + 0.9 * gains[3] / (1 + np.exp(-(company * min(age, 14) - 34) / 9))
        pace = 1.0 if "too_warm" in mended else 1.06 ** np.clip(warm - (warmest - 2.5), -4, 4)
        grown = 1 / (1 + np.exp(-(age + step * pace - 13) / 4.2)) - 1 / (1 + np.exp(-(age - 13) / 4.2))
        first = 0.28 * (np.exp(-age / 2.0) - np.exp(-(age + step * pace) / 2.0))
        height += (grown * 1.45 + first) * long * hot * damp * shade
        age += step * pace
    return float(base * height / (1.45 * (1 / (1 + np.exp(1 / 4.2)) - 1 / (1 + np.exp(13 / 4.2))) + 0.28 * (1 - np.exp(-6.0))))


def _stretch(life: Life, rng: np.random.Generator) -> tuple[float, str | None]:
    """How many times taller than the same seedlings kept well, and the ill without which they would be shortest."""
    state = np.random.default_rng([int(life.days), len(life.ills), 5])
    gains = np.exp(0.2 * state.standard_normal(4))
    full = _height(life, frozenset(), gains)
    well = _height(life, frozenset(LEGGY), gains)
    if not life.ills:
        return full / well, None
    main = max(life.ills, key=lambda c: full / _height(life, frozenset({c}), gains))
    return full / well, main


# -- falling ------------------------------------------------------------------------------------------------------------------


def _outbreak(life: Life, mended: frozenset[str], luck: np.ndarray, sown_d: float) -> np.ndarray:
    """Day (from sowing) on which each seedling falls; infinite for those that stand. A population on the surface grows while it
    is wet and unventilated, and dies back as it dries; a seedling falls when what it has met passes its own luck."""
    warm = life.warm_c if "cool_and_slow" not in mended else KINDS[life.kind][3] - 2.0
    wet = 66.0 if "too_wet" in mended and "too_wet" in life.ills else life.wet_pct
    fan = 8.0 if "still_air" in mended else life.fan_h
    above = life.above and "watered_from_above" not in mended
    cover = 0.5 if "covered_too_long" in mended else life.cover_d
    germs = 0.02 if life.clean or "unclean_mix" in mended else 0.16
    company = 2.0 if "crowded" in mended else float(life.per_cell)
    grows = 0.75 * np.exp(-(((warm - 24.0) / 12.0) ** 2))
    hardens = 0.11 * 1.9 ** ((warm - (KINDS[life.kind][3] - 2.0)) / 5.0)
    fall = np.full(len(luck), np.inf)
    met, day, step = 0.0, 0.0, 0.25
    while day < sown_d + life.days:
        after = day - sown_d
        damp = 1 / (1 + np.exp(-(wet - 88.0) / 3.5)) + (0.5 if above else 0.0) + (0.55 if after < cover else 0.0)
        damp += 0.45 * np.exp(-fan / 2.5)
        germs = min(1.0, germs * np.exp(step * (grows * min(damp, 1.6) - 0.34 - 0.10 * (damp < 0.4))))
        soft = 1.0 if after < 0 else np.exp(-max(hardens, 0.03) * after)
        if after >= 0:
            met += step * germs * soft * (0.5 + 0.25 * company) * 0.9
            fall = np.where((fall == np.inf) & (met > luck), day, fall)
        day += step
    return fall


def _falling(seed: int, life: Life, keen: float, rng: np.random.Generator) -> Grown:
    n = life.cells
    sown_d = KINDS[life.kind][5] * (1.6 if "cool_and_slow" in life.ills else 1.0)
    luck = rng.exponential(0.9, n) + 0.12
    for _ in range(6):
        fall = _outbreak(life, frozenset(), luck, sown_d)
        if np.isfinite(fall).sum() >= 2:
            break
        # Mild ones never broke out: a worse draw of the same ills.
        life.ills = {k: min(1.0, v + 0.25) for k, v in life.ills.items()}
        _more(life, rng)
        luck = luck * 0.8
    first = float(fall.min())
    if not np.isfinite(first):
        return _write(seed, life, keen, rng, None, None, 1.0, False)
    felled = np.isfinite(fall).sum()
    main = min(life.ills, key=lambda c: (int(np.isfinite(_outbreak(life, frozenset({c}), luck, sown_d)).sum()),
                                         -float(_outbreak(life, frozenset({c}), luck, sown_d).min())))  # fmt: skip
    seen = int(np.ceil(first - sown_d + float(rng.uniform(0.6, 2.0))))
    life.days = max(3, min(life.days, seen + 1))
    found = _write(seed, life, keen, rng, "damping_off", main, 1.0, False, fall, sown_d, int(felled))
    found.first_fall = START + first * DAY
    return found


def _more(life: Life, rng: np.random.Generator) -> None:
    """One more thing goes wrong, as it does where a tray falls."""
    state = rng.bit_generator.state
    if len(life.ills) < 3:
        life.ills.setdefault(str(rng.choice(FALLS)), float(rng.uniform(0.4, 1.0)))
    rng.bit_generator.state = state
    days = life.days
    _settle(life, "damping_off", rng)
    life.days = days


# -- what is written ----------------------------------------------------------------------------------------------------------


def _write(
    seed: int, life: Life, keen: float, rng: np.random.Generator, complaint: str | None, cause: str | None, stretch: float,
    calm: bool, fall: np.ndarray | None = None, sown_d: float | None = None, felled: int = 0,
) -> Grown:  # fmt: skip
    """What the person of this tray put on record."""
    rng = np.random.default_rng([seed, 223])
    base, *_, up_d, _ = KINDS[life.kind]
    up_d = sown_d if sown_d is not None else up_d
    end = START + (up_d + life.days) * DAY
    columns = 6
    cells = [f"r{i // columns + 1}c{i % columns + 1}" for i in range(life.cells)]
    events: list[dict[str, Any]] = []
    readings: list[dict[str, Any]] = []

    def at(day: float) -> str:
        return (START + day * DAY).isoformat(timespec="seconds")

    def read(day: float, quantity: str, value: float, unit: str, **more: Any) -> None:
        readings.append({"at": at(day), "place": "T", "quantity": quantity, "value": round(value, 1), "unit": unit, **more})

    batch: dict[str, Any] = {"id": "b1", "tray": "T", "cell_list": cells, "crop": life.kind, "sown_at": at(0), "variety": "drawn"}
    if rng.random() < keen or life.per_cell > 2:
        batch["seeds_per_cell"] = life.per_cell
    mix: dict[str, Any] = {"kind": "seed_mix"}
    if rng.random() < keen:
        mix["fed"] = life.rich
    if rng.random() < keen:
        mix["clean"] = life.clean
        if not life.clean and rng.random() < 0.5:
            mix["kind"] = "garden_soil"
    batch["mix"] = mix
    events.append({"at": at(-0.01), "kind": "placed", "tray": "T", "place": "bench"})
    lamp = {"id": "lamp", "place": "bench", "kind": "white_led", "watts": 36, "min_distance_mm": 50}
    off_min = 6 * 60 + round(life.hours * 60)
    hung: dict[str, Any] = {"at": at(-0.01), "kind": "lamp", "lamp": "lamp"}
    if rng.random() < keen or "lamp_too_far" in life.ills or "lamp_too_near" in life.ills:
        hung["height_mm"] = round(life.height_mm)
    lit = {"on": "06:00", "off": f"{off_min // 60:02}:{off_min % 60:02}"}
    if life.dark_d:
        events.append({**hung, "on": False})
        events.append({"at": at(up_d + life.dark_d), "kind": "lamp", "lamp": "lamp", **lit})
    else:
        events.append({**hung, **lit})
    events.append({"at": at(0.01), "kind": "cover", "tray": "T", "on": True})
    if life.cover_d < life.days and (rng.random() < keen or life.cover_d > 2):
        events.append({"at": at(up_d + life.cover_d), "kind": "cover", "tray": "T", "on": False})
    up = max(1, round(life.cells * float(rng.uniform(0.8, 1.0))))
    for share, day in ((0.3, 0.0), (0.8, 0.9), (1.0, 2.0)):
        if day < life.days:
            events.append({"at": at(up_d + day), "kind": "count", "batch": "b1", "cells_up": max(1, round(up * share))})
    if rng.random() < keen:
        for day in (2.0, 6.0):
            if life.dark_d + day < life.days:
                noise = float(np.exp(rng.normal(0, 0.06)))
                read(up_d + life.dark_d + day, "light", life.ppfd_umol * noise, "umol/m2/s", under="lamp")
    if rng.random() < keen:
        for day in np.arange(0.4, up_d + life.days, 0.5):
            night = round(day * 2) % 2 == 1
            warm = life.warm_c if day > up_d else (KINDS[life.kind][3] if "cool_and_slow" not in life.ills else life.warm_c)
            if "chilled" in life.ills and day < up_d + life.days - 3:
                night = False
            read(
                float(day),
                "soil_temperature",
                (life.night_c if night and day > up_d else warm) + float(rng.normal(0, 0.5)),
                "degC",
            )
    _water(life, up_d, rng, keen, read, events, at)
    fans = []
    if rng.random() < keen:
        fans = [{"id": "fan", "place": "bench" if life.fan_h > 0 else "elsewhere", "watts": 5}]
        if life.fan_h > 0:
            events.append({"at": at(-0.01), "kind": "fan", "fan": "fan", "hours_per_day": round(life.fan_h, 1)})
    if life.fed_every_d < 100 and life.days > 8:
        for day in np.arange(8.0, life.days - 1, life.fed_every_d):
            strong = life.fed_mg if day > life.days - 12 else min(life.fed_mg, 60.0)
            events.append({"at": at(up_d + float(day)), "kind": "fed", "tray": "T", "feed": "feed", "n_mg_per_l": round(strong)})
    if life.outing is not None:
        for back in (1.3, 2.3):
            hours_out, shade = life.outing
            events.append({"at": at(up_d + life.days - back), "kind": "outing", "batch": "b1", "hours": round(hours_out, 1),
                           "shade_share": shade})  # fmt: skip
    variety = float(np.exp(rng.normal(0, 0.13)))
    _heights(life, base, stretch * variety, up_d, rng, keen, events, at)
    _signs(life, complaint, cause, stretch, up_d, rng, keen, events, at, cells, fall, felled)
    places: list[dict[str, Any]] = [
        {"id": "bench", "room": "room", "kind": "shelf"},
        {"id": "elsewhere", "room": "room", "kind": "shelf"},
    ]
    journal = {
        "format": "fennet-journal", "version": 1, "garden": {"name": f"Grown tray {seed}", "timezone": "UTC"},
        "rooms": [{"id": "room"}], "places": places, "lamps": [lamp], "fans": fans,
        "trays": [{"id": "T", "kind": "cells", "rows": -(-life.cells // columns), "columns": columns, "cell_ml": life.cell_ml,
                   "height_mm": 60}],
        "batches": [batch], "readings": readings, "events": sorted(events, key=lambda e: str(e["at"])),
    }  # fmt: skip
    return Grown(journal, end, complaint, cause, tuple(life.ills), None, calm)


def _water(
    life: Life, up_d: float, rng: np.random.Generator, keen: float, read: Any, events: list[dict[str, Any]], at: Any
) -> None:  # fmt: skip
    notes_water, notes_feel = rng.random() < keen, rng.random() < keen
    if "thirsty" in life.ills:
        every = 6.0
    else:
        every = 1.2 if life.wet_pct > 88 else 3.0
    how = "above" if life.above else "below"
    for day in np.arange(1.0, up_d + life.days - 0.5, every):
        if notes_water and not ("thirsty" in life.ills and day > up_d + life.days - 7):
            events.append({"at": at(float(day)), "kind": "watered", "tray": "T", "how": how, "ml": 200})
    if notes_feel:
        last_dry = "thirsty" in life.ills
        for day in np.arange(0.8, up_d + life.days, 1.0):
            wet = life.wet_pct if not last_dry or day > up_d + life.days - 5 else 60.0
            read(float(day), "moisture", max(8.0, wet + float(rng.normal(0, 5))), "percent")


def _heights(
    life: Life, base: float, stretch: float, up_d: float, rng: np.random.Generator, keen: float,
    events: list[dict[str, Any]], at: Any,
) -> None:  # fmt: skip
    """Heights by ruler now and then: this simulator's own curve of a sturdy plant, times the stretch so far."""
    if rng.random() > keen:
        return
    pace = 1.06 ** float(np.clip(life.warm_c - (KINDS[life.kind][3] - 2.5), -4, 4))
    for day in (5.0, 8.5, life.days - 0.3):
        if day > life.days:
            continue
        age = day * pace
        shape = 1.45 / (1 + np.exp(-(age - 13) / 4.2)) - 1.45 / (1 + np.exp(13 / 4.2)) + 0.28 * (1 - np.exp(-age / 2.0))
        unit = 1.45 / (1 + np.exp(1 / 4.2)) - 1.45 / (1 + np.exp(13 / 4.2)) + 0.28 * (1 - np.exp(-6.0))
        mm = base * shape / unit * stretch * float(np.exp(rng.normal(0, 0.06)))
        events.append(
            {"at": at(up_d + day), "kind": "height", "batch": "b1", "mm": max(2, round(mm)), "true_leaves": int(day // 8)}
        )


def _signs(
    life: Life, complaint: str | None, cause: str | None, stretch: float, up_d: float, rng: np.random.Generator, keen: float,
    events: list[dict[str, Any]], at: Any, cells: list[str], fall: np.ndarray | None, felled: int,
) -> None:  # fmt: skip
    late = up_d + life.days - 0.1
    if complaint == "leggy" and stretch >= 1.35 and rng.random() < 0.7 * keen:
        events.append({"at": at(late), "kind": "sign", "batch": "b1", "sign": "long_thin"})
    if complaint == "damping_off" and fall is not None:
        down = [c for c, f in zip(cells, fall, strict=True) if f <= late + 0.05]
        sign: dict[str, Any] = {"at": at(late), "kind": "sign", "batch": "b1", "sign": "fallen_pinched_base"}
        if rng.random() < 0.3 and len(down) > 3:
            sign["sign"] = "patch_down"
        if down and rng.random() < 0.5:
            sign["cell_list"] = down
        events.append(sign)
        for what, outcome, other, asked in (
            ("air_moves", "still", "moves", life.fan_h < 1), ("mix_from", "used_or_garden", "new_bag", not life.clean),
            ("cover_stayed", "stayed_on", "came_off", life.cover_d > 2),
        ):  # fmt: skip
            if rng.random() < 0.45 * keen:
                events.append(
                    {"at": at(late), "kind": "check", "batch": "b1", "what": what, "result": outcome if asked else other}
                )
        if "too_wet" in life.ills and rng.random() < 0.6:
            events.append({"at": at(late), "kind": "sign", "tray": "T", "sign": "green_film"})
    if complaint == "other" and cause is not None:
        shown = [s for s, p in SHOWS[cause].items() if rng.random() < p] or [next(iter(SHOWS[cause]))]
        for s in shown:
            events.append({"at": at(late), "kind": "sign", "batch": "b1", "sign": s})
        if rng.random() < 0.6 * keen:
            _one_look(life, cause, rng, events, at(late))
    if complaint is None and rng.random() < 0.06:
        events.append({"at": at(late), "kind": "sign", "tray": "T", "sign": str(rng.choice(["green_film", "white_fluff"]))})


def _one_look(life: Life, cause: str, rng: np.random.Generator, events: list[dict[str, Any]], when: str) -> None:
    """One question answered, as a person who was asked would."""
    looks = {
        "hungry": ("was_fed", "never"), "overfed": ("new_leaves", "marked"), "too_much_light": ("new_leaves", "pale_too"),
        "lamp_too_near": ("under_lamp", "near"), "cold_roots": ("soil_now", "cold"), "airless_mix": ("roots", "brown_soft"),
        "overwatered": ("roots", "brown_soft"), "thirsty": ("mix_feel", "dust_dry"), "root_bound": ("roots", "circling"),
        "sun_scald": ("went_out", "in_sun"), "wind_burn": ("went_out", "in_wind"), "chilled": ("went_out", "in_cold"),
        "gnats": ("mix_feel", "dark"), "aphids": ("leaf_backs", "insects"),
    }  # fmt: skip
    if cause in looks and rng.random() < 0.85:
        what, result = looks[cause]
        events.append({"at": when, "kind": "check", "batch": "b1", "what": what, "result": result})
