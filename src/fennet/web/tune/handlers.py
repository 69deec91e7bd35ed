"""Handlers of Tune."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.core.light import minutes_of
from fennet.core.records import Event
from fennet.core.tuning.lamps import heights_open
from fennet.core.tuning.mats import CEILING_C
from fennet.core.tuning.under_lamp import expected_at
from fennet.core.working import Interval
from fennet.journal.promises import read_promises
from fennet.operations import device_api, tuning
from fennet.operations.acting import Refusal, WriteContext
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.tune.forms import DeviceForm, LampForm, MatForm, TriedForm
from fennet.web.tune.lamp_view import lamps_view
from fennet.web.tune.score import score_view
from fennet.web.tune.view import device_views, mats_view, timer_views
from fennet.web.writes import write


@request_context.in_garden
def mats() -> Any:
    return _page()


def _page(refusal: Refusal | None = None, mat: str = "", token: str = "", form: MatForm | None = None) -> Any:
    fmt = request_context.formatter()
    view = record.remembered(("tune",), lambda: mats_view(record.answers(), fmt))
    open_doors = device_views(
        queries.devices(request_context.reading(), request_context.garden().id, "thermostat"), request_context.now(), fmt
    )
    return render_template(
        "tune/mats.html",
        v=view,
        refusal=refusal,
        refused=mat,
        form=form or MatForm(formdata=None),
        devices=open_doors,
        token=token,
    ), 400 if refusal else 200


@request_context.in_garden
def set_it(thing_id: str) -> Any:
    """A person confirmed a set-point: it is logged, and what it should bring is promised."""
    if all(m.id != thing_id for m in record.journal().mats):
        abort(404)
    form, fmt = MatForm(), request_context.formatter()
    promised: dict[str, Interval[float]] = {}

    def work(w: WriteContext) -> Event:
        # Guards and promises are worked out from the record as it stands.
        a = record.answers_in_turn()
        setting = next((s for s in a.mats()[0] if s.mat.id == thing_id), None)
        trays = setting.trays if setting else ()
        ceiling_c = min([CEILING_C, *(t.ceiling_c() for t in trays)])
        promised.clear()
        promised.update({t.tray: t.expected(form.setpoint.data) for t in trays if t.waiting})
        return tuning.set_mat(w, a.journal, a.events, thing_id, round(form.setpoint.data, 2), promised, ceiling_c)

    try:
        form.take()
        event = write(work)
    except Refusal as e:
        form.tell(e)
        return _page(e, thing_id, form=form)
    if event is not None:
        words = f"{thing_id} set to {fmt.temperature(form.setpoint.data)}."
        if promised:
            words += " Fennet checks in two days whether it brought what it should."
        flash(words, f"undo:{event.id}")
    return redirect(url_for("tune.mats", slug=request_context.garden().slug))


@request_context.in_garden
def lamps() -> Any:
    return _lamps()


def _lamps(refusal: Refusal | None = None, lamp: str = "", token: str = "", form: LampForm | None = None) -> Any:
    fmt = request_context.formatter()
    tried: dict[str, tuple[float, float]] = {}
    if "height" in request.args:
        asked = TriedForm(request.args)
        try:
            asked.take()
            tried[asked.lamp.data or ""] = (asked.height.data, asked.hours.data)
        except Refusal as e:
            refusal, lamp = e, asked.lamp.data or ""
    key = ("tune", "lamps", tuple(tried.items()))
    view = record.remembered(key, lambda: lamps_view(record.answers(), fmt, tried))
    timers = timer_views(
        queries.devices(request_context.reading(), request_context.garden().id, "timer"), request_context.now(), fmt
    )
    page = render_template(
        "tune/lamps.html",
        v=view,
        refusal=refusal,
        refused=lamp,
        devices=timers,
        token=token,
        form=form or LampForm(formdata=None),
    )
    return page, 400 if refusal else 200


@request_context.in_garden
def set_lamp(lamp_id: str) -> Any:
    """A person confirmed a height and hours: they are logged, and the light they should bring is promised."""
    fmt = request_context.formatter()
    if all(x.id != lamp_id for x in record.journal().lamps):
        abort(404)
    form = LampForm()
    promised: dict[str, Interval[float]] = {}

    def work(w: WriteContext) -> Event:
        setting = next((s for s in record.answers_in_turn().lamps() if s.lamp.id == lamp_id), None)
        if setting is None:
            raise Refusal(f"No tray under {lamp_id} needs light, so there is nothing to set it for.", "height")
        height_mm, hours = form.height.data, form.hours.data
        standing = bool(setting.case.batches)
        nearest = float(min(heights_open(setting.case))) if standing else None
        promised.clear()
        promised.update({e.tray: e.ppfd for e in expected_at(setting.case, height_mm, hours)} if standing else {})
        return tuning.set_lamp(w, lamp_id, height_mm, minutes_of(form.on.data), hours, nearest, promised)

    try:
        form.take()
        event = write(work)
    except Refusal as e:
        form.tell(e)
        return _lamps(e, lamp_id, form=form)
    if event is not None:
        words = f"{lamp_id} at {fmt.length(form.height.data)}, {event.fields['on']}–{event.fields['off']}."
        if promised:
            words += " Read the light at the leaves within ten days, and Fennet checks whether it brought what it should."
        flash(words, f"undo:{event.id}")
    return redirect(url_for("tune.lamps", slug=request_context.garden().slug))


@request_context.in_garden
def lamp_device(lamp_id: str) -> Any:
    """A token for this lamp's timer, shown once; or one taken back."""
    if all(x.id != lamp_id for x in record.journal().lamps):
        abort(404)
    old = DeviceForm().device.data or ""
    if old:
        write(lambda w: device_api.revoke_token(w, old))
        flash(f"Revoked. The device for {lamp_id} gets no more settings and switches off by itself.")
        return redirect(url_for("tune.lamps", slug=request_context.garden().slug))
    made = write(lambda w: device_api.issue_token(w, "timer", lamp_id))
    return _lamps(lamp=lamp_id, token=made.token if made is not None else "")


@request_context.in_garden
def device(thing_id: str) -> Any:
    """A token for this mat's thermostat, shown once; or one taken back."""
    if all(m.id != thing_id for m in record.journal().mats):
        abort(404)
    old = DeviceForm().device.data or ""
    if old:
        write(lambda w: device_api.revoke_token(w, old))
        flash(f"Revoked. The device for {thing_id} gets no more settings and switches off by itself.")
        return redirect(url_for("tune.mats", slug=request_context.garden().slug))
    made = write(lambda w: device_api.issue_token(w, "thermostat", thing_id))
    return _page(mat=thing_id, token=made.token if made is not None else "")


@request_context.in_garden
def score() -> Any:
    """Fennet's own promises, marked."""
    fmt, c, ref = request_context.formatter(), request_context.reading(), request_context.garden()
    a = record.answers()
    view = score_view(a.scored_promises(read_promises(queries.promise_entries(c, ref.id))), a.zone, fmt)
    return render_template("tune/score.html", v=view)
