"""Simulated seedlings from the day they come up: long thin ones, ones that fall, leaves that do not look right, and healthy ones.

Each is a journal with its truth. How conditions act is this simulator's own: stems lengthen by an exponential of the light that
is missing, disease is a population that grows on a wet surface and dies on a dry one, leaves show their signs by chance.
"""

from __future__ import annotations

import numpy as np

from fennet.simulated_room.grown_life import DAY, FALLS, KINDS, LEGGY, LEGGY_OFTEN, OTHERS, START, Grown, Life
from fennet.simulated_room.grown_notes import write_down

#: How much of what they could note people do note, from and to.
KEEN = (0.75, 1.0)


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
        return write_down(seed, life, keen, rng, complaint, truth, stretch, calm)
    return write_down(seed, life, keen, rng, "other", next(iter(ills)), 1.0 + 0.1 * float(rng.normal()), False)


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
        return write_down(seed, life, keen, rng, None, None, 1.0, False)
    felled = np.isfinite(fall).sum()
    main = min(life.ills, key=lambda c: (int(np.isfinite(_outbreak(life, frozenset({c}), luck, sown_d)).sum()),
                                         -float(_outbreak(life, frozenset({c}), luck, sown_d).min())))  # fmt: skip
    seen = int(np.ceil(first - sown_d + float(rng.uniform(0.6, 2.0))))
    life.days = max(3, min(life.days, seen + 1))
    found = write_down(seed, life, keen, rng, "damping_off", main, 1.0, False, fall, sown_d, int(felled))
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
