"""`./fennet score`: how well the forecast's ranges hold over simulated rooms, whose truth is known."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import numpy as np

from fennet.core.forecast import forecast
from fennet.journal.reader import read_journal
from fennet.simulated_room.season import drawn_room, germinating_room

BATCHES_A_ROOM, SOWN_DAYS_AGO, EVERY_D = 4, 32.0, 2.0
DAY_S = 86_400.0
Draw = Callable[[int, dict[str, list[float]]], dict[str, Any]]


def score(rooms: int, first_seed: int = 1) -> int:
    """Print coverage and width of the 80 % ranges, asked every other day while half was not yet up: in rooms as growers
    germinate in,
    and in corners of any warmth."""
    end = datetime(2026, 3, 20, 12, tzinfo=UTC)
    print("rooms as growers germinate in")
    _score(rooms, first_seed, end, lambda seed, truths: germinating_room(seed, BATCHES_A_ROOM, end, truths, SOWN_DAYS_AGO))
    print("corners of any warmth, mats or none")
    return _score(
        rooms, first_seed, end, lambda seed, truths: drawn_room(seed, BATCHES_A_ROOM, SOWN_DAYS_AGO, end, truths, SOWN_DAYS_AGO)
    )


def _score(rooms: int, first_seed: int, end: datetime, draw: Draw) -> int:
    held, widths, errors, final_held, silent = [], [], [], [], 0
    for seed in range(first_seed, first_seed + rooms):
        truths: dict[str, list[float]] = {}
        read = read_journal(draw(seed, truths))
        journal = read.with_series()
        for batch in journal.batches:
            come = sorted(t for t in truths[batch.id] if math.isfinite(t))
            if not come:
                continue
            half_s = come[math.ceil(len(come) / 2) - 1]
            at_s = batch.sown_at.timestamp() + EVERY_D * DAY_S
            while at_s < min(half_s, end.timestamp()):
                f = forecast(journal, read.crops.get(batch.crop), batch, at_s)
                if f.half_up is None or f.final_count is None:
                    silent += 1
                else:
                    held.append(f.half_up.p10 <= half_s <= f.half_up.p90)
                    widths.append((f.half_up.p90 - f.half_up.p10) / DAY_S)
                    errors.append(abs(f.half_up.p50 - half_s) / DAY_S)
                    final_held.append(f.final_count.p10 <= len(come) <= f.final_count.p90)
                at_s += EVERY_D * DAY_S
    print(f"rooms {rooms}, forecasts before half was up {len(held)}, with nothing expected {silent}")
    print(f"half up inside its 80 % range: {np.mean(held):.0%}")
    print(f"width of that range, median: {np.median(widths):.1f} days; error of the middle, median: {np.median(errors):.1f} days")
    print(f"final count inside its 80 % range: {np.mean(final_held):.0%}")
    return 0
