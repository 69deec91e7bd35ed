"""Where something can be read: the trays that are there, the places and the rooms, by id and name."""

from __future__ import annotations

from fennet.core.records import Journal


def named_places(journal: Journal, gone: bool = False) -> dict[str, str]:
    """Trays first; those that are put away too where what was read in them is told."""
    names = {t.id: t.name or t.id for t in journal.trays if gone or t.until is None}
    names |= {p.id: p.name or p.id for p in journal.places}
    return names | {r.id: r.name or r.id for r in journal.rooms}
