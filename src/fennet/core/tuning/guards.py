"""What forbids a new set-point: a thermometer that is silent, stuck, or reads the air; a figure beyond the cap.

A real thermostat needs these as much as a simulated one: heat driven by a probe that lies in the open has no end.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fennet.core.exposure import HOUR_S
from fennet.core.heat_mat import IDLE_ASKS_C, IDLE_SHARE
from fennet.core.records import Event, Journal
from fennet.core.room import room_at
from fennet.core.tuning.mat_fit import air_over
from fennet.core.tuning.mats import CAP_C, CEILING_C, LEAST_SETPOINT_C

#: A soil thermometer is silent after so long, h: looked at by hand twice a day it still speaks. Source: growers_rule.
SILENT_H = 14.0
#: So many readings over so long without the least change are a stuck probe. Source: starting_estimate.
STUCK_READINGS, STUCK_H = 10, 6.0


def forbidden(
    journal: Journal, mat: str, setpoint_c: float, events: Sequence[Event], at_s: float, ceiling_c: float = CEILING_C
) -> list[tuple[str, str]]:
    """Why a mat may not be set so: pairs of (reason, tray). Reasons: over_cap, over_ceiling, under_least, silent, stuck,
    reads_air.

    `ceiling_c` what the kinds on it stand at most.

    Only raising heat is forbidden by a probe; turning it down never is. `events` are effective events. Source: growers_rule.
    """
    if setpoint_c > CAP_C:
        return [("over_cap", "")]
    if setpoint_c > ceiling_c:
        return [("over_ceiling", "")]
    if setpoint_c < LEAST_SETPOINT_C:
        return [("under_least", "")]
    state = room_at(journal, events, at_s)
    now = state.mats[mat]
    if now.setpoint_c is not None and setpoint_c <= now.setpoint_c:
        return []
    out = []
    for tray in now.trays:
        soil = [s.until(at_s) for s in journal.series if s.quantity == "soil_temperature" and s.place == tray]
        soil = [s for s in soil if len(s.at_s)]
        last = max((float(s.at_s[-1]) for s in soil), default=None)
        if last is None or at_s - last > SILENT_H * HOUR_S:
            out.append(("silent", tray))
            continue
        newest = max(soil, key=lambda s: float(s.at_s[-1]))
        recent = newest.only(newest.at_s > at_s - STUCK_H * HOUR_S)
        if len(recent.at_s) >= STUCK_READINGS and float(np.ptp(recent.value)) == 0.0:
            out.append(("stuck", tray))
        air = air_over(journal, tray, events, np.array([at_s]))
        if now.setpoint_c is not None and now.on and not np.isnan(air[0]):
            asked_c, lifted_c = now.setpoint_c - float(air[0]), float(newest.value[-1]) - float(air[0])
            if asked_c >= IDLE_ASKS_C and lifted_c < IDLE_SHARE * asked_c:
                out.append(("reads_air", tray))
    return out


#: What the door says holds so long; a thermostat that hears nothing more goes off. Source: growers_rule.
HOLD_S = 1800.0
#: A lamp goes on as told for so long without another answer: a night's outage does not darken a day, s. Source: growers_rule.
TIMER_HOLD_S = 12 * 3600.0
#: Over this no probe in seed mix reads rightly, or something is on fire, °C. Source: growers_rule.
TOO_HOT_C = 40.0


def may_heat(setpoint_c: float | None, on: bool, probe_c: float | None) -> tuple[bool, str]:
    """Whether a thermostat may heat now, and why not. Range: a set-point that a person confirmed. Source: growers_rule.

    >>> may_heat(24.0, True, 19.5), may_heat(24.0, True, None)
    ((True, ''), (False, 'probe silent'))
    """
    if not on:
        return False, "switched off, or no tray on it"
    if setpoint_c is None:
        return False, "no set-point was confirmed"
    if setpoint_c > CAP_C:
        return False, "set-point over the cap"
    if probe_c is None:
        return False, "probe silent"
    if probe_c >= TOO_HOT_C:
        return False, "too hot"
    return True, ""
