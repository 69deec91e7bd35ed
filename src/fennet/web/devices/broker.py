"""Handlers of the house's broker: where it is, what sensors say, what of it is kept, what is driven."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.journal.logger_csv import Use
from fennet.journal.mqtt import TopicMapping
from fennet.journal.times import zone_of
from fennet.operations import brokers, device_api
from fennet.operations.acting import Refusal
from fennet.storage import brokers as stored
from fennet.storage import queries
from fennet.web import record, request_context
from fennet.web.devices.forms import BrokerForm, DriveForm, ListenForm, TopicForm, topic_form
from fennet.web.devices.view import driven_lines, state_words, topic_views
from fennet.web.forms import Form, submitted
from fennet.web.places import named_places
from fennet.web.tray.forms import MEASURES
from fennet.web.writes import write


@request_context.in_garden
def broker() -> Any:
    """The page of the broker; each of its forms says by `act` what it is of."""
    forms: dict[str, Form] = {"broker": BrokerForm(), "listen": ListenForm(), "drive": _drive_form()}
    acts: dict[str, Callable[[], str]] = {
        "broker": lambda: _set(forms["broker"]),
        "forget": _forget,
        "listen": lambda: _listen(forms["listen"]),
        "topic": lambda: _map(_topic_form()),
        "drive": lambda: _drive(forms["drive"]),
        "revoke": _revoke,
    }
    refusal: Refusal | None = None
    asked = TopicForm()
    act = asked.act.data if submitted() else ""
    if act in acts:
        try:
            flash(acts[act]())
            return redirect(url_for("devices.broker", slug=request_context.garden().slug))
        except Refusal as e:
            refusal = e
            if act in forms:
                forms[act].tell(e)
    return _page(forms, refusal), 400 if refusal else 200


def _page(forms: dict[str, Form], refusal: Refusal | None) -> str:
    c, ref, fmt, now = (
        request_context.reading(), request_context.garden(), request_context.formatter(), request_context.now()
    )  # fmt: skip
    kept = next(iter(stored.brokers(c, ref.id)), None)
    known = dict(_places())
    topics = stored.topics(c, ref.id) if kept is not None else []
    views = topic_views(topics, known, zone_of(ref.garden.timezone), fmt)
    return render_template(
        "devices/broker.html",
        forms=forms,
        refusal=refusal,
        broker=kept,
        state=state_words(kept, fmt, now) if kept is not None else "",
        listening=kept is not None and kept.listen_until is not None and kept.listen_until > now,
        until=fmt.moment(kept.listen_until) if kept is not None and kept.listen_until is not None else "",
        mapped=[v for v in views if v.mapped],
        heard=[v for v in views if not v.mapped],
        places=_places(),
        measures=list(MEASURES.items()),
        driven=driven_lines(queries.devices(c, ref.id), fmt),
    )


def _places() -> list[tuple[str, str]]:
    return list(named_places(record.journal()).items())


def _drive_form() -> DriveForm:
    form, journal = DriveForm(), record.journal()
    form.thing.choices = [
        *((f"thermostat {m.id}", f"mat {m.id}") for m in journal.mats if m.until is None),
        *((f"timer {x.id}", f"lamp {x.id}") for x in journal.lamps if x.until is None),
    ]
    return form


def _topic_form() -> Any:
    return topic_form(_places())


def _set(form: Any) -> str:
    form.take()
    address = brokers.BrokerAddress(
        form.host.data or "", form.port.data or (8883 if form.tls.data else 1883), bool(form.tls.data), form.ca.data,
        form.username.data, form.password.data if form.password.data else ("" if not form.username.data else None),
    )  # fmt: skip
    write(lambda w: brokers.set_broker(w, address))
    return "Saved. Fennet connects to it within seconds; load this page again to see whether it answers."


def _forget() -> str:
    write(brokers.forget_broker)
    return "Forgotten: Fennet listens to no broker any more. The readings stay."


def _listen(form: Any) -> str:
    form.take()
    asked = form.listens.data or "#"
    write(lambda w: brokers.listen(w, asked))
    return "Listening for ten minutes. What sensors say appears below; load the page again to see more."


def _map(form: Any) -> str:
    form.take()
    uses = tuple(
        Use(form[f"path-{n}"].data or "", form[f"place-{n}"].data or "", *chosen.split(" "))
        for n in range(form.rows)
        if (chosen := form[f"use-{n}"].data)
    )
    mapping = TopicMapping(form.topic.data or "", uses, form.time_path.data or "")
    write(lambda w: brokers.map_topic(w, mapping))
    return f"{mapping.topic}: its readings are kept from now on." if uses else f"{mapping.topic}: nothing of it is kept any more."


def _drive(form: Any) -> str:
    form.take()
    kind, _, thing = (form.thing.data or "").partition(" ")
    if kind not in device_api.DRIVES:
        raise Refusal("Choose the mat or lamp first.", "thing")
    write(lambda w: brokers.drive_by_topic(w, kind, thing, form.topic.data or ""))
    return f"{thing} is controlled by {form.topic.data} from now on: reports at /report are answered at /set."


def _revoke() -> str:
    token = TopicForm().device.data or ""
    write(lambda w: device_api.revoke_token(w, token))
    return "Revoked. That device is told nothing any more, and goes off by itself."
