"""`./fennet learned JOURNAL`: what a garden has learned of its own past, JSON on stdout."""

from __future__ import annotations

from fennet.cli.journal_file import answers_of, load, moment_of, write_document
from fennet.presentation.learned import as_json


def learned(path: str, at: str | None) -> int:
    read = load(path)
    a = answers_of(read, moment_of(read, at))
    return write_document(
        a, "fennet-learned", as_json(a.learned, a.learned_lines(), a.learned_years(), a.habits(), a.room_lines())
    )
