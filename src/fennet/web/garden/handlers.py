"""Handlers for a garden as a whole."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, request, url_for
from flask_login import login_required

from fennet.operations import logging
from fennet.operations.acting import Refusal
from fennet.web import asking


@login_required
def none() -> Any:
    if asking.my_gardens():
        return redirect(url_for("home"))
    return render_template("error.html", title="No garden yet", words="An owner of a garden can invite you to it.")


@asking.in_garden
def undo() -> Any:
    """Withdraw one entry, and go back to where it was pressed."""
    try:
        gone = logging.withdraw(asking.engine(), asking.actor(), request.form.get("event", ""), asking.now())
        flash("Undone.", f"undo:{gone.id}")
    except Refusal as e:
        flash(e.reason, "error")
    tray = request.form.get("tray")
    return redirect(
        url_for("tray.show", slug=asking.garden().slug, tray_id=tray)
        if tray
        else url_for("trays.index", slug=asking.garden().slug)
    )
