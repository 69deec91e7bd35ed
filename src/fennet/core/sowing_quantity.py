"""How many seeds in how many cells, for the plants wanted at the confidence asked."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from scipy.special import bdtrc, betaincinv

from fennet.core.records import FloatArray
from fennet.core.seed import SeedState
from fennet.core.working import Input, Interval, Working

#: Seedlings that live to the next stage. Source: starting_estimate.
SURVIVAL = 0.92
#: Confidence where none is asked. Source: growers_rule.
CONFIDENCE = 0.9
#: Sound seed sown one in a cell says how many trays a want is worth. Source: growers_rule.
SOUND_RATE = 0.9
#: More seeds than this in a cell crowd each other before they can be thinned. Source: growers_rule.
MOST_IN_A_CELL = 5
#: Seeds of a crowd in one cell, of the 5 to 15 that growers give. Source: growers_rule.
CROWD_IN_A_CELL = 10
#: Seedlings of a crowd that live through being pricked apart. Source: starting_estimate.
PRICKED_SURVIVAL = 0.9
#: Points at which what is uncertain about the rate is summed.
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(96)


@dataclass(frozen=True)
class HowMuch:
    """A sowing's size. `cells` are sown cells (in a towel: cells that live seed will fill); `chance_enough` the chance of at
    least `wanted` plants; `to_thin` seedlings over one in a cell, at the middle; `plants` the 80 % range of plants."""

    wanted: int
    set_up: str
    seeds: int
    cells: int
    seeds_per_cell: int
    chance_enough: float
    to_thin: float
    plants: Interval[float]
    reaches: bool
    limit: str
    working: Working


def rates(a: float, b: float) -> tuple[FloatArray, FloatArray]:
    """Shares alive and their weights that stand for Beta(a, b): sums over them are expectations.

    Range: a, b > 0. Source: arithmetic.

    >>> g, w = rates(17.0, 3.0)
    >>> round(float((g * w).sum()), 3)
    0.85
    """
    u = (_NODES + 1) / 2
    return np.asarray(betaincinv(a, b, u)), _WEIGHTS / 2


def chance_of(plants: int, cells: int, seeds_per_cell: int, a: float, b: float, survival: float = SURVIVAL) -> float:
    """Chance of at least so many plants from so many cells with so many seeds each, the rate uncertain as Beta(a, b).

    A cell fills if one of its seeds lives; a filled cell gives a plant with `survival`. Range: counts ≥ 0, survival in (0, 1].
    Source: arithmetic.

    >>> round(chance_of(10, 12, 1, 1e9, 1e-3, 1.0), 3), chance_of(0, 0, 1, 17, 3)
    (1.0, 1.0)
    """
    if plants <= 0:
        return 1.0
    if plants > cells:
        return 0.0
    g, w = rates(a, b)
    return _tail(plants, cells, seeds_per_cell, g, w, survival)


def _tail(plants: int, cells: int, n: int, g: FloatArray, w: FloatArray, survival: float) -> float:
    if plants > cells:
        return 0.0
    filled = survival * (1.0 - (1.0 - g) ** n)
    return float((bdtrc(plants - 1, cells, filled) * w).sum())


def _least(plants: int, n: int, most: int, confidence: float, g: FloatArray, w: FloatArray, survival: float) -> int | None:
    """Fewest cells that reach the confidence with n seeds each, None where `most` do not."""
    if most < plants or _tail(plants, most, n, g, w, survival) < confidence:
        return None
    low, high = plants, most
    while low < high:
        middle = (low + high) // 2
        if _tail(plants, middle, n, g, w, survival) >= confidence:
            high = middle
        else:
            low = middle + 1
    return low


def how_much(
    wanted: int,
    seed: SeedState,
    *,
    arrives: float = 1.0,
    confidence: float = CONFIDENCE,
    survival: float = SURVIVAL,
    survival_source: str = "starting_estimate",
    school: str = "odds",
    set_up: str = "in_mix",
    tray_cells: int = 24,
    most_cells: int | None = None,
    packet: int | None = None,
) -> HowMuch:
    """The cheapest sowing, in seed and then in cells, with a chance of at least `wanted` plants of `confidence`.

    `arrives`: share of live seed that comes up at the planned soil and depth. By the odds, the least seed is
    taken that does it in the whole trays of `tray_cells` that sound seed would need, one in a cell; weaker seed goes up to 5
    in a cell before it takes another tray. `most_cells`, `packet`: what there
    is at most. Where it cannot be done, the best that can is returned with `reaches` False and `limit` saying what
    is short: packet, places, or dead (seed too weak for any sensible number of cells).
    Range: wanted 1–100,000; confidence in (0, 1). Raises ValueError outside it. Source: ellis_roberts_1980 for the seed,
    starting_estimate for survival, or what was learned here.

    >>> from fennet.core.working import Working
    >>> sound = SeedState(17.0, 3.0, 1.0, Working("seed alive", (), "", (), ""))
    >>> much = how_much(20, sound, tray_cells=24)
    >>> much.cells, much.seeds_per_cell, much.reaches, round(much.chance_enough, 2)
    (31, 1, True, 0.92)
    """
    if wanted < 1 or wanted > 100_000 or not 0 < confidence < 1 or tray_cells < 1:
        raise ValueError(f"wanted {wanted}, confidence {confidence}, tray of {tray_cells}: out of range")
    return _solved(
        wanted, seed.a, seed.b, arrives, confidence, survival, survival_source, school, set_up, tray_cells, most_cells, packet
    )


@lru_cache(maxsize=2048)
def _solved(
    wanted: int, a: float, b: float, arrives: float, confidence: float, survival: float, survival_source: str, school: str,
    set_up: str, tray_cells: int, most_cells: int | None, packet: int | None,
) -> HowMuch:  # fmt: skip
    """The answer, kept: a plan that is tried again and again asks the same for every sowing but one."""
    g, w = rates(a, b)
    g = g * arrives
    ask = _Ask(wanted, confidence, survival, survival_source, most_cells, packet, g, w, a / (a + b), arrives)
    if packet == 0:
        return _told(ask, "packet", "in_mix" if set_up == "crowd" else set_up, 0, 0, 1)
    if set_up in ("towel", "crowd"):
        return _loose(ask, set_up)
    choices = {"one": [1], "two_always": [2]}.get(school, list(range(1, MOST_IN_A_CELL + 1)))
    ceiling = min(most_cells or 10**6, math.ceil(6 * wanted / tray_cells) * tray_cells)
    sound = np.full(1, SOUND_RATE * arrives)
    alone = _least(wanted, 1, 20 * wanted + 20, confidence, sound, np.ones(1), survival) or wanted
    trays = math.ceil(alone / tray_cells) - 1
    while trays * tray_cells < ceiling:
        # By tens of trays the search would crawl: from there on the step grows with what is held already.
        trays += max(1, trays // 12)
        places = min(trays * tray_cells, ceiling)
        found = []
        for n in choices:
            most = places if packet is None else min(places, packet // n)
            cells = _least(wanted, n, most, confidence, g, w, survival)
            if cells is not None:
                found.append((cells * n, cells, n))
        if found:
            seeds, cells, n = min(found)
            return _told(ask, "", set_up, seeds, cells, n)
        if packet is not None and places >= packet:
            break
    return _best(ask, set_up, choices, ceiling)


@dataclass(frozen=True)
class _Ask:
    wanted: int
    confidence: float
    survival: float
    survival_source: str
    most_cells: int | None
    packet: int | None
    g: FloatArray
    w: FloatArray
    rate: float
    arrives: float


def _best(ask: _Ask, set_up: str, choices: list[int], ceiling: int) -> HowMuch:
    """The nearest that seed and places allow."""
    tried = []
    for n in choices:
        cells = ceiling if ask.packet is None else min(ceiling, max(1, ask.packet // n))
        if ask.packet is not None and cells * n > ask.packet:
            continue
        tried.append((_tail(ask.wanted, cells, n, ask.g, ask.w, ask.survival), -cells * n, cells, n))
    if not tried:
        tried = [(0.0, 0, 1, 1)]
    # Where nothing has any chance of enough, what gives the most plants is best.
    best = max(tried) if max(tried)[0] > 1e-6 else max(tried, key=lambda x: _mean_plants(ask, x[2], x[3]))
    _, _, cells, n = best
    short = "packet" if ask.packet is not None and (ask.most_cells is None or ask.packet < ask.most_cells * n) else "places"
    if float((ask.g * ask.w).sum()) < 0.02 or (short == "places" and ask.most_cells is None):
        short = "dead"
    return _told(ask, short, set_up, cells * n, cells, n)


def _mean_plants(ask: _Ask, cells: int, n: int) -> float:
    return float((cells * ask.survival * (1 - (1 - ask.g) ** n) * ask.w).sum())


def _loose(ask: _Ask, set_up: str) -> HowMuch:
    """Towel and crowd: seed by the number, cells only for what lives (towel) or for the crowd."""
    survival = ask.survival * (PRICKED_SURVIVAL if set_up == "crowd" else 1.0)
    ask = replace(ask, survival=survival)
    ceiling = ask.packet if ask.packet is not None else 20 * ask.wanted + 20
    seeds = _least(ask.wanted, 1, ceiling, ask.confidence, ask.g, ask.w, survival)
    limit = ""
    if seeds is None:
        seeds, limit = ceiling, "packet" if ask.packet is not None else "dead"
    n = 1 if set_up == "towel" else min(CROWD_IN_A_CELL, max(1, seeds))
    if set_up == "crowd":
        return _told(ask, limit, set_up, seeds, math.ceil(seeds / n), n)
    # Cells for as many as will probably live, but no more than the plants wanted need with what is lost later.
    enough = math.ceil(ask.wanted / survival + 1.3 * math.sqrt(ask.wanted * (1 - survival)) / survival)
    live = float((seeds * ask.g * ask.w).sum())
    return _told(ask, limit, set_up, seeds, max(1, min(enough, math.ceil(live), seeds)), 1)


def _told(ask: _Ask, limit: str, set_up: str, seeds: int, cells: int, n: int) -> HowMuch:
    loose = set_up in ("towel", "crowd")
    trials, per = (seeds, 1) if loose else (cells, n)
    chance = 1.0 if ask.wanted <= 0 else _tail(ask.wanted, trials, per, ask.g, ask.w, ask.survival) if trials else 0.0
    filled = 1 - (1 - ask.g) ** n
    extra = 0.0 if loose else max(0.0, float((cells * (n * ask.g - filled) * ask.w).sum()))
    working = Working(
        "seed to sow",
        (
            Input("plants wanted, spares included", ask.wanted, "plants"),
            Input("confidence asked", ask.confidence, "share", "growers_rule"),
            Input("seed alive, middle", round(ask.rate, 3), "share", "ellis_roberts_1980"),
            Input("comes up at the planned soil and depth", round(ask.arrives, 3), "share"),
            Input(
                "lives to be planted",
                round(ask.survival, 3),
                "share",
                ask.survival_source,
                ask.survival_source == "starting_estimate",
            ),
            Input("seeds in a cell", n, "seeds"),
            Input("cells", cells, "cells"),
            Input("seed in the packet", ask.packet, "seeds") if ask.packet is not None else Input("packet", "not counted"),
        ),
        "a cell fills with 1 − (1 − rate) to the power of its seeds; plants are counted over the filled cells that live, "
        "averaged over what is uncertain about the rate; the least seed, then the fewest cells, "
        "in the trays that sound seed would need",
        ("ellis_roberts_1980", "starting_estimate", "arithmetic"),
        "up to five seeds a cell, seeds that fail alone and not in patches",
        value=round(chance, 3),
        unit="chance of enough",
    )
    return HowMuch(
        ask.wanted, set_up, seeds, cells, n, chance, extra, _plants(ask, trials, per), not limit, limit, working
    )  # fmt: skip


def _plants(ask: _Ask, trials: int, n: int) -> Interval[float]:
    """The 80 % range of plants."""
    if trials == 0:
        return Interval(0.0, 0.0, 0.0)
    filled = ask.survival * (1 - (1 - ask.g) ** n)
    at = _quantile_grid(trials)
    above = (bdtrc(at[:, None] - 1, trials, filled[None, :]) * ask.w).sum(axis=1)
    above[at == 0] = 1.0
    low, mid, high = (float(at[np.nonzero(above >= p)[0][-1]]) for p in (0.9, 0.5, 0.1))
    return Interval(low, mid, high)


@lru_cache
def _quantile_grid(trials: int) -> FloatArray:
    return np.unique(np.round(np.linspace(0, trials, min(trials, 400) + 1)))
