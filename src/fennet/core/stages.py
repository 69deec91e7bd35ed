"""The stages of a batch's life, read from its record."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from fennet.core.emerged import seen_uncounted_s
from fennet.core.history import all_moved_s, counts_of, ended_s, forgotten_s, life_events, lost_of, planted_out
from fennet.core.records import Batch, Event

DAY_S = 86_400.0
#: Stages in order; the last four end a batch.
STAGES = ("towel", "sown", "emerging", "seedling", "growing_on", "hardening", "out", "lost", "moved_on", "given_up")
ENDED = ("out", "lost", "moved_on", "given_up")
#: Stages in which leaves drink.
LEAFY = ("growing_on", "hardening")
#: Events that begin a stage.
MARKING = ("moved_to_light", "potted_up", "height", "outing", "planted", "gave_up")
#: With no word of leaves or pots a seedling counts as growing on after this long. Source: starting_estimate.
SEEDLING_FOR_D = 24.0


@dataclass(frozen=True)
class StageSpan:
    """One stage, from a moment to another (seconds UTC; the last one is open and ends at infinity)."""

    stage: str
    from_s: float
    to_s: float


def stage_spans(batch: Batch, events: Sequence[Event], at_s: float) -> list[StageSpan]:
    """The stages a batch has been through up to a moment, in order, without gaps.

    `events` are effective events. Emerging begins with the first one counted; seedling when half of what was sown is counted,
    the batch is said to be moved to light, or plants are seen that nobody counted; growing on with potting up, two true leaves
    or after 24 days; hardening with the first outing; out when the last of it is planted;
    lost sight of when nothing was logged of it or its tray for two years. What came as plants grows on from its first day.
    Source: growers_rule (half of the cells, second true leaves), starting_estimate (24 days, two years).

    >>> from datetime import datetime, UTC
    >>> b = Batch(id="b", crop="leek", sown_at=datetime(2026, 2, 3, tzinfo=UTC), cells=4)
    >>> up = Event(kind="count", at=datetime(2026, 2, 13, tzinfo=UTC), id="e", fields={"batch": "b", "cells_up": 1})
    >>> [s.stage for s in stage_spans(b, [up], up.at_s)]
    ['sown', 'emerging']
    """
    mine = [e for e in events if e.fields.get("batch") == batch.id and e.at_s <= at_s]
    if batch.from_batch is not None:
        known = [e for e in events if e.at_s <= at_s]
    else:
        # One that was parted from none is spoken of by its name or by its trays alone.
        trays = {batch.tray, *(e.fields.get("tray") for e in mine)}
        known = [
            e for e in events
            if (named := e.fields.get("batch")) == batch.id or (named is None and e.fields.get("tray") in trays)
            if e.at_s <= at_s
        ]  # fmt: skip
    counts = counts_of(batch, known)
    first = "growing_on" if not batch.from_seed else "towel" if batch.set_up == "towel" else "sown"
    marks: dict[str, float] = {first: batch.sown_at.timestamp()}
    planted = planted_out(batch, mine, at_s)

    def mark(stage: str, when: float | None) -> None:
        if when is not None:
            marks[stage] = min(when, marks.get(stage, float("inf")))

    if batch.from_seed:
        mark("emerging", counts.reached(1) if counts.unit != "rooted" else None)
        mark("seedling", counts.reached(-(-counts.of // 2)) if counts.unit != "rooted" else None)
    if not counts.at_s:
        mark("seedling", seen_uncounted_s(batch, known))
    for e in life_events(batch, known, *MARKING) if batch.from_batch is not None else mine:
        when = e.at_s
        if e.kind == "moved_to_light":
            mark("seedling", when)
        elif e.kind == "potted_up" or (e.kind == "height" and (e.fields.get("true_leaves") or 0) >= 2):
            mark("growing_on", when)
        elif e.kind == "outing":
            mark("hardening", when)
        elif e.kind == "planted":
            # Part of it planted: the rest goes on.
            mark("out" if planted is None or not planted.left else "hardening", when)
        elif e.kind == "gave_up":
            mark("given_up", when)
    if "seedling" in marks and "growing_on" not in marks:
        aged = marks["seedling"] + SEEDLING_FOR_D * DAY_S
        if aged <= at_s:
            mark("growing_on", aged)
    if lost_of(batch, mine) >= batch.n_cells:
        mark("lost", ended_s(batch, mine))
    mark("moved_on", all_moved_s(batch, known))
    mark("given_up", forgotten_s(batch, known, at_s))
    spans: list[StageSpan] = []
    # A later stage begins no earlier than the one before it; one that is overtaken is left out.
    order = [s for s in STAGES if s in marks]
    start = marks[order[0]]
    for stage, following in zip(order, [*order[1:], None], strict=True):
        start = max(start, marks[stage])
        later = [marks[s] for s in order[order.index(stage) + 1 :]]
        end = min(later, default=float("inf")) if following else float("inf")
        if end > start:
            spans.append(StageSpan(stage, start, end))
    return spans


def stages_now(batches: Iterable[Batch], events: Sequence[Event], at_s: float) -> dict[str, str]:
    """The stage of each of many batches at a moment, in one walk through the events. `events` are effective events."""
    named: dict[str, list[tuple[int, Event]]] = {}
    by_tray: dict[str | None, list[tuple[int, Event]]] = {}
    for i, e in enumerate(events):
        if e.at_s > at_s:
            continue
        if (batch := e.fields.get("batch")) is not None:
            named.setdefault(batch, []).append((i, e))
        elif (tray := e.fields.get("tray")) is not None:
            by_tray.setdefault(tray, []).append((i, e))
    out = {}
    for b in batches:
        part: Sequence[Event] = events
        if b.from_batch is None:
            mine = named.get(b.id, [])
            trays = {b.tray, *(e.fields.get("tray") for _, e in mine)}
            told = sorted([*mine, *(m for t in trays for m in by_tray.get(t, ()))], key=lambda m: m[0])
            part = [e for _, e in told]
        out[b.id] = stage_at(stage_spans(b, part, at_s), at_s)
    return out


def stage_at(spans: Sequence[StageSpan], at_s: float) -> str:
    """The stage at a moment; before the first one, the first one."""
    return next((s.stage for s in reversed(spans) if s.from_s <= at_s), spans[0].stage)


def leafy_span(spans: Sequence[StageSpan]) -> tuple[float, float] | None:
    """From when and until when leaves drink, seconds UTC; None where they never do.

    >>> leafy_span([StageSpan("seedling", 0.0, 5.0), StageSpan("growing_on", 5.0, 9.0), StageSpan("out", 9.0, float("inf"))])
    (5.0, 9.0)
    """
    drinking = [s for s in spans if s.stage in LEAFY]
    return (drinking[0].from_s, drinking[-1].to_s) if drinking else None


def leafy_since(inside: Iterable[Batch], events: Sequence[Event], at_s: float) -> float | None:
    """Since when leaves drink of the mix that some batches share at a moment, seconds UTC; None while none do. One batch of a
    tray that has leaves dries it for all. `events` are effective events."""
    spans = (leafy_span(stage_spans(b, events, at_s)) for b in inside)
    return min((s[0] for s in spans if s is not None and s[0] <= at_s < s[1]), default=None)
