"""What is asked of each thing of the room, in the order a person would say it."""

from __future__ import annotations

from dataclasses import dataclass

from wtforms import Field

from fennet.core.records import Journal
from fennet.presentation.sowing import CONTAINER_WORDS
from fennet.web.forms import Choice, Clock, Day, Figure, Id, Length, Temperature, Volume, Whole, Words

LAMP_KINDS = {
    "white_led": "white LED",
    "fluorescent_cool": "cool-white tube",
    "fluorescent_warm": "warm-white tube",
    "hot_tube": "hot high-output tube",
    "hps": "high-pressure sodium",
    "metal_halide": "metal halide",
    "red_blue_led": "red and blue LED",
    "incandescent": "incandescent",
}
PLACE_KINDS = {"shelf": "shelf", "sill": "window sill", "porch": "porch", "floor": "floor", "outdoors": "outdoors", "bag": "bag"}
TRAY_KINDS = {"cells": "cells", "open": "open box", "pots": "pots", "towel": "towel"}
CONTROLS = {"thermostat": "thermostat", "timer": "timer", "always": "always on"}
PROBE_KINDS = {
    "thermometer": "thermometer",
    "moisture": "moisture probe or scale",
    "light": "light meter",
    "logger": "logger",
    "person": "a person",
}


@dataclass(frozen=True)
class Ask:
    """One field: its name in the record, what it is called, its unit or hint, and its choices if it has some."""

    name: str
    label: str
    unit: str = ""
    choices: str = ""
    fixed: tuple[tuple[str, str], ...] = ()
    arranged: bool = False
    required: bool = False


def _fixed(words: dict[str, str]) -> tuple[tuple[str, str], ...]:
    return tuple(words.items())


NAME = Ask("id", "Short name", "as you would write it on it: A, lamp-1", required=True)
LONG = Ask("name", "Full name")
PLUGGED = (Ask("watts", "Watts"), Ask("outlet", "Plugged into", choices="outlets"))
LIFE = (Ask("since", "In use since", "a day, or empty for always"), Ask("until", "Removed on", "a day, or empty if still there"))

ASKS: dict[str, tuple[Ask, ...]] = {
    "rooms": (NAME, LONG),
    "places": (
        NAME,
        LONG,
        Ask("kind", "Kind", fixed=_fixed(PLACE_KINDS)),
        Ask("room", "Room", choices="rooms"),
        Ask("width_mm", "Width", "mm"),
        Ask("depth_mm", "Depth", "mm"),
        Ask("z_mm", "Height over the floor", "mm"),
        Ask("x_mm", "From the left of the room", "mm"),
        Ask("facing_deg", "A window’s side", "degrees, 180 is south"),
        *LIFE,
    ),
    "lamps": (
        NAME,
        Ask("kind", "Kind", fixed=_fixed(LAMP_KINDS)),
        Ask("place", "Over", choices="places"),
        Ask("height_mm", "Height above the shelf", "mm", arranged=True),
        Ask("on", "On at", arranged=True),
        Ask("off", "Off at", arranged=True),
        *PLUGGED,
        Ask("lumens", "Lumens", "lm, if the box says"),
        Ask("length_mm", "Length", "mm"),
        Ask("min_distance_mm", "Least distance to leaves", "mm"),
        Ask("tubes", "Tubes that can be lit one by one"),
        Ask("shield", "Foil or white sides around it", fixed=(("true", "yes"), ("false", "no"))),
        Ask("lux_per_ppfd", "Lux for one µmol", "by its maker, or measured"),
        *LIFE,
    ),
    "mats": (
        NAME,
        Ask("tray", "Under tray", choices="trays", arranged=True),
        Ask("setpoint_c", "Thermostat set to", "°", arranged=True),
        Ask("control", "Run by", fixed=_fixed(CONTROLS)),
        *PLUGGED,
        Ask("trays_max", "Trays it holds"),
        Ask("width_mm", "Width", "mm"),
        Ask("depth_mm", "Depth", "mm"),
        *LIFE,
    ),
    "fans": (
        NAME,
        Ask("place", "At", choices="places"),
        Ask("hours_per_day", "Hours it runs a day", "h", arranged=True),
        *PLUGGED,
        *LIFE,
    ),
    "trays": (
        NAME,
        Ask("kind", "Kind", fixed=_fixed(TRAY_KINDS)),
        Ask("container", "Made of", fixed=_fixed(CONTAINER_WORDS)),
        Ask("wick", "Watered by a wick or mat below", fixed=(("true", "yes"), ("false", "no"))),
        Ask("place", "Stands on", choices="places", arranged=True),
        Ask("x_mm", "From its left edge", "mm", arranged=True),
        Ask("rows", "Rows"),
        Ask("columns", "Cells in a row"),
        Ask("cell_ml", "Volume of a cell", "ml"),
        Ask("width_mm", "Width", "mm"),
        Ask("depth_mm", "Depth", "mm"),
        Ask("height_mm", "Height", "mm"),
        *LIFE,
    ),
    "outlets": (NAME, Ask("limit_w", "Its circuit allows", "W")),
    "sources": (NAME, Ask("kind", "Kind", fixed=_fixed(PROBE_KINDS)), Ask("sited", "Sits in", choices="sites")),
}

