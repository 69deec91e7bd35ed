"""What is doubtful in a log line, before it is saved and after."""

from __future__ import annotations

from fennet.core.doubts import Doubt, doubt_degrees, doubt_feed, doubt_weight
from fennet.journal.log_line import Action, Measured, Said
from fennet.presentation.doubts import doubt_words
from fennet.presentation.hardening import outing_sentence, plant_doubt
from fennet.presentation.hardening import reasons as reasons_of
from fennet.web import record, request_context

#: An outing this many times as long as today's is doubted.
MUCH_LONGER = 1.6


def doubts(said: Said) -> list[str]:
    """Figures of a line that may be a slip, and plants that go out sooner or longer than they stand, in words."""
    found: list[Doubt | None] = []
    outdoors: list[str] = []
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
        elif isinstance(part, Action) and part.kind in ("planted", "put_out", "outing"):
            outdoors += _outdoors(part)
    fmt = request_context.formatter()
    return [doubt_words(d, fmt) for d in found if d is not None] + outdoors


def _outdoors(action: Action) -> list[str]:
    """What is doubtful about planting a batch, or putting it out, today."""
    a, fmt = record.answers(), request_context.formatter()
    batch = next((b for b in a.journal.batches if b.id == action.fields["batch"]), None)
    h = a.hardening(batch) if batch is not None and batch.crop in a.crops else None
    if h is None or batch is None:
        return []
    if action.kind == "planted":
        doubt = plant_doubt(h, fmt)
        return [doubt] if doubt else []
    if h.today is None:
        return []
    if not h.today.go:
        return [f"{batch.id} had better stay in: {reasons_of(h.today, fmt)}"]
    hours = action.fields.get("hours")
    if hours is not None and hours > MUCH_LONGER * h.today.hours:
        return [f"{batch.id}: {fmt.number(hours)} h is much for today: {outing_sentence(h.today, fmt)}"]
    return []
