"""Handlers of the list of trays."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, request, url_for

from fennet.core.records import Tray
from fennet.operations import gardens
from fennet.operations.acting import Refusal
from fennet.storage import queries
from fennet.web import asking, record
from fennet.web.trays.forms import TrayForm
from fennet.web.trays.view import shelves
from fennet.web.writes import write


@asking.in_garden
def index() -> Any:
    now_s, journal = record.at_s(), record.journal()
    seen = record.remembered("trays", lambda: shelves(journal, record.events(), now_s, asking.speech()))
    return render_template("trays/index.html", shelves=seen, any=bool(journal.trays))


@asking.in_garden
def new() -> Any:
    ref = asking.garden()
    places = queries.records(asking.reading(), ref.id, "places")
    form = TrayForm()
    form.place.choices = [("", "not said yet"), *((p.id, p.name or p.id) for p in places)]
    if form.validate_on_submit():
        tray = Tray(
            id=form.id.data.strip(), kind="cells", rows=form.rows.data, columns=form.columns.data, cell_ml=form.cell_ml.data
        )
        try:
            write(lambda w: gardens.add_tray(w, tray, form.place.data or None), key=form.key.data)
        except Refusal as e:
            form.tell(e)
        else:
            flash(f"Tray {tray.id} is there.")
            return redirect(
                url_for("sow.sow", slug=ref.slug, tray=tray.id)
                if request.form.get("then") == "sow"
                else url_for("trays.index", slug=ref.slug)
            )
    return render_template("trays/new.html", form=form), 400 if form.errors else 200
