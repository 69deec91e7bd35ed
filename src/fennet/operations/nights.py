"""The record of nights outdoors."""

from __future__ import annotations

from sqlalchemy import delete, insert

from fennet.journal.minima import MinimaRead, minima_from_csv
from fennet.operations.acting import WriteContext, for_owners
from fennet.storage import tables as t
from fennet.storage.mapping import table_of


@for_owners
def take_minima(w: WriteContext, text: str, unit: str | None = None) -> MinimaRead | None:
    """Keep a station's daily minima in place of those there are. Raises FormatError for a file that cannot be read."""
    entries, read = minima_from_csv(text, unit)
    k = table_of(t.JournalSectionRow)
    w.c.execute(delete(k).where(k.c.garden_id == w.garden_id, k.c.section == "minima"))
    w.c.execute(insert(k), [{"garden_id": w.garden_id, "section": "minima", "body": e} for e in entries])
    return read
