"""What the story of a batch shows: sentences, ribbons, its course with the promises made of it, outings and the log."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from fennet.answering.answers import Answers
from fennet.core.forecast import Forecast
from fennet.core.light import lamp_states
from fennet.core.records import Batch
from fennet.core.scoring import FIRST_PICK, HALF_UP, Promise
from fennet.core.story import Story
from fennet.presentation.entries import entry_words
from fennet.presentation.formatter import Formatter
from fennet.presentation.story import story_words
from fennet.web.parts import part
from fennet.web.tray.ribbons import Ribbons, ribbons
from fennet.web.tray.view import EmergenceChart, emergence_chart
from fennet.web.trays.view import batch_name
from fennet.web.tune.score import MarkLine, mark_line

#: What is told elsewhere on the page, or says nothing by itself.
LEFT_OUT = ("outing",)


@dataclass(frozen=True)
class StoryView:
    story: Story
    name: str
    facts: str
    sentences: Sequence[str]
    ribbons: Ribbons | None
    chart: EmergenceChart | None
    counted: str
    target_c: float
    promises: Sequence[MarkLine]
    outings: Sequence[tuple[str, str]]
    log: Sequence[tuple[str, str, str]]
    things: Sequence[str]
    from_s: float
    to_s: float


def story_view(a: Answers, then: Answers, batch_id: str, promises: Sequence[Promise], fmt: Formatter) -> StoryView | None:
    """The page of a batch; None where there is none of that name, or it is not sown. `then` are the answers as they stood when
    its time inside ended."""
    batch = next((b for b in a.journal.batches if b.id == batch_id), None)
    told = a.story(batch) if batch is not None else None
    if batch is None or told is None or batch.crop not in a.crops:
        return None
    f = part("its course", lambda: then.forecast(batch, curves=True), None)
    strips = part("the ribbons", partial(_ribbons, then, told, f, fmt), None)
    chart = part("its course drawn", lambda: emergence_chart(f, fmt), None) if f is not None else None
    marked = a.scored_promises([p for p in promises if p.subject == batch.id and p.kind in (HALF_UP, FIRST_PICK)])
    outings = [(fmt.day(e.at), entry_words(e, fmt)) for e in told.told if e.kind in LEFT_OUT]
    log = [(fmt.moment(e.at), entry_words(e, fmt), e.by or "") for e in told.told if e.kind not in LEFT_OUT]
    lot = next((x for x in a.journal.seed_lots if x.id == batch.seed_lot), None)
    last_s = max([told.inside_until_s, *(e.at_s for e in told.told)])
    facts = _facts(batch, lot.source if lot else None, lot.packed if lot else None, fmt)
    return StoryView(
        told, batch_name(batch, a.crops[batch.crop].name), facts,
        story_words(told, fmt), strips, chart,
        f"{told.up} of {told.of}", a.crops[batch.crop].target_soil_c, [mark_line(m, fmt) for m in reversed(marked)], outings, log,
        [batch.id, *dict.fromkeys(s.where for s in told.trays)], batch.sown_at.timestamp(), last_s,
    )  # fmt: skip


def _ribbons(then: Answers, told: Story, f: Forecast | None, fmt: Formatter) -> Ribbons:
    batch, places = told.batch, {p.id for p in then.journal.places}
    lamps = {x.id for x in then.journal.lamps if any(s.place in places for s in lamp_states(x, then.events))}
    trays = {s.where for s in told.trays}
    return ribbons(then.conditions(batch), told.told, trays, lamps, told.inside_until_s, fmt, f, whole=True)


def _facts(batch: Batch, source: str | None, packed: int | None, fmt: Formatter) -> str:
    """What it was raised from and how, in a line."""
    told = [
        f"seed: {source}" if source else "", f"packed {packed}" if packed else "",
        f"{batch.n_seeds_per_cell} in a cell" if batch.from_seed and batch.seeds_per_cell else "",
        f"{fmt.length(batch.depth_mm)} deep" if batch.depth_mm is not None else "",
        f"in {batch.mix.kind.replace('_', ' ')}" if batch.mix is not None and batch.mix.kind else "",
    ]  # fmt: skip
    return ", ".join(x for x in told if x)
