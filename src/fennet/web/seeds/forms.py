"""The forms of the seed box."""

from __future__ import annotations

from fennet.web.forms import Choice, Day, Form, Percent, Tick, Whole, Words, Year

STORAGES = {"room": "room-cool and dry", "cold_dry": "cold and dry, a jar in the refrigerator", "warm_damp": "warm or damp"}


class PacketForm(Form):
    crop = Words("Crop", 64, required="A crop is missing: type its name.", render_kw={"list": "crops"})
    variety = Words("Variety", 120)
    source = Words("Where from", 200)
    mother = Words("Mother plant, if saved at home", 200)
    packed = Year("Year packed")
    storage = Choice("Kept", STORAGES, none="not said")
    rate = Percent("Rate on the label", 0, 1)
    seeds = Whole("Seeds left", 0, 1_000_000)
    treated = Tick("Treated seed: gloves, and not for eating")
    another = Tick()


class TestForm(Form):
    germinated = Whole("Came up", 0, 5_000, required="How many came up is missing.")
    sown = Whole("of", 1, 5_000, required="How many were tested is missing.", default=20)
    on = Day("Counted on", near=(12 * 366, 1), required="The day of the test is missing.")
