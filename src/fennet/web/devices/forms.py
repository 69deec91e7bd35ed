"""Forms about devices and the house's broker."""

from __future__ import annotations

from typing import Any, ClassVar, cast

from flask import request
from wtforms import Field
from wtforms.widgets import PasswordInput, TextArea

from fennet.journal.mqtt import LONGEST_TOPIC, MOST_LEAVES
from fennet.operations.brokers import LONGEST_CA
from fennet.web.forms import Choice, Form, Hidden, Id, Tick, Whole, Words, made_of
from fennet.web.tray.forms import MEASURES


class DeviceForm(Form):
    name = Id("Name of the device")
    place = Choice("It lies at", none="not said: each reading says where")
    #: What else is done, and to which: revoke, or put its clock right.
    act = Hidden(longest=20)
    device = Hidden(longest=80)


class Secret(Words):
    """Words that are not shown again."""

    widget = PasswordInput(hide_value=True)


class Lines(Words):
    """Words over several lines."""

    widget = TextArea()


class BrokerForm(Form):
    host = Words("Machine", 120, required="The broker’s machine needs a name or number.",
                 render_kw={"placeholder": "broker.home or 192.168.1.20", "inputmode": "url"})  # fmt: skip
    port = Whole("Port", 1, 65_535, render_kw={"size": 6, "placeholder": "1883"})
    tls = Tick("Use TLS")
    ca = Lines("Certificate of the house, where it has its own", LONGEST_CA, render_kw={"rows": 3, "spellcheck": "false"})
    username = Words("Name", 120)
    password = Secret("Password", 300, render_kw={"autocomplete": "new-password"})


class ListenForm(Form):
    listens = Words("Topics", LONGEST_TOPIC, render_kw={"placeholder": "#"})


class DriveForm(Form):
    thing = Choice("Which", none="choose a mat or lamp")
    topic = Words("Its topic", LONGEST_TOPIC, required="The topic is missing.", render_kw={"placeholder": "home/landing/mat"})


class TopicForm(Form):
    """What one topic's figures are; each stands in fields of its own (`topic_form`)."""

    act = Hidden(longest=20)
    device = Hidden(longest=80)
    topic = Hidden(longest=LONGEST_TOPIC)
    time_path = Words("It says when", LONGEST_TOPIC)
    rows: ClassVar[int] = 0


def topic_form(places: list[tuple[str, str]]) -> Any:
    """The form that was sent for one topic, with a row for each of its figures."""
    fields: dict[str, Field] = {}
    rows = sum(f"path-{n}" in request.form for n in range(MOST_LEAVES))
    for n in range(rows):
        fields[f"path-{n}"] = Words("Figure", LONGEST_TOPIC)
        fields[f"use-{n}"] = Choice("Holds", MEASURES, none="nothing to keep")
        fields[f"place-{n}"] = Choice("at", places, none="choose where")
    made = made_of(fields, TopicForm)
    made.rows = rows
    return cast(TopicForm, made())
