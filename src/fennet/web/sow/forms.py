"""The form of sowing: up to eight kinds in one tray."""

from __future__ import annotations

from typing import cast

from wtforms import Field

from fennet.presentation.sowing import COVERINGS, PRETREATMENTS, STARTS, WARMTHS, WATERED
from fennet.web.forms import Choice, Form, Length, Moment, Percent, Temperature, Tick, Whole, Words, Year, made_of
from fennet.web.seeds.forms import STORAGES

MOST_KINDS = 8
MIXES = {
    "seed_mix": "seed mix",
    "potting_mix": "potting mix",
    "coir": "coir",
    "garden_soil": "garden soil",
    "other": "another mix",
}
#: The fields of one kind, each with its number behind it.
FIELDS = (
    "start",
    "crop",
    "variety",
    "cells",
    "size",
    "seeds",
    "depth",
    "lot",
    "packed",
    "rate",
    "storage",
    "source",
    "pretreatment",
)


class SowForm(Form):
    tray = Words("Tray", 64)
    kinds = Whole("Kinds", 1, MOST_KINDS, default=1)
    more = Tick()
    sown_at = Moment("Sown")
    mix = Choice("In", MIXES)
    covered_with = Choice("Covered with", COVERINGS)
    warmth = Choice(
        "How warm is it there, about?", {k: words for k, (words, _) in WARMTHS.items()}, none="not sure: an ordinary house"
    )
    warm_c = Temperature("Or about", -10, 60)
    watered = Choice("Watered as it was sown", WATERED, none="not yet, or not said")
    covered = Tick("A lid, film or glass is on")

    def all_sown(self, n: int) -> bool:
        """Whether every kind of the form is raised from seed."""
        return all(self[f"start-{i}"].data in (None, "seed") for i in range(n))


def sow_form(kinds: int, usual_seeds: int, lots: list[tuple[str, str]], located: bool) -> type[SowForm]:
    """The form for so many kinds, in cells, or by the number of seeds in a box without any."""
    fields: dict[str, Field] = {}
    for i in range(kinds):
        fields |= {
            f"start-{i}": Choice("Raised from", STARTS),
            f"size-{i}": Length("How tall they are", 1, 3000, render_kw={"placeholder": "not said"}),
            f"crop-{i}": Words("Crop", 64, render_kw={"list": "crops"}),
            f"variety-{i}": Words("Variety", 120),
            f"seeds-{i}": Whole("Seeds in a cell", 1, 200, default=usual_seeds) if located else Whole("Seeds sown", 1, 5_000),
            f"depth-{i}": Length("Depth", 0, 150, render_kw={"placeholder": "the crop’s own"}),
            f"lot-{i}": Choice("From the seed box", lots, none="a new packet, or not said"),
            f"packed-{i}": Year("Year packed"),
            f"rate-{i}": Percent("Rate on the label", 0, 1),
            f"storage-{i}": Choice("Kept", STORAGES, none="not said"),
            f"source-{i}": Words("Where it came from", 200),
            f"pretreatment-{i}": Choice("Before sowing it was", PRETREATMENTS, none="none"),
        }
        if located:
            fields[f"cells-{i}"] = Words("Cells", 2_000, render_kw={"data-cells": ""})
    return cast(type[SowForm], made_of(fields, SowForm))
