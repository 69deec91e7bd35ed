"""The mixes that ship with Fennet."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib.resources import files

from fennet.core.mixing import Recipe, recipe_of


@lru_cache
def shipped_recipes() -> tuple[Recipe, ...]:
    """Every shipped mix; a fault in one is a fault of the program."""
    text = files("fennet.crops").joinpath("recipes.toml").read_text(encoding="utf-8")
    return tuple(recipe_of(entry) for entry in tomllib.loads(text)["recipe"])
