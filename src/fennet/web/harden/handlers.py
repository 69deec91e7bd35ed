"""Handlers of outings."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.core.records import Event
from fennet.operations import hardening
from fennet.operations.acting import Refusal, WriteContext
from fennet.web import record, request_context
from fennet.web.forms import Form
from fennet.web.harden.forms import SEEN_BUTTONS, STAND, InForm, OutForm
from fennet.web.harden.view import harden_view
from fennet.web.writes import write


@request_context.in_garden
def harden() -> Any:
    """Who goes out today and for how long, the fortnight around it, and who may be planted."""
    return _page(None)


@request_context.in_garden
def out() -> Any:
    """One press puts out what is ticked."""
    form = OutForm()

    def work(w: WriteContext) -> list[Event]:
        shade = STAND[form.sun.data or "shade"][1]
        return hardening.put_out(w, form.batch.data or [], form.pressed, shade, form.sheltered.data, form.night.data)

    return _pressed(form, form.batch.data or [], work, "out")


@request_context.in_garden
def back_in() -> Any:
    """One press brings in what is ticked, with what was seen on it."""
    form = InForm()
    return _pressed(
        form, form.batch.data or [], lambda w: hardening.bring_in(w, form.batch.data or [], form.pressed, form.seen.data), "in"
    )


def _pressed(form: Form, batches: list[str], work: Callable[[WriteContext], list[Event]], way: str) -> Any:
    try:
        form.take()
        if not batches:
            raise Refusal("No batch is ticked.", "batch")
        made = write(work)
    except Refusal as e:
        return _page(e), 400
    if made:
        flash(f"{', '.join(batches)} went {way}.", f"undo:{','.join(e.id for e in made)}")
    return redirect(url_for("harden.harden", slug=request_context.garden().slug))


def _page(refusal: Refusal | None) -> str:
    view = record.remembered(("harden",), lambda: harden_view(record.answers(), request_context.formatter()))
    return render_template("harden/harden.html", v=view, refusal=refusal, seen_buttons=SEEN_BUTTONS, stand=STAND)
