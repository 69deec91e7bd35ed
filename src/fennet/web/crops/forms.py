"""The form of a kind of one's own."""

from __future__ import annotations

from fennet.presentation.crops import BEFORE_WORDS, HARDINESS_WORDS
from fennet.web.forms import Choice, Figure, Form, Length, Temperature, Words


class OwnForm(Form):
    name = Words("Its name", 64, required="A kind needs a name.")
    like = Words("Like", 64, required="Say which crop it is like.", render_kw={"list": "crops"})
    half_up_d = Figure("Days until half are up, at its best", 1, 120)
    depth_mm = Length("Sown how deep", 0, 150)
    soil_low_c = Temperature("Soil when sown, from", 0, 40)
    soil_high_c = Temperature("to", 0, 42)
    seed_light = Choice("Seed wants", {"light": "light", "dark": "dark", "either": "either"}, none="as that crop")
    pretreatment = Choice("Before sowing", {"none": "nothing", **BEFORE_WORDS}, none="as that crop")
    grow_days = Figure("Days from half up to hardening off", 3, 400)
    hardiness = Choice("Hardiness", HARDINESS_WORDS, none="as that crop")
    least_night_c = Temperature("Out when nights stay above", -10, 25)
    kills_at_c = Temperature("Killed at", -40, 15)
    spacing_mm = Length("Apart in the bed", 10, 3_000)
    first_days = Figure("Days from planting to the first pick or flower", 5, 1_500)
    caution = Words("Anything poisonous or harmful", 200)
