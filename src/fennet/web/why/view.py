"""What Why shows: each complaint's verdict, what it is shared out among, causes with what speaks, the check, the remedies."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import partial

from fennet.answering.answers import Answers
from fennet.core.diagnosis.finding import DampingFigures, Finding, Remedy
from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.history import counts_of, ended_s
from fennet.core.records import Batch, Event
from fennet.core.room import tray_of
from fennet.core.stages import ENDED
from fennet.crops import CropTable
from fennet.presentation.diagnosis import CAUSE_NAMES, CAUTIONS, OUTCOMES, cause_words, check_words, remedy_words, verdict_words
from fennet.presentation.formatter import Formatter
from fennet.presentation.sowing import came_words
from fennet.web import answers
from fennet.web.parts import Untold, part, untold
from fennet.web.tray.shares import Share, delay_shares, delay_words
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view, working_views

#: Sown longer ago than this a batch is no longer asked about.
LOOKS_BACK_S = 150 * DAY_S
COMPLAINT_WORDS = {
    "slow_germination": "Coming up", "leggy": "Height", "damping_off": "Damping off", "other": "Signs",
}  # fmt: skip
GIVEN = {
    "slow_germination": "it is slow", "leggy": "they are long and thin", "damping_off": "it is damping off", 
    "other": "something is wrong",
}  # fmt: skip
#: Where a remedy is carried out: the view, and what the way there is called.
MATS, LAMPS, FEED = ("tune.mats", "Tune it"), ("tune.lamps", "Tune it"), ("care.feed", "Feed")
CARRIED_OUT = {
    "warm_soil": MATS, "cool_soil": MATS, "tune_lamp": LAMPS, "less_light": LAMPS, "raise_lamp": LAMPS, "feed_quarter": FEED,
}  # fmt: skip


@dataclass(frozen=True)
class Line:
    """One finding in the list: its batch and its verdict."""

    batch: str
    tray: str
    name: str
    verdict: str


@dataclass(frozen=True)
class WhyIndex:
    ill: list[tuple[str, list[Line]]]
    unsure: list[Line]
    well: list[Line]
    untold: list[Untold]


@dataclass(frozen=True)
class CauseView:
    key: str
    name: str
    share: str
    width: float
    part: str
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
    there: tuple[str, str] | None


@dataclass(frozen=True)
class FindingView:
    """One complaint of a batch, ready to show."""

    complaint: str
    title: str
    verdict: str
    state: str
    ill: bool
    given: str
    causes: list[CauseView]
    others: list[CauseView]
    check: CheckView | None
    remedies: list[RemedyView]
    look_again: str
    shares: list[Share]
    shared: str
    working: WorkingView | None
    shared_working: WorkingView | None
    fell: list[tuple[int, int, str]]
    fell_words: str


@dataclass(frozen=True)
class WhyView:
    batch: Batch
    name: str
    tray: str
    facts: str
    findings: list[FindingView]
    workings: list[WorkingView]
    ended: str
    alive: bool
    untold: list[Untold]


def index_view(a: Answers, fmt: Formatter) -> WhyIndex:
    """What is wrong by complaint, the surest first; what cannot be told; and a line for each batch that is well."""
    ill: dict[str, list[Line]] = {}
    unsure: list[Line] = []
    well: list[Line] = []
    table, events, at_s = a.table, a.events, a.at_s
    # Nobody asks why of what was sown long ago.
    alive = [b for b in a.living if at_s - b.sown_at.timestamp() < LOOKS_BACK_S]
    told = [f for b in alive for f in answers.findings(a, b)]
    grave = {f.batch.id for f in told if f.present >= 0.5 or f.state == "warned"}
    for f in sorted(told, key=lambda f: -f.present):
        line = part(f"the line of {f.batch.id}", partial(_line, f, table, events, at_s, fmt), None, f.batch.id, light=True)
        if line is None:
            continue
        if f.present >= 0.5 or f.state == "warned":
            ill.setdefault(f.complaint, []).append(line)
        elif f.state == "cannot_tell":
            unsure.append(line)
        elif f.batch.id not in grave and all(x.batch != f.batch.id for x in well):
            well.append(line)
    order = ("damping_off", "slow_germination", "leggy", "other")
    missing = untold((b.id, batch_name(b, table.get(b.crop).name)) for b in alive)
    return WhyIndex([(COMPLAINT_WORDS[c], ill[c]) for c in order if c in ill], unsure, well, missing)


def _line(f: Finding, table: CropTable, events: list[Event], at_s: float, fmt: Formatter) -> Line:
    name = batch_name(f.batch, table.get(f.batch.crop).name)
    return Line(f.batch.id, tray_of(f.batch, events, at_s) or "", name, verdict_words(f, fmt))


def why_view(a: Answers, batch: Batch, fmt: Formatter) -> WhyView:
    """One batch argued."""
    table, events, at_s = a.table, a.events, a.at_s
    name = batch_name(batch, table.get(batch.crop).name)
    tray = tray_of(batch, events, at_s) or ""
    facts = f"{came_words(batch)} {fmt.day(batch.sown_at)}, day {int((at_s - batch.sown_at.timestamp()) // DAY_S)}"
    alive = a.stages[batch.id] not in ENDED
    told = answers.findings(a, batch)
    forecast = answers.forecast(a, batch)
    # What is wrong stands first; of what is not, what was asked about.
    told = sorted(told, key=lambda f: (f.present < 0.5 and f.state != "warned", -f.present))
    made = [part(f"the finding on {f.batch.id}", partial(_finding, f, forecast, fmt), None, f.batch.id, light=True) for f in told]
    views = [v for v in made if v is not None]
    missing = untold([(batch.id, name)])
    ended = ""
    if not told and not missing:
        up = counts_of(batch, events)
        ended = "Nothing on record speaks of trouble."
        if up.up >= up.of:
            ended = "All of it is up: nothing is slow, and nothing on record speaks of trouble."
        elif ended_s(batch, events) is not None:
            ended = "It has ended: nobody waits for more."
    workings = [w for v in views for w in (v.working, v.shared_working) if w is not None]
    return WhyView(batch, name, tray, facts, views, workings, ended, alive, missing)


def _finding(f: Finding, forecast: Forecast | None, fmt: Formatter) -> FindingView:
    views = [_cause(c.cause, f, fmt) for c in f.causes]
    likely = [c.share >= 0.05 or c.cells >= 0.5 for c in f.causes]
    prefix = f"w-{f.batch.id}-{f.complaint}"
    told = {k: working_view(f"{prefix}-{k}".replace(".", "-"), w, fmt) for k, w in f.workings.items()}
    shares: list[Share] = []
    shared, shared_working = "", None
    if f.complaint == "slow_germination" and forecast is not None and forecast.delay_days:
        shares, shared = delay_shares(forecast, fmt), delay_words(forecast, fmt)
        if "delay_days" in forecast.workings:
            shared_working = working_views(forecast, fmt)["delay_days"]
    elif f.complaint in ("leggy", "damping_off") and f.present >= 0.25:
        shares, shared = _parts(f, fmt)
        shared_working = told.get("stretch") or told.get("risk")
    ill = f.present >= 0.5 or f.state == "warned"
    return FindingView(
        f.complaint, COMPLAINT_WORDS[f.complaint], verdict_words(f, fmt), f.state, ill, GIVEN[f.complaint],
        [v for v, x in zip(views, likely, strict=True) if x], [v for v, x in zip(views, likely, strict=True) if not x],
        check_view(f, fmt), [_remedy(r, fmt) for r in f.remedies], fmt.day(f.look_again_s) if f.look_again_s and ill else "",
        shares, shared, told.get("present"), shared_working, *_fell(f),
    )  # fmt: skip


CELL = re.compile(r"r(\d+)c(\d+)")


def _fell(f: Finding) -> tuple[list[tuple[int, int, str]], str]:
    """The batch's cells from above as (row, column, day it fell on or nothing), and the same in words."""
    days = f.figures.fell_on if isinstance(f.figures, DampingFigures) else {}
    if not days or not f.batch.cell_list:
        return [], ""
    cells = [(int(m[1]), int(m[2]), str(days.get(c, ""))) for c in f.batch.cell_list if (m := CELL.fullmatch(c))]
    by_day: dict[int, list[str]] = {}
    for cell, day in days.items():
        by_day.setdefault(day, []).append(cell)
    words = "; ".join(f"day {day}: {', '.join(found)}" for day, found in sorted(by_day.items()))
    return cells, words


