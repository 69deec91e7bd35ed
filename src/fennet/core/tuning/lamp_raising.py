"""On which days a lamp is raised as the plants beneath it grow."""

from __future__ import annotations

import math

import numpy as np

from fennet.core.light import DAY_S, least_mm
from fennet.core.lighting.curve import LEAST_GAP_MM
from fennet.core.tuning.under_lamp import STEP_MM, LampCase, UnderLamp

#: The lamp is raised when growth has brought the leaf so much more light. Source: growers_rule.
RAISE_FROM, AHEAD_D = 1.15, 21


def raise_dates(case: LampCase, height_mm: float, at_s: float) -> list[tuple[float, float]]:
    """When to raise the lamp as the plants grow, and to what height: each time light at the tallest leaves has risen by 15 %, or
    they come within the safe distance. It is raised as far as costs them no more than 15 % again, so that days pass before the
    next time. Three weeks ahead, at most four. Source: growth_estimate, growers_rule."""
    days = np.arange(0.0, AHEAD_D + 0.01, 0.25)
    tallest = np.zeros(len(days))
    lead: UnderLamp | None = None
    for t in case.trays:
        ahead = np.max([b.height_ahead(days) for b in t.batches], axis=0)
        # Heights as logged hold now; the curve says how they rise from there.
        risen = t.leaf_mm + np.maximum(0.0, ahead - ahead[0])
        if lead is None or risen[-1] > tallest[-1]:
            lead = t
        tallest = np.maximum(tallest, risen)
    if lead is None:
        return []
    tray, least = lead.tray.id, least_mm(case.lamp)
    out: list[tuple[float, float]] = []
    hung, gap = height_mm, height_mm - float(tallest[0])
    nearest = max(least, _gap_with(case, tray, gap, RAISE_FROM))
    farthest = max(_gap_with(case, tray, gap, 1.0 / RAISE_FROM), gap + STEP_MM)
    for i, day in enumerate(days):
        if day > 0 and hung - tallest[i] < nearest:
            hung = min(case.headroom_mm, math.ceil((tallest[i] + farthest) / STEP_MM) * STEP_MM)
            out.append((at_s + float(day) * DAY_S, hung))
            if len(out) == 4 or hung >= case.headroom_mm:
                break
    return out


def _gap_with(case: LampCase, tray: str, gap_mm: float, times: float) -> float:
    """The distance from lamp to leaf at which it is so many times as bright as at another, mm."""
    gaps = np.geomspace(max(LEAST_GAP_MM, gap_mm / 4), gap_mm * 4, 200)
    light = case.curve.middle_log(gaps, tray)
    wanted = case.curve.log_at(max(gap_mm, LEAST_GAP_MM), tray)[0] + math.log(times)
    return float(np.interp(-wanted, -light, gaps))
