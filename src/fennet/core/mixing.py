"""How much of each ingredient a sowing day or a season's pots need, and the water to damp it first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fennet.core.working import Input, Working

#: Loose mix against what it fills, by firming. Source: growers_rule.
FIRMED = {"none": 1.0, "lightly": 1.15, "compress_by_a_third": 1.5}
#: Spilt, sieved out and left in the tub. Source: starting_estimate.
SPILT = 1.1
#: A tapered square pot holds this share of its side cubed. Source: starting_estimate.
POT_SHARE = 0.6
#: Water that damps a litre of a dry ingredient until it holds together and gives no drip, ml. Source: starting_estimate.
WATER_ML_PER_L: dict[str, float] = {
    "peat": 350, "coir": 350, "compost": 80, "perlite": 120, "vermiculite": 220, "loam": 80, "leaf mould": 120, "sharp sand": 50,
    "bark": 120, "wood ash": 0, "lime": 0,
}  # fmt: skip
USUAL_WATER_ML_PER_L = 150.0


@dataclass(frozen=True)
class Recipe:
    """A mix by parts of volume. `per_cent`: the parts were given as a percentage and must make a hundred."""

    name: str
    parts: Mapping[str, float]
    per_cent: bool = False
    source: str = ""


@dataclass(frozen=True)
class Mixed:
    """Litres of the loose mix, of each ingredient, and of water to damp it."""

    recipe: Recipe
    litres: float
    of_each_l: tuple[tuple[str, float], ...]
    water_l: float
    working: Working


def recipe_of(entry: Mapping[str, Any]) -> Recipe:
    """A recipe from a journal's entry {name, parts: {ingredient: amount}, per_cent}. Raises ValueError with what is wrong.

    >>> recipe_of({"name": "half and half", "parts": {"peat": 1, "perlite": 1}}).parts
    {'peat': 1.0, 'perlite': 1.0}
    """
    name = str(entry.get("name") or "").strip()
    given = entry.get("parts")
    if not name:
        raise ValueError("name: missing; accepted: what the mix is called")
    if not isinstance(given, Mapping) or not given:
        raise ValueError("parts: missing; accepted: at least one ingredient with its parts")
    parts: dict[str, float] = {}
    for ingredient, amount in given.items():
        if isinstance(amount, bool) or not isinstance(amount, int | float) or not 0 < amount <= 1000:
            raise ValueError(f"{ingredient}: {amount!r} is not a number of parts; accepted: a number above 0")
        parts[str(ingredient)] = float(amount)
    per_cent = bool(entry.get("per_cent"))
    total = sum(parts.values())
    if per_cent and abs(total - 100) > 0.5:
        raise ValueError(f"the parts make {total:g} %; accepted: 100 % in all, or plain parts")
    return Recipe(name, parts, per_cent, str(entry.get("source") or ""))


def cells_l(cells: int, cell_ml: float) -> float:
    """Litres that fill so many cells."""
    return cells * cell_ml / 1000


def pots_l(pots: int, pot_mm: float) -> float:
    """Litres that fill so many square pots of a side.

    >>> round(pots_l(10, 90), 1)
    4.4
    """
    return pots * POT_SHARE * (pot_mm / 100) ** 3


def mix_for(recipe: Recipe, fill_l: float, firming: str = "lightly") -> Mixed:
    """The loose mix that fills so many litres of cells and pots, by ingredient, with water to damp it. Range: fill_l ≥ 0.

    Source: growers_rule for firming, starting_estimate for spill and water.

    >>> m = mix_for(Recipe("half", {"peat": 1, "perlite": 1}), 10.0)
    >>> round(m.litres, 1), [(n, round(l, 1)) for n, l in m.of_each_l], round(m.water_l, 1)
    (12.7, [('peat', 6.3), ('perlite', 6.3)], 3.0)
    """
    factor = FIRMED.get(firming, FIRMED["lightly"])
    litres = fill_l * factor * SPILT
    total = sum(recipe.parts.values())
    each = tuple((name, litres * part / total) for name, part in recipe.parts.items())
    water = sum(amount * WATER_ML_PER_L.get(name.casefold(), USUAL_WATER_ML_PER_L) / 1000 for name, amount in each)
    working = Working(
        "mix",
        (
            Input("cells and pots hold", round(fill_l, 2), "l"),
            Input("firming", f"{firming.replace('_', ' ')}, × {factor:g}", "", "growers_rule"),
            Input("spilt and left over", SPILT, "×", "starting_estimate", True),
            *(Input(name, part, "parts") for name, part in recipe.parts.items()),
        ),
        "what the cells and pots hold, times the firming, times what is spilt, shared by parts; water by what each dry "
        "ingredient takes up before it drips",
        ("growers_rule", "starting_estimate"),
        "dry ingredients by loose volume; a bag that is damp already wants less water",
        value=round(litres, 1),
        unit="l",
    )
    return Mixed(recipe, litres, each, water, working)


def readable(entries: Sequence[Mapping[str, Any]]) -> list[Recipe]:
    """Those of a journal's recipes that can be read."""
    out = []
    for entry in entries:
        try:
            out.append(recipe_of(entry))
        except ValueError:
            continue
    return out
