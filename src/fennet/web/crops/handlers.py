"""Handlers of the crop table, and of a garden's own kinds."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, url_for

from fennet.crops import CropTable, UnknownCrop
from fennet.crops.own import ANSWERS, answers_of
from fennet.operations import own_crops
from fennet.operations.acting import Refusal
from fennet.presentation.crops import crop_facts
from fennet.web import query, record, request_context
from fennet.web.crops.forms import OwnForm
from fennet.web.forms import submitted
from fennet.web.workings import figure_rows
from fennet.web.writes import write

RESPONSE_AT_C = (5, 10, 15, 18, 20, 22, 25, 28, 30, 33, 35)


def _table() -> CropTable:
    return record.answers().table


@request_context.in_garden
def index() -> Any:
    wanted = query.text("q")
    crops = _table().search(wanted)
    own = {e["id"] for e in record.journal().crops}
    rows = [(c, c.response.days_to_half(c.target_soil_c), c.id in own) for c in sorted(crops, key=_own_first(own, bool(wanted)))]
    return render_template("crops/index.html", rows=rows, q=wanted)


def _own_first(own: set[str], searched: bool) -> Any:
    """Own kinds stand first in the whole table; what was searched for keeps its order of nearness."""
    return lambda c: 0 if searched or c.id in own else 1


@request_context.in_garden
def show(crop_id: str) -> Any:
    try:
        crop = _table().get(crop_id)
    except UnknownCrop:
        abort(404)
    response = [(t, crop.response.days_to_half(t), crop.response.share_expected(t)) for t in RESPONSE_AT_C]
    fmt = request_context.formatter()
    own = next((e for e in record.journal().crops if e["id"] == crop.id), None)
    like = _table().get(str(own["like"])).name if own and own.get("like") else ""
    return render_template(
        "crops/show.html", crop=crop, response=response, facts=crop_facts(crop, fmt), figures=figure_rows(crop.figures(), fmt),
        own=own, like=like,
    )  # fmt: skip


@request_context.in_garden
def own(crop_id: str | None = None) -> Any:
    """The form of a kind of one's own, new or there already."""
    entry = next((e for e in record.journal().crops if e["id"] == crop_id), None)
    if crop_id is not None and entry is None:
        abort(404)
    known = {"like": query.text("like")} if entry is None else _known(entry)
    form, refusal = OwnForm(data=known), None
    if submitted():
        try:
            form.take()
            kept = write(lambda w: own_crops.put_own(w, form.name.data, form.like.data, form.values(*ANSWERS), crop_id))
            flash(f"{form.name.data} saved. It counts from now on.")
            return redirect(url_for("crops.show", slug=request_context.garden().slug, crop_id=kept or crop_id))
        except Refusal as e:
            form.tell(e)
            refusal = e
    page = render_template("crops/own.html", form=form, refusal=refusal, entry=entry, crops=list(_table()))
    return page, 400 if refusal else 200


def _known(entry: dict[str, Any]) -> dict[str, Any]:
    table = _table()
    like = table.get(str(entry["like"])).name if entry.get("like") else entry["id"]
    return {"name": entry.get("name", entry["id"]), "like": like, **answers_of(table, entry)}


@request_context.in_garden
def drop(crop_id: str) -> Any:
    try:
        write(lambda w: own_crops.drop_own(w, crop_id))
    except Refusal as e:
        flash(e.reason)
        return redirect(url_for("crops.show", slug=request_context.garden().slug, crop_id=crop_id))
    flash("Kind removed.")
    return redirect(url_for("crops.index", slug=request_context.garden().slug))
