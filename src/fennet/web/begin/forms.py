"""The forms of the first hour."""

from __future__ import annotations

from fennet.presentation.sowing import WARMTHS, WATERED
from fennet.web.forms import Choice, Figure, Form, Moment, Temperature, Whole, Words

SINCE = {"days": "a few days", "week": "a week or two", "weeks": "three or four weeks", "month": "longer"}


class BeginForm(Form):
    town = Words("Your town, or a large one near it", 80, render_kw={"list": "towns", "autocomplete": "off"})
    latitude = Figure("Or the latitude", -90, 90)
    longitude = Figure("and longitude", -180, 180)
    last_frost = Words("The last frost in an ordinary spring, month and day", 5, render_kw={"placeholder": "05-12"})
    day_c = Temperature("By day", -5, 45)
    night_c = Temperature("By night", -5, 45)
    sills = Whole("Window sills", 0, 6, default=0)
    lamps = Whole("Lamps", 0, 6, default=0)
    mats = Whole("Heat mats", 0, 6, default=0)


class SomewhereForm(Form):
    """Plants or seed in a tray that is not set up."""

    crop = Words("What is it?", 64, required="Say what it is: a crop’s name.", render_kw={"list": "crops", "autocomplete": "off"})
    cells = Whole("How many cells or pots?", 1, 360, default=6)
    where = Choice("Where does it stand?", none="not said")


class SownForm(SomewhereForm):
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
