"""Handlers of the crop table."""

from __future__ import annotations

from typing import Any

from flask import abort, render_template

from fennet.crops import CropTable, UnknownCrop, shipped
from fennet.crops.table import plain
from fennet.storage import queries
from fennet.web import query, request_context
from fennet.web.workings import figure_rows

RESPONSE_AT_C = (5, 10, 15, 18, 20, 22, 25, 28, 30, 33, 35)


def _table() -> CropTable:
    return shipped().with_own(queries.own_crops(request_context.reading(), request_context.garden().id))


@request_context.in_garden
def index() -> Any:
    wanted = query.text("q")
    crops = [c for c in _table() if not wanted or any(plain(wanted) in plain(n) for n in (c.id, c.name, *c.synonyms))]
    nearest: list[str] = []
    if wanted and not crops:
        try:
            crops = [_table().get(wanted)]
        except UnknownCrop as e:
            nearest = e.nearest
    rows = [(c, c.response.days_to_half(c.target_soil_c)) for c in crops]
    return render_template("crops/index.html", rows=rows, q=wanted, nearest=nearest)


@request_context.in_garden
def show(crop_id: str) -> Any:
    try:
        crop = _table().get(crop_id)
    except UnknownCrop:
        abort(404)
    response = [(t, crop.response.days_to_half(t), crop.response.share_expected(t)) for t in RESPONSE_AT_C]
    figures = figure_rows(crop.figures(), request_context.formatter())
    return render_template("crops/show.html", crop=crop, response=response, figures=figures)
