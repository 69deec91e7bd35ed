"""The forms of Tune."""

from __future__ import annotations

from fennet.operations.tuning import MOST_HEIGHT_MM
from fennet.web.forms import Clock, Figure, Form, Hidden, Length, Temperature


class MatForm(Form):
    setpoint = Temperature("Set-point", -20, 100, required="A set-point is missing.")


class LampForm(Form):
    height = Length("Height", 1, MOST_HEIGHT_MM, required="A height is missing.")
    on = Clock("On at", required="The time it comes on is missing.")
    hours = Figure("Hours", 0, 24, required="The hours are missing.")


class TriedForm(LampForm):
    """A setting tried in the address: nothing is written, so it needs no token."""

    class Meta:
        csrf = False

    # The handle's own measure, whatever the reader's.
    height = Figure("Height", 1, MOST_HEIGHT_MM, required="A height is missing.")
    on = Clock("On at")
    lamp = Hidden(longest=64)


class DeviceForm(Form):
    device = Hidden(longest=80)
