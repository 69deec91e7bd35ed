"""Handlers of outings."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.core.hardening.outings import SHADE_SHARE
from fennet.core.records import Event
from fennet.journal.readings_csv import decode
from fennet.journal.rejected import FormatError
from fennet.journal.weather import weather_from_csv
from fennet.operations import device_api, hardening
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import log_event
from fennet.operations.weather import take_weather
from fennet.presentation.hardening import SUN
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.forms import Form, file_of
from fennet.web.harden.forms import SEEN_BUTTONS, InForm, OutForm, PickForm, StationForm, WeatherForm
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
        shade = SHADE_SHARE[form.sun.data or "shade"]
        return hardening.put_out(w, form.batch.data or [], form.pressed, shade, form.sheltered.data, form.night.data)

    return _pressed(form, form.batch.data or [], work, "out")


@request_context.in_garden
def back_in() -> Any:
    """One press brings in what is ticked, with what was seen on it."""
    form = InForm()
    return _pressed(
        form, form.batch.data or [], lambda w: hardening.bring_in(w, form.batch.data or [], form.pressed, form.seen.data), "in"
    )


@request_context.in_garden
def picked(batch_id: str) -> Any:
    """What was picked of a planted batch, by weight, pieces or neither."""
    form = PickForm()

    def work(w: WriteContext) -> list[Event]:
        given = {k: v for k, v in (("grams", form.grams.data), ("pieces", form.pieces.data)) if v is not None}
        made = log_event(w, "harvest", {"batch": batch_id, **given}, form.pressed)
        return [made] if made is not None else []

    try:
        form.take()
        made = write(work)
    except Refusal as e:
        return _page(e), 400
    if made:
        flash(f"{batch_id} was picked.", f"undo:{made[0].id}")
    return redirect(url_for("harden.harden", slug=request_context.garden().slug))


@request_context.in_garden
def weather() -> Any:
    """A station's file, CSV or a journal's own JSON."""
    form = WeatherForm()
    try:
        form.take()
        name, raw = file_of(asked="Choose a file of weather first.")
        text = decode(raw)
        source = form.source.data or name[:60]
        if text.lstrip().startswith(("{", "[")):
            read = json.loads(text)
            entries = read.get("weather", [read]) if isinstance(read, dict) else read
        else:
            entries = [weather_from_csv(text, form.pressed.isoformat(), source, form.kind.data or "forecast")]
        told = write(lambda w: [str(r) for r in take_weather(w, entries if isinstance(entries, list) else [])])
    except (Refusal, FormatError, ValueError, RecursionError) as e:
        refusal = e if isinstance(e, Refusal) else Refusal(f"That file could not be read: {str(e)[:300]}", "file")
        return _page(refusal), 400
    more = f" {len(told)} of its hours were set aside: {told[0]}." if told else ""
    flash(f"The weather of {source} is kept.{more}")
    return redirect(url_for("harden.harden", slug=request_context.garden().slug))


@request_context.in_garden
def station() -> Any:
    """A token for a weather station or a script, shown once; or one taken back."""
    form = StationForm()
    try:
        form.take()
        if old := form.device.data:
            write(lambda w: device_api.revoke_token(w, old))
            flash("Taken back. What holds it is heard no more.")
            return redirect(url_for("harden.harden", slug=request_context.garden().slug))
        made = write(lambda w: device_api.issue_token(w, device_api.STATION, form.name.data or "weather station"))
    except Refusal as e:
        return _page(e), 400
    return _page(None, made.token if made is not None else "")


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


def _page(refusal: Refusal | None, token: str = "") -> str:
    view = record.remembered(("harden",), lambda: harden_view(record.answers(), request_context.formatter()))
    fmt = request_context.formatter()
    given = queries.devices(request_context.reading(), request_context.garden().id, device_api.STATION)
    stations = [(d.token_hash, d.thing, fmt.moment(d.last_at) if d.last_at else "") for d in given]
    address = request_context.settings().public_url.rstrip("/") + url_for("device_api.weather")
    return render_template(
        "harden/harden.html", v=view, refusal=refusal, seen_buttons=SEEN_BUTTONS, stand=SUN, stations=stations, token=token,
        weather_form=WeatherForm(formdata=None), pick=PickForm(formdata=None), address=address,
    )  # fmt: skip
