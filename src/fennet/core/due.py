"""What the first days after emergence ask for: the cover off, the tray off the mat. By the garden's practice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from fennet.core.history import Counts
from fennet.core.room import TrayState

DAY_S = 86_400.0
#: Share up that counts as most, and how long one school waits after it, d. Source: growers_rule.
MOST_SHARE, WAITS_AFTER_MOST_D = 0.8, 2.0


@dataclass(frozen=True)
class Due:
    """One deed that is due: cover_off, cover_vent or mat_off; `half` tells whether half are up, or the first only."""

    action: str
    half: bool


def due_after_emergence(stage: str, tray: TrayState, counts: Counts, practice: Mapping[str, str], at_s: float) -> list[Due]:
    """Which deeds are due for a tray whose seed is coming up, at a moment in seconds UTC. Source: growers_rule.

    A cover is off at half the cells, at the first seedling, or vented first and off at half; a tray leaves the mat at half, with
    the first seedling, or two days after most are up.

    >>> c = Counts("cells", 4, (0.0,), (2,))
    >>> usual = {"cover_off": "half", "mat_off": "half"}
    >>> [d.action for d in due_after_emergence("seedling", TrayState("A", cover="on", mat="m"), c, usual, 60.0)]
    ['cover_off', 'mat_off']
    """
    if stage not in ("emerging", "seedling") or not counts.up:
        return []
    half = counts.up * 2 >= counts.of
    out = []
    if tray.cover == "on":
        if half or practice["cover_off"] == "first_seedling":
            out.append(Due("cover_off", half))
        elif practice["cover_off"] == "vented_early":
            out.append(Due("cover_vent", half))
    elif tray.cover == "vented" and half:
        out.append(Due("cover_off", half))
    most_s = counts.reached(-(-int(counts.of * MOST_SHARE * 100) // 100))
    waited = most_s is not None and at_s - most_s >= WAITS_AFTER_MOST_D * DAY_S
    if tray.mat and {"half": half, "each_seedling": True, "two_days_after": waited}[practice["mat_off"]]:
        out.append(Due("mat_off", half))
    return out
