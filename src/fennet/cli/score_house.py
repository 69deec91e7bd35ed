"""`./fennet score --house N`: forecasts and days to give up where nobody owns a thermometer, in simulated house trays."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, datetime
from typing import NamedTuple

import numpy as np

from fennet.core.crop import Crop
from fennet.core.forecast import forecast
from fennet.core.records import Batch, Journal
from fennet.journal.reader import read_journal
from fennet.simulated_room.season import germinating_room

DAY_S = 86_400.0
BATCHES_A_ROOM, SOWN_DAYS_AGO = 4, 75.0
#: A house people live in, °C; and what is asked of it: a window that holds in eight of ten, hardly ever given up too soon.
HOUSE_C = (15.0, 22.0)


class Tray(NamedTuple):
    """One tray: whether its half came in the window told on its first day, and how wide that was, d; whether it was given up by
    the stated day while something was still to come; and whether anything ever came."""

    held: bool | None
    width_d: float
    given_up_wrongly: bool
    came: bool


def trays(seeds: range) -> list[Tray]:
    """Trays of rooms whose readings are taken away; counts stay."""
    end = datetime(2026, 3, 20, 12, tzinfo=UTC)
    out = []
    for seed in seeds:
        truths: dict[str, list[float]] = {}
        read = read_journal(germinating_room(seed, BATCHES_A_ROOM, end, truths, SOWN_DAYS_AGO, HOUSE_C))
        journal = replace(read.journal, series=[])
        for batch in journal.batches:
            come = sorted(t for t in truths[batch.id] if math.isfinite(t))
            out.append(_tray(journal, read.crops.get(batch.crop), batch, come, end.timestamp()))
    return out


def _tray(journal: Journal, crop: Crop, batch: Batch, come: list[float], end_s: float) -> Tray:
    sown_s = batch.sown_at.timestamp()
    first = forecast(journal, crop, batch, sown_s + 0.5 * DAY_S).half_up
    held, width_d = None, float("nan")
    if come and first is not None:
        half_s = come[math.ceil(len(come) / 2) - 1]
        held, width_d = first.p10 <= half_s <= first.p90, (first.p90 - first.p10) / DAY_S
    given_up_s = None
    at_s = sown_s + 3 * DAY_S
    while at_s < min(come[0] if come else end_s, end_s):
        f = forecast(journal, crop, batch, at_s)
        if f.call_it_s is not None and f.call_it_s <= at_s:
            given_up_s = at_s
            break
        at_s += 2 * DAY_S
    return Tray(held, width_d, given_up_s is not None and bool(come), bool(come))


def score_house(n: int) -> int:
    for half, first in (("looked at", 0), ("held back", 1)):
        found = trays(range(first, 2 * n, 2))
        held = [t.held for t in found if t.held is not None]
        wrong = [t.given_up_wrongly for t in found if t.came]
        print(
            f"half {half}: {len(found)} trays without a reading; half up inside the window told on the first day in "
            f"{np.mean(held):.0%}, which is {np.nanmedian([t.width_d for t in found]):.0f} days wide in the middle case; given "
            f"up by the stated day while more was to come in {np.mean(wrong):.1%}"
        )
    return 0
