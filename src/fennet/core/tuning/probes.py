"""Whether the thermometers of trays on a mat can be gone by: silent, stuck, too hot to be soil, or reading the room while the mat
is said to heat.

A real thermostat needs these as much as a simulated one: heat driven by a probe that lies in the open has no end.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.exposure import HOUR_S, soil_series
from fennet.core.heat_mat import IDLE_ASKS_C, IDLE_SHARE
from fennet.core.probes import fallen_out, stuck
from fennet.core.records import Event, Journal, Series, is_logger
from fennet.core.room import MatState
from fennet.core.tuning.mat_fit import air_over

#: A logger is silent after so long, h; what was read by hand speaks for three days. Source: growers_rule.
SILENT_H, BY_HAND_H = 14.0, 72.0
#: A mat has shown what it does so long after it was set, h (two of its longest time constants). Source: starting_estimate.
SHOWN_AFTER_H = 8.0
#: Where no air is read: soil so far under its set-point, and no warmer than a lived-in room, °C, may as well be unheated. Source:
#: starting_estimate.
FAR_UNDER_C, ROOM_AT_MOST_C = 6.0, 22.0
#: Over this no figure is seed mix, °C: a slip of °F, or a probe on the mat itself. Source: growers_rule.
NO_SOIL_C = 45.0


@dataclass(frozen=True)
class ProbeFault:
    """What is wrong with a tray's thermometer: `reason` silent, stuck, reads_air or no_soil; the figure it last gave, °C."""

    reason: str
    tray: str
    last_c: float | None = None


def probe_faults(journal: Journal, mat: MatState, events: Sequence[Event], at_s: float) -> list[ProbeFault]:
    """What forbids going by the thermometers of the trays on a mat at a moment (seconds UTC), one fault a tray at most. A tray
    that was never read has none: the mat's own thermostat is all there is. `events` are effective events. Source: growers_rule,
    starting_estimate."""
    found = (_fault(journal, mat, tray, events, at_s) for tray in mat.trays)
    return [f for f in found if f is not None]


def _fault(journal: Journal, mat: MatState, tray: str, events: Sequence[Event], at_s: float) -> ProbeFault | None:
    newest = max(soil_series(journal, tray, events, at_s), key=lambda s: float(s.at_s[-1]), default=None)
    if newest is None:
        return None
    last_s, last_c = float(newest.at_s[-1]), float(newest.value[-1])
    logged = is_logger(newest, {s.id: s.kind for s in journal.sources})
    if at_s - last_s > (SILENT_H if logged else BY_HAND_H) * HOUR_S:
        return ProbeFault("silent", tray, last_c)
    if last_c > NO_SOIL_C:
        return ProbeFault("no_soil", tray, last_c)
    if stuck(newest, at_s) is not None:
        return ProbeFault("stuck", tray, last_c)
    if fallen_out(newest, at_s) is not None:
        return ProbeFault("reads_air", tray, last_c)
    return ProbeFault("reads_air", tray, last_c) if _unwarmed(journal, mat, tray, newest, events, at_s) else None


def _unwarmed(journal: Journal, mat: MatState, tray: str, soil: Series, events: Sequence[Event], at_s: float) -> bool:
    """Whether soil stands as a room would have it though its mat is set well above: a dead mat, a plug, a probe in the open."""
    if mat.setpoint_c is None or not mat.on:
        return False
    set_s = max((e.at_s for e in events if e.kind == "mat" and e.fields["mat"] == mat.mat and e.at_s <= at_s), default=at_s)
    from_s = max(set_s + SHOWN_AFTER_H * HOUR_S / 2, at_s - SILENT_H * HOUR_S)
    seen = soil.only(soil.at_s >= from_s)
    if at_s - set_s < SHOWN_AFTER_H * HOUR_S or not len(seen.at_s):
        return False
    soil_c = float(seen.value.mean())
    air = air_over(journal, tray, events, np.arange(from_s, at_s + 1.0, HOUR_S))
    if np.isnan(air).all():
        return mat.setpoint_c - soil_c >= FAR_UNDER_C and soil_c <= ROOM_AT_MOST_C
    air_c = float(np.nanmean(air))
    asked_c = mat.setpoint_c - air_c
    return asked_c >= IDLE_ASKS_C and soil_c - air_c < IDLE_SHARE * asked_c
