"""What is doubtful in a log line, before it is saved and after."""

from __future__ import annotations

from fennet.core.doubts import Doubt, doubt_degrees, doubt_feed, doubt_weight
from fennet.journal.log_line import Action, Measured, Said
from fennet.presentation.doubts import doubt_words
from fennet.web import record, request_context


def doubts(said: Said) -> list[str]:
    """Figures of a line that may be a slip, in words."""
    found: list[Doubt | None] = []
    journal, at_s = record.journal(), said.at.timestamp()
    for part in said.parts:
        if isinstance(part, Measured) and part.quantity == "moisture" and part.unit == "g":
            found.append(doubt_weight(journal.sources, part.place, part.value, at_s))
        elif isinstance(part, Measured) and part.quantity.endswith("_temperature") and part.unit == "degC":
            found.append(doubt_degrees(part.place, part.value))
        elif isinstance(part, Action) and part.kind == "fed" and part.fields.get("n_mg_per_l") is not None:
            table = record.answers().table
            crops = {b.crop: table.get(b.crop) for b in journal.batches}
            found.append(doubt_feed(journal, crops, part.fields["tray"], part.fields["n_mg_per_l"], record.events(), at_s))
    fmt = request_context.formatter()
    return [doubt_words(d, fmt) for d in found if d is not None]
