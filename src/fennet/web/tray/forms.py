"""The forms of a tray's page."""

from __future__ import annotations

from typing import cast

from wtforms import Field

from fennet.core.units import CREDIBLE
from fennet.journal.logger_csv import CLOCKS, FORMS
from fennet.web import request_context
from fennet.web.forms import Choice, Figure, Form, Hidden, Length, Many, Moment, Temperature, Tick, Whole, Words, made_of

#: What the small form under the ribbons takes: word → (quantity, unit or None for the reader's own temperature, words).
HAND_READINGS = {
    "soil": ("soil_temperature", None, "soil"),
    "air": ("air_temperature", None, "air"),
    "moisture": ("moisture", "percent", "moisture, %"),
    "feel": ("moisture", "feel", "feel, 1–5"),
    "weight": ("moisture", "g", "weight, g"),
    "light": ("light", "umol/m2/s", "light, µmol"),
    "lux": ("light", "lux", "light, lux"),
    "fc": ("light", "fc", "light, fc"),
    "hours": ("photoperiod", "h", "hours lit"),
    "humidity": ("humidity", "percent", "humidity, %"),
}


class MarkForm(Form):
    """Cells that came up, or one that did not after all."""

    batch = Hidden(longest=64)
    cell = Many()
    at = Moment("When")


class CountForm(Form):
    batch = Hidden(longest=64)
    total = Whole("Up by now, counted", 0, 1_000_000, required="No count was typed; a whole number is needed.",
                  render_kw={"size": 4})  # fmt: skip
    unit = Choice("of", {"cells": "cells", "seedlings": "seedlings", "rooted": "rooted"}, default="cells")
    at = Moment("When")


class HeightForm(Form):
    batch = Hidden(longest=64)
    height = Length("Height", 0.1, 5_000, required="No height was typed; a number is needed.", render_kw={"size": 4})
    leaves = Whole("True leaves", 0, 99, render_kw={"size": 3})
    at = Moment("When")


class BatchForm(Form):
    batch = Hidden(longest=64)


class ReadingForm(Form):
    what = Choice("What", {key: words for key, (_, _, words) in HAND_READINGS.items()}, default="soil")
    value = Figure("Figure", required="No figure was typed.")
    at = Moment("When")
    sky = Tick("Light of the sky")
    estimated = Tick("A guess, no thermometer")


class TemperatureReading(ReadingForm):
    """A reading of a temperature: in the reader's degrees, or in those typed behind the figure."""

    value = Temperature("Figure", *CREDIBLE["air_temperature"], required="No figure was typed.")


def reading_form() -> ReadingForm:
    """The form of a reading by hand, for the quantity that was chosen."""
    asked = ReadingForm()
    made: ReadingForm = TemperatureReading() if (asked.what.data or "soil") in ("soil", "air") else asked
    label_temperatures(made)
    return made


def label_temperatures(form: ReadingForm) -> None:
    degree = request_context.formatter().degree
    form.what.choices = [(k, f"{w}, {degree}" if HAND_READINGS[k][1] is None else w) for k, w in form.what.choices]


#: What a column of a logger's file may hold: quantity and unit → words.
MEASURES = {
    "soil_temperature degC": "soil, °C", "soil_temperature degF": "soil, °F", "air_temperature degC": "air, °C",
    "air_temperature degF": "air, °F", "outdoor_temperature degC": "outdoors, °C", "outdoor_temperature degF": "outdoors, °F",
    "moisture percent": "moisture, %", "moisture raw": "moisture, raw figure", "moisture g": "weight, g",
    "humidity percent": "humidity, %", "light lux": "light, lux", "light umol/m2/s": "light, µmol", "photoperiod h": "hours lit",
}  # fmt: skip
#: Columns of a file that the form shows.
MOST_SHOWN = 100


class MappingForm(Form):
    """How a logger's file is read; for each column what it measures and where stands in fields of its own (`mapping_form`)."""

    time_column = Words("Time", 200)
    time_of_day = Words("Time of day, where it stands apart", 200)
    time_form = Choice("Written like", FORMS, default="iso")
    clock = Choice("By", CLOCKS, default="garden")
    remember = Words("Save this mapping as", 80, render_kw={"placeholder": "the logger’s name, or nothing"})
    replace = Tick("Where a figure differs from one kept, the file’s replaces it")
    save = Tick()


def mapping_form(columns: int, places: list[tuple[str, str]]) -> MappingForm:
    """The form for a file of so many columns, in a garden of these trays and places."""
    fields: dict[str, Field] = {}
    for n in range(min(columns, MOST_SHOWN)):
        fields[f"use-{n}"] = Choice("Holds", MEASURES, none="nothing to keep")
        fields[f"place-{n}"] = Choice("at", places)
    return cast(MappingForm, made_of(fields, MappingForm)())
