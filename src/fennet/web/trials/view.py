"""What the pages of trials show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.trials.power import Needed
from fennet.core.trials.result import Result
from fennet.presentation.formatter import Formatter
from fennet.presentation.trials import DIFFERS_WORDS, MEASURE_WORDS, figure_words, needed_words, result_words, spoiled_words
from fennet.web.workings import WorkingView, working_view

MARKS = "ABCDEF"


@dataclass(frozen=True)
class SideLine:
    mark: str
    name: str
    up: str
    figure: str
    batches: Sequence[str]


@dataclass(frozen=True)
class TrialView:
    id: str
    name: str
    asked: str
    words: Sequence[str]
    spoiled: Sequence[str]
    sides: Sequence[SideLine]
    sown: bool
    needed: str
    workings: Sequence[WorkingView]


def trial_view(r: Result, crop: str, needed: Needed | None, fmt: Formatter) -> TrialView:
    t = r.trial
    asked = f"{crop}: {MEASURE_WORDS[t.measure]}, by {DIFFERS_WORDS[t.differs]}"
    if t.made_at is not None:
        asked += f"; marked on {fmt.day(t.made_at)}"
    groups = {g.name: g for g in t.groups}
    sides = [
        SideLine(MARKS[i], s.name, f"{s.up} of {s.of}" if s.of else "", figure_words(t.measure, s.middle, fmt) if s.of else "",
                 groups[s.name].batches) for i, s in enumerate(r.sides)
    ]  # fmt: skip
    sheets = [w for w in (r.working, needed.working if needed is not None else None) if w is not None]
    return TrialView(
        t.id, t.name, asked, result_words(r, fmt), [spoiled_words(key, of) for key, of in r.spoiled if key != "not_sown"], sides,
        all(g.batches for g in t.groups), needed_words(needed, t, fmt),
        [working_view(f"w-trial-{i}", w, fmt) for i, w in enumerate(sheets)],
    )  # fmt: skip
