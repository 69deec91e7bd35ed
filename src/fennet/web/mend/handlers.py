"""Handlers of mending."""

from __future__ import annotations

import types
import typing
from datetime import date, datetime
from typing import Any

from flask import flash, redirect, render_template, url_for
from wtforms import Field

from fennet.core.records import RecordFault
from fennet.operations import mending
from fennet.operations.acting import Refusal
from fennet.web import record, request_context
from fennet.web.forms import Day, Figure, Form, Hidden, Moment, Tick, Words, made_of, submitted
from fennet.web.writes import write

#: What one record of a section is called.
KINDS = {
    "seed_lots": "Packet", "rooms": "Room", "places": "Place", "outlets": "Outlet", "lamps": "Lamp", "mats": "Mat", "fans": "Fan",
    "trays": "Tray", "sources": "Probe", "batches": "Batch", "wants": "Want",
}  # fmt: skip


class MendForm(Form):
    section = Hidden(longest=20)
    id = Hidden(longest=64)
    field = Hidden(longest=40)
    none = Tick()


@request_context.in_garden
def mend() -> Any:
    """What cannot be read of the stored record: what stands there, and a better value for it."""
    faults = record.faults()
    told: Form | None = None
    if submitted():
        asked = MendForm()
        fault = next(
            (f for f in faults if (f.section, f.id, f.field) == (asked.section.data, asked.id.data, asked.field.data)), None
        )
        if fault is None:
            flash("That is mended already.")
            return redirect(url_for("mend.mend", slug=request_context.garden().slug))
        told = _form(fault)()
        try:
            told.take()
            value = None if told["none"].data else told["value"].data
            if value is None and not told["none"].data:
                raise Refusal("Type what it should be, or leave it out.", "value")
            write(lambda w: mending.mend(w, fault.section, fault.id, fault.field, value))
            flash(f"{fault.id}: mended.")
            return redirect(url_for("mend.mend", slug=request_context.garden().slug))
        except Refusal as e:
            # The form has one field, whatever the record calls it.
            told.tell(Refusal(e.reason, "value", e.given))
    if not faults and not submitted():
        flash("Nothing in the record needs mending.")
        return redirect(url_for("book.book", slug=request_context.garden().slug))
    forms = [
        (
            _name(f),
            f,
            told if told is not None and told["id"].data == f.id and told["field"].data == f.field else _form(f)(formdata=None),
        )
        for f in faults
    ]
    return render_template("mend/mend.html", forms=forms), 400 if told is not None else 200


def _name(fault: RecordFault) -> str:
    """What a fault is of, as its heading says it."""
    field = fault.field.replace("_", " ").removesuffix(" mm").removesuffix(" ml")
    return f"The garden’s {field}" if fault.section == "garden" else f"{KINDS[fault.section]} {fault.id}, {field}"


def _form(fault: RecordFault) -> type[Form]:
    """A form for one value, of the kind that its field holds."""
    hint = _plain(typing.get_type_hints(mending.class_of(fault.section))[fault.field])
    kinds: dict[Any, type[Field]] = {datetime: Moment, date: Day, int: Figure, float: Figure}
    return made_of({"value": kinds.get(hint, Words)("It should be")}, MendForm)


def _plain(hint: Any) -> Any:
    """The type inside Optional and Annotated."""
    if isinstance(hint, types.UnionType) or typing.get_origin(hint) is typing.Union:
        return _plain(next(a for a in typing.get_args(hint) if a is not type(None)))
    return hint
