"""What is wrong with a batch: every complaint argued from its record. This alone is asked from outside."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from fennet.core.crop import Crop
from fennet.core.diagnosis.damping_finding import damping_off
from fennet.core.diagnosis.engine import Complaint
from fennet.core.diagnosis.finding import Finding
from fennet.core.diagnosis.leggy_finding import leggy
from fennet.core.diagnosis.signs_finding import other_signs
from fennet.core.diagnosis.slow_finding import slow_germination
from fennet.core.diagnosis.together import chosen_together
from fennet.core.history import counts_of, effective_events, over_s
from fennet.core.records import Batch, Event, Journal
from fennet.core.stages import ENDED, stage_at, stage_spans


def findings(
    journal: Journal,
    crops: Mapping[str, Crop],
    complaints: Mapping[str, Complaint],
    batch: Batch,
    at_s: float,
    events: Sequence[Event] | None = None,
) -> list[Finding]:
    """Every complaint about one batch as far as its record carries it at `at_s` (seconds UTC); later entries are not used.

    `events` the effective events at that moment, if the caller has them; `crops` by the names the journal's batches use. Slowness
    is asked about while more may come up; the rest from then on until the batch has ended, where something bears on it.
    Raises ValueError for a batch sown after `at_s`. Source: the models named by each complaint.
    """
    if batch.sown_at.timestamp() > at_s:
        raise ValueError(f"batch {batch.id} is sown after the moment asked about")
    events = effective_events(journal.events, at_s) if events is None else events
    counts = counts_of(batch, events)
    ended = over_s(batch, events, at_s)
    out: list[Finding | None] = []
    if ended is None and counts.up < counts.of:
        out.append(slow_germination(journal, crops, complaints["slow_germination"], batch, events, at_s))
    if stage_at(stage_spans(batch, events, at_s), at_s) in ENDED:
        return chosen_together([f for f in out if f is not None])
    if any(len(s.at_s) and s.at_s[-1] > at_s for s in journal.series):
        # Asked about the past: nothing read later is known.
        journal = replace(journal, series=[s.until(at_s) for s in journal.series])
    # How old plants are that came as such nobody knows: neither their height nor their first weeks are judged.
    if counts.unit != "rooted" and batch.from_seed:
        out.append(leggy(journal, crops, complaints["leggy"], batch, events, at_s))
        out.append(damping_off(journal, crops, complaints["damping_off"], batch, events, at_s))
    out.append(other_signs(journal, crops, complaints["other"], batch, events, at_s))
    return chosen_together([f for f in out if f is not None])
