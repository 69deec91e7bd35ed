"""What the page of what was learned shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fennet.answering.answers import Answers
from fennet.core.learning.corrections import Correction
from fennet.core.learning.overview import Line
from fennet.presentation.formatter import Formatter
from fennet.presentation.learned import (
    MEASURE_WORDS,
    drying_words,
    habit_words,
    lamp_words,
    line_words,
    mat_words,
    year_words,
)
from fennet.web.parts import part
from fennet.web.workings import WorkingView, working_view


@dataclass(frozen=True)
class Cell:
    words: str
    working: WorkingView | None


@dataclass(frozen=True)
class Row:
    """A kind and variety with its cells (days, share that comes, share that lives), and what it rests on."""

    crop: str
    variety: str
    name: str
    cells: Sequence[Cell]
    rests_on: str


@dataclass(frozen=True)
class YearRow:
    year: int
    words: str
    rests_on: str
    left_out: bool


@dataclass(frozen=True)
class Said:
    """A correction in words, and the fields that take it back."""

    words: str
    fields: Mapping[str, str]


@dataclass(frozen=True)
class LearnedView:
    batches: int
    seasons: int
    rows: Sequence[Row]
    years: Sequence[YearRow]
    habits: Sequence[str]
    room: Sequence[str]
    said: Sequence[Said]
    kinds: Sequence[tuple[str, str]]


#: Hours on a mat that tell how far it lifts a tray.
LEAST_HOURS = 24
CELLS = ("pace", "alive", "survival")


def learned_view(a: Answers, fmt: Formatter) -> LearnedView:
    lines = a.learned_lines()
    names = {x.id: x.name for x in a.table}
    spelled = _spelled(a)
    rows = []
    for crop, variety in dict.fromkeys((x.crop, x.variety) for x in lines):
        mine = {x.measure: x for x in lines if (x.crop, x.variety) == (crop, variety)}
        cells = [_cell(mine.get(m), fmt) for m in CELLS]
        n = max(x.rests_on for x in mine.values())
        rests = f"{fmt.number(n, 0)} {'batch' if n == 1 else 'batches'}" if n else "your figure"
        rows.append(Row(crop, variety, _name(names.get(crop, crop), spelled.get((crop, variety), variety)), cells, rests))
    years = [YearRow(y.year, year_words(y, fmt) if y.rests_on else "", f"{fmt.number(y.rests_on, 0)}", y.left_out)
             for y in a.learned_years()]  # fmt: skip
    said = [_said(c, names, fmt) for c in a.learned.corrections]
    kinds = [(f"{r.crop}|{r.variety}", r.name) for r in rows]
    return LearnedView(
        len(a.learned.lessons), len({x.year for x in a.learned.lessons}), rows, years,
        [habit_words(h, fmt) for h in a.habits()], part("your room", lambda: _room(a, fmt), []), said, kinds,
    )  # fmt: skip


def _room(a: Answers, fmt: Formatter) -> list[str]:
    """What trays, mats and lamps showed of themselves."""
    out = [drying_words(tray, d, fmt) for tray, d in a.drying_learned()]
    out += [mat_words(t, s.mat.id, fmt) for s in a.mats()[0] for t in s.trays if t.fit.hours >= LEAST_HOURS]
    return out + [lamp_words(s, fmt) for s in a.lamps() if s.case.curve.basis == "measured" and s.case.curve.points]


def _spelled(a: Answers) -> dict[tuple[str, str], str]:
    """Varieties as somebody last spelled them, by what they are compared by."""
    known = {x.batch: (x.crop, x.variety) for x in a.learned.lessons} | {x.batch: (x.crop, x.variety) for x in a.learned.outcomes}
    lots = {x.id: x.variety for x in a.journal.seed_lots}
    return {
        known[b.id]: b.variety or lots.get(b.seed_lot or "") or "" for b in a.journal.batches if b.id in known
    }  # fmt: skip


def _name(crop: str, variety: str) -> str:
    return f"{crop} ‘{variety}’" if variety else crop


def _cell(x: Line | None, fmt: Formatter) -> Cell:
    if x is None:
        return Cell("not known", None)
    id = "w-" + "".join(c if c.isalnum() else "-" for c in f"{x.measure}-{x.crop}-{x.variety}")
    if x.own is not None:
        own = (
            f"{fmt.number(x.own, 2)} times the table’s days, your own"
            if x.measure == "pace"
            else f"{fmt.percent(x.own)}, your own"
        )
        return Cell(own, None)
    return Cell(line_words(x, fmt), working_view(id, x.working, fmt))


def _said(c: Correction, names: Mapping[str, str], fmt: Formatter) -> Said:
    of = _name(names.get(c.crop, c.crop), c.variety or "") if c.crop else "everything"
    what = f"{MEASURE_WORDS[c.measure]} of {of}" if c.measure else of
    if c.leave_out:
        words = f"{c.year} is left out: {what}."
    elif c.forget_before is not None:
        words = (
            f"{what[:1].upper()}{what[1:]}: what was sown and settled before {fmt.day(c.forget_before.timestamp())} is forgotten."
        )
    else:
        words = f"{what[:1].upper()}{what[1:]}: {fmt.number(c.value or 0.0, 2)}, your own figure."
    fields = {"crop": c.crop or "", "variety": c.variety or "", "year": str(c.year or ""), "measure": c.measure or ""}
    fields["own_gone" if c.value is not None else "again"] = "1"
    return Said(words, fields)
