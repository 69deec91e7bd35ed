"""A garden to readers: what stands where and what is due, by days; nothing of people, and no time of day."""

from __future__ import annotations

from typing import Any

from flask import abort, g, render_template

from fennet.operations import tokens
from fennet.presentation.reader import reader_view
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.limits import GUESSES, failed, limiter


@limiter.limit(GUESSES, deduct_when=failed)
def shared(token: str) -> Any:
    found = queries.garden_of_address(request_context.reading(), tokens.hashed(token), "garden") if len(token) < 100 else None
    if found is None:
        abort(404)
    g.garden = found
    view = reader_view(record.answers(), request_context.formatter())
    # What is read now is of no garden: no ways into it are shown.
    g.pop("garden", None)
    return render_template("people/shared.html", name=found.garden.name, view=view)
