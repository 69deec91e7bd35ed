"""Handlers of devices."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.operations import device_api
from fennet.operations.acting import Refusal
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.devices.forms import DeviceForm
from fennet.web.devices.view import device_lines
from fennet.web.forms import submitted
from fennet.web.places import named_places
from fennet.web.writes import write


@request_context.in_garden
def devices() -> Any:
    """Every device with a token; a new one's token is shown once."""
    form, fresh, name = DeviceForm(), "", ""
    form.place.choices = list(named_places(record.journal()).items())
    refusal: Refusal | None = None
    if submitted():
        try:
            form.take()
            if form.act.data:
                return _done(form)
            if not form.name.data:
                raise Refusal("The device needs a name.", "name")
            name, place = form.name.data, form.place.data
            made = write(lambda w: device_api.issue_token(w, device_api.READER, name, place))
            fresh = made.token if made is not None else ""
            form = _empty(form)
        except Refusal as e:
            form.tell(e)
            refusal = e
    known = queries.devices(request_context.reading(), request_context.garden().id)
    page = render_template(
        "devices/devices.html",
        form=form,
        refusal=refusal,
        fresh=fresh,
        name=name,
        lines=device_lines(known, request_context.formatter(), request_context.now()),
        address=request_context.settings().public_url.rstrip("/") + url_for("device_api.readings"),
    )
    return page, 400 if refusal else 200


def _empty(form: DeviceForm) -> DeviceForm:
    """The form for the next device."""
    again = DeviceForm(formdata=None)
    again.place.choices = form.place.choices
    return again


def _done(form: DeviceForm) -> Any:
    """Revoke a token, or put a clock right by what was told of it."""
    token = form.device.data or ""
    if form.act.data == "revoke":
        write(lambda w: device_api.revoke_token(w, token))
        flash("Revoked. Nothing sent with that token is accepted any more.")
    elif form.act.data == "clock":
        write(lambda w: device_api.put_clock_right(w, token))
        flash("From now on its times are moved by as much as its clock is off.")
    return redirect(url_for("devices.devices", slug=request_context.garden().slug))
