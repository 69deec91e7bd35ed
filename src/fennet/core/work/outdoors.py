"""Tasks of those on their way out: out in the morning, in again by dusk, and planted when the gate opens."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from fennet.core.care.handling import pinches
from fennet.core.crop import Crop
from fennet.core.hardening.hardening import Hardening
from fennet.core.hardening.outings import hours_of
from fennet.core.hardening.ready import COLDER_LEAF_C
from fennet.core.hardening.weather import DAY_S, HOUR_S, DayOutdoors
from fennet.core.planning.gate import bolts_after_cold
from fennet.core.records import Batch
from fennet.core.work.figures import ColdNight, ComeIn, FlowersOff, GoOut, HotDay, PinchOut, PlantOut
from fennet.core.work.task import BatchDay, Task

#: An outing is told so long before its hour, h; with less light left than this it is not begun. Source: growers_rule.
AHEAD_H, LEAST_LIGHT_H = 14.0, 1.0
#: A porch is not asked for before this hour by the clock: it warms with the day. Source: growers_rule.
PORCH_FROM_H = 8.0
#: A tender kind that is planted is covered where a night falls so far under its least, °C. Source: starting_estimate.
CHECKED_C = 3.0
#: A kind that bolts after cold does so as a young plant: so long after planting. Source: growers_rule.
BOLTS_FOR_D = 35.0
#: Heat that harms what is planted, °C: while it roots, so many days, and after. Source: growers_rule, starting_estimate.
HOT_WHILE_ROOTING_C, ROOTS_D, HOT_C = 27.0, 14.0, 33.0
#: Branching kinds are pinched between these days after planting; fruiting ones keep no flower for so long. Source: growers_rule.
PINCH_D, FLOWERS_OFF_D = (7.0, 28.0), 21.0
#: By then it is watered and shaded, hours by the clock.
HOT_BY_H = 8.0
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
    elif o is not None and h.porch is not None and h.porch.suits:
        # What keeps it from going out does not keep it from the porch, back in at dusk.
        dusk_s = _dusk_s(today)
        if dusk_s - at_s > LEAST_LIGHT_H * HOUR_S and at_s >= float(today.at_s[0]) + PORCH_FROM_H * HOUR_S:
            figures = GoOut((dusk_s - at_s) / HOUR_S, None, "shade", True, False, o, h.porch.place, h.porch.now_c)
            out.append(Task(f"go_out:{d.batch.id}", at_s, d.tray.id, d.batch.id, figures))
    if h.gate.verdict == "yes":
        out.append(Task(f"plant_out:{d.batch.id}", at_s, d.tray.id, d.batch.id, PlantOut(h.gate, h.set_out)))
    return out


@dataclass(frozen=True)
class Planted:
    """A batch that stands outdoors for good, whole or in part: since when it was last planted and its first flower, if it was
    seen (seconds UTC), whether it was ever pinched, and its practice."""

    batch: Batch
    crop: Crop
    since_s: float
    practice: Mapping[str, str] = field(default_factory=dict)
    flower_s: float | None = None
    topped: bool = False


def planted_tasks(planted: Sequence[Planted], ahead: Sequence[DayOutdoors], at_s: float) -> list[Task]:
    """What stands outdoors for good and wants something: covered for a night, shaded and watered for a hot day, only where a
    forecast says so; pinched, and relieved of its first flowers, by its practice. Source: growers_rule."""
    return [*_cold_nights(planted, ahead[:1]), *_hot_days(planted, ahead[:2], at_s), *_by_hand(planted, at_s)]


def _by_hand(planted: Sequence[Planted], at_s: float) -> list[Task]:
    out = []
    for x in planted:
        out_d = (at_s - x.since_s) / DAY_S
        if pinches(x.crop, x.practice) and not x.topped and PINCH_D[0] <= out_d < PINCH_D[1]:
            out.append(Task(f"pinch_out:{x.batch.id}", x.since_s + PINCH_D[0] * DAY_S, "", x.batch.id, PinchOut()))
        small = x.crop.group == "warm_fruiting" and x.practice.get("flowers") == "off" and out_d < FLOWERS_OFF_D
        if small and x.flower_s is not None:
            out.append(Task(f"flowers_off:{x.batch.id}", x.flower_s, "", x.batch.id, FlowersOff(FLOWERS_OFF_D - out_d)))
    return out


def _cold_nights(planted: Sequence[Planted], ahead: Sequence[DayOutdoors]) -> list[Task]:
    out = []
    for batch, crop, since_s, tonight in (
        (x.batch, x.crop, x.since_s, d) for d in ahead if d.basis == "forecast" for x in planted
    ):
        p, low_c = crop.planting, tonight.night_low_c
        young = float(tonight.at_s[-1]) - since_s < BOLTS_FOR_D * DAY_S
        bolts = bolts_after_cold(crop) and young and low_c < p.least_night_c - CHECKED_C
        kills = low_c - COLDER_LEAF_C - 0.5 * tonight.off_c <= p.kills_at_c
        if kills or bolts or (p.hardiness == "tender" and low_c < p.least_night_c - CHECKED_C):
            stands_c = p.kills_at_c if kills else p.least_night_c
            figures = ColdNight(low_c, stands_c, kills, bolts)
            out.append(Task(f"cold_night:{batch.id}", _dusk_s(tonight) - 2 * HOUR_S, "", batch.id, figures, kills))
    return out


def _hot_days(planted: Sequence[Planted], ahead: Sequence[DayOutdoors], at_s: float) -> list[Task]:
    """The first hot day of today and tomorrow, for each batch that it would harm: while it roots from less heat on."""
    out = []
    for x in planted:
        for d in ahead:
            hot = d.temperature_c >= (HOT_WHILE_ROOTING_C if at_s - x.since_s < ROOTS_D * DAY_S else HOT_C)
            if d.basis != "forecast" or not hot.any() or float(d.at_s[hot][-1]) + HOUR_S <= at_s:
                continue
            figures = HotDay(float(d.temperature_c.max()), at_s - x.since_s < ROOTS_D * DAY_S)
            due_s = float(d.at_s[0]) + HOT_BY_H * HOUR_S
            out.append(Task(f"hot_day:{x.batch.id}", due_s, "", x.batch.id, figures))
            break
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
