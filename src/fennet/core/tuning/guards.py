"""What forbids a new set-point: a thermometer that cannot be gone by, a figure beyond the cap; and when a thermostat may heat."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fennet.core.records import Event, Journal
from fennet.core.room import room_at
from fennet.core.tuning.mats import CAP_C, CEILING_C, LEAST_SETPOINT_C
from fennet.core.tuning.on_mat import waiting_in
from fennet.core.tuning.probes import probe_faults


def forbidden(
    journal: Journal, mat: str, setpoint_c: float, events: Sequence[Event], at_s: float, ceiling_c: float = CEILING_C
) -> list[tuple[str, str]]:
    """Why a mat may not be set so: pairs of (reason, tray). Reasons: over_cap, over_ceiling, under_least, and those of
    `probe_faults`.

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
    # As the tuning does, which proposes by the trays in which something waits.
    waiting = waiting_in(journal, events, at_s)
    told_by = tuple(t for t in now.trays if t in waiting) or now.trays
    return [(f.reason, f.tray) for f in probe_faults(journal, replace(now, trays=told_by), events, at_s)]


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
