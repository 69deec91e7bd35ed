"""What is read around a tray and worked out from it: soil against air, lamp to leaf, humidity."""

from __future__ import annotations

from fennet.core.conditions import STALE_S
from fennet.core.records import Batch, Event, Journal, Series, Tray
from fennet.core.room import USUAL_TRAY_HEIGHT_MM, RoomState, canopy_mm, leaf_distance_mm
from fennet.core.working import Input, Working
from fennet.telling.speech import Speech
from fennet.web.workings import WorkingView, working_view


def around(
    whole: Journal, tray: Tray, state: RoomState, batches: list[Batch], events: list[Event], now_s: float, say: Speech
) -> list[tuple[str, str, WorkingView]]:
    """Derived figures of a tray: name, words, and how each was worked out."""
    out: list[tuple[str, str, WorkingView]] = []
    here = state.trays[tray.id]
    room = next((p.room for p in whole.places if p.id == here.place), None)
    names = [tray.id, *(b.id for b in batches), here.place, room]
    places = [n for n in names if n]

    inputs: tuple[Input, ...]

    def add(name: str, words: str, working: Working) -> None:
        out.append((name, words, working_view(f"w-around-{name.replace(' ', '-')}", working, say)))

    soil, air = (_last(whole, q, places, now_s) for q in ("soil_temperature", "air_temperature"))
    if soil is not None and air is not None:
        span = float(soil.value[-1] - air.value[-1])
        inputs = (
            Input("soil", round(float(soil.value[-1]), 1), "°C", f"last reading, {soil.place}"),
            Input("air", round(float(air.value[-1]), 1), "°C", f"last reading, {air.place}"),
        )
        words = f"{say.temperature_span(abs(span))} {'warmer' if span >= 0 else 'colder'} than the air"
        add(
            "soil", words, Working("soil against air", inputs, "soil − air", ("arithmetic",), "readings of the last twelve hours")
        )
    for lamp in state.over(here.place):
        canopy = canopy_mm(batches, events, now_s, whole.series)
        gap = leaf_distance_mm(lamp.height_mm, tray, canopy)
        if gap is not None and lamp.height_mm is not None:
            inputs = (
                Input("height over the place", lamp.height_mm, "mm", "as logged"),
                Input(
                    "tray",
                    tray.height_mm or USUAL_TRAY_HEIGHT_MM,
                    "mm",
                    "" if tray.height_mm else "not given",
                    not tray.height_mm,
                ),
                Input("tallest plants", canopy or 0.0, "mm", "last height logged" if canopy else "no height logged"),
            )
            holds = "plants as last measured"
            working = Working("lamp to leaf", inputs, "height − tray − plants", ("arithmetic",), holds, round(gap), "mm")
            add(f"{lamp.lamp} to leaf", say.length(gap), working)
    humid = _last(whole, "humidity", places, now_s)
    if humid is not None:
        inputs = (Input("humidity", round(float(humid.value[-1])), "%", f"last reading, {humid.place}"),)
        working = Working("humidity", inputs, "the last reading", ("growers_rule",), "readings of the last twelve hours")
        add("air humidity", f"{say.number(float(humid.value[-1]), 0)} %", working)
    return out


def _last(whole: Journal, quantity: str, places: list[str], now_s: float) -> Series | None:
    """The nearest series of a quantity with a fresh reading: the tray's, else its place's, else the room's."""
    for place in places:
        for series in whole.series:
            if series.quantity == quantity and series.place == place:
                known = series.until(now_s)
                if len(known.at_s) and now_s - float(known.at_s[-1]) <= STALE_S["soil_temperature"]:
                    return known
    return None
