"""The derived figures of a tray, told."""

from __future__ import annotations

import math

from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.room import RoomState
from fennet.core.surroundings import Derived, surroundings
from fennet.presentation.formatter import Formatter
from fennet.web.workings import WorkingView, working_view


def surroundings_rows(
    whole: Journal, tray: Tray, state: RoomState, batches: list[Batch], events: list[Event], now_s: float, fmt: Formatter
) -> list[tuple[str, str, WorkingView]]:
    """Name, words and working of each figure."""
    return [
        (*_told(d, fmt), working_view(f"w-beside-{d.what}-{d.of}".replace(".", "-"), d.working, fmt))
        for d in surroundings(whole, tray, state, batches, events, now_s)
    ]


def _told(d: Derived, fmt: Formatter) -> tuple[str, str]:
    if d.what == "soil_over_air":
        return "soil", f"{fmt.temperature_span(abs(d.value))} {'warmer' if d.value >= 0 else 'colder'} than the air"
    if d.what == "lamp_to_leaf":
        return f"{d.of} to leaf", fmt.length(d.value)
    if d.window is not None:
        low, high = (d.value * math.exp(x * 1.2816 * d.window.log_sd) for x in (-1.0, 1.0))
        costs = fmt.days(d.window.dim_week_costs_d())
        return "window", f"about {fmt.number(low)}–{fmt.number(high)} mol a day (estimated); a dim week costs {costs} of growth"
    return "air humidity", f"{fmt.number(d.value, 0)} %"
