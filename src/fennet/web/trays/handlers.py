"""Handlers of the list of trays."""

from __future__ import annotations

from typing import Any, cast

from flask import flash, redirect, render_template, url_for

from fennet.core.records import Tray
from fennet.operations import gardens
from fennet.operations.acting import Refusal
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.forms import submitted
from fennet.web.trays.forms import TrayForm
from fennet.web.trays.view import shelves
from fennet.web.writes import write


@request_context.in_garden
def index() -> Any:
    seen = record.remembered("trays", lambda: shelves(record.answers(), request_context.formatter()))
    return render_template("trays/index.html", shelves=seen, any=bool(record.journal().trays))


@request_context.in_garden
def new() -> Any:
    ref = request_context.garden()
    places = queries.records(request_context.reading(), ref.id, "places")
    form = TrayForm()
    form.place.choices = [(p.id, p.name or p.id) for p in places]
    if submitted():
        try:
            form.take()
            shape = form.values("id", "rows", "columns", "cell_ml", "container")
            if form.kind.data == "open":
                # A row of a box is one place to sow in.
                shape |= {"columns": 1, "cell_ml": None, "container": None}
            tray = Tray(kind=cast(Any, form.kind.data or "cells"), **shape)
            write(lambda w: gardens.add_tray(w, tray, form.place.data))
        except Refusal as e:
            form.tell(e)
        else:
            flash(f"Tray {tray.id} is ready.")
            return redirect(
                url_for("sow.sow", slug=ref.slug, tray=tray.id)
                if form.then.data == "sow"
                else url_for("trays.index", slug=ref.slug)
            )
    return render_template("trays/new.html", form=form), 400 if form.errors else 200
