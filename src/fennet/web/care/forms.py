"""The forms of feeding and potting up."""

from __future__ import annotations

from fennet.core.care.feeding import INTO_L
from fennet.web.forms import Choice, Figure, Form, Hidden, Length, Many, Tick, Whole, Words


class FeedForm(Form):
    tray = Many()
    mg = Figure("Strength, mg N a litre", 0.1, 1e6, required="A strength is missing: how many mg of nitrogen a litre.")
    product = Words("With", 80)
    sure = Tick("It is meant so strong, or so early")


class ProductForm(Form):
    name = Words("Name", 60, required="A feed needs a name.")
    n_pct = Figure("N, %", 0, 60, required="The share of nitrogen is missing: the first of the three figures on the label.")
    p_pct = Figure("P, %", 0, 60)
    k_pct = Figure("K, %", 0, 60)
    form = Choice("It is", {"liquid": "a liquid", "powder": "a powder"})
    dose = Figure("Label’s dose", 0.001, 2_000, required="The label’s dose is missing.")
    measure = Choice("In", {"ml": "ml", "g": "g", "tsp": "teaspoons", "tbsp": "tablespoons", "cup": "cups", "fl oz": "fl oz"})
    into = Choice("To a", {name: name for name in INTO_L})


class DropForm(Form):
    drop = Hidden(longest=200)


class PrickOutForm(Form):
    n = Whole("Plants", 1, 5_000, required="How many plants is missing.")
    tray = Choice("Into tray")
    buried = Tick("Buried to the seed leaves")


class PotUpForm(Form):
    n = Whole("Plants", 1, 400, required="How many plants is missing.")
    pot_mm = Length("Pot", 30, 400, required="The width of a pot is missing.")
    place = Choice("Stood on")
    buried = Tick("Buried to the seed leaves")
    anyway = Tick("Even if they do not fit")
