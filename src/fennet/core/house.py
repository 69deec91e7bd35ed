"""How warm a tray's mix likely is where nobody reads anything: a house as people live in it, by where the tray stands and what
lies under it. Supposed, never recorded: wide, and told as such."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from fennet.core.exposure import STEPS_A_DAY, SoilRecord, grid_from
from fennet.core.heat_mat import soil_from_air
from fennet.core.history import life_stays, place_stays
from fennet.core.records import Batch, Event, FloatArray, Journal

#: What rooms hold by where a tray stands, mean °C and standard deviation: a shelf or a table, a window sill, a floor, a bag kept
#: somewhere warm, a porch. Source: starting_estimate.
USUAL_C: dict[str | None, tuple[float, float]] = {
    "shelf": (18.5, 1.7), "sill": (17.5, 2.2), "floor": (16.5, 2.2), "bag": (19.5, 2.2), "porch": (10.0, 4.0),
    "outdoors": (9.0, 5.0), None: (18.3, 1.8),
}  # fmt: skip
#: Over a mat whose set-point is known the soil is off by so much; over one that nobody knows, °C. Source: starting_estimate.
SET_SD_C, MAT_SD_C = 1.5, 2.5
#: A mat without a known set-point lifts so much: most are set, or held, short of what they could. Source: starting_estimate.
LIKELY_MOST_C = 26.0


def house_soil(journal: Journal, batch: Batch, events: Sequence[Event], at_s: float) -> SoilRecord:
    """The soil a batch likely lived through, as nobody read it: `basis` house, with no reading, and an error as wide as houses
    differ. `events` are effective events. Source: starting_estimate.

    >>> from datetime import UTC, datetime
    >>> b = Batch(id="b", crop="leek", sown_at=datetime(2026, 2, 3, tzinfo=UTC), cells=4, tray="A")
    >>> soil = house_soil(Journal(batches=[b]), b, [], b.sown_at.timestamp() + 5 * 86_400)
    >>> soil.basis, soil.n_readings, round(soil.mean_c, 1)
    ('house', 0, 18.3)
    """
    grid_s = grid_from(batch.sown_at.timestamp(), at_s)
    air_c, sd_c = _air(journal, batch, events, grid_s)
    soil_c = air_c.copy()
    for i, stay in enumerate(life_stays(journal, batch, events)):
        there = (grid_s >= (stay.from_s if i else 0.0)) & (grid_s < stay.to_s)
        if not there.any():
            continue
        warmed = soil_from_air(air_c[there], grid_s[there], stay.where, events, journal.garden.zone, journal.here)
        on_mat = warmed > air_c[there] + 0.1
        set_known = any(e.kind == "mat" and "setpoint_c" in e.fields for e in events)
        soil_c[there] = np.where(on_mat & (not set_known), np.minimum(warmed, LIKELY_MOST_C), warmed)
        sd_c[there] = np.where(on_mat, SET_SD_C if set_known else MAT_SD_C, sd_c[there])
    pattern_c = np.full(STEPS_A_DAY, float(soil_c[-1]))
    return SoilRecord(grid_s, soil_c, sd_c, pattern_c, "house", "none", 0.0, 0)


def once_read(soil: SoilRecord, sd_c: float) -> SoilRecord:
    """The same soil, had one thermometer stood in it: what a reading would leave in doubt."""
    return replace(soil, sd_c=np.full(len(soil.grid_s), sd_c))


def _air(journal: Journal, batch: Batch, events: Sequence[Event], grid_s: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The air around a batch by the kind of place it stood on, and how far that may be off, °C."""
    kinds = {p.id: p.kind for p in journal.places}
    usual, sd = USUAL_C["bag" if batch.set_up == "towel" else None]
    air_c, sd_c = np.full(len(grid_s), usual), np.full(len(grid_s), sd)
    for tray in life_stays(journal, batch, events):
        for place in place_stays(tray.where, events):
            there = (grid_s >= max(place.from_s, tray.from_s)) & (grid_s < min(place.to_s, tray.to_s))
            air_c[there], sd_c[there] = USUAL_C.get(kinds.get(place.where), USUAL_C[None])
    return air_c, sd_c
