"""Tasks of those on their way out: out in the morning, in again by dusk, and planted when the gate opens."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fennet.core.crop import Crop
from fennet.core.hardening.hardening import Hardening
from fennet.core.hardening.outings import hours_of
from fennet.core.hardening.ready import COLDER_LEAF_C
from fennet.core.hardening.weather import HOUR_S, DayOutdoors
from fennet.core.records import Batch
from fennet.core.work.figures import ColdNight, ComeIn, GoOut, PlantOut
from fennet.core.work.task import BatchDay, Task

#: An outing is told so long before its hour, h; with less light left than this it is not begun. Source: growers_rule.
AHEAD_H, LEAST_LIGHT_H = 14.0, 1.0
#: A tender kind that is planted is covered where a night falls so far under its least, °C. Source: starting_estimate.
CHECKED_C = 3.0
#: So late they come in at the latest where nothing is known of the sun, hours by the clock.
IN_BY_H = 20.0


def outing_tasks(d: BatchDay, at_s: float) -> list[Task]:
    """What a batch on its way out wants at a moment (seconds UTC). Source: growers_rule."""
    h = d.outing
    if h is None:
        return []
    if h.out is not None:
        return _come_in(d, h, at_s)
    out: list[Task] = []
    o, today = h.today, h.days[0]
    if o is not None and o.go:
        start_s = float(today.at_s[0]) + (o.from_h or 10.0) * HOUR_S
        dusk_s = _dusk_s(today)
        if at_s >= start_s - AHEAD_H * HOUR_S and dusk_s - at_s > LEAST_LIGHT_H * HOUR_S:
            hours = min(o.hours, (dusk_s - max(at_s, start_s)) / HOUR_S)
            figures = GoOut(hours, o.from_h, o.sun, o.sheltered, o.night, o)
            out.append(Task(f"go_out:{d.batch.id}", start_s, d.tray.id, d.batch.id, figures))
    if h.gate.verdict == "yes":
        out.append(Task(f"plant_out:{d.batch.id}", at_s, d.tray.id, d.batch.id, PlantOut(h.gate)))
    return out


def cold_night_tasks(planted: Sequence[tuple[Batch, Crop]], tonight: DayOutdoors, at_s: float) -> list[Task]:
    """Cover for the night what is planted and would be killed or checked by it; only where a forecast says so. Source:
    growers_rule."""
    out = []
    for batch, crop in planted if tonight.basis == "forecast" else ():
        p, low_c = crop.planting, tonight.night_low_c
        kills = low_c - COLDER_LEAF_C - 0.5 * tonight.off_c <= p.kills_at_c
        if kills or (p.hardiness == "tender" and low_c < p.least_night_c - CHECKED_C):
            stands_c = p.kills_at_c if kills else p.least_night_c
            figures = ColdNight(low_c, stands_c, kills)
            out.append(Task(f"cold_night:{batch.id}", _dusk_s(tonight) - 2 * HOUR_S, "", batch.id, figures, kills))
    return out


def _come_in(d: BatchDay, h: Hardening, at_s: float) -> list[Task]:
    assert h.out is not None
    planned, today = h.meant, h.days[0]
    out_s = at_s - hours_of(h.out, at_s) * HOUR_S
    stays = h.out.fields.get("night") is True or (planned is not None and planned.night)
    if stays and at_s < float(today.at_s[-1]):
        return []
    dusk_s = _dusk_s(today)
    due_s = dusk_s if planned is None or not planned.go else min(dusk_s, out_s + planned.hours * HOUR_S)
    cold = today.known and today.night_low_c < h.crop.planting.least_night_c
    figures = ComeIn(hours_of(h.out, at_s), today.night_low_c if today.known else None, cold)
    # One that went out on an earlier day was forgotten overnight.
    grave = cold or at_s >= dusk_s or out_s < float(today.at_s[0])
    return [Task(f"come_in:{d.batch.id}", min(due_s, dusk_s), d.tray.id, d.batch.id, figures, grave)]


def _dusk_s(day: DayOutdoors) -> float:
    """The end of a day's light, seconds UTC."""
    light = np.flatnonzero(day.sun > 0.02)
    return float(day.at_s[light[-1]]) + HOUR_S if len(light) else float(day.at_s[0]) + IN_BY_H * HOUR_S
