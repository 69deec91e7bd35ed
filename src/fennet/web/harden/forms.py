"""The forms of outings."""

from __future__ import annotations

from fennet.core.kinds import SEEN
from fennet.presentation.hardening import SUN
from fennet.web.forms import Choice, Figure, Form, Hidden, Many, Tick, Whole, Words

#: What is pressed for what is seen.
SEEN_BUTTONS = (
    ("none", "Nothing to see"), ("limp", "Limp"), ("bleached", "Bleached"), ("windburnt", "Torn by wind"), ("chilled", "Chilled"),
)  # fmt: skip


class OutForm(Form):
    batch = Many()
    sun = Choice("They stand", SUN)
    sheltered = Tick("Out of the wind")
    night = Tick("Overnight too")


class PickForm(Form):
    grams = Figure("Grams", 0, 1e6)
    pieces = Whole("Pieces", 0, 100_000)


class WeatherForm(Form):
    source = Words("From", 60)
    kind = Choice("It is", {"forecast": "a forecast", "actual": "what was measured"})


class StationForm(Form):
    name = Words("Name", 60)
    device = Hidden(longest=200)


class InForm(Form):
    batch = Many()
    seen = Choice("Seen on them", {k: k for k in SEEN})
