"""Steps of a calculation that several questions share, worked out once: filed where the record says, under what they read.

A step is given a journal with nothing in it but what stands in its key, so that it cannot read more than it is filed under.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import replace
from typing import TypeVar

from fennet.core.history import ancestors, life_stays
from fennet.core.records import Batch, Event, Journal, Series

T = TypeVar("T")
#: "Now" moves in the half hours of the forecast's grid, so that looks minutes apart share an answer.
STEP_S = 1800.0


def moment_s(now_s: float, last_s: float) -> float:
    """The moment that what is asked now is answered for, seconds UTC: the half hour, but never before the last thing known.

    >>> moment_s(4000.0, 0.0), moment_s(4000.0, 3900.0), moment_s(4000.0, 5000.0)
    (3600.0, 3900.0, 4000.0)
    """
    return max(now_s // STEP_S * STEP_S, min(now_s, last_s))


def last_known_s(events: Sequence[Event], series: Iterable[Series], at_s: float) -> float:
    """When the last by a moment was written or read, seconds UTC; 0 where nothing was. `events` in order of time."""
    written = next((e.at_s for e in reversed(events) if e.at_s <= at_s), 0.0)
    return max([written, *(float(known[-1]) for s in series if len(known := s.until(at_s).at_s))])


def fingerprint_of(journal: Journal, events: Sequence[Event], series: Sequence[Series]) -> Hashable:
    """The exact revisions of some of what a journal holds: of its set-up, of some events, what corrects them, some series; and
    what is known to be usual of its room.

    >>> fingerprint_of(Journal(revision=3), [], [])
    (3, (), (), (), None)
    """
    corrected = journal.corrected
    anew = [(e.id, corrected[e.id]) for e in events if e.id in corrected] if corrected else []
    return (
        journal.revision,
        tuple([e.id for e in events]),
        tuple(anew),
        tuple([s.revision for s in series]),
        journal.here.fingerprint,
    )


def shared(
    step: str, journal: Journal, events: Iterable[Event], series: Iterable[Series], make: Callable[[Journal], T], *given: Hashable
) -> T:
    """A step worked out from some events and series of a journal, and what else is `given`; at hand if it was made before.

    What comes back is shared: nobody may change it in place. Without revisions nobody can tell one record from another, and it is
    made each time.
    """
    told, read = list(events), list(series)

    def made() -> T:
        return make(replace(journal, events=told, series=read))

    if journal.revision is None or any(s.revision is None for s in read):
        return made()
    return journal.keeps.get((step, fingerprint_of(journal, told, read), *given), made)


def of_batch(
    journal: Journal, batch: Batch, events: Iterable[Event], kinds: frozenset[str], quantities: frozenset[str]
) -> tuple[list[Event], list[Series]]:
    """The events of some kinds that speak of a batch, of what it was parted from, of the trays these were in or of the room, and
    the series of some quantities read there or at no tray or batch. `events` are effective events."""
    known = [e for e in events if e.kind in kinds]
    line = {batch.id, *(b.id for b in ancestors(journal, batch))}
    trays = {s.where for s in life_stays(journal, batch, known)}

    def speaks(e: Event) -> bool:
        f = e.fields
        named, tray = f.get("batch"), f.get("tray")
        if named is not None:
            return named in line or f.get("to_batch") in line
        return tray is None or tray in trays or f.get("setpoint_c") is not None

    others = {t.id for t in journal.trays} - trays | {b.id for b in journal.batches} - line
    read = [s for s in journal.series if s.quantity in quantities and s.place not in others]
    return [e for e in known if speaks(e)], read
