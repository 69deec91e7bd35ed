"""Gardens as a person has them: the list, a new one, leaving, removing."""

from __future__ import annotations

from typing import Any
from zoneinfo import available_timezones

from flask import flash, g, redirect, render_template, url_for
from flask_login import current_user, login_required

from fennet.core.records import Garden
from fennet.operations import people as operations
from fennet.operations.acting import Refusal, in_turn
from fennet.web import request_context
from fennet.web.forms import submitted
from fennet.web.people.forms import GardenForm, RemoveForm


@login_required
def gardens() -> Any:
    form = GardenForm()
    form.timezone.choices = [(z, z) for z in sorted(z for z in available_timezones() if "/" in z or z == "UTC")]
    if submitted():
        try:
            form.take()
            new = Garden(name=form.name.data, timezone=form.timezone.data or "UTC")
            ref = operations.found_garden(request_context.engine(), current_user.id, new)
            return redirect(url_for("begin.begin", slug=ref.slug))
        except Refusal as e:
            form.tell(e)
    page = render_template("people/gardens.html", form=form, gardens=request_context.my_gardens())
    return page, 400 if form.errors else 200


@request_context.in_garden
def leave() -> Any:
    ref = request_context.garden()
    operations.leave(request_context.engine(), ref, current_user.id)
    _away()
    flash(f"You left {ref.garden.name}.")
    return redirect(url_for("home"))


@request_context.in_garden
def remove_garden() -> Any:
    """For good: the garden's name is typed first."""
    form, ref = RemoveForm(), request_context.garden()
    form.take()
    typed = form.typed.data or ""
    engine, actor, now = request_context.engine(), request_context.actor(), request_context.now()
    in_turn(engine, actor, now, lambda w: operations.remove_garden(w, typed))
    _away()
    flash(f"{ref.garden.name} is gone, with all its record.")
    return redirect(url_for("home"))


def _away() -> None:
    """This request is of that garden no more."""
    g.pop("gardens", None)
    g.pop("garden", None)
