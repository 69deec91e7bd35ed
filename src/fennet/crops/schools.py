"""The schools of practice: what each choice asks, its values in words, why the default, and what reads it."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files


@dataclass(frozen=True)
class School:
    """One choice. `values` maps each value to its words, the default first; `part` is the part of the work it belongs to."""

    key: str
    part: str
    asks: str
    why: str
    changes: str
    values: dict[str, str]

    @property
    def default(self) -> str:
        return next(iter(self.values))


@lru_cache
def schools() -> tuple[School, ...]:
    """Every choice, in the order of the work."""
    found = tomllib.loads(files("fennet.crops").joinpath("schools.toml").read_text(encoding="utf-8"))
    return tuple(School(key, s["part"], s["asks"], s["why"], s["changes"], s["values"]) for key, s in found.items())
