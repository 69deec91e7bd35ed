"""What the score page shows: by kind how many ranges held, and the latest promises with what came of them."""

from __future__ import annotations

from dataclasses import dataclass
from zoneinfo import ZoneInfo

from fennet.core.scoring import LEAST_MARKED, OF_EVENTS, OF_TIMES, PARTS, ScoredPromise, TrackRecord, track_record
from fennet.core.working import Interval
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import ppfd_words
from fennet.web.workings import WorkingView, working_view

KINDS = {
    "half_up": "when half are up", "mat_soil": "soil after a mat was set", "lamp_light": "light after a lamp was set",
    "first_pick": "the first pick or flower after planting", "watering": "when a tray wants water",
    "potting": "when it wants potting up", "planting": "the planting day",
    "warning": "warnings of damping off", "outing": "outings as advised, stood well",
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
    "watered_before": "it was watered before it was due", "not_read_moisture": "its moisture was hardly read",
    "ended_before": "it ended before that", "stayed_in": "it stayed in", "stayed_longer": "it stayed out longer than advised",
    "nobody_looked": "nobody wrote how it came back", "not_looked_at": "nobody looked at it in those days",
    "moved_before": "the lamp was moved before its light was read", "not_read_light": "the light was not read in ten days",
}  # fmt: skip
#: What came of what was to happen, or not.
EVENTS = {
    ("warning", "hit"): "some fell", ("warning", "miss"): "none fell", ("outing", "hit"): "stood it well",
    ("outing", "miss"): "came back stressed",
}  # fmt: skip
SHOWN = 60


@dataclass(frozen=True)
class YearLine:
    year: str
    words: str


@dataclass(frozen=True)
class ScoreLine:
    """One kind: the sentence on how sure Fennet is of itself, its figures, years, the parts its outcomes fell into as bars
    (share, expected share, words), and the working."""

    kind: str
    sentence: str
    words: str
    note: str
    years: list[YearLine]
    bars: list[tuple[float, float, str]]
    working: WorkingView | None


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


def score_view(found: list[ScoredPromise], zone: ZoneInfo, fmt: Formatter) -> ScoreView:
    records = track_record(found, zone)
    lines = [_line(r, [y for y in records if y.year is not None and y.score.kind == r.score.kind], fmt)
             for r in records if r.year is None]  # fmt: skip
    shown = sorted(found, key=lambda m: (m.outcome == "open", -m.made_s))[:SHOWN]
    return ScoreView(lines, [mark_line(m, fmt) for m in shown], len(found) - len(shown))


SAYS = {
    "too_few": "Too few yet to tell how sure Fennet may be here.",
    "fair": "Fennet is about as sure as it should be here.",
    "over": "Fennet is too sure of itself here: allow more on both sides than its ranges say.",
    "under": "Fennet is less sure than it could be here: its ranges are wider than they need be.",
}


def _line(r: TrackRecord, years: list[TrackRecord], fmt: Formatter) -> ScoreLine:
    s = r.score
    if s.share is None:
        return ScoreLine(KINDS[s.kind], "", f"none marked yet, {s.open} open", "", [], [], None)
    if s.kind in OF_EVENTS:
        return _event_line(r, years, fmt)
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
    words = f"{_share(r, fmt)}; {s.below} {sides[0]}, {s.above} {sides[1]}{width}"
    note = f"Eight in ten should hold.{f' {s.open} still open.' if s.open else ''}"
    told = [YearLine(str(y.year), _share(y, fmt) if y.score.marked else f"{y.score.open} open") for y in years]
    total = max(1, sum(r.parts))
    names = ("before its range", "first half", "second half", "after its range") if s.kind in OF_TIMES else (
        "under its range", "lower half", "upper half", "over its range")  # fmt: skip
    bars = [(n / total, should, f"{name}: {n} of {total}, should be {fmt.percent(should)}")
            for n, should, name in zip(r.parts, PARTS, names, strict=True)]  # fmt: skip
    return ScoreLine(
        KINDS[s.kind], SAYS[r.says], words, note, told, bars if s.marked >= LEAST_MARKED else [],
        working_view(f"w-score-{s.kind}", r.working, fmt),
    )  # fmt: skip


def _event_line(r: TrackRecord, years: list[TrackRecord], fmt: Formatter) -> ScoreLine:
    """How promises fared that something will, or will not, happen."""
    s = r.score
    if s.kind == "warning":
        sentence = f"After {s.held} of {s.marked} warnings seedlings fell within ten days."
        note = "Who heeds a warning keeps it from coming true, so that no share is asked of it."
    else:
        sentence = f"{s.held} of {s.marked} outings as advised were stood well."
        note = "Nineteen in twenty should be."
    told = [YearLine(str(y.year), f"{y.score.held} of {y.score.marked}") for y in years]
    return ScoreLine(
        KINDS[s.kind], sentence, f"{fmt.percent(s.share or 0.0)} of those marked; {s.open} still open", note, told, [],
        working_view(f"w-score-{s.kind}", r.working, fmt),
    )  # fmt: skip


def _share(r: TrackRecord, fmt: Formatter) -> str:
    s = r.score
    doubt = f" (by luck {round(r.low * 100)} to {fmt.percent(r.high)})" if s.marked < 60 else ""
    return f"{s.held} of {s.marked} ranges held, {fmt.percent(s.share or 0.0)}{doubt}"


def mark_line(m: ScoredPromise, fmt: Formatter) -> MarkLine:
    """One promise and what came of it, as it is shown."""
    if m.kind in OF_EVENTS:
        promised, actual = ("some may fall within ten days" if m.kind == "warning" else "no harm"), ""
    elif m.kind in OF_TIMES:
        promised = fmt.day_range(Interval(m.low, m.middle, m.high))
        actual = fmt.day(m.actual) if m.actual is not None else ""
    elif m.kind == "lamp_light":
        promised = f"{fmt.number(m.low, 0)}–{ppfd_words(m.high, fmt)}"
        actual = ppfd_words(m.actual, fmt) if m.actual is not None else ""
    else:
        promised = f"{fmt.temperature(m.low, unit=False)}–{fmt.temperature(m.high)}"
        actual = fmt.temperature(m.actual) if m.actual is not None else ""
    outcome = (EVENTS.get((m.kind, m.outcome)) or OUTCOMES[m.outcome]) + (f": {WHY_VOID[m.why]}" if m.why else "")
    return MarkLine(fmt.day(m.made_s), KINDS[m.kind], m.subject, promised, actual, outcome, m.outcome == "hit")
