"""`./fennet diagnose JOURNAL`: no database, no server."""

from __future__ import annotations

from fennet.cli.journal_file import answers_of, chosen_batches, load, moment_of, write_document
from fennet.journal.times import format_instant
from fennet.presentation.diagnosis import as_json
from fennet.presentation.formatter import Formatter


def diagnose(path: str, at: str | None, batch: str | None) -> int:
    read = load(path)
    a = answers_of(read, moment_of(read, at))
    fmt = Formatter(a.zone)

    def text_of(moment_s: float) -> str:
        return format_instant(round(moment_s), a.zone)

    told = [
        {"batch": b.id, "crop": a.crops[b.crop].id, "complaints": [as_json(f, fmt, text_of) for f in a.findings(b)]}
        for b in chosen_batches(a.journal, a.at_s, batch)
    ]
    return write_document(a, "fennet-findings", {"batches": told})
