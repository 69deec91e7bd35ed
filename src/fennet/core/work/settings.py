"""What there is to set: lamps, mats, exchanges of places, promises that did not hold."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fennet.core.light import DAY_S, HOUR_S
from fennet.core.scoring import Mark
from fennet.core.tuning.lamps import LampSetting
from fennet.core.tuning.mats import MatSetting
from fennet.core.tuning.places import Exchange
from fennet.core.work.task import CARE_AHEAD_H, Task

#: Gains in days under which nobody is asked to move anything. Source: starting_estimate.
WORTH_SETTING_D, WORTH_EXCHANGE_D = 0.5, 1.5


def lamps_tasks(settings: Sequence[LampSetting], at_s: float) -> list[Task]:
    """Lamps whose setting leaves a batch out of band, and lamps to be raised as plants grow."""
    out: list[Task] = []
    for s in settings:
        if s.case.ahead or s.height_mm is None or s.hours is None or s.on_min is None or s.off_min is None or not s.expected:
            continue
        trays = sorted({e.tray for e in s.expected})
        figures: dict[str, Any] = {
            "lamp": s.lamp.id, "height_mm": s.height_mm, "distance_mm": s.distance_mm, "hours": s.hours, "on_min": s.on_min,
            "off_min": s.off_min, "trays": trays, "now_mm": s.case.state.height_mm, "reaches": s.reaches,
            "low": min(e.dli.p50 for e in s.expected),
        }  # fmt: skip
        gains = sum(e.reaches for e in s.expected) > sum(e.reaches for e in s.now)
        if s.changes and gains and s.case.curve.basis == "measured":
            out.append(Task(f"lamp_set:{s.lamp.id}", "lamp_set", at_s, trays[0], "", figures))
        elif s.raise_at and not s.changes and s.raise_at[0][0] <= at_s + CARE_AHEAD_H * HOUR_S:
            when_s, to_mm = s.raise_at[0]
            out.append(Task(f"lamp_raise:{s.lamp.id}", "lamp_raise", when_s, trays[0], "", {**figures, "to_mm": to_mm}))
    return out


def mats_tasks(settings: Sequence[MatSetting], swaps: Sequence[Exchange], marked: Sequence[Mark], at_s: float) -> list[Task]:
    """Set-points worth changing, places worth exchanging, promises that did not hold."""
    out: list[Task] = []
    for s in settings:
        tray = s.trays[0].tray if s.trays else ""
        if s.flat_out:
            e = s.expect_soil_c
            out.append(
                Task(
                    f"mat_limit:{s.mat.id}",
                    "mat_limit",
                    at_s,
                    tray,
                    "",
                    {"mat": s.mat.id, "most_c": e.p50 if e else None, "middle_c": s.middle_c},
                )
            )
        elif s.changes and s.gain_days >= WORTH_SETTING_D:
            figures = {
                "mat": s.mat.id,
                "to_c": s.setpoint_c,
                "now_c": s.now.setpoint_c,
                "gain_d": s.gain_days,
                "expect": s.expect_soil_c,
            }
            out.append(Task(f"mat_set:{s.mat.id}", "mat_set", at_s, tray, "", figures))
    for x in swaps[:1]:
        if x.gain_days >= WORTH_EXCHANGE_D:
            figures = {"mat": x.mat, "in": x.tray, "out": x.instead_of, "gain_d": x.gain_days}
            out.append(Task(f"exchange:{x.mat}:{x.tray}", "exchange", at_s, x.tray, "", figures))
    newest: dict[str, Mark] = {}
    for m in marked:
        if m.kind == "mat_soil" and m.outcome in ("under", "over") and m.subject not in newest and at_s - m.made_s < 5 * DAY_S:
            newest[m.subject] = m
    for m in newest.values():
        figures = {"actual_c": m.actual, "low_c": m.low, "high_c": m.high}
        out.append(Task(f"promise:{m.id}", "promise", at_s, m.subject, "", figures))
    return out
