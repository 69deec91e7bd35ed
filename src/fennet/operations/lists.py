"""Lists that come as CSV into a garden: wants, seed box, sowings, and a station's minima."""

from __future__ import annotations

from dataclasses import replace

from fennet.crops import shipped
from fennet.journal.lists_csv import read_list
from fennet.journal.minima import is_minima_csv
from fennet.journal.readings_csv import open_table
from fennet.journal.rejected import FormatError
from fennet.operations import nights
from fennet.operations.acting import WriteContext, for_owners
from fennet.operations.exchange import Imported, take_part
from fennet.storage import queries


@for_owners
def take(w: WriteContext, text: str, unit: str | None = None) -> Imported:
    """Take a CSV list, known by its columns, into a garden as one transaction. Raises FormatError where nothing can be taken."""
    if is_minima_csv(open_table(text).header):
        read = nights.take_minima(w, text, unit)
        out = Imported(w.actor.ref)
        if read is not None and read.minima is not None:
            out.taken["minima"] = len(read.minima.low_c)
            out.rejected, out.notes = read.rejected, read.notes
        return out
    crops = shipped().with_own(queries.own_crops(w.c, w.garden_id))
    found = read_list(text, crops)
    result = take_part(w, {found.section: found.entries})
    result.rejected = [*found.rejected, *(replace(x, where=found.where(x.where)) for x in result.rejected)]
    result.notes += [f"column {name!r} is not known and was left out" for name in found.unknown]
    if not result.anything:
        raise FormatError(f"nothing could be taken: {result.rejected[0] if result.rejected else 'the list is empty'}")
    return result
