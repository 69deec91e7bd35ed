"""What the score page shows: by kind how many ranges held, and the latest promises with what came of them."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.scoring import OF_TIMES, Score, ScoredPromise, scores
from fennet.core.working import Interval
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import ppfd_words

KINDS = {
    "half_up": "when half are up", "mat_soil": "soil after a mat was set", "lamp_light": "light after a lamp was set",
    "first_pick": "the first pick or flower after planting",
}  # fmt: skip
OUTCOMES = {
    "hit": "held", "early": "came earlier", "late": "came later", "under": "stayed under", "over": "went over",
    "open": "still open",
    "void": "cannot be marked",
}  # fmt: skip
WHY_VOID = {
    "no_batch": "its batch is gone", "all_lost": "all of it was lost", "none_came": "none came up",
    "undone": "the entry it was based on was undone",
    "changed_before": "the mat was changed before it was due", "not_read": "the soil was hardly read on that day",
    "moved_before": "the lamp was moved before its light was read", "not_read_light": "the light was not read in ten days",
}  # fmt: skip
SHOWN = 60


@dataclass(frozen=True)
class ScoreLine:
    kind: str
    words: str
    note: str


@dataclass(frozen=True)
class MarkLine:
    made: str
    kind: str
    subject: str
    promised: str
    actual: str
    outcome: str
    hit: bool


@dataclass(frozen=True)
class ScoreView:
    lines: list[ScoreLine]
    marks: list[MarkLine]
    more: int


def score_view(found: list[ScoredPromise], fmt: Formatter) -> ScoreView:
    lines = [_line(s, fmt) for s in scores(found)]
    shown = sorted(found, key=lambda m: (m.outcome == "open", -m.made_s))[:SHOWN]
    return ScoreView(lines, [_mark(m, fmt) for m in shown], len(found) - len(shown))


def _line(s: Score, fmt: Formatter) -> ScoreLine:
    if s.share is None:
        return ScoreLine(KINDS[s.kind], f"none marked yet, {s.open} open", "")
    sides = ("earlier", "later") if s.kind in OF_TIMES else ("under it", "over it")
    width = ""
    if s.width is not None:
        size = (
            fmt.days(s.width)
            if s.kind in OF_TIMES
            else ppfd_words(s.width, fmt)
            if s.kind == "lamp_light"
            else fmt.temperature_span(s.width)
        )
        width = f"; half the ranges were narrower than {size}"
    words = f"{s.held} of {s.marked} ranges held, {fmt.percent(s.share)}; {s.below} {sides[0]}, {s.above} {sides[1]}{width}"
    note = "Eight in ten should hold." if s.marked >= 10 else "Too few yet to judge by."
    return ScoreLine(KINDS[s.kind], words, f"{note} {s.open} still open." if s.open else note)


def _mark(m: ScoredPromise, fmt: Formatter) -> MarkLine:
    if m.kind in OF_TIMES:
        promised = fmt.day_range(Interval(m.low, m.middle, m.high))
        actual = fmt.day(m.actual) if m.actual is not None else ""
    elif m.kind == "lamp_light":
        promised = f"{fmt.number(m.low, 0)}–{ppfd_words(m.high, fmt)}"
        actual = ppfd_words(m.actual, fmt) if m.actual is not None else ""
    else:
        promised = f"{fmt.temperature(m.low, unit=False)}–{fmt.temperature(m.high)}"
        actual = fmt.temperature(m.actual) if m.actual is not None else ""
    outcome = OUTCOMES[m.outcome] + (f": {WHY_VOID[m.why]}" if m.why else "")
    return MarkLine(fmt.day(m.made_s), KINDS[m.kind], m.subject, promised, actual, outcome, m.outcome == "hit")
