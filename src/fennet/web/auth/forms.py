"""Forms of the way in, and of what is a person's own."""

from __future__ import annotations

from typing import Any

from wtforms import PasswordField, RadioField
from wtforms.validators import InputRequired, Length

from fennet.operations.people import LONGEST_PASSWORD
from fennet.web.forms import Choice, Form, Hidden, Tick, Words


def password(now: str, label: str = "Password", asked: str = "A password is needed.") -> Any:
    said = f"A password has up to {LONGEST_PASSWORD} letters."
    kept = {"autocomplete": f"{now}-password"}
    return PasswordField(label, [InputRequired(asked), Length(max=LONGEST_PASSWORD, message=said)], render_kw=kept)


class WelcomeForm(Form):
    name = Words("Your name", 60, required="A name is needed.", render_kw={"autocomplete": "username"})
    password = password("new")
    garden = Words("Name of the garden", required="The garden needs a name.", default="Our grow-room")
    timezone = Choice("Time zone", default="UTC", render_kw={"data-time-zone": ""})


class SignInForm(Form):
    name = Words("Name", 60, required="A name is needed.", render_kw={"autocomplete": "username"})
    password = password("current")


class CodeForm(Form):
    code = Words("Code", 20, required="The code is missing.", render_kw={"inputmode": "numeric", "autocomplete": "one-time-code"})


class MeForm(Form):
    temperature_unit = RadioField("Temperatures", choices=[("degC", "°C"), ("degF", "°F")])
    measures = RadioField("Lengths and volumes", choices=[("metric", "mm, ml"), ("imperial", "in, fl oz")])
    locale = Choice("Dates and figures")
    shortcuts = Tick("Single keys, like / for the log line")


class PasswordForm(Form):
    old = password("current", "Password now", "The password you have now is missing.")
    password = password("new", "New password", "The new password is missing.")


class SecondStepForm(Form):
    code = Words("Code that shows now", 20, required="The code is missing.", render_kw={"inputmode": "numeric"})


class SecondStepOffForm(Form):
    password = password("current", "Password now", "The password you have now is missing.")


class EndForm(Form):
    session = Hidden(longest=80)


class NewPasswordForm(Form):
    password = password("new", "New password", "The new password is missing.")


class JoinForm(Form):
    name = Words("Your name", 60, required="A name is needed.", render_kw={"autocomplete": "username"})
    password = password("new")


class ThemeForm(Form):
    theme = Hidden(longest=10)
