"""`./fennet score --mats N`: whether a proposed set-point brings the soil where it should, in drawn rooms whose truth is
known."""

from __future__ import annotations

from fennet.core.tuning.mats import SHORT_BY_C, tune_mats
from fennet.journal.reader import read_journal
from fennet.simulated_room.mats import draw_mat


def score_mats(n: int, first: int = 1) -> tuple[int, int, int, int, int]:
    """Of `n` drawn mats: how many can reach the band, how many were brought there in one step, how many cannot, how many were
    told so,
    and how often the 80 % range held. Odd seeds, the half held back; `first` 2 for the half looked at."""
    reach = hit = cannot = told = held = 0
    for seed in range(first, first + 2 * n, 2):
        case = draw_mat(seed)
        read = read_journal(case.journal)
        journal = read.with_series()
        crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
        s = tune_mats(journal, crops, case.at.timestamp())[0]
        if s.setpoint_c is None or s.middle_c is None or s.expect_soil_c is None:
            continue
        got_c = case.outcome_c(s.setpoint_c)
        held += s.expect_soil_c.p10 <= got_c <= s.expect_soil_c.p90
        if case.most_c() >= s.middle_c - SHORT_BY_C:
            reach += 1
            hit += abs(got_c - s.middle_c) <= SHORT_BY_C
        else:
            cannot += 1
            told += s.flat_out
    return reach, hit, cannot, told, held


def score_tune(n: int) -> int:
    """Print the score of both halves."""
    for name, first in (("half looked at", 2), ("half held back", 1)):
        reach, hit, cannot, told, held = score_mats(n, first)
        within, said = hit / max(reach, 1), told / max(cannot, 1)
        print(f"{name}: {reach} mats can reach the band, {within:.0%} within {SHORT_BY_C} °C of its middle in one step")
        print(f"  {cannot} cannot, {said:.0%} told so; the 80 % range of the soil held in {held / n:.0%}")
    return 0
