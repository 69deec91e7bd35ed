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
    habit_words,
    line_words,
    rests_words,
    room_words,
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
    """A kind and variety with its columns of cells (days, share that comes, share that lives, how it grows), and what all of it
    rests on."""

    crop: str
    variety: str
    name: str
    columns: Sequence[Sequence[Cell]]
    rests_on: str


@dataclass(frozen=True)
class RoomCell:
    """One thing a tray or lamp does, what that rests on, and its working."""

    words: str
    rests_on: str
    working: WorkingView


@dataclass(frozen=True)
class RoomRow:
    """A tray or a lamp and what it does."""

    thing: str
    name: str
    cells: Sequence[RoomCell]


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
    room: Sequence[RoomRow]
    said: Sequence[Said]
    kinds: Sequence[tuple[str, str]]


#: Before a tray's id in the list of what a figure may be of.
OF_TRAY = "tray:"
#: What stands in each column, one below the other.
COLUMNS = (("pace",), ("alive",), ("survival",), ("height", "leaves"))


def learned_view(a: Answers, fmt: Formatter) -> LearnedView:
    lines = a.learned_lines()
    names = {x.id: x.name for x in a.table}
    spelled = _spelled(a)
    rows = []
    for crop, variety in dict.fromkeys((x.crop, x.variety) for x in lines):
        mine = {x.measure: x for x in lines if (x.crop, x.variety) == (crop, variety)}
        columns = [[_cell(mine[m], fmt) for m in of if m in mine] or [Cell("not known", None)] for of in COLUMNS]
        n = max(x.rests_on for x in mine.values())
        rests = f"{fmt.number(n, 0)} {'batch' if n == 1 else 'batches'}" if n else "your figure"
        name = _name(names.get(crop, crop), spelled.get((crop, variety), variety))
        rows.append(Row(crop, variety, name, columns, rests))
    years = [YearRow(y.year, year_words(y, fmt) if y.rests_on else "", f"{fmt.number(y.rests_on, 0)}", y.left_out)
             for y in a.learned_years()]  # fmt: skip
    said = [_said(c, names, fmt) for c in a.learned.corrections]
    kinds = [(f"{r.crop}|{r.variety}", r.name) for r in rows]
    kinds += [(f"{OF_TRAY}{t.id}", f"Tray {t.id}") for t in a.journal.trays if t.until is None]
    return LearnedView(
        len(a.learned.lessons), len({x.year for x in a.learned.lessons}), rows, years,
        [habit_words(h, fmt) for h in a.habits()], part("your room", lambda: _room(a, fmt), []), said, kinds,
    )  # fmt: skip


def _room(a: Answers, fmt: Formatter) -> list[RoomRow]:
    """What trays, mats and lamps showed of themselves, by tray and lamp."""
    cells: dict[str, list[RoomCell]] = {}
    for x in a.room_lines():
        working = working_view(_id(f"{x.measure}-{x.thing}-{x.mat}"), x.working, fmt)
        cells.setdefault(x.thing, []).append(RoomCell(room_words(x, fmt), rests_words(x, fmt), working))
    trays = {t.id for t in a.journal.trays}
    return [RoomRow(thing, f"Tray {thing}" if thing in trays else thing, mine) for thing, mine in cells.items()]


def _id(of: str) -> str:
    return "w-" + "".join(c if c.isalnum() else "-" for c in of)


def _spelled(a: Answers) -> dict[tuple[str, str], str]:
    """Varieties as somebody last spelled them, by what they are compared by."""
    known = a.learned.known
    lots = {x.id: x.variety for x in a.journal.seed_lots}
    return {
        known[b.id]: b.variety or lots.get(b.seed_lot or "") or "" for b in a.journal.batches if b.id in known
    }  # fmt: skip


def _name(crop: str, variety: str) -> str:
    return f"{crop} ‘{variety}’" if variety else crop


def _cell(x: Line, fmt: Formatter) -> Cell:
    if x.own is not None:
        own = (
            f"{fmt.number(x.own, 2)} times the table’s days, your own"
            if x.measure == "pace"
            else f"{fmt.percent(x.own)}, your own"
        )
        return Cell(own, None)
    return Cell(line_words(x, fmt), working_view(_id(f"{x.measure}-{x.crop}-{x.variety}"), x.working, fmt))


def _said(c: Correction, names: Mapping[str, str], fmt: Formatter) -> Said:
    of = _name(names.get(c.crop, c.crop), c.variety or "") if c.crop else f"“{c.thing}”" if c.thing else "everything"
    what = f"{MEASURE_WORDS[c.measure]} of {of}" if c.measure else of
    showed = "it showed" if c.thing else "was sown and settled, read and done" if not c.crop else "was sown and settled"
    if c.leave_out:
        words = f"{c.year} is left out: {what}."
    elif c.forget_before is not None:
        words = f"{what[:1].upper()}{what[1:]}: what {showed} before {fmt.day(c.forget_before.timestamp())} is forgotten."
    else:
        words = f"{what[:1].upper()}{what[1:]}: {fmt.number(c.value or 0.0, 2)}, your own figure."
    fields = {
        "thing": c.thing or "",
        "crop": c.crop or "",
        "variety": c.variety or "",
        "year": str(c.year or ""),
        "measure": c.measure or "",
    }
    fields["own_gone" if c.value is not None else "again"] = "1"
    return Said(words, fields)
