"""Sections of a journal that are kept as they came (targets, feeds, recipes, promises, nights, weather, plans, what
was said of what was learned, trials): whether an entry
can be kept at all. What passes here can be stored and exported; who reads it passes over what says nothing to it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import TypeAdapter

from fennet.core.bounds import NAME_LEN, is_open_entry
from fennet.core.records import Target
from fennet.core.targets import band_fault
from fennet.journal.accepted import kept_note

#: In the order in which a journal is written.
OPEN_SECTIONS = ("targets", "feeds", "recipes", "promises", "minima", "weather", "plans", "learned", "trials")
#: Entries of one section.
MOST_ENTRIES = 20_000
_targets = TypeAdapter(Target)


def fault_of(section: str, entry: Any) -> tuple[str, str] | None:
    """Why an entry cannot be kept, as (field, words); None where it can."""
    if not isinstance(entry, dict):
        return "", "is not an object; accepted: an object"
    if not is_open_entry(entry):
        wrong = next((k for k, v in entry.items() if not (isinstance(k, str) and is_open_entry({k: v}))), "")
        return str(wrong)[:60], (
            "cannot be kept; accepted: texts without control characters, finite numbers of up to fifteen digits, lists and "
            "objects up to eight deep"
        )
    return _plan(entry) if section == "plans" else None


def target_of(entry: Mapping[str, Any]) -> Target:
    """A grower's own band; whether it can be held to says `band_fault`. Raises pydantic's ValidationError."""
    fields = Target.__dataclass_fields__
    plain = {("from_at" if k == "from" else k): v for k, v in entry.items()}
    target: Target = _targets.validate_python({k: v for k, v in plain.items() if k in fields})
    return target


def target_note(entry: Mapping[str, Any]) -> str | None:
    """Why an entry of the targets is kept and not gone by, in words; None where it is."""
    return kept_note(target_of, band_fault, entry, "the band")


def _plan(entry: Mapping[str, Any]) -> tuple[str, str] | None:
    name = entry.get("name")
    if name is not None and not (isinstance(name, str) and 1 <= len(name) <= NAME_LEN):
        return "name", f"is not a name; accepted: 1 to {NAME_LEN} letters"
    if not isinstance(entry.get("wants", []), list):
        return "wants", "is not a list; accepted: a list of wants"
    return None
