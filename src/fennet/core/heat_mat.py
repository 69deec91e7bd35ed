"""What a heat mat adds to the soil, as far as a forecast from air readings needs it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from fennet.core.records import Event, FloatArray

#: What a mat flat out adds over air, bare and under a cover. Source: starting_estimate (8–12 bare, 10–16 covered).
LIFT_BARE_C, LIFT_COVERED_C = 10.0, 13.0


def soil_from_air(air_c: FloatArray, grid_s: FloatArray, tray: str, events: Sequence[Event]) -> FloatArray:
    """Soil temperature guessed from air and what the mat under the tray was set to, °C on the same grid.

    Without a mat soil is taken as air. With one it is driven to the set-point as far as the mat can lift, or lifted in
    full where no set-point is known. Range: still rooms, steady weather; ± 2 °C. Source: starting_estimate.
    """
    covered = _switch(
        grid_s,
        [(e.at.timestamp(), e.fields.get("on") is True) for e in events if e.kind == "cover" and e.fields.get("tray") == tray],
    )
    mats = [e for e in events if e.kind == "mat"]
    on_mat = _switch(grid_s, [(e.at.timestamp(), e.fields.get("on") is not False) for e in mats if e.fields.get("tray") == tray])
    under = {e.fields["mat"] for e in mats if e.fields.get("tray") == tray}
    points = [
        (e.at.timestamp(), float(e.fields["setpoint_c"])) for e in mats if e.fields["mat"] in under and "setpoint_c" in e.fields
    ]
    lift = np.where(covered, LIFT_COVERED_C, LIFT_BARE_C)
    if points:
        times = np.array([t for t, _ in points])
        index = np.searchsorted(times, grid_s, side="right") - 1
        setpoint = np.where(index >= 0, np.array([v for _, v in points])[np.maximum(index, 0)], np.inf)
        lift = np.minimum(lift, np.maximum(0.0, setpoint - air_c))
    return air_c + np.where(on_mat, lift, 0.0)


def _switch(grid_s: FloatArray, marks: Sequence[tuple[float, bool]]) -> NDArray[np.bool_]:
    """A switch's state over a grid from its dated changes; off before the first."""
    if not marks:
        return np.zeros(len(grid_s), dtype=bool)
    times = np.array([t for t, _ in marks])
    index = np.searchsorted(times, grid_s, side="right") - 1
    return np.where(index >= 0, np.array([on for _, on in marks])[np.maximum(index, 0)], False)
