"""Forms of the way in."""

from __future__ import annotations

from wtforms import BooleanField, PasswordField, RadioField, SelectField, StringField
from wtforms.validators import InputRequired, Length

from fennet.web.forms import Form


class WelcomeForm(Form):
    name = StringField("Your name", [InputRequired("A name is needed."), Length(max=60)], render_kw={"autocomplete": "username"})
    password = PasswordField(
        "Password", [InputRequired("A password is needed."), Length(max=500)], render_kw={"autocomplete": "new-password"}
    )
    garden = StringField(
        "Name of the garden", [InputRequired("The garden needs a name."), Length(max=120)], default="Our grow-room"
    )
    timezone = SelectField("Time zone", default="UTC", render_kw={"data-time-zone": ""})


class SignInForm(Form):
    name = StringField("Name", [InputRequired("A name is needed."), Length(max=60)], render_kw={"autocomplete": "username"})
    password = PasswordField(
        "Password", [InputRequired("A password is needed."), Length(max=500)], render_kw={"autocomplete": "current-password"}
    )


class MeForm(Form):
    temperature_unit = RadioField("Temperatures", choices=[("degC", "°C"), ("degF", "°F")])
    measures = RadioField("Lengths and volumes", choices=[("metric", "mm, ml"), ("imperial", "in, fl oz")])
    locale = SelectField("Dates and figures")
    shortcuts = BooleanField("Single keys, like / for the log line")
