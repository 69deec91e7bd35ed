"""The grower's own targets as the journal keeps them, read into core records."""

from __future__ import annotations

from fennet.core.records import Journal, Target
from fennet.core.targets import band_fault, in_order
from fennet.journal.open_sections import target_of


def own_targets(journal: Journal) -> list[Target]:
    """The grower's own targets that can be read, in the order the core wants them."""
    out = []
    for entry in journal.targets:
        try:
            out.append(target_of(entry))
        except ValueError:
            continue
    return in_order([t for t in out if band_fault(t) is None])
