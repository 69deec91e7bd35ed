"""The worklist as Today shows it: rows with their words, what was left until later, and an absence."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta

from fennet.answering.answers import Answers
from fennet.core.away import Ask
from fennet.core.records import Event
from fennet.core.work.figures import MatSet
from fennet.core.work.task import BatchDay, Left, Task, left
from fennet.core.work.worklist import first_and_rest
from fennet.presentation.cautions import CAUTION_WORDS
from fennet.presentation.formatter import Formatter
from fennet.presentation.work import Words, ask_words, minutes_words, task_words, when_words
from fennet.web.parts import Untold

#: Deeds that count as done today.
ACTIONS = frozenset(
    ("watered", "cover", "mat", "count", "lamp", "placed", "moved_to_light", "check", "moved", "thinned", "fed", "potted_up")
)
#: What may be pressed for "leave until": its value, its words and how many days they mean.
LATER = (("tonight", "this evening", 0), ("tomorrow", "tomorrow", 1), ("days3", "in three days", 3), ("week", "in a week", 7))


@dataclass(frozen=True)
class Row:
    """One task as a row of the list."""

    key: str
    when: str
    grave: bool
    tray: str
    batch: str
    words: Words
    of: list[tuple[str, str]]
    mat: str = ""
    setpoint: str = ""
    #: The caution that stands at it, where no earlier row of the list has the same.
    caution: str = ""


@dataclass(frozen=True)
class LeftRow:
    what: str
    until: str
    why: str
    event: str


@dataclass(frozen=True)
class WorkView:
    """Rows to do first, when there is time, and later, what was left, and how long the list takes."""

    now: list[Row]
    rest: list[Row]
    rest_words: str
    later: list[Row]
    notes: list[Row]
    left: list[LeftRow]
    heading: str
    done: str
    untold: list[Untold]


@dataclass(frozen=True)
class AwayView:
    days: int
    until: str
    first: str
    before: list[str]
    tasks: list[Row]
    asks: list[str]
    unknown: list[str]
    untold: list[Untold]


def work_view(
    tasks: list[Task], names: dict[str, str], events: list[Event], at_s: float, fmt: Formatter, today_s: float,
    untold: list[Untold],
) -> WorkView:  # fmt: skip
    """Tasks as rows; what was left until later stands apart. `untold` what could not be worked out and may want doing."""
    put_off = left(events, at_s)
    open_ones = [t for t in tasks if t.key not in put_off]
    due = [t for t in open_ones if t.due_s <= at_s and not t.note]
    first, rest = first_and_rest(due)
    said: set[str] = set()
    now = _once([_row(t, names, at_s, fmt) for t in first], said)
    later = [_row(t, names, at_s, fmt) for t in open_ones if t.due_s > at_s and not t.note]
    notes = [_row(t, names, at_s, fmt) for t in open_ones if t.note]
    gone = [_left_row(t, put_off[t.key], names, fmt) for t in tasks if t.key in put_off]
    done = sum(e.kind in ACTIONS and e.at_s >= today_s for e in events)
    heading, rest_words = "Nothing needs doing now" if not untold else "Some of today’s tasks could not be worked out", ""
    if now:
        number = "One thing" if len(now) == 1 else f"{fmt.small(len(now)).capitalize()} things"
        heading = f"{number}{' first' if rest else ''}, {minutes_words(first, fmt)}"
    if rest:
        rest_words = f"{fmt.small(len(rest)).capitalize()} more when there is time, {minutes_words(rest, fmt)}"
    next_due = f" Next: {later[0].words.what}, {later[0].when}." if not now and later else ""
    did = f"{fmt.small(done).capitalize()} {'entry' if done == 1 else 'entries'} logged today." if done else ""
    more = _once([_row(t, names, at_s, fmt) for t in rest], said)
    return WorkView(now, more, rest_words, later, notes, gone, heading, f"{did}{next_due}".strip(), untold)


def _once(rows: list[Row], said: set[str]) -> list[Row]:
    """Each caution at the first task that it is for: once on the list, and short. `said` are those that stand above already."""
    out = []
    for r in rows:
        out.append(replace(r, caution="") if r.caution in said else r)
        said.add(r.caution)
    return out


def _row(t: Task, names: dict[str, str], at_s: float, fmt: Formatter) -> Row:
    words = task_words(t, names.get(t.batch, t.tray), fmt)
    mat, setpoint = (
        (t.figures.mat, fmt.number(fmt.shown_temperature(t.figures.to_c))) if isinstance(t.figures, MatSet) else ("", "")
    )
    of = list({x.tray: x.batch for x in t.each}.items())
    caution = CAUTION_WORDS.get(t.caution, "")
    return Row(t.key, when_words(t, at_s, fmt), t.grave, t.tray, t.batch, words, of, mat, setpoint, caution)


def _left_row(t: Task, put_off: Left, names: dict[str, str], fmt: Formatter) -> LeftRow:
    words = task_words(t, names.get(t.batch, t.tray), fmt)
    return LeftRow(words.what, fmt.moment(put_off.until_s), put_off.why, put_off.event)


def away_view(
    a: Answers, days: list[BatchDay], tasks: list[Task], names: dict[str, str], n_days: int, fmt: Formatter, untold: list[Untold]
) -> AwayView:
    """What an absence of some days means, in words."""
    at_s, gone = a.at_s, a.away(days, tasks, n_days)
    rows = [_row(t, names, at_s, fmt) for t in gone.tasks]
    first = ask_words(gone.first, fmt) if gone.first else ""
    before = [ask_words(x, fmt) for x in gone.before]
    return AwayView(n_days, fmt.day(gone.until_s), first, before, rows, _asks(gone.asks, fmt), gone.unknown, untold)


def _asks(asks: list[Ask], fmt: Formatter) -> list[str]:
    """What a helper is asked: what is daily, then day by day, waterings of one day in one line."""
    by_day: dict[str, list[Ask]] = {}
    for x in asks:
        if x.action != "look_at_mat":
            by_day.setdefault(fmt.day(x.from_s), []).append(x)
    out = [ask_words(x, fmt) for x in asks if x.action == "look_at_mat"]
    for day, here in by_day.items():
        water = [f"{x.tray} {fmt.volume(x.ml)}" if x.ml else x.tray for x in here if x.action == "water"]
        if water:
            out.append(f"{day}, or the day after: water {', '.join(water)}.")
        out += [ask_words(x, fmt) for x in here if x.action != "water"]
    return out


def left_value(key: str, word: str, why: str, at_s: float, fmt: Formatter) -> dict[str, str] | None:
    """What a "leave until" is logged as; None for a word that means no time."""
    days = next((d for name, _, d in LATER if name == word), None)
    if days is None:
        return None
    hour = 18 if days == 0 else 7
    day = fmt.local(at_s).date() + timedelta(days=days)
    until = datetime.combine(day, time(hour), fmt.zone)
    if until.timestamp() <= at_s:
        until = datetime.combine(day + timedelta(days=1), time(hour), fmt.zone)
    return {"task": key, "until": until.isoformat(timespec="minutes"), "why": why[:200]}
