"""Handlers of photos."""

from __future__ import annotations

from typing import Any

from flask import Response, abort, flash, redirect, request, url_for

from fennet.operations import photos
from fennet.operations.acting import Refusal
from fennet.web import asking
from fennet.web.auth.handlers import inside
from fennet.web.writes import write


def _back() -> Any:
    return redirect(inside(request.form.get("back")) or url_for("today.today", slug=asking.garden().slug))


@asking.in_garden
def add() -> Any:
    given = request.files.get("photo")
    try:
        if given is None or not given.filename:
            raise Refusal("Choose a photo first.", "photo")
        at = asking.typed_time(request.form["at"]) if request.form.get("at") else None
        made = photos.remake(given.read())
        number = write(lambda w: photos.add(w, request.form.get("thing", ""), made, at))
        flash("Photo kept, without what the camera wrote into it." if number else "That photo was kept already.")
    except Refusal as e:
        flash(e.reason, "error")
    return _back()


@asking.in_garden
def photo(number: int) -> Any:
    return _image(number, thumbnail=False)


@asking.in_garden
def thumb(number: int) -> Any:
    return _image(number, thumbnail=True)


def _image(number: int, thumbnail: bool) -> Response:
    data = photos.content(asking.reading(), asking.garden().id, number, thumbnail)
    if data is None:
        abort(404)
    response = Response(data, mimetype="image/jpeg")
    response.headers["Cache-Control"] = "private, max-age=86400, immutable"
    return response


@asking.in_garden
def withdraw(number: int) -> Any:
    write(lambda w: photos.withdraw(w, number, back=request.form.get("again") == "1"))
    flash("The photo is out of sight." if request.form.get("again") != "1" else "The photo is back.")
    return _back()
