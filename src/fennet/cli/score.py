"""`./fennet score`: how well the forecast's ranges hold over simulated rooms, whose truth is known."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

import numpy as np

from fennet.core.crop import Crop
from fennet.core.forecast import forecast
from fennet.core.records import Batch, Journal
from fennet.journal.reader import read_journal
from fennet.simulated_room.attic_seed import attic_waits
from fennet.simulated_room.season import drawn_room, germinating_room

BATCHES_A_ROOM, SOWN_DAYS_AGO, EVERY_D = 4, 32.0, 2.0
DAY_S = 86_400.0
#: What a tray of the attic may suffer from that its own readings show.
FORESEEN = frozenset(("cold_soil", "hot_soil", "weak_seed"))
Draw = Callable[[int, dict[str, list[float]]], dict[str, Any]]


def score(rooms: int, first_seed: int = 1) -> int:
    """Print coverage and width of the 80 % ranges, asked every other day while half was not yet up: in rooms as growers
    germinate in,
    and in corners of any warmth."""
    end = datetime(2026, 3, 20, 12, tzinfo=UTC)
    print("rooms as growers germinate in")
    _score(rooms, first_seed, end, lambda seed, truths: germinating_room(seed, BATCHES_A_ROOM, end, truths, SOWN_DAYS_AGO))
    print("corners of any warmth, mats or none")
    _score(
        rooms, first_seed, end, lambda seed, truths: drawn_room(seed, BATCHES_A_ROOM, SOWN_DAYS_AGO, end, truths, SOWN_DAYS_AGO)
    )
    for odd, name in ((0, "half looked at"), (1, "half held back")):
        print(f"the attic, {name}")
        n = rooms * BATCHES_A_ROOM
        _score_attic(range(2 - odd, 2 * n + 2 - odd, 2))
    return 0


@dataclass
class WaitScore:
    """What came of forecasts asked while half was not yet up."""

    held: list[bool] = field(default_factory=list)
    widths_d: list[float] = field(default_factory=list)
    errors_d: list[float] = field(default_factory=list)
    final_held: list[bool] = field(default_factory=list)
    final_off: list[float] = field(default_factory=list)
    silent: int = 0

    def ask(self, journal: Journal, crop: Crop, batch: Batch, at_s: float, half_s: float, final: int) -> None:
        f = forecast(journal, crop, batch, at_s)
        if f.half_up is None or f.final_count is None:
            self.silent += 1
            return
        self.held.append(f.half_up.p10 <= half_s <= f.half_up.p90)
        self.widths_d.append((f.half_up.p90 - f.half_up.p10) / DAY_S)
        self.errors_d.append(abs(f.half_up.p50 - half_s) / DAY_S)
        self.final_held.append(f.final_count.p10 <= final <= f.final_count.p90)
        self.final_off.append((f.final_count.p50 - final) / f.counts.of)

    def tell(self, of: str) -> None:
        print(f"{of}, forecasts before half was up {len(self.held)}, with nothing expected {self.silent}")
        print(f"half up inside its 80 % range: {np.mean(self.held):.0%}")
        print(
            f"width of that range, median: {np.median(self.widths_d):.1f} days; "
            f"error of the middle, median: {np.median(self.errors_d):.1f} days"
        )
        print(
            f"final count inside its 80 % range: {np.mean(self.final_held):.0%}; "
            f"its middle is off by {np.mean(self.final_off):+.0%} of what was sown"
        )


def _score_attic(seeds: Iterable[int]) -> None:
    out, sound = WaitScore(), WaitScore()
    for seed in seeds:
        drawn, come_s, ills = attic_waits(seed)
        read = read_journal(drawn)
        journal = read.with_series()
        batch = journal.batches[0]
        come = sorted(t for t in come_s if math.isfinite(t))
        if not come:
            continue
        half_s = come[math.ceil(len(come) / 2) - 1]
        last_s = max(float(s.at_s[-1]) for s in journal.series) if journal.series else 0.0
        at_s = batch.sown_at.timestamp() + EVERY_D * DAY_S
        while at_s < min(half_s, last_s):
            for score in (out, sound) if set(ills) <= FORESEEN else (out,):
                score.ask(journal, read.crops.get(batch.crop), batch, at_s, half_s, len(come))
            at_s += EVERY_D * DAY_S
    out.tell(f"trays {len(list(seeds))}, whatever ails them")
    sound.tell("of these the trays whose record shows all that ails them")


def _score(rooms: int, first_seed: int, end: datetime, draw: Draw) -> int:
    out = WaitScore()
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
                out.ask(journal, read.crops.get(batch.crop), batch, at_s, half_s, len(come))
                at_s += EVERY_D * DAY_S
    out.tell(f"rooms {rooms}")
    return 0
