"""Handlers of Today."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from flask import flash, redirect, render_template, request, url_for

from fennet.core.away import LONGEST_D
from fennet.core.history import standing
from fennet.core.records import Event, Journal
from fennet.core.scoring import Mark, marks
from fennet.core.work.task import LEAVE
from fennet.operations import deeds
from fennet.operations.acting import Refusal
from fennet.storage import queries
from fennet.web import asking, record
from fennet.web.today.view import TodayView, today_view
from fennet.web.today.work import LATER, left_value
from fennet.web.writes import write

USUAL_AWAY_D = 4


def _marked(journal: Journal, events: list[Event], at_s: float) -> list[Mark]:
    """The garden's promises as they stand."""
    kept = queries.kept(asking.reading(), asking.garden().id).get("promises", [])
    return marks(replace(journal, promises=[p for p in kept if p.get("kind") == "mat_soil"]), events, at_s)


def view_now(room: str = "", away_days: int = 0) -> TodayView:
    """The day in a room as it is now, worked out once for the same record."""
    journal, events, at_s, say = record.journal(), record.events(), record.at_s(), asking.speech()
    return record.remembered(
        ("today", room, away_days),
        lambda: today_view(journal, events, at_s, say, _marked(journal, events, at_s), room, away_days),
    )


@asking.in_garden
def front() -> Any:
    """A garden's own address leads to its day."""
    return redirect(url_for("today.today", slug=asking.garden().slug))


@asking.in_garden
def today() -> Any:
    """The room as it is now, or as it was at a time asked for."""
    journal, say = record.journal(), asking.speech()
    then = request.args.get("at", "")
    room = request.args.get("room", "")
    if then:
        at_s = min(asking.typed_time(then).timestamp(), asking.now().timestamp())
        events = standing(journal.events, at_s)
        view = today_view(journal, events, at_s, say, [], room)
    else:
        view = view_now(room)
    return render_template("today/today.html", v=view, then=then, later=LATER)


@asking.in_garden
def leave() -> Any:
    """A task is left until later, for a reason. It is an entry like any other and can be undone."""
    key, what = request.form.get("task", "")[:120], request.form.get("what", "")[:120]
    value = left_value(
        key, request.form.get("until", ""), request.form.get("why", "").strip(), asking.now().timestamp(), asking.speech()
    )
    if value is None or not key:
        accepted = ", ".join(words for _, words, _ in LATER)
        raise Refusal(f"{request.form.get('until') or 'nothing'!r} is no time to leave it until; accepted: {accepted}.", "until")
    event = write(lambda w: deeds.log_event(w, "set", {"what": LEAVE, "value": value}, asking.now()))
    if event is not None:
        flash(f"Left: {what or key}.", f"undo:{event.id}")
    return redirect(url_for("today.today", slug=asking.garden().slug))


@asking.in_garden
def away() -> Any:
    """What some days without anybody mean."""
    typed = request.args.get("days", str(USUAL_AWAY_D))
    wrong = ""
    if typed.isdigit() and 1 <= int(typed) <= LONGEST_D:
        days = int(typed)
    else:
        days, wrong = USUAL_AWAY_D, f"{typed!r} is no number of days; accepted: 1 to {LONGEST_D}."
    return render_template("today/away.html", v=view_now("", days).away, wrong=wrong, longest=LONGEST_D), 400 if wrong else 200
