"""What the cells of a tray say by where they lie: even, or bare at the rim, in a corner, in a patch."""

from __future__ import annotations

import re
from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray
from scipy.stats import hypergeom

#: A pattern counts when so few arrangements in a hundred would show it by chance. Source: growers_rule.
BY_CHANCE = 0.05
LEAST_CELLS, N_SHUFFLES = 8, 400
CELL = re.compile(r"r(\d+)c(\d+)")


def bare_pattern(sown: Collection[str], up: Collection[str]) -> str | None:
    """How the bare cells lie among those sown: even, bare_rim, bare_corner or bare_patch; None where too little is known.

    `sown` and `up` are cell names (r1c1…). At least eight cells, of which some are up and some bare. Rim and corners are held
    against chance by the hypergeometric law, patches by shuffling with fixed luck. Source: arithmetic.

    >>> sown = [f"r{r}c{c}" for r in range(1, 5) for c in range(1, 7)]
    >>> bare_pattern(sown, [f"r{r}c{c}" for r in (2, 3) for c in range(2, 6)])
    'bare_rim'
    """
    places = {name: (int(m[1]), int(m[2])) for name in sown if (m := CELL.fullmatch(name))}
    bare = [name for name in places if name not in up]
    if len(places) < LEAST_CELLS or len(bare) < 3 or len(bare) > len(places) - 2:
        return None
    rows, columns = np.array(list(places.values())).T
    is_bare = np.array([name in bare for name in places])
    first_r, last_r, first_c, last_c = rows.min(), rows.max(), columns.min(), columns.max()
    if last_r - first_r >= 2 and last_c - first_c >= 2:
        rim = (rows == first_r) | (rows == last_r) | (columns == first_c) | (columns == last_c)
        if _by_chance(is_bare, rim) < BY_CHANCE:
            return "bare_rim"
    half_r, half_c = (first_r + last_r) / 2, (first_c + last_c) / 2
    corners = [
        ((rows < half_r) if up_side else (rows > half_r)) & ((columns < half_c) if left else (columns > half_c))
        for up_side in (True, False)
        for left in (True, False)
    ]
    if min(_by_chance(is_bare, c) for c in corners if c.any()) < BY_CHANCE / 4:
        return "bare_corner"
    return "bare_patch" if _clumped(rows, columns, is_bare) < BY_CHANCE / 2 else "even"


def _by_chance(is_bare: NDArray[np.bool_], part: NDArray[np.bool_]) -> float:
    """Chance of as many bare cells in a part of the tray, or more, were they strewn."""
    return float(hypergeom.sf(int((is_bare & part).sum()) - 1, len(is_bare), int(is_bare.sum()), int(part.sum())))


def _clumped(rows: NDArray[np.intp], columns: NDArray[np.intp], is_bare: NDArray[np.bool_]) -> float:
    """Share of shuffles in which as many bare cells touch each other, or more."""
    touch = (np.abs(rows[:, None] - rows[None, :]) + np.abs(columns[:, None] - columns[None, :])) == 1
    seen = int(touch[np.ix_(is_bare, is_bare)].sum())
    drawn = np.random.default_rng(5).permuted(np.tile(is_bare, (N_SHUFFLES, 1)), axis=1).astype(float)
    return float((np.einsum("ni,ij,nj->n", drawn, touch.astype(float), drawn, optimize=True) >= seen).mean())
