"""Handlers of photos."""

from __future__ import annotations

from typing import Any

from flask import Response, abort, flash, redirect, url_for

from fennet.operations import photos
from fennet.operations.acting import Refusal
from fennet.web import request_context
from fennet.web.auth.handlers import inside
from fennet.web.forms import Form, Hidden, Moment, file_of
from fennet.web.writes import write


class PhotoForm(Form):
    thing = Hidden(longest=64)
    at = Moment("When")
    again = Hidden(longest=2)


def _back(form: PhotoForm) -> Any:
    return redirect(inside(form.back.data) or url_for("today.today", slug=request_context.garden().slug))


@request_context.in_garden
def add() -> Any:
    form = PhotoForm()
    try:
        form.take()
        made = photos.remake(file_of("photo", "Choose a photo first.")[1])
        number = write(lambda w: photos.add(w, form.thing.data or "", made, form.at.data))
        flash("Photo saved, without the data the camera wrote into it." if number else "That photo was kept already.")
    except Refusal as e:
        flash(e.reason, "error")
    return _back(form)


@request_context.in_garden
def photo(number: int) -> Any:
    return _image(number, thumbnail=False)


@request_context.in_garden
def thumb(number: int) -> Any:
    return _image(number, thumbnail=True)


def _image(number: int, thumbnail: bool) -> Response:
    data = photos.content(request_context.reading(), request_context.garden().id, number, thumbnail)
    if data is None:
        abort(404)
    response = Response(data, mimetype="image/jpeg")
    response.headers["Cache-Control"] = "private, max-age=86400, immutable"
    return response


@request_context.in_garden
def withdraw(number: int) -> Any:
    form = PhotoForm()
    write(lambda w: photos.withdraw(w, number, back=form.again.data == "1"))
    flash("Photo removed." if form.again.data != "1" else "The photo is back.")
    return _back(form)
