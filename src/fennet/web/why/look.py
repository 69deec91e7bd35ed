"""Look at it: one sign picked, then two to five short questions, the rest from the record."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.answering.answers import Answers
from fennet.core.diagnosis.finding import Finding
from fennet.core.records import Batch
from fennet.core.room import tray_of
from fennet.presentation.diagnosis import CHECKS, OUTCOMES
from fennet.presentation.entries import SIGN_WORDS
from fennet.web import answers
from fennet.web.trays.view import batch_name
from fennet.web.why.drawn import GROUPS, SIGNS
from fennet.web.why.drawn import OUTCOMES as DRAWN

#: Questions asked at most.
MOST_QUESTIONS = 5
#: Complaints a sign bears on are asked about first.
FIRST = ("damping_off", "other", "leggy", "slow_germination")


@dataclass(frozen=True)
class Picture:
    value: str
    words: str
    paths: list[tuple[str, str]]


@dataclass(frozen=True)
class Question:
    what: str
    do: str
    outcomes: list[Picture]
    number: int
    skipped: str


@dataclass(frozen=True)
class LookView:
    batch: Batch
    name: str
    tray: str
    groups: list[tuple[str, list[Picture]]]
    question: Question | None


def look_view(a: Answers, batch: Batch, asked: int, skipped: tuple[str, ...]) -> LookView:
    """The picker of signs at first, then the next question. `asked` how many were put, `skipped` what nobody could tell."""
    name = batch_name(batch, a.table.get(batch.crop).name)
    tray = tray_of(batch, a.events, a.at_s) or ""
    question = next_question(answers.findings(a, batch), asked, skipped) if asked else None
    groups = [(title, [Picture(s, SIGN_WORDS[s], SIGNS[s]) for s in signs]) for title, signs in GROUPS] if not asked else []
    return LookView(batch, name, tray, groups, question)


def next_question(told: list[Finding], asked: int, skipped: tuple[str, ...]) -> Question | None:
    """The look that settles most of what is open, over every complaint that something speaks of; None when there is none."""
    if asked > MOST_QUESTIONS:
        return None
    open_ones = [f for f in told if f.present >= 0.3 or f.state in ("cannot_tell", "warned")]
    checks = [
        (c.bits * max(f.present, 0.3), c.witness)
        for f in sorted(open_ones, key=lambda f: FIRST.index(f.complaint))
        for c in f.checks
        if c.witness not in skipped and c.witness in OUTCOMES
    ]
    if not checks:
        return None
    what = max(checks)[1]
    outcomes = [Picture(o, words, DRAWN.get((what, o), [])) for o, words in OUTCOMES[what].items()]
    return Question(what, CHECKS[what], outcomes, asked, ",".join([*skipped, what]))
