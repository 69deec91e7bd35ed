"""Forms about devices."""

from __future__ import annotations

from fennet.web.forms import Choice, Form, Hidden, Id


class DeviceForm(Form):
    name = Id("Name of the device")
    place = Choice("It lies at", none="not said: each reading says where")
    #: What else is done, and to which: revoke, or put its clock right.
    act = Hidden(longest=20)
    device = Hidden(longest=80)
