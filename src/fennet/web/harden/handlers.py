"""Handlers of outings."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.core.hardening.doubted import doubt_outing
from fennet.core.hardening.outings import SHADE_SHARE
from fennet.core.records import Event
from fennet.journal.readings_csv import decode
from fennet.journal.rejected import FormatError
from fennet.journal.weather import weather_from_csv
from fennet.operations import device_api, hardening
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import log_event
from fennet.operations.after import tell_of
from fennet.operations.weather import take_weather
from fennet.presentation.hardening import SUN, outing_doubt_words, plant_doubt
from fennet.storage import queries
from fennet.web import answers, query, record, request_context
from fennet.web.forms import Form, file_of
from fennet.web.harden.forms import SEEN_BUTTONS, AfterForm, InForm, OutForm, PlantForm, StationForm, WeatherForm
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
    form.sun.choices = list(_stands().items())

    def work(w: WriteContext) -> list[Event]:
        batches = form.batch.data or []
        if form.as_told.data:
            return [e for name in batches for e in hardening.put_out(w, [name], form.pressed, *_as_told(name))]
        where, _, place = (form.sun.data or "shade").partition(" ")
        shade = SHADE_SHARE["shade" if place else where]
        return hardening.put_out(w, batches, form.pressed, shade, form.sheltered.data, form.night.data, place or None)

    doubts = [] if form.as_told.data else _doubts_of(form)
    answer = _pressed(form, form.batch.data or [], work, "out")
    for words in doubts if not isinstance(answer, tuple) else ():
        flash(words, "error")
    return answer


def _doubts_of(form: OutForm) -> list[str]:
    """What speaks against putting out what is ticked as it is told, in words."""
    a, fmt = record.answers(), request_context.formatter()
    where, _, place = (form.sun.data or "shade").partition(" ")
    told = []
    for b in a.living:
        h = answers.hardening(a, b) if b.id in (form.batch.data or []) else None
        shade = SHADE_SHARE.get("shade" if place else where, 1.0)
        found = doubt_outing(h, shade, None, bool(place), form.pressed.timestamp()) if h is not None else []
        if h is not None and found:
            told.append(outing_doubt_words(h, found, fmt))
    return told


def _as_told(batch_id: str) -> tuple[float, bool, bool]:
    """How a batch is told to stand today: its share in shade, out of the wind, overnight. One that is told nothing, or to stay
    in, stands in shade."""
    a = record.answers()
    batch = next((b for b in a.living if b.id == batch_id), None)
    h = answers.hardening(a, batch) if batch is not None else None
    if h is None or h.today is None or not h.today.go:
        return SHADE_SHARE["shade"], True, False
    return SHADE_SHARE[h.today.sun], h.today.sheltered, h.today.night


@request_context.in_garden
def back_in() -> Any:
    """One press brings in what is ticked, with what was seen on it."""
    form = InForm()
    return _pressed(
        form, form.batch.data or [], lambda w: hardening.bring_in(w, form.batch.data or [], form.pressed, form.seen.data), "in"
    )


@request_context.in_garden
def plant(batch_id: str) -> Any:
    """A batch is planted, whole or in part. Before its gate that is doubted once, never refused."""
    form = PlantForm()
    form.place.choices = _beds()
    try:
        form.take()
        doubt = "" if form.sure.data else _doubt(batch_id)
        if doubt:
            return _page(None, doubted={batch_id: doubt}, planting={batch_id: form}), 200
        given = {k: v for k, v in form.values("count", "spares", "place").items() if v not in (None, "")}
        made = write(lambda w: log_event(w, "planted", {"batch": batch_id, **given}, form.pressed))
    except Refusal as e:
        form.tell(e)
        return _page(e, planting={batch_id: form}), 400
    if made:
        flash(f"{batch_id} is planted.", f"undo:{made.id}")
    return redirect(url_for("harden.harden", slug=request_context.garden().slug))


def _stands() -> dict[str, str]:
    """Where plants may stand by day: in the open, or under the roof of a porch."""
    porches = [p for p in record.journal().places if p.kind == "porch" and p.until is None]
    return dict(SUN) | {f"in {p.id}": f"in {p.name or p.id}" for p in porches}


def _doubt(batch_id: str) -> str:
    """Why a batch had better not be planted today, in words; nothing where nothing speaks against it."""
    a = record.answers()
    batch = next((b for b in a.living if b.id == batch_id), None)
    h = answers.hardening(a, batch) if batch is not None else None
    return plant_doubt(h, request_context.formatter()) if h is not None else ""


def _beds() -> list[tuple[str, str]]:
    """Where something may be planted: places under the sky."""
    return [(p.id, p.name or p.id) for p in record.journal().places if p.kind == "outdoors" and p.until is None]


@request_context.in_garden
def told() -> Any:
    """What is told of plants that are out, for all that are ticked."""
    form = AfterForm()
    ticked = form.batch.data or []
    try:
        form.take()
        said = form.values("grams", "pieces", "lost", "why", "text")
        made = write(lambda w: tell_of(w, ticked, form.deed.data or "", said, form.pressed))
    except Refusal as e:
        form.tell(e)
        return _page(e, after=form), 400
    if made:
        flash(f"Saved for {', '.join(ticked)}.", f"undo:{','.join(e.id for e in made)}")
    return redirect(url_for("harden.harden", slug=request_context.garden().slug, _anchor="after"))


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
    flash(f"Weather from {source} saved.{more}")
    return redirect(url_for("harden.harden", slug=request_context.garden().slug))


@request_context.in_garden
def station() -> Any:
    """A token for a weather station or a script, shown once; or one taken back."""
    form = StationForm()
    try:
        form.take()
        if old := form.device.data:
            write(lambda w: device_api.revoke_token(w, old))
            flash("Revoked. Nothing sent with that token is accepted any more.")
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


def _page(
    refusal: Refusal | None, token: str = "", doubted: Mapping[str, str] | None = None, after: AfterForm | None = None,
    planting: Mapping[str, PlantForm] | None = None,
) -> str:  # fmt: skip
    view = record.remembered(("harden",), lambda: harden_view(record.answers(), request_context.formatter()))
    fmt = request_context.formatter()
    given = queries.devices(request_context.reading(), request_context.garden().id, device_api.STATION)
    stations = [(d.token_hash, d.thing, fmt.moment(d.last_at) if d.last_at else "") for d in given]
    address = request_context.settings().public_url.rstrip("/") + url_for("device_api.weather")
    plant_forms = {r.batch: PlantForm(formdata=None) for r in view.rows}
    for form in plant_forms.values():
        form.place.choices = _beds()
    ticked = (after.batch.data or []) if after is not None else [query.text("batch", longest=64)]
    return render_template(
        "harden/harden.html", v=view, refusal=refusal, seen_buttons=SEEN_BUTTONS, stand=_stands(), stations=stations, token=token,
        weather_form=WeatherForm(formdata=None), address=address, doubted=doubted or {}, ticked=ticked,
        plant_forms={**plant_forms, **(planting or {})}, after_form=after or AfterForm(formdata=None),
    )  # fmt: skip
