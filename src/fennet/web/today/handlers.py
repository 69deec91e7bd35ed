"""Handlers of Today."""

from __future__ import annotations

from typing import Any

from flask import render_template, request

from fennet.core.history import standing
from fennet.web import asking, record
from fennet.web.today.view import today_view


@asking.in_garden
def today() -> Any:
    """The room as it is now, or as it was at a time asked for."""
    journal, say = record.journal(), asking.speech()
    then = request.args.get("at", "")
    room = request.args.get("room", "")
    if then:
        at_s = min(asking.typed_time(then).timestamp(), asking.now().timestamp())
        events = standing(journal.events, at_s)
        view = today_view(journal, events, at_s, asking.garden().id, say, room)
    else:
        at_s, events = record.at_s(), record.events()
        view = record.remembered(("today", room), lambda: today_view(journal, events, at_s, asking.garden().id, say, room))
    return render_template("today/today.html", v=view, then=then)
