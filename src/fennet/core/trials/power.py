"""How many cells a trial needs to show a difference that matters, found by drawing trials."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fennet.core.trials.ranks import LEVEL, quick_chance
from fennet.core.working import Input, Working

#: Found so often, a difference of the asked size. Source: convention.
POWER = 0.80
#: Cells of each group that are tried, and drawn trials for each.
TRIED, DRAWN = (4, 6, 8, 10, 12, 15, 18, 21, 24, 30, 36, 42, 48, 60, 72, 90, 108, 144, 192, 240), 800
#: Cells are looked at once a day. Source: growers_rule.
LOOK_EVERY_D = 1.0


@dataclass(frozen=True)
class Needed:
    """How many cells each group needs (None: more than any that was tried), the power at that, the power at `planned` cells where
    some are planned, and the working."""

    cells: int | None
    power: float
    planned: float | None
    working: Working


def cells_needed(measure: str, see: float, usual: float, spread: float, share: float, planned: int | None = None) -> Needed:
    """Cells of each group so that a difference of `see` is found in four of five trials, side by side in one tray.

    `measure` emergence: groups `usual` days and `usual + see` days to half up, waits spread by `spread` (ln d), a `share` of
    cells comes at all. Any other: shares of `share` and `share − see` (or `share + see` where that leaves no room). Raises
    ValueError for a difference that cannot be. Source: arithmetic, by drawing.

    >>> few, many = (cells_needed("emergence", d, 8.0, 0.22, 0.9).cells for d in (3.0, 1.0))
    >>> few < many
    True
    """
    if see <= 0 or (measure != "emergence" and not see < max(share, 1.0 - share)):
        room = max(share, 1.0 - share)
        raise ValueError(f"a difference of {see:g} cannot be seen; accepted: above 0, and for shares under {room:g}")
    sizes = sorted({*TRIED, *([planned] if planned else [])})
    power = {}
    found: int | None = None
    for n in sizes:
        if found is not None and n != planned:
            continue
        power[n] = _power(measure, see, usual, spread, share, n)
        if found is None and power[n] >= POWER:
            found = n
    at = found if found is not None else sizes[-1]
    working = Working(
        "cells for the trial",
        (
            Input("difference that matters", see, "d" if measure == "emergence" else "share"),
            Input("usual", round(usual if measure == "emergence" else share, 2), "d" if measure == "emergence" else "share"),
            Input("spread of waits", round(spread, 2), "ln d"), Input("comes at all", round(share, 2), "share"),
            Input("trials drawn for each size", DRAWN, ""),
        ),
        "trials are drawn with such a difference, looked at daily and put to the test that will be used; "
        "the fewest cells with which four in five show it",
        ("arithmetic",), "groups side by side in the same tray, placed by lot", float(at), "cells of each group",
    )  # fmt: skip
    return Needed(found, power.get(at, 0.0), power.get(planned) if planned else None, working)


@lru_cache(maxsize=512)
def _power(measure: str, see: float, usual: float, spread: float, share: float, n: int) -> float:
    rng = np.random.default_rng([7, n])
    if measure == "emergence":
        # Only what comes tells when it came.
        n = max(2, round(n * share))
    second = np.arange(2 * n) >= n
    if measure == "emergence":
        days = np.where(second, usual + see, usual) * np.exp(rng.normal(0.0, spread, (DRAWN, 2 * n)))
        value = np.ceil(days / LOOK_EVERY_D) * LOOK_EVERY_D
    else:
        other = share - see if share - see > 0 else share + see
        value = -(rng.random((DRAWN, 2 * n)) < np.where(second, other, share)).astype(float)
    return float((quick_chance(value, second) <= LEVEL).mean())
