"""Entries of a journal's `plans`: what the grower tells the plan of the room, and versions kept by name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields
from typing import Any

from fennet.core.planning.plan import Assumed

ASSUMED, VERSION = "assumed", "version"
#: What a room may be told to be like: from, to.
LIMITS = {"soil_without_mat_c": (0.0, 40.0), "air_c": (0.0, 40.0), "dli_mol": (0.5, 60.0)}


def assumed_of(entries: Sequence[Mapping[str, Any]]) -> Assumed:
    """What was told last; figures outside their limits are passed over.

    >>> assumed_of([{"kind": "assumed", "air_c": 16.5}]).air_c
    16.5
    """
    last: Mapping[str, Any] = next((e for e in reversed(entries) if e.get("kind") == ASSUMED), {})
    out = {}
    for f in fields(Assumed):
        value = last.get(f.name)
        low, high = LIMITS[f.name]
        if isinstance(value, int | float) and not isinstance(value, bool) and low <= value <= high:
            out[f.name] = float(value)
    return Assumed(**out)


def versions_of(entries: Sequence[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
    """Plans kept by name, in order."""
    named = [e for e in entries if e.get("kind") == VERSION and isinstance(e.get("name"), str)]
    return [e for e in named if isinstance(e.get("wants", []), list)]
