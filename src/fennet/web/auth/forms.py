"""Forms of the way in."""

from __future__ import annotations

from wtforms import PasswordField, RadioField
from wtforms.validators import InputRequired, Length

from fennet.web.forms import Choice, Form, Hidden, Tick, Words


def _password(now: str) -> PasswordField:
    kept = {"autocomplete": f"{now}-password"}
    return PasswordField("Password", [InputRequired("A password is needed."), Length(max=500)], render_kw=kept)


class WelcomeForm(Form):
    name = Words("Your name", 60, required="A name is needed.", render_kw={"autocomplete": "username"})
    password = _password("new")
    garden = Words("Name of the garden", required="The garden needs a name.", default="Our grow-room")
    timezone = Choice("Time zone", default="UTC", render_kw={"data-time-zone": ""})


class SignInForm(Form):
    name = Words("Name", 60, required="A name is needed.", render_kw={"autocomplete": "username"})
    password = _password("current")


class MeForm(Form):
    temperature_unit = RadioField("Temperatures", choices=[("degC", "°C"), ("degF", "°F")])
    measures = RadioField("Lengths and volumes", choices=[("metric", "mm, ml"), ("imperial", "in, fl oz")])
    locale = Choice("Dates and figures")
    shortcuts = Tick("Single keys, like / for the log line")


class ThemeForm(Form):
    theme = Hidden(longest=10)
