"""The forms of what was learned."""

from __future__ import annotations

from fennet.web.forms import Choice, Figure, Form, Hidden, Tick, Year

MEASURES = [
    ("pace", "days to come up, times the table’s"), ("survival", "share that lives to be planted"),
    ("drying", "how fast a tray dries, times what is usual"), ("lift", "what a mat lifts a tray at most, {degree}"),
]  # fmt: skip


class AboutForm(Form):
    """What a correction is about."""

    thing = Hidden(longest=64)
    crop = Hidden(longest=64)
    variety = Hidden(longest=200)
    year = Year()
    forget = Tick()
    again = Tick()
    own_gone = Tick()
    measure = Hidden(longest=20)


class OwnForm(Form):
    """A figure of the grower's own."""

    kind = Choice("Of", required="Say of what the figure is.")
    figure_of = Choice("What", MEASURES, required="Say what the figure is of.")
    value = Figure("Figure", 0.05, 45.0, required="A figure is missing.")
    own = Tick()
