"""Shares put side by side: how much came up, how much of that lived. The tray is the unit here too: a dry day takes all of it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np
from scipy.stats import t as student

from fennet.core.comparing.pairs import LEVEL
from fennet.core.working import Input, Working

#: How far trays of one group lie apart beyond luck, as the logarithm of the odds, and how many trays that weighs. Source:
#: starting_estimate.
TRAY_LOGIT_SD, TRAY_WEIGHT = 0.6, 6.0


@dataclass(frozen=True)
class Part:
    """Of a batch: so many of so many."""

    n: int
    of: int


@dataclass(frozen=True)
class ShareDifference:
    """How far group b's share lies above a's, with its 95 % range; its chance by luck, alone and among all pairs looked at; of
    how many trays each. `measure` came or survival."""

    measure: str
    a: str
    b: str
    share: float
    low: float
    high: float
    p: float
    p_adjusted: float
    trays: tuple[int, int]

    @property
    def shown(self) -> bool:
        return self.p_adjusted <= LEVEL

    @property
    def working(self) -> Working:
        return Working(
            f"{self.b} against {self.a}, share",
            (
                Input("trays", f"{self.trays[0]} against {self.trays[1]}", "", "counts"),
                Input("95 % range", f"{100 * self.low:.0f} to {100 * self.high:.0f}", "%"),
                Input("chance of as much by luck", round(self.p, 3), "of 1"),
                Input("among as many pairs as were looked at", round(self.p_adjusted, 3), "of 1", "holm_1979"),
                Input("how far trays usually lie apart", TRAY_LOGIT_SD, "log odds", "starting_estimate", True),
            ),
            "a t test on the log odds of the trays’ shares; claimed at 0.05 or less after Holm’s adjustment over all pairs",
            ("starting_estimate", "holm_1979", "arithmetic"), "trays of which all is counted", round(100 * self.share, 1), "%",
        )  # fmt: skip


def share_differences(measure: str, groups: Mapping[str, Sequence[Part]]) -> list[ShareDifference]:
    """Every pair of groups of one kind by a share, by their trays; not adjusted yet. Source: starting_estimate for what trays
    differ by.

    >>> full, half = [Part(20, 24)] * 4, [Part(9, 24)] * 4
    >>> (d,) = share_differences("came", {"a": full, "b": half})
    >>> -0.7 < d.share < -0.3, d.p < 0.05
    (True, True)
    """
    found = {name: [_logit(p) for p in parts if p.of > 0] for name, parts in groups.items()}
    found = {name: rows for name, rows in found.items() if rows}
    square, n = 0.0, 0
    for rows in found.values():
        if len(rows) > 1:
            logits, own = (np.array(x) for x in zip(*rows, strict=True))
            square += max(0.0, float(((logits - logits.mean()) ** 2).sum()) - float(own.mean()) * (len(rows) - 1))
            n += len(rows) - 1
    tray_var, df = (TRAY_WEIGHT * TRAY_LOGIT_SD**2 + square) / (TRAY_WEIGHT + n), TRAY_WEIGHT + n
    middle = {}
    for name, rows in found.items():
        weight = np.array([1 / (tray_var + v) for _, v in rows])
        middle[name] = (float((weight * np.array([y for y, _ in rows])).sum() / weight.sum()), float(1 / weight.sum()))
    out = []
    for a, b in combinations(middle, 2):
        (x, vx), (y, vy) = middle[a], middle[b]
        se = math.sqrt(vx + vy)
        p = 2 * float(student.sf(abs(y - x) / se, df))
        wide = float(student.ppf(1 - LEVEL / 2, df)) * se
        base = (x + y) / 2
        size, low, high = (_between(base, d) for d in (y - x, y - x - wide, y - x + wide))
        out.append(ShareDifference(measure, a, b, size, low, high, p, p, (len(found[a]), len(found[b]))))
    return out


def adjusted(found: Sequence[ShareDifference]) -> list[ShareDifference]:
    """Chances adjusted for how many pairs were looked at, the plainest first. Source: holm_1979."""
    out: list[ShareDifference] = []
    least = 0.0
    for i, d in enumerate(sorted(found, key=lambda d: d.p)):
        least = min(1.0, max(least, d.p * (len(found) - i)))
        out.append(replace(d, p_adjusted=least))
    return out


def _logit(p: Part) -> tuple[float, float]:
    share = (p.n + 0.5) / (p.of + 1.0)
    return math.log(share / (1 - share)), 1.0 / ((p.of + 1.0) * share * (1 - share))


def _between(base: float, logits: float) -> float:
    """A difference of log odds about a base, as a difference of shares."""
    return 1 / (1 + math.exp(-(base + logits / 2))) - 1 / (1 + math.exp(-(base - logits / 2)))
