"""What the score page shows: by kind how many ranges held, and the latest promises with what came of them."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.scoring import Mark, Score, scores
from fennet.core.working import Interval
from fennet.telling.lamps import ppfd_words
from fennet.telling.speech import Speech

KINDS = {"half_up": "when half are up", "mat_soil": "soil after a mat was set", "lamp_light": "light after a lamp was set"}
OUTCOMES = {
    "hit": "held", "early": "came earlier", "late": "came later", "under": "stayed under", "over": "went over",
    "open": "still open",
    "void": "cannot be marked",
}  # fmt: skip
WHY_VOID = {
    "no_batch": "its batch is gone", "none_came": "none came up", "undone": "the setting was undone",
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


def score_view(found: list[Mark], say: Speech) -> ScoreView:
    lines = [_line(s, say) for s in scores(found)]
    shown = sorted(found, key=lambda m: (m.outcome == "open", -m.made_s))[:SHOWN]
    return ScoreView(lines, [_mark(m, say) for m in shown], len(found) - len(shown))


def _line(s: Score, say: Speech) -> ScoreLine:
    if s.share is None:
        return ScoreLine(KINDS[s.kind], f"none marked yet, {s.open} open", "")
    sides = ("earlier", "later") if s.kind == "half_up" else ("under it", "over it")
    width = ""
    if s.width is not None:
        size = (
            say.days(s.width)
            if s.kind == "half_up"
            else ppfd_words(s.width, say)
            if s.kind == "lamp_light"
            else say.temperature_span(s.width)
        )
        width = f"; half the ranges were narrower than {size}"
    words = f"{s.held} of {s.marked} ranges held, {say.percent(s.share)}; {s.below} {sides[0]}, {s.above} {sides[1]}{width}"
    note = "Eight in ten should hold." if s.marked >= 10 else "Too few yet to judge by."
    return ScoreLine(KINDS[s.kind], words, f"{note} {s.open} still open." if s.open else note)


def _mark(m: Mark, say: Speech) -> MarkLine:
    if m.kind == "half_up":
        promised = say.day_range(Interval(m.low, m.middle, m.high))
        actual = say.day(m.actual) if m.actual is not None else ""
    elif m.kind == "lamp_light":
        promised = f"{say.number(m.low, 0)}–{ppfd_words(m.high, say)}"
        actual = ppfd_words(m.actual, say) if m.actual is not None else ""
    else:
        promised = f"{say.temperature(m.low, unit=False)}–{say.temperature(m.high)}"
        actual = say.temperature(m.actual) if m.actual is not None else ""
    outcome = OUTCOMES[m.outcome] + (f": {WHY_VOID[m.why]}" if m.why else "")
    return MarkLine(say.day(m.made_s), KINDS[m.kind], m.subject, promised, actual, outcome, m.outcome == "hit")
