"""What is doubtful in a log line, before it is saved and after."""

from __future__ import annotations

from fennet.core.doubts import Doubt, doubt_degrees, doubt_feed, doubt_weight
from fennet.core.hardening.doubted import doubt_outing, never_planted
from fennet.journal.log_line import Action, Measured, Said
from fennet.presentation.doubts import doubt_words
from fennet.presentation.hardening import outing_doubt_words, picked_early_words, plant_doubt
from fennet.web import record, request_context


def doubts(said: Said) -> list[str]:
    """Figures of a line that may be a slip, and plants that go out sooner or longer than they stand, in words."""
    found: list[Doubt | None] = []
    outdoors: list[str] = []
    a, at_s = record.answers(), said.at.timestamp()
    for part in said.parts:
        if isinstance(part, Measured) and part.quantity == "moisture" and part.unit == "g":
            found.append(doubt_weight(a.journal.sources, part.place, part.value, at_s))
        elif isinstance(part, Measured) and part.quantity.endswith("_temperature") and part.unit == "degC":
            found.append(doubt_degrees(part.place, part.value))
        elif isinstance(part, Action) and part.kind == "fed" and part.fields.get("n_mg_per_l") is not None:
            found.append(doubt_feed(a.journal, a.crops_here, part.fields["tray"], part.fields["n_mg_per_l"], a.events, at_s))
        elif isinstance(part, Action) and part.kind in ("planted", "put_out", "outing", "harvest"):
            outdoors += _outdoors(part, at_s)
    fmt = request_context.formatter()
    return [doubt_words(d, fmt) for d in found if d is not None] + outdoors


def _outdoors(action: Action, at_s: float) -> list[str]:
    """What is doubtful about planting a batch, putting it out today, or picking of it."""
    a, fmt = record.answers(), request_context.formatter()
    batch = next((b for b in a.journal.batches if b.id == action.fields["batch"]), None)
    if batch is None or batch.crop not in a.crops:
        return []
    if action.kind == "harvest":
        return [picked_early_words(batch.id)] if never_planted(batch, a.events) else []
    h = a.hardening(batch)
    if h is None:
        return []
    if action.kind == "planted":
        doubt = plant_doubt(h, fmt)
        return [doubt] if doubt else []
    f = action.fields
    found = doubt_outing(h, f.get("shade_share"), f.get("hours"), f.get("place") is not None, at_s)
    return [outing_doubt_words(h, found, fmt)] if found else []
