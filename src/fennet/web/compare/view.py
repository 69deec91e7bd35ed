"""What the page of the comparison shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.comparing.comparison import Comparison, Group
from fennet.crops import CropTable
from fennet.presentation.comparing import difference_words, ranks, share_words, untold_words
from fennet.presentation.formatter import Formatter
from fennet.web.workings import WorkingView, working_view


@dataclass(frozen=True)
class GroupLine:
    """One group: its name, and its figures as they are shown, empty where nobody said; whether its middle is drawn, and where."""

    name: str
    batches: str
    up: str
    days: str
    planted: str
    harvest: str
    taste: str
    lived: str
    planted_after: str
    stretch: str
    line: str
    stroke: str
    bar: tuple[float, float, float] | None
    working: WorkingView | None


@dataclass(frozen=True)
class Said:
    """What two groups show, and its working."""

    words: str
    working: WorkingView


@dataclass(frozen=True)
class KindView:
    """The groups of one kind, what the pairs say, which batches tell no pace, and why; whether anything was planted, picked or
    tasted."""

    name: str
    groups: Sequence[GroupLine]
    says: Sequence[Said]
    untold: Sequence[str]
    grown: bool
    ranks: Sequence[str]
    longest_d: str


#: How the course of each group is drawn.
STROKES = ("curve-1", "curve-2", "curve-3", "curve-4", "curve-5", "curve-6")


def kinds_of(c: Comparison, table: CropTable, fmt: Formatter) -> list[KindView]:
    """Kinds with something to put side by side first."""
    out = []
    for kind in dict.fromkeys(g.crop for g in c.groups):
        groups = [g for g in c.groups if g.crop == kind]
        longest_d = max((g.pace.p90 for g in groups if g.pace is not None), default=1.0)
        says = [Said(difference_words(d, fmt), working_view(f"w-pair-{kind}-{i}", d.working, fmt))
                for i, (crop, d) in enumerate(c.pairs) if crop == kind]  # fmt: skip
        says += [Said(words, working_view(f"w-share-{kind}-{i}", d.working, fmt))
                 for i, (crop, d) in enumerate(c.shares) if crop == kind and (words := share_words(d, fmt))]  # fmt: skip
        last_d = 1.04 * max((g.curve[-1][0] for g in groups if g.curve), default=1.0)
        untold = [untold_words(batch, why) for g in groups for batch, why in g.untold.items()]
        lines = [_line(g, longest_d, last_d, i, fmt) for i, g in enumerate(groups)]
        grown = any(x.planted or x.harvest or x.taste or x.lived for x in lines)
        out.append(KindView(table.get(kind).name, lines, says, untold, grown, ranks(groups, fmt), fmt.number(last_d, 0)))
    return sorted(out, key=lambda k: not k.says)


def _line(g: Group, longest_d: float, last_d: float, i: int, fmt: Formatter) -> GroupLine:
    p, stroke = g.pace, STROKES[i % len(STROKES)]
    days = "" if p is None else f"{fmt.number(p.p50)} ({fmt.number(p.p10)}–{fmt.number(p.p90)})"
    bar = None if p is None else tuple(round(100 * x / longest_d, 1) for x in (p.p10, p.p50, p.p90))
    return GroupLine(
        g.name, fmt.number(g.batches, 0), f"{fmt.number(g.up, 0)} of {fmt.number(g.sown, 0)}", days,
        "" if g.planted is None else fmt.number(g.planted, 0), "" if g.grams is None else f"{fmt.number(g.grams, 0)} g",
        "" if g.taste is None else fmt.number(g.taste), "" if g.lived is None else f"{g.lived[0]} of {g.lived[1]}",
        "" if g.planted_d is None else fmt.number(g.planted_d, 0),
        "" if g.stretch is None else f"{fmt.number(g.stretch, 2)} times", _steps(g, last_d), stroke, bar,  # type: ignore[arg-type]
        working_view(f"w-pace-{g.crop}-{i}", p.working, fmt) if p is not None else None,
    )  # fmt: skip


def _steps(g: Group, last_d: float) -> str:
    """The share up as steps over days at target warmth, in a box of 400 by 100."""
    at, points = 100.0, [(0.0, 100.0)]
    for day, share in g.curve:
        x = round(400 * day / max(last_d, 1e-6), 1)
        points += [(x, at), (x, at := round(100 - 96 * share, 1))]
    return " ".join(f"{x},{y}" for x, y in [*points, (400.0, at)]) if g.curve else ""
