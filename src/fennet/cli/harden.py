"""`./fennet harden JOURNAL`: no database, no server."""

from __future__ import annotations

import sys
from typing import Any

from fennet.cli.journal_file import answers_of, chosen_batches, load, moment_of, write_document
from fennet.core.hardening.hardening import Hardening
from fennet.core.hardening.outings import Outing
from fennet.journal.weather import read_weather
from fennet.presentation.formatter import Formatter
from fennet.presentation.hardening import why_words


def harden(path: str, at: str | None, batch: str | None) -> int:
    read = load(path)
    for entry in read_weather(read.journal.weather, read.journal.garden)[1]:
        print(f"{path}: set aside {entry}", file=sys.stderr)
    a = answers_of(read, moment_of(read, at))
    fmt = Formatter(a.zone)
    found = [a.hardening(b) for b in chosen_batches(a.journal, a.at_s, batch)]
    return write_document(a, "fennet-outings", {"batches": [as_json(h, fmt) for h in found if h is not None]})


def as_json(h: Hardening, fmt: Formatter) -> dict[str, Any]:
    """A batch's outings with the keys of docs/formats.md."""
    gate = h.gate
    return {
        "batch": h.batch.id,
        "crop": h.crop.id,
        "state": h.state,
        "today": None if h.today is None else _outing(h.today, fmt),
        "plan": [
            {"day": o.day.isoformat(), "go": o.go, "hours": round(o.hours, 2), "sun": o.sun, "night": o.night} for o in h.plan
        ],
        "gate": {
            "verdict": gate.verdict,
            "why": [why_words(w, fmt) for w in gate.why],
            "on": None if gate.on is None else gate.on.isoformat(),
            "chance_of_killing_night": None if gate.chance_of_killing_night is None else round(gate.chance_of_killing_night, 4),
        },
        "weather": h.basis,
    }


def _outing(o: Outing, fmt: Formatter) -> dict[str, Any]:
    clock = None if o.from_h is None else f"{int(o.from_h):02}:{round(o.from_h % 1 * 60):02}"
    return {
        "go": o.go,
        "hours": round(o.hours, 2),
        "from": clock,
        "sun": o.sun,
        "sheltered": o.sheltered,
        "night": o.night,
        "why": [why_words(w, fmt) for w in o.why],
    }
