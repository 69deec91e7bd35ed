"""Handlers of the story of a batch."""

from __future__ import annotations

from typing import Any

from flask import abort, render_template

from fennet.journal.promises import read_promises
from fennet.operations import photos
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.story.view import story_view


@request_context.in_garden
def story(batch_id: str) -> Any:
    """One batch from packet to plate."""
    fmt, c, ref = request_context.formatter(), request_context.reading(), request_context.garden()

    def made() -> Any:
        a = record.answers()
        batch = next((b for b in a.journal.batches if b.id == batch_id), None)
        told = a.story(batch) if batch is not None else None
        if batch is None or told is None:
            return None
        # Of what is over, what could be said at its end: its probe has gone elsewhere since.
        then = record.answers_at(told.inside_until_s - 1.0) if told.over else a
        return story_view(a, then, batch_id, read_promises(queries.promise_entries(c, ref.id)), fmt)

    view = record.remembered(("story", batch_id), made)
    if view is None:
        abort(404)
    shown = [p for p in photos.of_things(c, ref.id, list(view.things)) if view.from_s <= p.taken_at.timestamp() <= view.to_s]
    return render_template("story/story.html", v=view, photos=shown)
