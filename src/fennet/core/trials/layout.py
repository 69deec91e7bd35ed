"""Which group each cell of a tray belongs to: by lot, in small blocks, so that no group has the warm side to itself."""

from __future__ import annotations

import zlib
from collections.abc import Sequence

import numpy as np

from fennet.core.trials.trial import Trial


def kept_plan(trial: Trial) -> dict[str, int]:
    """Cell → group (from 0) of the plan that is kept with a trial; empty where none is.

    >>> from fennet.core.trials.trial import TrialGroup
    >>> sides = [TrialGroup(name="a", planned=["r1c1"]), TrialGroup(name="b", planned=["r1c2"])]
    >>> kept_plan(Trial(id="t", name="?", crop="leek", groups=sides, tray="A"))
    {'r1c1': 0, 'r1c2': 1}
    """
    return {cell: n for n, g in enumerate(trial.groups) for cell in g.planned} if trial.tray is not None else {}


def cell_plan(cells: Sequence[str], groups: int, name: str) -> dict[str, int]:
    """Cell → group (from 0), as evenly as the cells allow, drawn by lot within every run of as many cells as there are groups.
    The same name draws the same plan. Cells left over after the last whole run are left empty. Raises ValueError for fewer than
    two groups, or fewer cells than groups. Source: convention (randomised blocks, Fisher 1935).

    >>> plan = cell_plan(["r1c1", "r1c2", "r1c3", "r1c4", "r1c5"], 2, "which leek")
    >>> sorted(plan.values()), plan == cell_plan(["r1c1", "r1c2", "r1c3", "r1c4", "r1c5"], 2, "which leek")
    ([0, 0, 1, 1], True)
    """
    if groups < 2 or len(cells) < groups:
        raise ValueError(f"{len(cells)} cells for {groups} groups; accepted: two groups or more, and a cell for each")
    rng = np.random.default_rng(zlib.crc32(name.encode()))
    out: dict[str, int] = {}
    for first in range(0, len(cells) - groups + 1, groups):
        for cell, group in zip(cells[first : first + groups], rng.permutation(groups), strict=True):
            out[cell] = int(group)
    return out
