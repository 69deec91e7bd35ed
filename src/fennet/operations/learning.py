"""What a grower says of what was learned: forgotten, left out, or replaced by a figure of their own."""

from __future__ import annotations

from dataclasses import replace

from pydantic import TypeAdapter
from sqlalchemy import delete

from fennet.core.learning.corrections import Correction, correction_fault
from fennet.journal.learned import correction_of
from fennet.operations.acting import Refusal, WriteContext, for_owners
from fennet.operations.typed_records import keep_entry
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MOST_CORRECTIONS = 500


@for_owners
def correct(w: WriteContext, correction: Correction) -> None:
    """Keep a correction; one that speaks of the same takes the earlier one's place. Raises Refusal."""
    wrong = correction_fault(correction)
    if wrong is not None:
        name, words = wrong
        raise Refusal(f"{name.replace('_', ' ')} {words}.", name)
    if correction.thing is not None:
        known = [x.id for kind in ("trays", "lamps") for x in queries.records(w.c, w.garden_id, kind)]
        if correction.thing not in known:
            raise Refusal(
                f"There is no tray or lamp {correction.thing!r}; accepted: one of this garden.", "thing", correction.thing
            )
    _drop(w, correction)
    if len(queries.open_entries(w.c, w.garden_id).get("learned", [])) >= MOST_CORRECTIONS:
        raise Refusal(f"Up to {MOST_CORRECTIONS} corrections are kept; take some back first.")
    keep_entry(w, "learned", TypeAdapter(Correction).dump_python(correction, mode="json", exclude_none=True))


@for_owners
def take_back(w: WriteContext, correction: Correction) -> None:
    """Learn again as before: the correction that speaks of the same goes."""
    _drop(w, correction)


def _drop(w: WriteContext, like: Correction) -> None:
    k = table_of(t.JournalSectionRow)
    for row in w.c.execute(k.select().where(k.c.garden_id == w.garden_id, k.c.section == "learned")).mappings():
        try:
            there = correction_of(row["body"])
        except ValueError:
            continue
        if about(there) == about(like):
            w.c.execute(delete(k).where(k.c.position == row["position"]))


def about(c: Correction) -> Correction:
    """What a correction speaks of, whatever it says of it."""
    said = c.value is not None
    return replace(c, forget_before=None, leave_out=c.leave_out or None, value=1.0 if said else None)
