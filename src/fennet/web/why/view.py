"""What Why shows: the verdict, the days shared out, causes with what speaks, the check, the remedies."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.diagnosis.finding import Finding, Remedy
from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.history import counts_of, ended_s
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import tray_of
from fennet.telling.diagnosis import CAUSE_NAMES, CAUTIONS, OUTCOMES, cause_words, check_words, remedy_words, verdict_words
from fennet.telling.speech import Speech
from fennet.web import answers
from fennet.web.found import found
from fennet.web.tray.shares import Share, delay_shares, delay_words
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view, working_views

#: Sown longer ago than this a batch is no longer asked about.
LOOKS_BACK_S = 150 * DAY_S


@dataclass(frozen=True)
class Line:
    """One batch in the list: its verdict and what its main cause is."""

    batch: str
    tray: str
    name: str
    verdict: str
    cause: str
    share: str


@dataclass(frozen=True)
class WhyIndex:
    slow: list[Line]
    unsure: list[Line]
    well: list[Line]


@dataclass(frozen=True)
class CauseView:
    key: str
    name: str
    share: str
    width: float
    cells: str
    speaks_for: list[str]
    against: list[str]
    missing: list[str]


@dataclass(frozen=True)
class CheckView:
    what: str
    do: str
    because: str
    outcomes: list[tuple[str, str]]


@dataclass(frozen=True)
class RemedyView:
    do: str
    effect: str
    by: str
    caution: str
    tune: bool


@dataclass(frozen=True)
class WhyView:
    batch: Batch
    name: str
    tray: str
    facts: str
    verdict: str
    state: str
    slow: bool
    causes: list[CauseView]
    others: list[CauseView]
    check: CheckView | None
    remedies: list[RemedyView]
    look_again: str
    shares: list[Share]
    delay: str
    workings: list[WorkingView]
    ended: str


def _waited_for(journal: Journal, events: list[Event], at_s: float) -> list[Batch]:
    return [
        b
        for b in journal.batches
        if 0 <= at_s - b.sown_at.timestamp() < LOOKS_BACK_S
        and ended_s(b, events) is None
        and counts_of(b, events).up < counts_of(b, events).of
    ]


def index_view(journal: Journal, events: list[Event], at_s: float, garden_id: int, say: Speech) -> WhyIndex:
    """Slow batches by how sure it is, those that cannot be told, and the rest by what is expected."""
    slow: list[Line] = []
    unsure: list[Line] = []
    well: list[Line] = []
    table = answers.table_for(journal)
    told = [f for b in _waited_for(journal, events, at_s) for f in found(journal, b, events, at_s, garden_id)]
    for f in sorted(told, key=lambda f: -f.present):
        main = f.main
        line = Line(
            f.batch.id,
            tray_of(f.batch, events, at_s) or "",
            batch_name(f.batch, table.get(f.batch.crop).name),
            verdict_words(f, say),
            CAUSE_NAMES[main.cause] if main else "",
            say.percent(main.share) if main else "",
        )
        (unsure if f.state == "cannot_tell" else slow if f.present >= 0.5 else well).append(line)
    return WhyIndex(slow, unsure, well)


def why_view(journal: Journal, batch: Batch, events: list[Event], at_s: float, garden_id: int, say: Speech) -> WhyView:
    """One batch argued."""
    table = answers.table_for(journal)
    name = batch_name(batch, table.get(batch.crop).name)
    tray = tray_of(batch, events, at_s) or ""
    facts = f"sown {say.day(batch.sown_at)}, day {int((at_s - batch.sown_at.timestamp()) // DAY_S)}"
    forecast = answers.answer(journal, batch, at_s, garden_id)
    told = found(journal, batch, events, at_s, garden_id)
    if not told:
        up = counts_of(batch, events)
        ended = "All of it is up: nothing is slow." if up.up >= up.of else "It has ended: nobody waits for more."
        return WhyView(batch, name, tray, facts, "", "", False, [], [], None, [], "", [], "", [], ended)
    f = told[0]
    views = [_cause(c.cause, f, say) for c in f.causes]
    shares, delay = _delay(forecast, say)
    workings = [working_view(f"w-{batch.id}-{k}".replace(".", "-"), w, say) for k, w in f.workings.items()]
    if forecast is not None and "delay_days" in forecast.workings:
        workings.append(working_views(forecast, say)["delay_days"])
    return WhyView(
        batch,
        name,
        tray,
        facts,
        verdict_words(f, say),
        f.state,
        f.present >= 0.5,
        [v for v, c in zip(views, f.causes, strict=True) if c.share >= 0.05 or c.cells >= 0.5],
        [v for v, c in zip(views, f.causes, strict=True) if not (c.share >= 0.05 or c.cells >= 0.5)],
        _check(f, say),
        [_remedy(r, say) for r in f.remedies],
        say.day(f.look_again_s) if f.look_again_s else "",
        shares,
        delay,
        workings,
        "",
    )


def _check(f: Finding, say: Speech) -> CheckView | None:
    words = check_words(f, say)
    if words is None or f.next_check is None:
        return None
    return CheckView(f.next_check.witness, words[0], words[1], list(OUTCOMES[f.next_check.witness].items()))


def _remedy(r: Remedy, say: Speech) -> RemedyView:
    do, effect = remedy_words(r, say)
    tune = r.deed in ("warm_soil", "cool_soil") and bool(r.figures.get("mat"))
    return RemedyView(do, effect, say.day(r.by_s) if r.by_s else "", CAUTIONS.get(r.deed, ""), tune)


def _cause(cause: str, f: Finding, say: Speech) -> CauseView:
    c = next(c for c in f.causes if c.cause == cause)
    words = cause_words(c, say)
    cells = f"without it about {say.number(c.cells)} more would be up by now" if c.cells >= 0.3 else ""
    return CauseView(
        c.cause,
        CAUSE_NAMES[c.cause],
        say.percent(c.share),
        round(c.share * 100, 1),
        cells,
        words["for"],
        words["against"],
        words["missing"],
    )


def _delay(f: Forecast | None, say: Speech) -> tuple[list[Share], str]:
    if f is None or not f.delay_days:
        return [], ""
    return delay_shares(f, say), delay_words(f, say)