def _parts(f: Finding, fmt: Formatter) -> tuple[list[Share], str]:
    """What multiplies a height or a risk, as a bar: each cause's factor by its logarithm."""
    logs = {c.cause: math.log(c.ratio) for c in f.causes if c.ratio is not None and c.ratio > 1.03}
    whole = sum(logs.values())
    if not logs:
        return [], ""
    out, x = [], 0.0
    for cause, size in sorted(logs.items(), key=lambda item: -item[1]):
        width = size / whole * 1000
        out.append(
            Share(cause, CAUSE_NAMES[cause], f"{fmt.number(math.exp(size), 2)} times", round(x, 1), round(width, 1), False)
        )
        x += width
    what = "What lengthened them" if f.complaint == "leggy" else "What raised the risk"
    return out, what


def check_view(f: Finding, fmt: Formatter) -> CheckView | None:
    words = check_words(f, fmt)
    if words is None or f.next_check is None:
        return None
    return CheckView(f.next_check.witness, words[0], words[1], list(OUTCOMES.get(f.next_check.witness, {}).items()))


def _remedy(r: Remedy, fmt: Formatter) -> RemedyView:
    do, effect = remedy_words(r, fmt)
    there = CARRIED_OUT.get(r.action)
    if there == MATS and not r.mat:
        there = None
    by = fmt.day(r.by_s) if r.by_s else ""
    return RemedyView(do, effect, "" if by in do else by, CAUTIONS.get(r.action, ""), there)


def _cause(cause: str, f: Finding, fmt: Formatter) -> CauseView:
    c = next(c for c in f.causes if c.cause == cause)
    words = cause_words(c, fmt)
    part = f"without it about {fmt.number(c.cells)} more would be up by now" if c.cells >= 0.3 else ""
    if c.ratio is not None and c.ratio > 1.03:
        what = "height" if f.complaint == "leggy" else "risk"
        part = f"{what} times {fmt.number(c.ratio, 2)}"
    return CauseView(
        c.cause, CAUSE_NAMES[c.cause], fmt.percent(c.share), round(c.share * 100, 1), part, words["for"], words["against"],
        words["missing"],
    )  # fmt: skip
