"""Findings for pages: argued once for the same record, kept for a while in each server process."""

from __future__ import annotations

from fennet.core.diagnosis.finding import Finding
from fennet.core.diagnosis.findings import findings
from fennet.core.records import Batch, Event, Journal
from fennet.crops.complaints import shipped_complaints
from fennet.web import answers, asking, record
from fennet.web.keeping import Kept

_kept: Kept[list[Finding]] = Kept(400)


def found(journal: Journal, batch: Batch, events: list[Event], at_s: float) -> list[Finding]:
    """The findings on a batch; neighbours bear on them, so whatever is written of the garden makes them anew."""
    table = answers.table_for(journal)

    def argued() -> list[Finding]:
        crops = {b.crop: table.get(b.crop) for b in journal.batches}
        return findings(journal, crops, shipped_complaints(), batch, at_s, events)

    return _kept.get((*asking.identity(), record.revision(), batch.id, at_s), argued)


def forget() -> None:
    """Empty the shelf of kept findings."""
    _kept.forget()
