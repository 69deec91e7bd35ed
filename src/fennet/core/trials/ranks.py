"""The test that a plan drawn by lot allows: how often drawing the cells anew would set two groups as far apart.

Cells of one tray share its warmth and its hands; the lot alone decided which seed went where. So the groups' labels may be drawn
anew within each tray, and what was seen stands among what might have been. What never came counts as last of all.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr
from scipy.stats import rankdata

from fennet.core.records import FloatArray

#: How often the lot is drawn anew; the same draws each time.
DRAWS = 4000
#: Under this chance a difference is claimed. Source: convention.
LEVEL = 0.05


@dataclass(frozen=True)
class Block:
    """One tray: what each of its cells showed (days, or any figure; inf for never), and whether it is of the second group."""

    value: FloatArray
    second: np.ndarray


def rank_difference(blocks: Sequence[Block]) -> float:
    """How far the second group's mean rank lies above the first's, tray by tray, in parts of a tray's cells; 0 without both in
    one tray."""
    total, weight = 0.0, 0.0
    for b in blocks:
        n2 = int(b.second.sum())
        n1 = len(b.value) - n2
        if not n1 or not n2:
            continue
        ranks = rankdata(b.value)
        w = n1 * n2 / (n1 + n2)
        total += w * float(ranks[b.second].mean() - ranks[~b.second].mean()) / len(b.value)
        weight += w
    return total / weight if weight else 0.0


def chance_by_lot(blocks: Sequence[Block], draws: int = DRAWS) -> float:
    """The chance of as great a difference, either way, had the lot fallen otherwise. 1 where no tray holds both groups.

    Range: blocks of up to some hundred cells. Source: fisher_1935 (randomisation test), by drawing.

    >>> same = Block(np.array([5.0, 6, 5, 6]), np.array([True, True, False, False]))
    >>> far = Block(np.array([5.0] * 12 + [9.0] * 12), np.arange(24) >= 12)
    >>> chance_by_lot([same]) > 0.9, chance_by_lot([far]) < 0.001
    (True, True)
    """
    kept = [b for b in blocks if 0 < b.second.sum() < len(b.value)]
    if not kept:
        return 1.0
    rng = np.random.default_rng(20260401)
    seen = abs(rank_difference(kept))
    drawn, weight = np.zeros(draws), 0.0
    for b in kept:
        ranks, n2 = rankdata(b.value), int(b.second.sum())
        n1 = len(ranks) - n2
        w = n1 * n2 / (n1 + n2)
        order = np.argsort(rng.random((draws, len(ranks))), axis=1)[:, :n2]
        above = ranks[order].sum(axis=1)
        drawn += w * (above / n2 - (ranks.sum() - above) / n1) / len(ranks)
        weight += w
    # What was seen is one of the draws.
    return float((1 + (np.abs(drawn / weight) >= seen - 1e-12).sum()) / (1 + draws))


def quick_chance(value: FloatArray, second: np.ndarray) -> FloatArray:
    """The same for many drawn trials at once, by the normal that ranks approach: rows of `value` are trials of one tray.

    Source: arithmetic (Wilcoxon's rank sum with ties).
    """
    ranks = rankdata(value, axis=1)
    n, n2 = value.shape[1], int(second.sum())
    n1 = n - n2
    above = ranks[:, second].sum(axis=1) - n2 * (n + 1) / 2
    var = n1 * n2 / (n * (n - 1)) * ((ranks - (n + 1) / 2) ** 2).sum(axis=1)
    z = np.maximum(np.abs(above) - 0.5, 0.0) / np.sqrt(np.maximum(var, 1e-12))
    return np.asarray(2.0 * (1.0 - ndtr(z)))
