"""Sharing out a delay among causes that act at once: Shapley values, which do not depend on the order in
which causes are mended and add up to the whole."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import combinations
from math import factorial


def shapley(causes: Sequence[str], value: Callable[[frozenset[str]], float]) -> dict[str, float]:
    """What each cause adds to `value`, a function of the set of causes in force; the parts sum to value(all) − value(none).

    Range: up to about ten causes (2ⁿ evaluations). Source: growers_rule.

    >>> shapley(["cold", "dry"], lambda s: 5.0 * ("cold" in s) + 1.0 * ("dry" in s) + 2.0 * (len(s) == 2))
    {'cold': 6.0, 'dry': 2.0}
    """
    n = len(causes)
    known = {frozenset(s): value(frozenset(s)) for size in range(n + 1) for s in combinations(causes, size)}
    parts = {}
    for cause in causes:
        others = [c for c in causes if c != cause]
        part = 0.0
        for size in range(n):
            weight = factorial(size) * factorial(n - size - 1) / factorial(n)
            for subset in combinations(others, size):
                part += weight * (known[frozenset(subset) | {cause}] - known[frozenset(subset)])
        parts[cause] = part
    return parts
