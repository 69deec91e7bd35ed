"""How many of what came up lived to be planted: counted only where the record says what became of every one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.history import counts_of, lost_of, moved_on, planted_out
from fennet.core.learning.lessons import variety_of
from fennet.core.records import Batch, Event, Journal
from fennet.core.stages import stage_at, stage_spans

#: A batch of which so many of those up are accounted for is told of whole: hands miscount by one. Source: growers_rule.
ACCOUNTED = 0.93


#: What dies in these stages dies as a seedling.
YOUNG = ("sown", "towel", "emerging", "seedling")


@dataclass(frozen=True)
class Outcome:
    """Of a batch that is over: how many were up, how many of these died before they were planted, and how many of those before
    they grew on: as seedlings."""

    batch: str
    crop: str
    variety: str
    year: int
    settled_s: float
    up: int
    died: int
    young: int = 0


@dataclass(frozen=True)
class _Became:
    """Of a batch and all that was parted from it: how many were planted and how many died before, how many of these as seedlings,
    and when all was over."""

    planted: int
    died: int
    young: int
    over_s: float


def family(journal: Journal, batch: Batch) -> frozenset[str]:
    """A batch and all that was pricked out or potted up from it, by their ids."""
    found, more = {batch.id}, True
    while more:
        parted = {b.id for b in journal.batches if b.from_batch in found} - found
        found |= parted
        more = bool(parted)
    return frozenset(found)


def outcome(journal: Journal, crop_id: str, batch: Batch, events: Sequence[Event], at_s: float) -> Outcome | None:
    """What became of those that came up, by a moment (seconds UTC), in pots of their own too; None where some are still inside,
    or where the record does not say of nearly all what became of them: a plant that nobody speaks of was given away as likely as
    it died. `events` are effective events of the batch's `family`. Source: arithmetic.
    """
    if batch.from_batch is not None or not batch.from_seed:
        return None
    known = [e for e in events if e.at_s <= at_s]
    up = counts_of(batch, known).up
    became = _became(journal, batch, known, at_s, up) if up else None
    if became is None or became.planted + became.died < ACCOUNTED * up:
        return None
    year = batch.sown_at.astimezone(journal.garden.zone).year
    return Outcome(
        batch.id, crop_id, variety_of(journal, batch), year, became.over_s, up, min(became.died, up), min(became.young, up)
    )


def _became(journal: Journal, batch: Batch, events: Sequence[Event], at_s: float, there: int) -> _Became | None:
    """What became of `there` plants of a batch; None while some are inside."""
    children = [_became(journal, b, events, at_s, b.n_cells) for b in journal.batches if b.from_batch == batch.id]
    if any(c is None for c in children):
        return None
    parted = sum(b.n_cells for b in journal.batches if b.from_batch == batch.id)
    # Of what moved on and has no batch here nobody knows more: it lived until then.
    lived = max(0, moved_on(batch.id, events) - parted)
    mine = [e for e in events if e.fields.get("batch") == batch.id]
    out = planted_out(batch, events, at_s)
    if out is None:
        lost, planted = mine, 0
        died = lost_of(batch, lost)
        if died + lived + parted < there:
            return None
        over_s = max((e.at_s for e in mine if e.kind in ("lost", "moved")), default=batch.sown_at.timestamp())
    else:
        if out.all_out_s is None or out.planted is None:
            return None
        first_s = min(e.at_s for e in mine if e.kind == "planted")
        lost, planted = [e for e in mine if e.at_s < first_s], out.planted
        died, over_s = lost_of(batch, lost), out.all_out_s
    spans = stage_spans(batch, events, at_s)
    young = lost_of(batch, [e for e in lost if e.kind == "lost" and stage_at(spans, e.at_s) in YOUNG])
    found = [_Became(planted + lived, died, young, over_s), *(c for c in children if c is not None)]
    planted, died, young = (sum(of) for of in zip(*((c.planted, c.died, c.young) for c in found), strict=True))
    return _Became(planted, died, young, max(c.over_s for c in found))
