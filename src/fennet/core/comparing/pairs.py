"""Whether two groups of batches differ, how far, and how little a few plants can show.

The tray is the unit, not the seed: all seed of a tray shares its luck, so that a hundred cells of one tray against a hundred of
another say little more than one against one. What trays of one kind differ by is taken from the groups themselves where there are
enough, else from what is usual.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy.stats import CensoredData, logrank
from scipy.stats import t as student

from fennet.core.comparing.emergence import Came
from fennet.core.records import FloatArray
from fennet.core.working import Input, Working

#: How far trays of one seed lie apart for reasons no record shows, as a log sd of their pace, and how many trays that weighs.
#: Source: starting_estimate.
TRAY_LOG_SD, TRAY_WEIGHT = 0.09, 6.0
#: Fewer seedlings than this tell no middle.
LEAST_UP = 3
#: What is claimed though it is luck, and what is shown of what is there. Source: convention.
LEVEL, POWER = 0.05, 0.80


@dataclass(frozen=True)
class Pace:
    """A group's days at target warmth until half of what came were up: the middle, 80 % range, log mean and its variance, and of
    how many trays."""

    p10: float
    p50: float
    p90: float
    log_mean: float
    log_var: float
    trays: int

    @property
    def working(self) -> Working:
        return Working(
            "days to half up at target warmth",
            (
                Input("trays", self.trays, "", "counts"),
                Input("log sd of their middle", round(math.sqrt(self.log_var), 3)),
                Input("how far trays of one seed usually lie apart", TRAY_LOG_SD, "log sd", "starting_estimate", True),
            ),
            "the middle of what came in each tray, in days of the soil it really had; the trays weighed by what each tells",
            ("starting_estimate", "arithmetic"), "trays of which nothing more is waited for", round(self.p50, 1), "days",
        )  # fmt: skip


@dataclass(frozen=True)
class Difference:
    """How far group b lies behind a, days at target warmth, with its 95 % range; the chance of as much by luck alone, by itself
    and among as many pairs as were looked at; what a log-rank test would say that takes every seedling for itself; and the least
    difference that so few trays would show."""

    a: str
    b: str
    days: float
    low: float
    high: float
    p: float
    p_adjusted: float
    log_rank_p: float
    least_shown: float
    trays: tuple[int, int]

    @property
    def shown(self) -> bool:
        return self.p_adjusted <= LEVEL

    @property
    def working(self) -> Working:
        return Working(
            f"{self.b} against {self.a}",
            (
                Input("trays", f"{self.trays[0]} against {self.trays[1]}", "", "counts"),
                Input("95 % range", f"{self.low:.1f} to {self.high:.1f}", "days"),
                Input("chance of as much by luck", round(self.p, 3), "of 1"),
                Input("among as many pairs as were looked at", round(self.p_adjusted, 3), "of 1", "holm_1979"),
                Input("log-rank test, every seedling for itself", round(self.log_rank_p, 3), "of 1", "sure of too much"),
                Input("least difference that would show four times in five", round(self.least_shown, 1), "days"),
            ),
            "a t test on the logs of the trays’ middles; claimed at 0.05 or less after Holm’s adjustment over all pairs",
            ("starting_estimate", "holm_1979", "arithmetic"), "groups whose trays had readings", round(self.days, 1), "days",
        )  # fmt: skip


def log_half(days: FloatArray) -> tuple[float, float]:
    """The log of the middle of what came, and its variance from the spread of the seedlings of this tray alone.

    >>> mean, var = log_half(np.array([7.0, 8.0, 9.0]))
    >>> round(math.exp(mean), 1), round(math.sqrt(var), 2)
    (8.0, 0.09)
    """
    logs = np.log(np.maximum(days, 1e-3))
    spread = max(float(np.std(logs, ddof=1)), 0.05)
    # The middle of n lies a quarter wider than their mean would.
    return float(np.median(logs)), 1.57 * spread**2 / len(days)


def between_trays(groups: Mapping[str, Sequence[Came]]) -> tuple[float, float]:
    """The variance between trays of one group, log, drawn to what is usual; and how many degrees of freedom it rests on."""
    square, n = 0.0, 0
    for members in groups.values():
        found = [log_half(c.days) for c in members if len(c.days) >= LEAST_UP]
        if len(found) < 2:
            continue
        means = np.array([m for m, _ in found])
        own = float(np.mean([v for _, v in found]))
        square += max(0.0, float(np.sum((means - means.mean()) ** 2)) - own * (len(found) - 1))
        n += len(found) - 1
    return (TRAY_WEIGHT * TRAY_LOG_SD**2 + square) / (TRAY_WEIGHT + n), TRAY_WEIGHT + n


def pace(members: Sequence[Came], tray_var: float) -> Pace | None:
    """A group's pace; None where too little came."""
    found = [log_half(c.days) for c in members if not c.told and len(c.days) >= LEAST_UP]
    if not found:
        return None
    weight = np.array([1 / (tray_var + v) for _, v in found])
    mean = float((weight * np.array([m for m, _ in found])).sum() / weight.sum())
    var = float(1 / weight.sum())
    low, mid, high = (math.exp(mean + z * math.sqrt(var)) for z in (-1.2816, 0.0, 1.2816))
    return Pace(low, mid, high, mean, var, len(found))


