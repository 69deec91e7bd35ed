"""The forms of the first hour."""

from __future__ import annotations

from fennet.operations.beginning import MOST_CELLS
from fennet.operations.sowing import MOST_SEEDS
from fennet.presentation.sowing import WARMTHS, WATERED
from fennet.web.forms import Choice, DayOfYear, Figure, Form, Moment, Temperature, Whole, Words

#: Which way a window looks, degrees from north.
COMPASS = {
    "180": "south", "135": "south-east", "90": "east", "45": "north-east", "0": "north", "315": "north-west", "270": "west",
    "225": "south-west",
}  # fmt: skip
SINCE = {"days": "a few days", "week": "a week or two", "weeks": "three or four weeks", "month": "longer"}


class BeginForm(Form):
    town = Words("Your town, or a large one near it", 80, render_kw={"list": "towns", "autocomplete": "off"})
    latitude = Figure("Or the latitude", -90, 90)
    longitude = Figure("and longitude", -180, 180)
    last_frost = DayOfYear("The last frost in an ordinary spring")
    day_c = Temperature("By day", -5, 45)
    night_c = Temperature("By night", -5, 45)
    sills = Whole("Window sills", 0, 6, default=0)
    facing = Choice("The windows face", COMPASS, none="not sure")
    lamps = Whole("Lamps", 0, 6, default=0)
    mats = Whole("Heat mats", 0, 6, default=0)


class SomewhereForm(Form):
    """Plants or seed in a tray that is not set up."""

    crop = Words("What is it?", 64, required="Say what it is: a crop’s name.", render_kw={"list": "crops", "autocomplete": "off"})
    cells = Whole("How many cells or pots?", 1, MOST_CELLS, default=6)
    where = Choice("Where does it stand?", none="not said")


class SownForm(SomewhereForm):
    cells = Whole("How many: cells, pots, or seeds in a box?", 1, MOST_SEEDS, default=6)
    sown_in = Choice("Sown in", {"open": "an open box, scattered"}, none="cells or pots")
    variety = Words("Variety, if you like", 120)
    sown_at = Moment("Sown")
    warmth = Choice("About how warm is it there?", {k: w for k, (w, _) in WARMTHS.items()}, none="not sure: an ordinary house")
    warm_c = Temperature("Or about", -5, 45)
    watered = Choice("Watered as it was sown", WATERED, none="not yet, or not said")


class SeedlingsForm(SomewhereForm):
    since = Choice("Up since about", SINCE, default="week")
    start = Choice("Raised from", {"bought": "bought plants"}, none="seed")


class RecordsForm(Form):
    """A file of records."""
