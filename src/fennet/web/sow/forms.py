"""The form of sowing: up to eight kinds in one tray."""

from __future__ import annotations

from typing import cast

from wtforms import Field

from fennet.operations.sowing import MOST_SEEDS
from fennet.presentation.sowing import COVERINGS, COVERS, PRETREATMENTS, STARTS, WARMTHS, WATERED
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
#: What may be left to stand in a cell, by the values of the practice.
PER_CELL = {"one": "one", "several": "several, as a clump", "three_then_parted": "three, parted later"}
#: The fields of one kind, each with its number behind it.
FIELDS = (
    "start",
    "crop",
    "variety",
    "cells",
    "size",
    "seeds",
    "depth",
    "per-cell",
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
    cover = Choice("Cover", {k: words for k, (words, _) in COVERS.items()}, none="none")
    also = Words("Also in trays, cell for cell", 400, render_kw={"placeholder": "none"})
    recipe = Choice("Your own recipe", none="none")
    fed = Choice("It feeds", {"yes": "yes, from the start", "no": "no"}, none="not said")
    clean = Choice("It is clean", {"yes": "yes, new or sterilised", "no": "used before, or garden soil in it"}, none="not said")
    own = Choice("It is", {"own": "mixed by me", "bought": "bought"}, none="not said")
    wetted = Choice("Damped", {"before": "before it was filled in", "after": "after"}, none="not said")

    def all_sown(self, n: int) -> bool:
        """Whether every kind of the form is raised from seed."""
        return all(self[f"start-{i}"].data in (None, "seed") for i in range(n))


def seeds_field(usual: int, located: bool, rows: bool) -> Field:
    """How many seeds: in a cell, in a row of a box, or in all."""
    if rows:
        return Whole("Seeds in a row", 1, MOST_SEEDS, default=40)
    return Whole("Seeds in a cell", 1, 200, default=usual) if located else Whole("Seeds sown", 1, MOST_SEEDS)


def sow_form(kinds: int, usual_seeds: int, lots: list[tuple[str, str]], located: bool, rows: bool = False) -> type[SowForm]:
    """The form for so many kinds, in cells, in the rows of a box, or by the number of seeds in a box without any."""
    fields: dict[str, Field] = {}
    for i in range(kinds):
        fields |= {
            f"start-{i}": Choice("Raised from", STARTS),
            f"size-{i}": Length("How tall they are", 1, 3000, render_kw={"placeholder": "not said"}),
            f"crop-{i}": Words("Crop", 64, render_kw={"list": "crops"}),
            f"variety-{i}": Words("Variety", 120),
            f"seeds-{i}": seeds_field(usual_seeds, located, rows),
            f"depth-{i}": Length("Depth", 0, 150, render_kw={"placeholder": "the crop’s own"}),
            f"per-cell-{i}": Choice("Left in a cell", PER_CELL, none="as my practice has it"),
            f"lot-{i}": Choice("From the seed box", lots, none="a new packet, or not said"),
            f"packed-{i}": Year("Year packed"),
            f"rate-{i}": Percent("Rate on the label", 0, 1),
            f"storage-{i}": Choice("Kept", STORAGES, none="not said"),
            f"source-{i}": Words("Where it came from", 200),
            f"pretreatment-{i}": Choice("Before sowing it was", PRETREATMENTS, none="none"),
        }
        if located:
            fields[f"cells-{i}"] = Words("Rows" if rows else "Cells", 2_000, render_kw={"data-cells": ""})
    return cast(type[SowForm], made_of(fields, SowForm))
