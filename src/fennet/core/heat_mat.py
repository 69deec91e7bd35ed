"""What a heat mat adds to the soil, as far as a forecast from air readings needs it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from fennet.core.light import minutes_of
from fennet.core.records import Batch, Event, FloatArray, Journal
from fennet.core.room import room_at, tray_of
from fennet.core.room_here import RoomHere

DAY_S = 86_400.0

#: What a mat flat out adds over air, bare and under a cover. Source: starting_estimate (8–12 bare, 10–16 covered).
LIFT_BARE_C, LIFT_COVERED_C = 10.0, 13.0
#: Soil follows a timer over so many half hours. Source: starting_estimate.
LATE_STEPS = 8
UTC = ZoneInfo("UTC")


def soil_from_air(
    air_c: FloatArray, grid_s: FloatArray, tray: str, events: Sequence[Event], zone: ZoneInfo = UTC, here: RoomHere | None = None
) -> FloatArray:
    """Soil temperature guessed from air and what the mat under the tray was set to, °C on the same grid of half hours.

    Without a mat, or while it is switched off, soil is taken as air. With one it is driven to the set-point as far as the mat can
    lift, or lifted in full where no set-point is known; by a timer it follows its hours in `zone`, some hours late. What a mat
    lifts, and how far soil stands over its set-point, is what is usual, or what this garden has learned of it (`here`). Range:
    still rooms, steady weather; ± 2 °C. Source: starting_estimate, learned_here.
    """
    covered = _switch(
        grid_s,
        [(e.at_s, e.fields.get("on") is True) for e in events if e.kind == "cover" and e.fields.get("tray") == tray],
    )
    mats = [e for e in events if e.kind == "mat"]
    on_mat = _switch(grid_s, [(e.at_s, e.fields.get("on") is not False) for e in mats if e.fields.get("tray") == tray])
    under = {e.fields["mat"] for e in mats if e.fields.get("tray") == tray}
    # A switch thrown on the mat itself, with no tray named, holds for all that lie on it.
    alone = [e for e in mats if e.fields["mat"] in under and e.fields.get("tray") is None and "on" in e.fields]
    thrown = [(e.at_s, e.fields["on"] is not False) for e in alone]
    heats = on_mat & (_switch(grid_s, [(float("-inf"), True), *thrown]) if thrown else True)
    timed = [(e.at_s, e.fields["periods"]) for e in mats if e.fields["mat"] in under and e.fields.get("periods")]
    points = [(e.at_s, float(e.fields["setpoint_c"])) for e in mats if e.fields["mat"] in under and "setpoint_c" in e.fields]
    lift = np.where(covered, LIFT_COVERED_C, LIFT_BARE_C)
    over_c = np.zeros(len(grid_s))
    if here is not None and under:
        lift = lift * _of_mats(grid_s, tray, mats, lambda mat: here.lift_times(mat, tray))
        over_c = _of_mats(grid_s, tray, mats, lambda mat: here.over_c(mat, tray))
    if points:
        times = np.array([t for t, _ in points])
        index = np.searchsorted(times, grid_s, side="right") - 1
        setpoint = np.where(index >= 0, np.array([v for _, v in points])[np.maximum(index, 0)], np.inf)
        lift = np.minimum(lift, np.maximum(0.0, setpoint + over_c - air_c))
    share = heats.astype(float)
    if timed:
        share *= _by_timer(grid_s, timed, zone)
    return np.asarray(air_c + lift * share)


def _of_mats(grid_s: FloatArray, tray: str, mats: Sequence[Event], of: Callable[[str], float]) -> FloatArray:
    """A figure of the mat that a tray lay on, at each moment."""
    laid = [(e.at_s, of(str(e.fields["mat"]))) for e in mats if e.fields.get("tray") == tray]
    index = np.searchsorted([t for t, _ in laid], grid_s, side="right") - 1
    return np.asarray(np.array([v for _, v in laid])[np.maximum(index, 0)])


def _by_timer(grid_s: FloatArray, timed: Sequence[tuple[float, Sequence[Sequence[str]]]], zone: ZoneInfo) -> FloatArray:
    """What part of a mat's lift its timer brings at each half hour: soil follows some hours late. 1 before the first timer."""
    out = np.ones(len(grid_s))
    offset_s = (datetime.fromtimestamp(float(grid_s[len(grid_s) // 2]), zone).utcoffset() or timedelta()).total_seconds()
    minute = ((grid_s + offset_s) // 60) % 1440
    for at_s, periods in timed:
        lit = np.zeros(len(grid_s), dtype=bool)
        for on, off in ((minutes_of(a), minutes_of(b)) for a, b in periods):
            lit |= ((minute >= on) & (minute < off)) if on < off else ((minute >= on) | (minute < off))
        out[grid_s >= at_s] = lit[grid_s >= at_s]
    late = np.ones(LATE_STEPS) / LATE_STEPS
    padded = np.concatenate([np.full(LATE_STEPS - 1, out[:48].mean()), out])
    return np.asarray(np.convolve(padded, late, "valid"))


def _switch(grid_s: FloatArray, marks: Sequence[tuple[float, bool]]) -> NDArray[np.bool_]:
    """A switch's state over a grid from its dated changes; off before the first."""
    if not marks:
        return np.zeros(len(grid_s), dtype=bool)
    times = np.array([t for t, _ in marks])
    index = np.searchsorted(times, grid_s, side="right") - 1
    return np.where(index >= 0, np.array([on for _, on in marks])[np.maximum(index, 0)], False)


#: A mat that lifts the soil less than this share of what its set-point asks is idle: unplugged, off or broken; judged where it
#: asks
#: for so many degrees over the air at least. Source: starting_estimate.
IDLE_SHARE, IDLE_ASKS_C = 0.25, 4.0


@dataclass(frozen=True)
class IdleMat:
    """A mat that is on by the record and warms nothing."""

    mat: str
    setpoint_c: float
    air_c: float


def mat_without_lift(journal: Journal, batch: Batch, events: Sequence[Event], at_s: float, soil_c: float) -> IdleMat | None:
    """The mat under a batch, where it should be warming the soil and does not: soil as cold as the air, far under the set-point.

    `soil_c` the mean of the last days. None without a set-point or an air reading of the last three days. Source:
    starting_estimate.
    """
    state = room_at(journal, events, at_s)
    here = state.trays.get(tray_of(batch, events, at_s) or "")
    mat = state.mats.get(here.mat) if here and here.mat else None
    if here is None or mat is None or mat.setpoint_c is None or not mat.on:
        return None
    room = next((p.room for p in journal.places if p.id == here.place), None)
    near = [
        float(known.value.mean())
        for where in (here.tray, here.place, room)
        for s in journal.series
        if s.quantity == "air_temperature" and s.place == where
        and len((known := s.only((s.at_s > at_s - 3 * DAY_S) & (s.at_s <= at_s))).at_s)
    ]  # fmt: skip
    if not near:
        return None
    asked_c = mat.setpoint_c - near[0]
    lifted_c = soil_c - near[0]
    return IdleMat(mat.mat, mat.setpoint_c, near[0]) if asked_c >= IDLE_ASKS_C and lifted_c < IDLE_SHARE * asked_c else None
