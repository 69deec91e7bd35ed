"""Towns by name, from the gazetteer that the astronomy package ships: where a garden lies, for the length of its days."""

from __future__ import annotations

import difflib
import unicodedata
from dataclasses import dataclass
from functools import lru_cache

from astral.geocoder import all_locations, database

from fennet.operations.acting import Refusal


@dataclass(frozen=True)
class Town:
    """A town: its name with its region where there are two of a name, degrees, and its time zone."""

    name: str
    latitude: float
    longitude: float
    timezone: str


@lru_cache
def towns() -> dict[str, Town]:
    """Every town by what it is called; two of one name by name and region."""
    found = list({(x.name, round(x.latitude, 2)): x for x in all_locations(database())}.values())
    twice = {x.name for x in found if sum(y.name == x.name for y in found) > 1}
    out = {}
    for x in found:
        name = f"{x.name}, {x.region}" if x.name in twice else x.name
        out[name] = Town(name, round(x.latitude, 2), round(x.longitude, 2), x.timezone)
    return dict(sorted(out.items()))


def town_of(name: str) -> Town:
    """The town of a name, however it is spelt. Raises Refusal, with what is near, for one that is not listed or is there twice.

    >>> town_of("tallinn").latitude
    59.43
    """
    key = _plain(name)
    found = [t for n, t in towns().items() if _plain(n) == key] or [
        t for n, t in towns().items() if _plain(n.split(",")[0]) == key
    ]
    if len(found) == 1:
        return found[0]
    if found:
        raise Refusal(f"There are two of that name: {'; '.join(t.name for t in found)}. Choose one.", "town", name)
    near = difflib.get_close_matches(key, {_plain(n): n for n in towns()}, 3, 0.6)
    names = [n for n in towns() if _plain(n) in near]
    hint = f"Nearest by name: {', '.join(names)}. " if names else ""
    raise Refusal(f"{name} is not listed. {hint}Give the latitude instead: a large town near you will do.", "town", name)


def _plain(name: str) -> str:
    return unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().casefold().strip()
