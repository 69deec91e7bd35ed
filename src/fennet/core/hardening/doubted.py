"""What is doubtful about putting plants out so, and about picking from what was never planted: doubted before it is written."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fennet.core.hardening.hardening import Hardening
from fennet.core.hardening.outings import PASSES, SHADE_FROM_C, TOO_HOT_C, Why, sun_of
from fennet.core.history import life_events
from fennet.core.records import Batch, Event

#: An outing this many times as long as today's is doubted. Source: growers_rule.
MUCH_LONGER = 1.6


def doubt_outing(h: Hardening, shade_share: float | None, hours: float | None, roofed: bool, at_s: float) -> list[Why]:
    """What speaks against an outing as it is told, at a moment (seconds UTC): `shade_share` and `hours` where they are said,
    `roofed` under a porch. Nothing where today's outing is done or nobody knows the day. Source: growers_rule."""
    o = h.today
    if o is None:
        return []
    if not o.go:
        return [] if roofed else [Why("stay_in")]
    out: list[Why] = []
    if hours is not None and hours > MUCH_LONGER * o.hours:
        out.append(Why("too_long", {"hours": hours}))
    sun = sun_of(shade_share) if shade_share is not None else None
    if not roofed and sun is not None and PASSES[sun] > PASSES[o.sun]:
        out.append(Why("too_much_sun", {"told": o.sun}))
    now_c = _now_c(h, at_s)
    in_sun = sun is not None and sun != "shade" and not roofed
    if now_c is not None and (now_c >= TOO_HOT_C or (in_sun and now_c >= SHADE_FROM_C)):
        out.append(Why("hot_now", {"now_c": now_c}))
    return out


def _now_c(h: Hardening, at_s: float) -> float | None:
    """How warm it is told to be outside at a moment of today."""
    d = h.days[0]
    if d.basis not in ("forecast", "actual") or not d.at_s[0] <= at_s <= d.at_s[-1] + 3600.0:
        return None
    return float(np.interp(at_s, d.at_s, d.temperature_c))


def never_planted(batch: Batch, events: Sequence[Event]) -> bool:
    """Whether a batch was never planted, so that what is picked of it is picked in its tray. `events` are effective events."""
    return not life_events(batch, events, "planted")
