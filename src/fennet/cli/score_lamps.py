"""`./fennet score --lamps N`: how near one step brings the daily light, over drawn shelves whose truth is known."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.tuning.lamps import tune_lamps
from fennet.journal.reader import read_journal
from fennet.simulated_room.shelves import draw_shelf


@dataclass
class LampScore:
    """What came of some drawn shelves read so many times each."""

    readings: int
    within: float
    reachable: int = 0
    near: int = 0
    held: int = 0
    far: int = 0
    told: int = 0

    def line(self) -> str:
        can = max(self.reachable, 1)
        return (
            f"{self.readings} readings: {self.reachable} can reach the aim, within {self.within:.0%} in one step "
            f"{self.near / can:.0%}, 80 % range held {self.held / can:.0%}; {self.far} cannot, told {self.told}"
        )


def score_lamps(n: int, readings: int, held: bool) -> LampScore:
    """Score `n` drawn shelves: the half looked at (even seeds) or the half held back (odd seeds)."""
    out = LampScore(readings, 0.12 if readings < 4 else 0.08)
    for seed in range(1 if held else 2, 2 * n + (1 if held else 2), 2):
        case = draw_shelf(seed, readings)
        read = read_journal(case.journal)
        journal = read.with_series()
        crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
        setting = tune_lamps(journal, crops, case.at.timestamp(), case.at.tzinfo)[0]  # type: ignore[arg-type]
        if setting.height_mm is None or setting.hours is None:
            continue
        mol = case.outcome_mol(setting.height_mm, setting.hours)
        if case.most_mol < case.aim_mol:
            out.far += 1
            out.told += not setting.reaches or mol < case.aim_mol
            continue
        out.reachable += 1
        out.near += abs(mol / case.aim_mol - 1) <= out.within
        e = setting.expected[0]
        true = 0.0036 * case.ppfd(setting.height_mm, 0) * setting.hours
        out.held += e.dli.p10 <= true <= e.dli.p90
    return out


def print_lamps(n: int) -> int:
    """Print the score of both halves, from two readings and from four."""
    for held, name in ((False, "half looked at"), (True, "half held back")):
        for readings in (2, 4):
            print(f"{name:16} {score_lamps(n, readings, held).line()}")
    return 0
