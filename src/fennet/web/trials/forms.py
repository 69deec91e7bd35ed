"""The forms of trials."""

from __future__ import annotations

from wtforms import Field

from fennet.presentation.trials import DIFFERS_WORDS, MEASURE_WORDS
from fennet.web.forms import Choice, Figure, Form, Length, Whole, Words, made_of

MOST_ASKED = 4


class _TrialForm(Form):
    name = Words("The question", 120, required="Say what is asked.")
    crop = Words("Crop", 64, required="Say of which crop.")
    differs = Choice("What differs", DIFFERS_WORDS, required="Say what differs.")
    measure = Choice("What is asked", MEASURE_WORDS, required="Say what is measured.")
    see = Figure("Days or per cent that would matter", 0.1, 99)
    cells = Whole("Cells of each", 1, 500)


_FIELDS: dict[str, Field] = {}
for _i in range(MOST_ASKED):
    _FIELDS[f"group-{_i}"] = Words("Its name", 60)
    _FIELDS[f"variety-{_i}"] = Words("Variety", 120)
    _FIELDS[f"lot-{_i}"] = Choice("Packet", none="not said")
    _FIELDS[f"depth-{_i}"] = Length("Depth", 0, 200)
TrialForm = made_of(_FIELDS, _TrialForm)


class SowTrialForm(Form):
    tray = Choice("Tray", required="Choose a tray.")
    seeds = Whole("Seeds a cell", 1, 30, default=1)