SECTION_WORDS = {
    "rooms": ("Rooms", "room"),
    "places": ("Places", "place"),
    "lamps": ("Lamps", "lamp"),
    "mats": ("Mats", "mat"),
    "trays": ("Trays", "tray"),
    "fans": ("Fans", "fan"),
    "outlets": ("Outlets", "outlet"),
    "sources": ("Probes", "probe"),
}
#: Cautions stand beside the act: once, short.
CAUTIONS = {
    "lamps": "Plug lamps into an outlet with earth-leakage protection, with drip loops and the plugs above the trays. Hang heavy "
    "ones from rated hooks and chains, never by the cord and never stood on books. Do not look into them. Local electrical rules "
    "and a licensed electrician come first.",
    "mats": "Lay a mat flat on something that cannot burn, never folded or wrapped, its thermostat’s probe fixed in the mix: "
    "one that falls out drives the mat flat out. The maker’s limits come first.",
    "outlets": "Continuous loads stay under four fifths of the circuit’s rating unless local code differs. Never plug a "
    "strip into a strip. Fixed wiring is for a licensed electrician.",
    "places": "Shelves are fixed to the wall and fit for wet trays: a soaked one weighs 3 to 6 kg. Keep stairs and doors clear. "
    "A closed cabinet grows hot and damp: leave it open or run a fan, a smoke alarm above it, and no heater or flame inside.",
    "trays": "A box or tray that held seed, mix or feed is not used for food again. Glass covers cut: none where children play.",
    "fans": "Heaters stand clear of wood, paper and film, on a wall outlet of their own, never unattended. Keep cables and plugs "
    "away from water and off the steps.",
}


def field_of(ask: Ask, journal: Journal) -> Field:
    """The form field that asks for it, within the bounds of the record's own type."""
    if ask.fixed or ask.choices:
        return Choice(ask.label, choices(journal, ask), none="not said")
    if ask.name == "id":
        return Id(ask.label, 64, required="A short name is needed.")
    if ask.name == "name":
        return Words(ask.label)
    if ask.name in ("since", "until"):
        return Day(ask.label)
    if ask.name in ("on", "off"):
        return Clock(ask.label)
    if ask.name == "setpoint_c":
        return Temperature(ask.label, -20, 100)
    if ask.name in ("rows", "columns"):
        return Whole(ask.label, 1, 60)
    if ask.name == "trays_max":
        return Whole(ask.label, 1, 50)
    if ask.name in ("x_mm", "z_mm"):
        return Length(ask.label, -100_000, 100_000)
    if ask.name.endswith("_mm"):
        return Length(ask.label, 0 if ask.name == "min_distance_mm" else 1, 100_000)
    if ask.name == "cell_ml":
        return Volume(ask.label, 0.1, 100_000)
    low, high = {"facing_deg": (-360.0, 360.0), "hours_per_day": (0.0, 24.0), "lux_per_ppfd": (1.0, 1000.0)}.get(
        ask.name, (0.0, 1e6)
    )
    return Figure(ask.label, low, high)


def choices(journal: Journal, ask: Ask) -> list[tuple[str, str]]:
    """What may be chosen for a field."""
    if ask.fixed:
        return list(ask.fixed)
    if ask.choices == "sites":
        return [(i, i) for i in [*(t.id for t in journal.trays), *(p.id for p in journal.places), *(r.id for r in journal.rooms)]]
    return [(x.id, getattr(x, "name", None) or x.id) for x in getattr(journal, ask.choices)] if ask.choices else []
