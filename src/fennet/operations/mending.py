"""Mending what an earlier version stored and no record can hold: a new value for the field, or none where it can do without."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import select, update

from fennet.core.records import Garden, RecordFault, Want
from fennet.core.salvage import salvage
from fennet.operations.acting import Refusal, WriteContext, for_owners, refused
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import SECTIONS, table_of, to_row

#: Records beside the journal's sections of things.
OTHER: dict[str, tuple[type, Any]] = {"garden": (Garden, t.GardenRow), "wants": (Want, t.WantRow)}


def class_of(section: str) -> type:
    """The record that a fault's section holds."""
    return OTHER[section][0] if section in OTHER else SECTIONS[section][0]


def fault_of(w: WriteContext, section: str, id: str, field: str) -> RecordFault:
    """The fault that is meant, as it stands. Raises Refusal where it is mended already."""
    found = queries.faults(w.c, w.garden_id)
    fault = next((f for f in found if (f.section, f.id, f.field) == (section, id, field)), None)
    if fault is None:
        raise Refusal("That is mended already.")
    return fault


@for_owners
def mend(w: WriteContext, section: str, id: str, field: str, value: Any) -> None:
    """Give a field of a record another value, or none. Raises Refusal for one that cannot be either, or that is needed, and for a
    setting of the garden from anybody but an owner."""
    fault_of(w, section, id, field)
    if section == "garden" and w.actor.ref.role != "owner":
        raise Refusal("Only an owner changes the garden itself.")
    cls, model = class_of(section), OTHER[section][1] if section in OTHER else SECTIONS[section][1]
    table = table_of(model)
    where = table.c.garden_id == w.garden_id if section != "garden" else table.c.id == w.garden_id
    if section != "garden":
        where &= table.c.position == int(id) if section == "wants" else table.c.id == id
    row = w.c.execute(select(table).where(where)).mappings().one()
    plain = {f.name: row[f.name] for f in fields(cls) if row.get(f.name) is not None and f.name != field}
    if value is not None:
        plain[field] = value
    adapter: TypeAdapter[Any] = TypeAdapter(cls)
    try:
        record = adapter.validate_python(plain)
    except ValidationError as e:
        wrong = {str(x["loc"][0]) for x in e.errors() if x["loc"]}
        if field in wrong:
            raise refused(e, {}) from None
        # Something else of it is still to be mended: this field is written by itself.
        record, _ = salvage(adapter.validate_python, {**plain, "sown_at": w.now} if "sown_at" in wrong else plain, ())
        if record is None:
            raise refused(e, {}) from None
    w.c.execute(update(table).where(where).values({field: to_row(record, model, w.garden_id)[field]}))
