"""What the page of a season shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fennet.answering.answers import Answers
from fennet.core.story import Story
from fennet.presentation.formatter import Formatter
from fennet.presentation.season import cause_words, cost_words, energy_words, mend_first, mend_words, season_words
from fennet.web.trays.view import batch_name
from fennet.web.workings import WorkingView, working_view


@dataclass(frozen=True)
class CostLine:
    words: str
    cost: str
    cure: str
    share: float


@dataclass(frozen=True)
class BatchLine:
    id: str
    name: str
    sown: str
    up: str
    half: str
    lost: str
    planted: str
    gave: str


@dataclass(frozen=True)
class SeasonView:
    sentences: Sequence[str]
    mend: str
    energy: str
    room: str
    costs: Sequence[CostLine]
    batches: Sequence[BatchLine]
    workings: Mapping[str, WorkingView]


def season_view(a: Answers, year: int, fmt: Formatter) -> SeasonView:
    s = a.season(year)
    most = max((c.tray_days for c in s.costs), default=1.0) or 1.0
    mine = [b for b in a.journal.batches if b.sown_at.astimezone(a.zone).year == year and b.crop in a.crops]
    stories = [t for b in mine if (t := a.story(b)) is not None]
    room = f"{fmt.number(s.tray_days, 0)} tray-days of room were used; {fmt.number(s.wasted, 0)} of them gave nothing."
    costs = [
        CostLine(cause_words(c.cause), cost_words(c, fmt), mend_words(c.cause), round(100 * c.tray_days / most)) for c in s.costs
    ]
    mend, energy = mend_first(s, fmt), energy_words(s, a.journal.garden.currency, fmt)
    return SeasonView(
        season_words(s, fmt), mend, energy, room if s.batches else "", costs,
        [_line(a, t, fmt) for t in stories], {k: working_view(f"w-season-{k}", w, fmt) for k, w in s.workings.items()},
    )  # fmt: skip


def _line(a: Answers, t: Story, fmt: Formatter) -> BatchLine:
    b, after = t.batch, t.after
    half = (
        ""
        if t.half_up_s is None or not b.from_seed or not t.settled
        else fmt.number((t.half_up_s - b.sown_at.timestamp()) / 86_400.0) + " d"
    )
    gave = []
    if after is not None:
        gave = [f"{fmt.number(after.grams, 0)} g" if after.grams is not None else "",
                f"{after.pieces} pieces" if after.pieces is not None else "",
                f"taste {fmt.number(after.taste)}" if after.taste is not None else ""]  # fmt: skip
    lost = sum(t.lost.values())
    return BatchLine(
        b.id, batch_name(b, a.crops[b.crop].name), fmt.day(b.sown_at), f"{t.up} of {t.of}", half, str(lost) if lost else "",
        "" if after is None or after.planted is None else str(after.planted), ", ".join(x for x in gave if x),
    )  # fmt: skip
