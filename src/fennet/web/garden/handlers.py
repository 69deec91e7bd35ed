"""Handlers for a garden as a whole."""

from __future__ import annotations

from typing import Any

from flask import redirect, render_template, url_for
from flask_login import login_required

from fennet.web import request_context


@login_required
def none() -> Any:
    if request_context.my_gardens():
        return redirect(url_for("home"))
    return redirect(url_for("people.gardens"))


@request_context.in_garden
def more() -> Any:
    """What has no place in the phone's bar."""
    return render_template("more.html")
