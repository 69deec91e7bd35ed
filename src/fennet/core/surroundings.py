"""Figures worked out from what is around a tray: soil against air, lamp to leaf, the window, humidity."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from fennet.core.conditions import STALE_S
from fennet.core.lighting.window import WindowLight, window_light
from fennet.core.records import Batch, Event, Journal, Series, Tray
from fennet.core.room import USUAL_TRAY_HEIGHT_MM, RoomState, canopy_mm, leaf_distance_mm
from fennet.core.working import Input, Working

FRESH_S = STALE_S["soil_temperature"]


@dataclass(frozen=True)
class Derived:
    """One derived figure: which (soil_over_air °C, lamp_to_leaf mm, window mol m⁻² d⁻¹, humidity %), of what, and its working."""

    what: str
    of: str
    value: float
    working: Working
    #: The light of the window, where it is of one.
    window: WindowLight | None = None


def surroundings(
    journal: Journal, tray: Tray, state: RoomState, batches: Sequence[Batch], events: Sequence[Event], at_s: float
) -> list[Derived]:
    """The derived figures of a tray at a moment, from readings of the last twelve hours: the tray's, its place's, its room's.

    `events` are effective events. Source: arithmetic.
    """
    out: list[Derived] = []
    here = state.trays[tray.id]
    room = next((p.room for p in journal.places if p.id == here.place), None)
    places = [n for n in (tray.id, *(b.id for b in batches), here.place, room) if n]
    soil, air = (_fresh(journal, q, places, at_s) for q in ("soil_temperature", "air_temperature"))
    holds = "readings of the last twelve hours"
    if soil is not None and air is not None:
        soil_c, air_c = float(soil.value[-1]), float(air.value[-1])
        read = (
            Input("soil", round(soil_c, 1), "°C", f"last reading, {soil.place}"),
            Input("air", round(air_c, 1), "°C", f"last reading, {air.place}"),
        )
        working = Working("soil against air", read, "soil − air", ("arithmetic",), holds)
        out.append(Derived("soil_over_air", tray.id, soil_c - air_c, working))
    for lamp in state.over(here.place):
        canopy = canopy_mm(batches, events, at_s, journal.series)
        gap_mm = leaf_distance_mm(lamp.height_mm, tray, canopy)
        if gap_mm is None or lamp.height_mm is None:
            continue
        tray_mm, guessed = tray.height_mm or USUAL_TRAY_HEIGHT_MM, tray.height_mm is None
        measured = (
            Input("height over the place", lamp.height_mm, "mm", "as logged"),
            Input("tray", tray_mm, "mm", "not given" if guessed else "", guessed),
            Input("tallest plants", canopy or 0.0, "mm", "last height logged" if canopy else "no height logged"),
        )
        formula = "height − tray − plants"
        working = Working("lamp to leaf", measured, formula, ("arithmetic",), "plants as last measured", round(gap_mm), "mm")
        out.append(Derived("lamp_to_leaf", lamp.lamp, gap_mm, working))
    stands = next((p for p in journal.places if p.id == here.place), None)
    if stands is not None and stands.kind == "sill":
        day = datetime.fromtimestamp(at_s, journal.garden.zone).date()
        window = window_light(journal.garden, stands, day)
        if window is not None:
            out.append(Derived("window", stands.id, window.mol, window.working, window))
    humid = _fresh(journal, "humidity", places, at_s)
    if humid is not None:
        humidity_pct = float(humid.value[-1])
        figure = Input("humidity", round(humidity_pct), "%", f"last reading, {humid.place}")
        working = Working("humidity", (figure,), "the last reading", ("growers_rule",), holds)
        out.append(Derived("humidity", humid.place, humidity_pct, working))
    return out


def _fresh(journal: Journal, quantity: str, places: Sequence[str], at_s: float) -> Series | None:
    """The nearest series of a quantity with a reading of the last twelve hours."""
    for place in places:
        for series in journal.series:
            if series.quantity == quantity and series.place == place:
                known = series.until(at_s)
                if len(known.at_s) and at_s - float(known.at_s[-1]) <= FRESH_S:
                    return known
    return None
