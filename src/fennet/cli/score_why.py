"""`./fennet score --why N`: how often the true cause is named, over drawn trays whose truth is known."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise

from fennet.core.diagnosis.findings import findings
from fennet.crops.complaints import shipped_complaints
from fennet.journal.reader import read_journal
from fennet.simulated_room.attic_seed import attic_slow
from fennet.simulated_room.simulated_faults import CARELESS, KEEN, WELL_UNDER, Told, tell

#: What would be said by one who always says the same.
ALWAYS = "cold_soil"
Draw = Callable[[int, tuple[float, float]], Told]
EDGES = (0.0, 0.05, 0.2, 0.4, 0.6, 0.8, 0.95, 1.0001)


@dataclass
class WhyScore:
    """What came of one half of the drawn trays."""

    ill: int = 0
    first: int = 0
    second: int = 0
    seen: int = 0
    always: int = 0
    well: int = 0
    alone: int = 0
    shares: list[tuple[float, bool]] = field(default_factory=list)

    def line(self, name: str) -> str:
        ill, well = max(self.ill, 1), max(self.well, 1)
        return (
            f"{name:28} {self.ill:4} ill: true cause first {self.first / ill:.0%}, in the first two {self.second / ill:.0%}, "
            f"seen as slow {self.seen / ill:.0%} (always {ALWAYS}: {self.always / ill:.0%}); "
            f"{self.well:4} well: left alone {self.alone / well:.0%}"
        )

    def calibration(self) -> list[str]:
        """Shares said against how often they were true."""
        out = []
        for low, high in pairwise(EDGES):
            inside = [(s, t) for s, t in self.shares if low <= s < high]
            if inside:
                said, true = (math.fsum(x[i] for x in inside) / len(inside) for i in (0, 1))
                out.append(f"  said {low:.0%}–{min(high, 1):.0%}: {len(inside):5} times, on average {said:.0%}, true {true:.0%}")
        return out


def score_half(n: int, held: bool, noting: tuple[float, float] = KEEN, draw: Draw = tell) -> WhyScore:
    """Score `n` drawn trays: the half that weights may be looked at on (even seeds), or the half held back (odd seeds)."""
    out = WhyScore()
    for seed in range(1 if held else 2, 2 * n + (1 if held else 2), 2):
        told = draw(seed, noting)
        read = read_journal(told.journal)
        journal = read.with_series()
        crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
        batch = next(b for b in journal.batches if b.id == "b1")
        every = findings(journal, crops, shipped_complaints(), batch, told.at.timestamp())
        found = next((f for f in every if f.complaint == "slow_germination"), None)
        present, order = (found.present, [c.cause for c in found.causes]) if found else (0.0, [])
        if told.main is not None:
            out.ill += 1
            out.first += order[:1] == [told.main]
            out.second += told.main in order[:2]
            out.seen += present >= 0.5
            out.always += told.main == ALWAYS
            out.shares += [(c.share, c.cause == told.main) for c in found.causes] if found else []
        elif told.missing < WELL_UNDER:
            out.well += 1
            out.alone += present < 0.5
    return out


def score_why(n: int) -> int:
    """Print the score of both halves, and of people who note little."""
    seen, held = score_half(n, False), score_half(n, True)
    print(seen.line("half looked at"))
    print(held.line("half held back"))
    print("shares said, held back:")
    print("\n".join(held.calibration()))
    print(score_half(n, True, CARELESS).line("held back, hardly noted"))
    for is_held, name in ((False, "attic, half looked at"), (True, "attic, half held back")):
        attic = score_half(n, is_held, KEEN, attic_slow)
        print(attic.line(name))
    print("shares said in the attic, held back:")
    print("\n".join(attic.calibration()))
    return 0
