"""What to do with a packet: sow it, sow it thick, test it first, or give it up."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fennet.core.seed import SeedState

#: Under this share alive seed is not worth its cells; under the next it is sown thick. Source: growers_rule.
GIVE_UP_UNDER, THICK_UNDER = 0.15, 0.65
#: A range this wide that reaches under the thick mark is worth a test of twenty. Source: growers_rule.
DOUBTFUL_RANGE = 0.25
#: A test costs twenty seeds: fewer than this many are sown, not tested. Source: growers_rule.
WORTH_TESTING = 40


def gives_up(state: SeedState) -> bool:
    """Whether a lot is not worth its cells: one answer for the seed box, the plan and what to sow again. Source: growers_rule."""
    return state.mean < GIVE_UP_UNDER


def too_old(packed: int | None, year: int, practice: Mapping[str, str]) -> bool:
    """Whether a practice leaves seed of a year alone: this year's only. Seed whose year nobody wrote down is not judged.

    >>> too_old(2024, 2026, {"seed_age": "this_year"}), too_old(None, 2026, {"seed_age": "this_year"})
    (True, False)
    """
    return practice.get("seed_age") == "this_year" and packed is not None and packed < year


def advice(state: SeedState, left: int | None, too_old: bool = False) -> str:
    """One of empty, too_old (for a practice of this year's seed only), give_up, test, thick, sound. Source: growers_rule.

    >>> from fennet.core.working import Working
    >>> advice(SeedState(19.0, 1.0, 1.0, Working("seed alive", (), "", (), "")), 100)
    'sound'
    """
    if left == 0:
        return "empty"
    if too_old:
        return "too_old"
    low, high = (float(x) for x in state.quantiles(np.array([0.1, 0.9])))
    if gives_up(state):
        return "give_up"
    if high - low > DOUBTFUL_RANGE and low < THICK_UNDER and (left is None or left >= WORTH_TESTING):
        return "test"
    return "thick" if state.mean < THICK_UNDER else "sound"
