"""The grower's own targets as the journal keeps them, read into core records."""

from __future__ import annotations

from pydantic import TypeAdapter, ValidationError

from fennet.core.crop import BAND_UNITS
from fennet.core.records import Journal, Target
from fennet.core.targets import in_order

_target = TypeAdapter(Target)
_FIELDS = set(Target.__dataclass_fields__)


def own_targets(journal: Journal) -> list[Target]:
    """The grower's own targets that can be read, in the order the core wants them."""
    out = []
    for entry in journal.targets:
        plain = {("from_at" if k == "from" else k): v for k, v in entry.items()}
        try:
            out.append(_target.validate_python({k: v for k, v in plain.items() if k in _FIELDS}))
        except ValidationError:
            continue
    return in_order([t for t in out if t.quantity in BAND_UNITS and t.low < t.high])
