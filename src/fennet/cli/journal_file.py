"""A journal from a file, and what a command asks of it."""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from fennet.answering.answers import Answers
from fennet.answering.memo import Memo, Shelf
from fennet.cli.refused import Refused
from fennet.core.bearing import record_at
from fennet.core.records import Batch, Journal
from fennet.journal.reader import Read, open_journal, read_journal
from fennet.journal.rejected import FormatError
from fennet.journal.times import format_instant, parse_instant, zone_of


def load(path: str) -> Read:
    """A journal from a file; what was set aside is told on stderr. Raises Refused for a file that cannot be read."""
    try:
        read = read_journal(open_journal(Path(path).read_bytes()))
    except OSError as e:
        raise Refused(f"{path}: {e.strerror or e}; accepted: a journal file") from None
    except FormatError as e:
        raise Refused(f"{path}: {e}") from None
    for note in read.notes:
        print(f"{path}: {note}", file=sys.stderr)
    for entry in read.rejected:
        print(f"{path}: set aside {entry}", file=sys.stderr)
    return read


def moment_of(read: Read, at: str | None) -> float:
    """The moment asked about: as given, else the latest time of the record."""
    zone = zone_of(read.journal.garden.timezone)
    if at is not None:
        try:
            return parse_instant(at, zone).timestamp()
        except ValueError as e:
            raise Refused(f"--at: {at!r} {e}") from None
    times = [float(g.at_s[-1]) for g in read.groups]
    times += [e.at_s for e in read.journal.events] + [b.sown_at.timestamp() for b in read.journal.batches]
    if not times:
        raise Refused("journal: no reading, event or batch; accepted: a journal with at least one batch")
    return max(times)


def answers_of(read: Read, at_s: float) -> Answers:
    """Every answer about a journal at a moment, seconds UTC: those that its pages would give."""
    journal = read.with_series()
    # Nobody writes to what was read from a file: what its batches share is worked out once.
    numbered = [replace(s, revision=i) for i, s in enumerate(journal.series)]
    whole = replace(journal, series=numbered, revision="as read", keeps=Shelf(Memo(), "file"))
    return Answers(record_at(whole, at_s), at_s, exactly=True)


def chosen_batches(journal: Journal, at_s: float, batch: str | None) -> list[Batch]:
    """The batches sown by a moment, or the one asked for. Raises Refused where there is none of that name."""
    chosen = [b for b in journal.batches if b.sown_at.timestamp() <= at_s and batch in (None, b.id)]
    if batch is not None and not chosen:
        accepted = ", ".join(b.id for b in journal.batches) or "none"
        raise Refused(f"--batch: {batch!r} is not in the journal at that time; accepted: {accepted}")
    return chosen


def write_document(a: Answers, format: str, answers: Mapping[str, Any]) -> int:
    """One JSON document of answers on stdout."""
    at = format_instant(round(a.at_s) if a.at_s % 1 else a.at_s, a.zone)
    json.dump({"format": format, "version": 1, "at": at, **answers}, sys.stdout, ensure_ascii=False, indent=1)
    print()
    return 0
