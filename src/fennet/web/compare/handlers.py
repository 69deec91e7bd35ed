"""Handlers of the comparison."""

from __future__ import annotations

from typing import Any

from flask import render_template

from fennet.core.comparing.comparison import BY
from fennet.web import query, record, request_context
from fennet.web.compare.view import kinds_of


@request_context.in_garden
def compare() -> Any:
    """The garden's batches by what they share."""
    asked = query.text("by", "variety")
    by = asked if asked in BY else "variety"
    fmt = request_context.formatter()

    def made() -> Any:
        a = record.answers()
        return kinds_of(a.comparison(by), a.table, fmt)

    return render_template("compare/compare.html", by=by, ways=BY, kinds=record.remembered(("compare", by), made))
