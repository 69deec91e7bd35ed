"""Handlers of the thermostat's door."""

from __future__ import annotations

from typing import Any

from flask import jsonify, request

from fennet.core.history import standing
from fennet.core.room import room_at
from fennet.core.tuning.guards import HOLD_S, may_heat
from fennet.operations import doors
from fennet.operations.planning import hashed
from fennet.storage import queries
from fennet.web import asking

LONGEST = 4000
#: Beyond this, either way, a figure is no temperature of a tray, °C.
MOST_C = 200.0


def thermostat() -> Any:
    """A thermostat reports itself and is told what to hold and for how long; without another answer by then it goes off."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    door = queries.thermostat_of(asking.reading(), hashed(token)) if scheme.lower() == "bearer" and token else None
    if door is None:
        return jsonify({"error": "no such token"}), 401
    if request.mimetype != "application/json":
        return jsonify({"error": "accepted: application/json"}), 415
    if (request.content_length or 0) > LONGEST:
        return jsonify({"error": f"accepted: up to {LONGEST} bytes"}), 413
    said = request.get_json(silent=True)
    if not isinstance(said, dict):
        return jsonify({"error": "accepted: one JSON object"}), 400
    probe = said.get("probe_c")
    # A figure that no probe can show is none: it may be of any size, or no number at all.
    probe_c = None
    if isinstance(probe, int | float) and not isinstance(probe, bool) and abs(probe) <= MOST_C:
        probe_c = float(probe)
    ref, mat = door
    now = asking.now()
    c = asking.reading()
    journal = queries.things_record(c, ref)
    state = room_at(journal, standing(queries.events(c, ref.id), now.timestamp()), now.timestamp()).mats.get(mat)
    setpoint_c = state.setpoint_c if state is not None else None
    heat, why = may_heat(setpoint_c, state is not None and state.on and bool(state.trays), probe_c)
    report = {"probe_c": probe_c, "heating": said.get("heating") is True, "why": str(said.get("why") or "")[:80],
              "simulated": said.get("simulated") is True}  # fmt: skip
    doors.heard(asking.engine(), hashed(token), report, now)
    return jsonify(
        {
            "format": "fennet-thermostat",
            "version": 1,
            "mat": mat,
            "heat": heat,
            "setpoint_c": setpoint_c if heat else None,
            "hold_s": HOLD_S,
            "why": why,
        }
    )
