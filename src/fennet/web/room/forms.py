"""The forms of the room's page that are not of one thing."""

from __future__ import annotations

from fennet.web.forms import Choice, Day, DayOfYear, Figure, Form, Hidden, made_of


class ThingForm(Form):
    """The form of one thing; its fields are added by what is asked of its kind."""

    then = Hidden(longest=10)


class _CalibrationForm(Form):
    source = Hidden(longest=64)
    dry = Figure("Air-dry", -1e7, 1e7, required="The dry figure is missing: weigh or read it dry.")
    capacity = Figure("Soaked and drained", -1e7, 1e7, required="The full figure is missing: weigh it after a soak and a drain.")
    unit = Choice("In", {"g": "g, weight of the tray", "raw": "the probe’s own figure"}, default="g")


#: `from` is no name that a class can give a field.
CalibrationForm = made_of({"from": Day("From", near=(5 * 366, 0))}, _CalibrationForm)


class GardenForm(Form):
    latitude = Figure("Latitude", -90, 90)
    longitude = Figure("Longitude", -180, 180)
    last_frost = DayOfYear("Average last frost")
