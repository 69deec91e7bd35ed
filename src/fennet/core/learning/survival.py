"""How many of what came up lived to be planted: counted only where the record says what became of every one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.history import counts_of, lost_of, moved_on, planted_out
from fennet.core.learning.lessons import variety_of
from fennet.core.records import Batch, Event, Journal

#: A batch of which so many of those up are accounted for is told of whole: hands miscount by one. Source: growers_rule.
ACCOUNTED = 0.93


@dataclass(frozen=True)
class Outcome:
    """Of a batch that is over: how many were up and how many of these died before they were planted."""

    batch: str
    crop: str
    variety: str
    year: int
    settled_s: float
    up: int
    died: int


def outcome(journal: Journal, crop_id: str, batch: Batch, events: Sequence[Event], at_s: float) -> Outcome | None:
    """What became of those that came up, by a moment (seconds UTC); None where some are still inside, or where the record does
    not say of nearly all what became of them: a plant that nobody speaks of was given away as likely as it died. `events` are
    effective events. Source: arithmetic.
    """
    if batch.from_batch is not None or not batch.from_seed:
        return None
    known = [e for e in events if e.at_s <= at_s]
    up = counts_of(batch, known).up
    if not up:
        return None
    out = planted_out(batch, known, at_s)
    if out is None:
        died = lost_of(batch, known)
        if died < up:
            return None
        over_s = max(e.at_s for e in known if e.kind == "lost" and e.fields["batch"] == batch.id)
    else:
        if out.all_out_s is None or out.planted is None:
            return None
        first_s = min(e.at_s for e in known if e.kind == "planted" and e.fields.get("batch") == batch.id)
        died = lost_of(batch, [e for e in known if e.at_s < first_s])
        if out.planted + died + moved_on(batch.id, known) < ACCOUNTED * up:
            return None
        over_s = out.all_out_s
    year = batch.sown_at.astimezone(journal.garden.zone).year
    return Outcome(batch.id, crop_id, variety_of(journal, batch), year, over_s, up, min(died, up))
