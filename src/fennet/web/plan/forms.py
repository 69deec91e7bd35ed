"""The forms of the plan."""

from __future__ import annotations

from fennet.core.bounds import MOST_PLANTS
from fennet.web.forms import Choice, Day, Figure, Form, Hidden, Many, Percent, Temperature, Tick, Whole, Words

#: A wanted day lies within so many days before and after today.
NEAR = (400, 5 * 366)


class WantForm(Form):
    """One want; its practice choices are added by key (`practice-…`)."""

    crop = Words("Crop", 64, required="A crop is missing: type its name.", render_kw={"list": "crops"})
    variety = Words("Variety", 120)
    plants = Whole("Plants wanted", 1, MOST_PLANTS, required="Say how many plants are wanted.")
    spares = Whole("Spares", 0, MOST_PLANTS)
    out_by = Day("Out by", near=NEAR)
    confidence = Percent("How sure", 0.5, 0.999, render_kw={"placeholder": "90"})
    where = Choice("Where to", {"out": "Out into the ground or a tub", "indoors": "It stays indoors"})
    season = Choice("For autumn", {"autumn": "autumn"})
    times = Whole("Sowings", 1, 30, render_kw={"placeholder": "1"})
    every_days = Whole("Days between them", 1, 366, render_kw={"placeholder": "14"})
    seed_lot = Choice("Seed", none="the packet of its kind with the newest seed")
    note = Words("Note", 400)
    another = Tick()


class MoveForm(Form):
    """A sowing's own day, or what clears a clash."""

    want = Hidden(longest=12)
    sowing_no = Hidden(longest=8, default="1")
    day = Day("Sow on", near=(800, 800))
    free = Tick()
    do = Many()


class AssumeForm(Form):
    soil_without_mat_c = Temperature("Soil without a mat", 0, 40)
    air_c = Temperature("Air", 0, 40)
    dli_mol = Figure("Light, mol a day", 0.5, 60)


class ListForm(Form):
    """A CSV of wants, seed box or sowings."""

    to = Hidden(longest=20)


class MinimaForm(Form):
    unit = Choice("In", {"degC": "°C", "degF": "°F"}, none="what the file says, else °C")


class VersionForm(Form):
    name = Words("Keep the plan as it is, under the name", 80, required="Give the version a name.")
    action = Choice("", {"keep": "keep", "restore": "take up", "drop": "drop"})


class CalendarForm(Form):
    revoke = Hidden(longest=80)


class DayLineForm(Form):
    """One line of a sowing day; the trays and cells of the line are added (`tray-…`, `cells-…`)."""

    line = Hidden(longest=20)
    seeds = Whole("Seeds in each", 1, 200)
    towel = Whole("Seeds in the towel", 1, 5_000)
    pretreated = Tick()
    covered = Tick()
    mat = Tick()
