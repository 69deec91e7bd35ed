"""Handlers of a season looked back on."""

from __future__ import annotations

from typing import Any

from flask import render_template

from fennet.web import query, record, request_context
from fennet.web.season.view import season_view


@request_context.in_garden
def season() -> Any:
    """A year's season in numbers; the latest where none is asked for."""
    fmt = request_context.formatter()
    years = record.answers().sown_years()
    asked = query.number("year", years[0] if years else 0, 1900, 2199)
    year = asked if asked in years else years[0] if years else 0
    view = record.remembered(("season", year), lambda: season_view(record.answers(), year, fmt)) if year else None
    return render_template("season/season.html", v=view, years=years, year=year)