def differences(groups: Mapping[str, Sequence[Came]]) -> list[Difference]:
    """Every pair of groups of one kind that can be compared, by their trays; the log-rank test by seedling stands beside it. Not
    adjusted yet (`holm`). Source: starting_estimate for what trays differ by.

    A worked example stands in tests/core/test_comparing.py.
    """
    tray_var, df = between_trays(groups)
    paces = {name: found for name, members in groups.items() if (found := pace(members, tray_var)) is not None}
    raw: list[Difference] = []
    for a, b in combinations(paces, 2):
        one, other = paces[a], paces[b]
        se = math.sqrt(one.log_var + other.log_var)
        off = other.log_mean - one.log_mean
        p = 2 * float(student.sf(abs(off) / se, df))
        by_seed = _logrank(groups[a], groups[b])
        wide = float(student.ppf(1 - LEVEL / 2, df)) * se
        middle = math.exp((one.log_mean + other.log_mean) / 2)
        # A difference of logs in days about the middle of both.
        shows = wide + float(student.ppf(POWER, df)) * se
        spans = (off, off - wide, off + wide, shows)
        days, low, high, least = (2 * middle * math.sinh(x / 2) for x in spans)
        raw.append(Difference(a, b, days, low, high, p, 1.0, by_seed, least, (one.trays, other.trays)))
    return raw


def _logrank(a: Sequence[Came], b: Sequence[Came]) -> float:
    """The chance by luck of what the seedlings of two groups show, what had not come by the last look counting as such."""

    def sample(members: Sequence[Came]) -> CensoredData:
        came = np.concatenate([c.days for c in members if not c.told] or [np.zeros(0)])
        waits = [np.full(c.of - c.up, c.last_days) for c in members if not c.told and c.of > c.up]
        return CensoredData(uncensored=came, right=np.concatenate(waits) if waits else np.zeros(0))

    return float(logrank(sample(a), sample(b)).pvalue)


def holm(found: Sequence[Difference]) -> list[Difference]:
    """Chances adjusted for how many pairs were looked at, the plainest first. Source: holm_1979.

    >>> [round(d.p_adjusted, 2) for d in holm([Difference("a", "b", 1, 0, 2, p, 1, p, 1, (1, 1)) for p in (0.04, 0.01, 0.03)])]
    [0.03, 0.06, 0.06]
    """
    ordered = sorted(found, key=lambda d: d.p)
    out: list[Difference] = []
    least = 0.0
    for i, d in enumerate(ordered):
        least = min(1.0, max(least, d.p * (len(ordered) - i)))
        out.append(Difference(d.a, d.b, d.days, d.low, d.high, d.p, least, d.log_rank_p, d.least_shown, d.trays))
    return out
