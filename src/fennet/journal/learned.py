"""What a grower said of what was learned, as the journal keeps it, read into core records."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import TypeAdapter

from fennet.core.learning.corrections import Correction, correction_fault
from fennet.core.records import Journal
from fennet.journal.accepted import kept_note

_adapter = TypeAdapter(Correction)


def correction_of(entry: Mapping[str, Any]) -> Correction:
    """Raises pydantic's ValidationError."""
    fields = Correction.__dataclass_fields__
    read: Correction = _adapter.validate_python({k: v for k, v in entry.items() if k in fields})
    return read


def correction_note(entry: Mapping[str, Any]) -> str | None:
    """Why an entry is kept and not gone by, in words; None where it is."""
    return kept_note(correction_of, correction_fault, entry, "the entry")


def corrections_of(journal: Journal) -> tuple[Correction, ...]:
    """The corrections that can be gone by, in the order they were made."""
    out = []
    for entry in journal.learned:
        try:
            c = correction_of(entry)
        except ValueError:
            continue
        if correction_fault(c) is None:
            out.append(c)
    return tuple(out)
