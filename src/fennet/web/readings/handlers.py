"""Handlers of what was read."""

from __future__ import annotations

from typing import Any

from flask import abort, render_template

from fennet.storage import reading_spans
from fennet.web import query, record, request_context
from fennet.web.readings.view import SPANS, named, series_lines, series_view


@request_context.in_garden
def index() -> Any:
    """Every series, by place."""
    spans = reading_spans.series_spans(request_context.reading(), request_context.garden().id)
    lines = series_lines(spans, record.journal(), request_context.formatter())
    return render_template("readings/index.html", lines=lines)


@request_context.in_garden
def show(number: str) -> Any:
    """One series over a span that ends at a day; the last one read where none is asked for."""
    position = query.position(number)
    c, fmt = request_context.reading(), request_context.formatter()
    found = reading_spans.series_spans(c, request_context.garden().id, position) if position is not None else []
    if not found:
        abort(404)
    span = query.text("span", "month")
    until = query.day(query.text("until")) or fmt.local(found[0].last_at).date()
    view = series_view(found[0], span if span in SPANS else "month", until, fmt, lambda *asked: reading_spans.steps(c, *asked))
    return render_template("readings/show.html", v=view, name=named(found[0], record.journal()), spans=list(SPANS))
