"""What there is to set: lamps, mats, exchanges of places, promises that did not hold."""

from __future__ import annotations

from collections.abc import Sequence

from fennet.core.light import DAY_S, HOUR_S
from fennet.core.scoring import ScoredPromise
from fennet.core.tuning.lamps import LampSetting
from fennet.core.tuning.mats import MatSetting
from fennet.core.tuning.places import Exchange
from fennet.core.work.figures import ChangePlaces, LampRaise, LampSet, MatCheck, MatLimit, MatSet, PromiseBroken
from fennet.core.work.task import CARE_AHEAD_H, Task

#: Gains in days under which nobody is asked to move anything. Source: starting_estimate.
WORTH_SETTING_D, WORTH_EXCHANGE_D = 0.5, 1.5


def lamps_tasks(settings: Sequence[LampSetting], at_s: float) -> list[Task]:
    """Lamps whose setting leaves a batch out of band, and lamps to be raised as plants grow."""
    out: list[Task] = []
    for s in settings:
        if s.case.ahead or s.height_mm is None or s.hours is None or s.on_min is None or s.off_min is None or not s.expected:
            continue
        trays = tuple(sorted({e.tray for e in s.expected}))
        gains = sum(e.reaches for e in s.expected) > sum(e.reaches for e in s.now)
        if s.changes and gains and s.case.curve.basis == "measured":
            low_mol, now_mm = min(e.dli.p50 for e in s.expected), s.case.state.height_mm
            figures = LampSet(s.lamp.id, s.height_mm, now_mm, s.on_min, s.off_min, trays, low_mol, s.reaches)
            out.append(Task(f"lamp_set:{s.lamp.id}", at_s, trays[0], "", figures))
        elif s.raise_at and not s.changes and s.raise_at[0][0] <= at_s + CARE_AHEAD_H * HOUR_S:
            when_s, to_mm = s.raise_at[0]
            out.append(Task(f"lamp_raise:{s.lamp.id}", when_s, trays[0], "", LampRaise(s.lamp.id, to_mm)))
    return out


def mats_tasks(
    settings: Sequence[MatSetting], swaps: Sequence[Exchange], marked: Sequence[ScoredPromise], at_s: float
) -> list[Task]:
    """Set-points worth changing, places worth exchanging, promises that did not hold."""
    out: list[Task] = []
    for s in settings:
        tray = s.trays[0].tray if s.trays else ""
        if s.why_not == "check_plug_and_probe":
            first = s.instead[0]
            check = MatCheck(s.mat.id, first.action.removeprefix("probe_"))
            out.append(Task(f"mat_check:{s.mat.id}", at_s, first.tray or tray, "", check))
        elif s.flat_out and s.middle_c is not None:
            limit = MatLimit(s.mat.id, s.expect_soil_c.p50 if s.expect_soil_c else None, s.middle_c)
            out.append(Task(f"mat_limit:{s.mat.id}", at_s, tray, "", limit))
        elif s.changes and s.setpoint_c is not None and s.gain_days >= WORTH_SETTING_D:
            mat = MatSet(s.mat.id, s.setpoint_c, s.now.setpoint_c, s.gain_days, s.expect_soil_c)
            out.append(Task(f"mat_set:{s.mat.id}", at_s, tray, "", mat))
    for x in swaps[:1]:
        if x.gain_days >= WORTH_EXCHANGE_D:
            places = ChangePlaces(x.mat, x.tray, x.instead_of or "", x.gain_days)
            out.append(Task(f"exchange:{x.mat}:{x.tray}", at_s, x.tray, "", places))
    newest: dict[str, ScoredPromise] = {}
    for m in marked:
        if m.kind == "mat_soil" and m.outcome in ("under", "over") and m.subject not in newest and at_s - m.made_s < 5 * DAY_S:
            newest[m.subject] = m
    for m in newest.values():
        if m.actual is not None:
            out.append(Task(f"promise:{m.id}", at_s, m.subject, "", PromiseBroken(m.actual, m.low, m.high)))
    return out
