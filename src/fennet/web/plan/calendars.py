"""Handlers of the calendar: a file for who is signed in, a secret address for calendar programs."""

from __future__ import annotations

from typing import Any

from flask import Response, abort, flash, g, redirect, render_template, url_for

from fennet.operations import tokens
from fennet.operations.acting import Refusal
from fennet.presentation import calendar as calendars
from fennet.storage import queries
from fennet.web import request_context
from fennet.web.forms import submitted
from fennet.web.limits import GUESSES, failed, limiter
from fennet.web.parts import part
from fennet.web.plan import answers
from fennet.web.plan.forms import CalendarForm
from fennet.web.writes import write


def _answer(name: str, download: str = "") -> Response:
    growing = part("what is growing", answers.growing, answers.NOTHING_GROWS)
    body = calendars.calendar(answers.plan(), name, request_context.formatter(), request_context.now(), growing)
    response = Response(body, mimetype="text/calendar; charset=utf-8")
    if download:
        response.headers["Content-Disposition"] = f'attachment; filename="{download}"'
    response.headers["Cache-Control"] = "private, no-cache"
    return response


@request_context.in_garden
def file() -> Any:
    return _answer(request_context.garden().garden.name, f"{request_context.garden().slug}-plan.ics")


@request_context.in_garden
def calendar() -> Any:
    """Addresses in use; a new one is shown once."""
    fresh = ""
    form = CalendarForm()
    if submitted():
        try:
            form.take()
            if revoked := form.revoke.data:
                write(lambda w: tokens.revoke_address(w, revoked))
                flash("Revoked. That address shows nothing from now on.")
                return redirect(url_for("plan.calendar", slug=request_context.garden().slug))
            made = write(tokens.make_address)
            if made is not None:
                fresh = request_context.settings().public_url.rstrip("/") + url_for("plan.feed", token=made.token)
        except Refusal as e:
            flash(e.reason, "error")
    given = queries.secret_addresses(request_context.reading(), request_context.garden().id, "calendar")
    return render_template("plan/calendar.html", given=given, fresh=fresh)


@limiter.limit(GUESSES, deduct_when=failed)
def feed(token: str) -> Any:
    """A garden's calendar to whoever has its secret address, and nothing else of the garden."""
    found = queries.garden_of_address(request_context.reading(), tokens.hashed(token), "calendar") if len(token) < 100 else None
    if found is None:
        abort(404)
    g.garden = found
    return _answer(found.garden.name)
