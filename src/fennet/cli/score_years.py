"""`./fennet score --years N`: what three seasons of one house are worth, over simulated houses whose truth is known."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np

from fennet.answering.answers import Answers
from fennet.answering.memo import Memo, Shelf
from fennet.core.bearing import record_at
from fennet.core.exposure import DAY_S
from fennet.core.forecast import forecast
from fennet.core.records import Journal
from fennet.journal.reader import read_journal
from fennet.simulated_room.years import SEASONS, house_of_years

#: Each batch is asked about two days after sowing and every so many days until half of it is up.
FIRST_D, EVERY_D = 2.0, 4.0


@dataclass
class SeasonScore:
    """What came of the forecasts of one season: half up inside its range; how wide that was and how far its middle was off, as
    parts of the wait."""

    held: list[bool] = field(default_factory=list)
    widths: list[float] = field(default_factory=list)
    errors: list[float] = field(default_factory=list)
    final_held: list[bool] = field(default_factory=list)

    def line(self, season: int) -> str:
        return (
            f"  season {season + 1}: {len(self.held)} forecasts, half up inside its range {np.mean(self.held):.0%}, "
            f"{np.mean(self.widths):.2f} of the wait wide, middle off by {np.mean(self.errors):.0%}; "
            f"final count inside {np.mean(self.final_held):.0%}"
        )


def score_seasons(seeds: Iterable[int], odd: bool, learns: bool = True) -> list[SeasonScore]:
    """The forecasts of every season of drawn houses; as if nothing were learned where `learns` is false."""
    out = [SeasonScore() for _ in range(SEASONS)]
    for seed in seeds:
        house = house_of_years(seed, odd)
        j = kept(read_journal(house.journal).with_series())
        batches = {b.id: b for b in j.batches}
        for s in house.sown:
            come = np.sort(s.come_s[np.isfinite(s.come_s)])
            half_s = come[math.ceil(len(come) / 2) - 1] if len(come) else 0.0
            for at_s in np.arange(s.sown_s + FIRST_D * DAY_S, half_s, EVERY_D * DAY_S):
                a = Answers(record_at(j, float(at_s)), float(at_s), exactly=True)
                b = batches[s.id]
                f = a.forecast(b) if learns else forecast(a.record.soil(b).journal, a.table.get(b.crop), b, float(at_s))
                if f is None or f.half_up is None or f.final_count is None:
                    continue
                wait_s, score = half_s - s.sown_s, out[s.season]
                score.held.append(bool(f.half_up.p10 <= half_s <= f.half_up.p90))
                score.widths.append((f.half_up.p90 - f.half_up.p10) / wait_s)
                score.errors.append(abs(f.half_up.p50 - half_s) / wait_s)
                score.final_held.append(f.final_count.p10 <= len(come) <= f.final_count.p90)
    return out


def kept(journal: Journal) -> Journal:
    """A journal nobody writes to: what its batches share is worked out once."""
    numbered = [replace(s, revision=i) for i, s in enumerate(journal.series)]
    return replace(journal, series=numbered, revision="drawn", keeps=Shelf(Memo(), "drawn"))


def print_years(n: int) -> int:
    """Print what seasons are worth: plain ones, with an odd one between, and had nothing been learned."""
    gains = {}
    for name, odd, learns in (
        ("as learned", False, True),
        ("the second season odd", True, True),
        ("nothing learned", False, False),
    ):
        found = score_seasons(range(1, n + 1), odd, learns)
        gains[name] = 1.0 - float(np.mean(found[-1].widths)) / float(np.mean(found[0].widths))
        print(f"{name}, {n} houses")
        print("\n".join(s.line(i) for i, s in enumerate(found)))
        print(f"  the third season's ranges are narrower than the first's by {gains[name]:.0%}")
    lost = 1.0 - gains["the second season odd"] / gains["as learned"]
    print(f"an odd second season costs the third {max(0.0, lost):.0%} of that")
    return 0
