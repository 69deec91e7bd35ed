"""`./fennet tune JOURNAL`: no database, no server."""

from __future__ import annotations

from fennet.cli.journal_file import answers_of, load, moment_of, write_document
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import as_json as lamp_json
from fennet.presentation.tuning import as_json


def tune(path: str, at: str | None) -> int:
    read = load(path)
    a = answers_of(read, moment_of(read, at))
    fmt = Formatter(a.zone)
    settings = {"mats": [as_json(s, fmt) for s in a.mats()[0]], "lamps": [lamp_json(s, fmt) for s in a.lamps()]}
    return write_document(a, "fennet-settings", settings)
