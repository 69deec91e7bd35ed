"""Trials as the journal keeps them, read into core records."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import TypeAdapter

from fennet.core.records import Journal
from fennet.core.trials.trial import Trial
from fennet.journal.accepted import kept_note

_adapter = TypeAdapter(Trial)


def trial_of(entry: Mapping[str, Any]) -> Trial:
    """One trial. Raises pydantic's ValidationError."""
    read: Trial = _adapter.validate_python({k: v for k, v in entry.items() if k in Trial.__dataclass_fields__})
    return read


def entry_of(trial: Trial) -> dict[str, Any]:
    """A trial as the journal keeps it."""
    told: dict[str, Any] = _adapter.dump_python(trial, mode="json", exclude_none=True)
    return told


def trial_note(entry: Mapping[str, Any]) -> str | None:
    """Why an entry is kept and not gone by, in words; None where it is."""
    return kept_note(trial_of, lambda _: None, entry, "the trial")


def trials_of(journal: Journal) -> list[Trial]:
    """The trials that can be read, the latest first."""
    out = []
    for entry in journal.trials:
        try:
            out.append(trial_of(entry))
        except ValueError:
            continue
    return out[::-1]
