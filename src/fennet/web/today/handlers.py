"""Handlers of Today."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, request, url_for

from fennet.answering.answers import Answers
from fennet.core.away import LONGEST_D
from fennet.core.scoring import MAT_SOIL, ScoredPromise
from fennet.core.work.task import LEAVE
from fennet.journal.promises import read_promises
from fennet.operations import actions
from fennet.operations.acting import Refusal
from fennet.storage import queries
from fennet.web import query, record, request_context
from fennet.web.forms import Form, Hidden, Words, local_time, short
from fennet.web.parts import part
from fennet.web.today.view import TodayView, today_view
from fennet.web.today.work import LATER, left_value
from fennet.web.writes import write

USUAL_AWAY_D = 4


class LeaveForm(Form):
    """A task left until later."""

    task = Hidden(longest=120)
    what = Hidden(longest=400)
    until = Hidden(longest=20)
    why = Words("For what reason", 200)


def _marked(a: Answers) -> list[ScoredPromise]:
    """The garden's promises as they stand; none where they cannot be marked."""
    none: list[ScoredPromise] = []
    return part("what came of the promises", lambda: _marks_of(a), none)


def _marks_of(a: Answers) -> list[ScoredPromise]:
    kept = read_promises(queries.promise_entries(request_context.reading(), request_context.garden().id))
    return a.scored_promises([p for p in kept if p.kind == MAT_SOIL])


def view_now(room: str = "", away_days: int = 0) -> TodayView:
    """The day in a room as it is now, worked out once for the same record."""
    a, fmt = record.answers(), request_context.formatter()
    return record.remembered(("today", room, away_days), lambda: today_view(a, fmt, _marked(a), room, away_days))


@request_context.in_garden
def front() -> Any:
    """A garden's own address leads to its day."""
    return redirect(url_for("today.today", slug=request_context.garden().slug))


@request_context.in_garden
def today() -> Any:
    """The room as it is now, or as it was at a time asked for."""
    then = query.text("at", longest=40)
    room = query.text("room", longest=64)
    if then:
        try:
            at_s = min(local_time(then).timestamp(), request_context.now().timestamp())
        except ValueError as e:
            raise Refusal(f"{short(then)!r} {e}.", "at", then) from None
        view = today_view(record.answers_at(at_s), request_context.formatter(), [], room)
    else:
        view = view_now(room)
    return render_template("today/today.html", v=view, then=then, later=LATER)


@request_context.in_garden
def leave() -> Any:
    """A task is left until later, for a reason. It is an entry like any other and can be undone."""
    form = LeaveForm()
    form.take()
    key, what = form.task.data or "", form.what.data or ""
    value = left_value(
        key, form.until.data or "", form.why.data or "", request_context.now().timestamp(), request_context.formatter()
    )
    if value is None or not key:
        accepted = ", ".join(words for _, words, _ in LATER)
        raise Refusal(f"{form.until.data or 'nothing'!r} is not a time to leave it until; accepted: {accepted}.", "until")
    event = write(lambda w: actions.log_event(w, "set", {"what": LEAVE, "value": value}, request_context.now()))
    if event is not None:
        flash(f"Left: {what or key}.", f"undo:{event.id}")
    return redirect(url_for("today.today", slug=request_context.garden().slug))


@request_context.in_garden
def away() -> Any:
    """What some days without anybody mean."""
    typed, wrong = query.text("days", str(USUAL_AWAY_D), 20), ""
    days = query.number("days", 0, 1, LONGEST_D) if "days" in request.args else USUAL_AWAY_D
    if not days:
        days, wrong = USUAL_AWAY_D, f"{typed!r} is not a number of days; accepted: 1 to {LONGEST_D}."
    return render_template(
        "today/away.html", v=view_now("", days).away, days=days, wrong=wrong, longest=LONGEST_D
    ), 400 if wrong else 200
