"""`./fennet crops`."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from fennet.cli.refused import Refused
from fennet.core.crop import Crop
from fennet.crops import UnknownCrop, load_sources, shipped


def crops(name: str | None, response: Sequence[str] | None, share: Sequence[str] | None) -> int:
    """Print the table, one crop with every figure, or its response or share at given temperatures."""
    if response is not None:
        for days in _at_each("--response", response, lambda crop, soil_c: crop.response.days_to_half(soil_c)):
            print("never" if days is None else f"{days:.1f}")
        return 0
    if share is not None:
        for came in _at_each("--share", share, lambda crop, soil_c: crop.response.share_expected(soil_c)):
            print(f"{came or 0.0:.2f}")
        return 0
    if name is not None:
        _print_one(_find(name))
        return 0
    for crop in shipped():
        mark = "estimated" if crop.estimated else crop.sources["r_max_per_day"]
        days = crop.response.days_to_half(crop.target_soil_c)
        print(
            f"{crop.id:18} {crop.name:18} {crop.soil_low_c:g}–{crop.soil_high_c:g} °C  "
            f"{days or 0:5.1f} days at {crop.target_soil_c:g} °C  {mark}"
        )
    return 0


def _at_each(option: str, given: Sequence[str], answer: Callable[[Crop, float], float | None]) -> Iterator[float | None]:
    """The answer at each temperature given after a crop's name. Nothing is printed before all of it can be read."""
    crop = _find(given[0])
    if len(given) < 2:
        raise Refused(f"{option}: no temperature given; accepted: ./fennet crops {option} leek 10 18")
    return (answer(crop, soil_c) for soil_c in [_number(option, text) for text in given[1:]])


def _find(name: str) -> Crop:
    try:
        return shipped().get(name)
    except UnknownCrop as e:
        raise Refused(f"crops: {e}; accepted: a name, id or synonym of ./fennet crops") from None


def _number(option: str, text: str) -> float:
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        raise Refused(f"{option}: {text!r} is not a temperature; accepted: numbers in °C") from None
    if not -60 <= value <= 120:
        raise Refused(f"{option}: {text} °C; accepted: -60 to 120")
    return value


def _print_one(crop: Crop) -> None:
    print(f"{crop.name} ({crop.id}){' — estimated' if crop.estimated else ''}")
    if crop.synonyms:
        print(f"also: {', '.join(s.replace('_', ' ') for s in crop.synonyms)}")
    print(f"family {crop.family}, group {crop.group.replace('_', ' ')}, seed leaf {crop.seed_leaf}")
    print(f"light: {crop.seed_light}; pretreatment: {crop.pretreatment}")
    if crop.caution:
        print(f"caution: {crop.caution}")
    for figure in crop.figures():
        print(
            f"  {figure.name:35} {figure.value:<7g} {figure.unit:13} {figure.source}{' (estimated)' if figure.estimated else ''}"
        )
    used = {f.source for f in crop.figures()}
    print("sources")
    for key, source in load_sources().items():
        if key in used:
            print(f"  {key}: {source.citation}")
