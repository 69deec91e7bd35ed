"""Setting a device: what a person confirmed is logged, guarded, and kept as a promise to be marked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Any

from fennet.core.light import clock_of
from fennet.core.records import Event, Journal
from fennet.core.scoring import LAMP_LIGHT, MAT_SOIL
from fennet.core.targets import LONGEST_DAY_H
from fennet.core.tuning.guards import forbidden
from fennet.core.tuning.mats import CAP_C, CEILING_C, LEAST_SETPOINT_C
from fennet.core.working import Interval
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import check_action
from fennet.operations.logging import write_events
from fennet.operations.promises import keep_setting

#: Light is read again within so long after a lamp was set, or its promise cannot be marked.
READ_WITHIN = timedelta(days=10)
#: A set mat is looked at over the second day after it was set.
MARK_FROM, MARK_TO = timedelta(days=1), timedelta(days=2)
REASONS = {
    "over_cap": f"{CAP_C:g} °C is the limit: no seed needs more.",
    "over_ceiling": "Nothing on this mat can take more than {ceiling}.",
    "under_least": f"A set-point is {LEAST_SETPOINT_C:g} °C or more.",
    "silent": "Nothing has read the soil of {tray} for over half a day: heat is not raised while its probe is silent.",
    "stuck": "The probe in {tray} has not moved for hours: heat is not raised while it may be stuck.",
    "no_soil": "The probe in {tray} shows more than any soil reaches: was it in °F, or is it touching the mat?",
    "reads_air": "The probe in {tray} reads like the air: see that it lies in the mix and the mat is plugged in.",
}


def set_mat(
    w: WriteContext,
    journal: Journal,
    events: Sequence[Event],
    mat: str,
    setpoint_c: float,
    promised: Mapping[str, Interval[float]],
    ceiling_c: float = CEILING_C,
) -> Event:
    """Log a mat's new set-point and, for each tray, promise the soil it should bring over the second day. One transaction.

    `journal` and `events` are the record as it stands, `promised` tray → mean soil in °C. Raises Refusal where a guard forbids
    it.
    """
    why_not = (
        forbidden(journal, mat, setpoint_c, events, w.now.timestamp(), ceiling_c)
        if any(m.id == mat for m in journal.mats)
        else []
    )
    if why_not:
        reason, tray = why_not[0]
        raise Refusal(REASONS[reason].format(tray=tray, ceiling=f"{ceiling_c:g} °C"), "setpoint_c", f"{setpoint_c:g}")
    fields: dict[str, Any] = {"mat": mat, "setpoint_c": setpoint_c}
    check_action(w, "mat", fields, w.now)
    made = write_events(w, [("mat", fields, w.now)])[0]
    for tray, soil in promised.items():
        due = (w.now + MARK_FROM, w.now + MARK_TO)
        keep_setting(w, MAT_SOIL, made, tray, mat, due, soil, 2, unit="degC", setpoint_c=setpoint_c)
    return made


def set_lamp(
    w: WriteContext,
    lamp: str,
    height_mm: float,
    on_min: int,
    hours: float,
    nearest_mm: float | None,
    promised: Mapping[str, Interval[float]],
) -> Event:
    """Log a lamp's new height and hours, and promise the brightness at each tray's leaves (tray → PPFD). One transaction.

    `nearest_mm` the lowest it may hang over its place, by the safe distance over the tallest leaves. Raises Refusal.
    """
    if nearest_mm is not None and height_mm < nearest_mm - 0.5:
        raise Refusal(
            f"{height_mm:g} mm is too near: over the tallest leaves {lamp} may hang at {nearest_mm:g} mm and higher.",
            "height_mm", f"{height_mm:g}",
        )  # fmt: skip
    if not 0 < height_mm <= MOST_HEIGHT_MM:
        raise Refusal(
            f"{height_mm:g} mm is not a height of a lamp; accepted: up to {MOST_HEIGHT_MM:g}.", "height_mm", f"{height_mm:g}"
        )
    if not 1 <= hours <= LONGEST_DAY_H:
        raise Refusal(f"{hours:g} hours; accepted: 1 to {LONGEST_DAY_H:g}: seedlings need a night.", "hours", f"{hours:g}")
    off_min = round(on_min + 60 * hours) % 1440
    fields: dict[str, Any] = {
        "lamp": lamp, "height_mm": round(height_mm, 1), "on": clock_of(on_min), "off": clock_of(off_min),
    }  # fmt: skip
    check_action(w, "lamp", fields, w.now)
    made = write_events(w, [("lamp", fields, w.now)])[0]
    for tray, ppfd in promised.items():
        keep_setting(w, LAMP_LIGHT, made, tray, lamp, (w.now, w.now + READ_WITHIN), ppfd, 1, unit="umol/m2/s")
    return made


#: No lamp of a grow-room hangs higher over its place, mm.
MOST_HEIGHT_MM = 3000.0
