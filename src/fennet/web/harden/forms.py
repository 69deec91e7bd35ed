"""The forms of outings."""

from __future__ import annotations

from fennet.core.kinds import SEEN
from fennet.web.forms import Choice, Figure, Form, Hidden, Many, Tick, Whole, Words

#: What is pressed for what is seen.
SEEN_BUTTONS = (
    ("none", "Nothing to see"), ("limp", "Limp"), ("bleached", "Bleached"), ("windburnt", "Torn by wind"), ("chilled", "Chilled"),
)  # fmt: skip


class OutForm(Form):
    batch = Many()
    sun = Choice("They stand")
    sheltered = Tick("Out of the wind")
    night = Tick("Overnight too")
    as_told = Tick()


class PlantForm(Form):
    """A batch that is planted, whole or in part."""

    count = Whole("How many", 1, 100_000, render_kw={"placeholder": "all"})
    spares = Whole("Kept back", 0, 100_000, render_kw={"placeholder": "none"})
    place = Choice("Where", none="not said")
    sure = Tick()


#: What plants outside are lost to.
LOST_TO = {"slugs": "slugs", "birds": "birds", "frost": "frost", "sun": "sun", "wind": "wind", "other": "something else"}


class AfterForm(Form):
    """What is told of plants that are out: `deed` says which of the fields counts."""

    batch = Many()
    deed = Hidden(longest=20)
    grams = Figure("Grams", 0, 1e6)
    pieces = Whole("Pieces", 0, 100_000)
    lost = Whole("Lost", 1, 100_000)
    why = Choice("To", LOST_TO)
    text = Words("A word", 2_000)


class WeatherForm(Form):
    source = Words("From", 60)
    kind = Choice("It is", {"forecast": "a forecast", "actual": "what was measured"})


class StationForm(Form):
    name = Words("Name", 60)
    device = Hidden(longest=200)


class InForm(Form):
    batch = Many()
    seen = Choice("Seen on them", {k: k for k in SEEN})
