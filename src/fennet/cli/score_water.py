"""`./fennet score --water N`: how near the forecast of the next watering comes, over drawn trays weighed for three cycles."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.drying import dry_down
from fennet.core.history import effective_events
from fennet.journal.reader import read_journal
from fennet.simulated_room.waterings import TRIGGER_PCT, draw_watering

#: Near enough: half a day, or this part of the interval.
HALF_DAY, PART = 0.5, 0.15


@dataclass
class WaterScore:
    n: int = 0
    near: int = 0
    held: int = 0
    days: float = 0.0

    def line(self, name: str) -> str:
        n = max(self.n, 1)
        return (
            f"{name}: {self.n} cycles of {self.days / n:.1f} days: within half a day or 15 % {self.near / n:.0%}, "
            f"80 % range held {self.held / n:.0%}"
        )


def score_water(n: int, held: bool) -> WaterScore:
    """Score `n` drawn trays: the half looked at (even seeds) or the half held back (odd seeds)."""
    out = WaterScore()
    for seed in range(1 if held else 2, 2 * n + (1 if held else 2), 2):
        case = draw_watering(seed)
        journal = read_journal(case.journal).with_series()
        at_s = case.at.timestamp()
        loss = dry_down(journal, "T", effective_events(journal.events, at_s), at_s)
        last = max((s for s in journal.series if s.quantity == "moisture"), key=lambda s: float(s.at_s[-1]))
        days = loss.days_to(float(last.value[-1]), TRIGGER_PCT)
        out.n += 1
        out.days += case.true_days
        out.near += abs(days.p50 - case.true_days) <= max(HALF_DAY, PART * case.true_days)
        out.held += days.p10 <= case.true_days <= days.p90
    return out


def print_water(n: int) -> int:
    """Print the score of both halves."""
    for held, name in ((False, "half looked at"), (True, "half held back")):
        print(score_water(n, held).line(name))
    return 0
