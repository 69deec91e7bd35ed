"""The closed lists of the record: ids, quantities with their units, kinds of event with their fields, signs, practices.

These are the words of the open journal. A reader that meets another word sets the entry aside and says what is accepted.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated

from annotated_types import Predicate

from fennet.core.bounds import Word

ID_PATTERN = re.compile(r"[A-Za-z0-9._-]{1,64}")


def is_id(text: str) -> bool:
    """Whether a text may name a thing.

    >>> is_id("shelf-1"), is_id("shelf 1"), is_id("")
    (True, False, False)
    """
    return ID_PATTERN.fullmatch(text) is not None


ThingId = Annotated[str, Predicate(is_id)]
LooseId = Annotated[str, Predicate(is_id)]
CropId = Word

UNITS_OF: dict[str, tuple[str, ...]] = {
    "soil_temperature": ("degC", "degF"),
    "air_temperature": ("degC", "degF"),
    "outdoor_temperature": ("degC", "degF"),
    "light": ("umol/m2/s", "lux", "klux", "fc"),
    "photoperiod": ("h",),
    "lamp_on": ("0|1",),
    "moisture": ("percent", "feel", "g", "raw"),
    "humidity": ("percent",),
    "height": ("mm", "cm", "in"),
}

SIGNS = [
    "nothing_up",
    "patchy",
    "seed_on_top",
    "coat_stuck",
    "crust",
    "rotted_seed",
    "long_thin",
    "leaning",
    "fallen_sound_base",
    "fallen_pinched_base",
    "patch_down",
    "white_fluff",
    "green_film",
    "tiny_flies",
    "yellow_lower",
    "purple_under",
    "pale_all",
    "brown_edges",
    "cupped",
    "bleached",
    "wilt_wet",
    "wilt_dry",
    "roots_circling",
    "stalled",
    "chewed",
    "sticky_insects",
    "early_stalk",
]


@dataclass(frozen=True)
class EventKind:
    """What an event of one kind must carry, may carry, and of which at least one is needed."""

    required: tuple[str, ...] = ()
    optional: tuple[str, ...] = ()
    one_of: tuple[str, ...] = ()


EVENT_KINDS: dict[str, EventKind] = {
    "placed": EventKind(("tray", "place"), ("x_mm", "y_mm", "turned")),
    "mat": EventKind(("mat",), ("tray", "on", "setpoint_c", "periods", "insulated", "probe")),
    "cover": EventKind(("tray", "on"), ("how",)),
    "lamp": EventKind(("lamp",), ("place", "height_mm", "on", "off", "periods", "dim_pct")),
    "fan": EventKind((), ("fan", "place", "hours_per_day"), one_of=("fan", "place")),
    "washed": EventKind(("tray",), ("how",)),
    "count": EventKind(
        ("batch",), ("cells_up", "seedlings_up", "rooted", "cell_list", "more"), one_of=("cells_up", "seedlings_up", "rooted")
    ),
    "watered": EventKind(("tray",), ("how", "ml", "minutes")),
    "fed": EventKind(("tray",), ("feed", "n_mg_per_l")),
    "thinned": EventKind(("batch",), ("left",)),
    "moved": EventKind(("batch",), ("to_batch", "count", "cell_list", "buried")),
    "potted_up": EventKind(("batch",), ("tray", "buried")),
    "moved_to_light": EventKind(("batch",)),
    "topped": EventKind(("batch",)),
    "height": EventKind(("batch", "mm"), ("true_leaves",)),
    "sign": EventKind(("sign",), ("batch", "tray", "cells", "cell_list"), one_of=("batch", "tray")),
    "lost": EventKind(("batch",), ("cells", "cell_list", "why"), one_of=("cells", "cell_list")),
    "check": EventKind(("batch",), ("what", "result")),
    "outing": EventKind(("batch",), ("hours", "shade_share", "stress", "out_at", "in_at", "night", "sheltered", "seen", "place")),
    "planted": EventKind(("batch",), ("count", "place", "spares")),
    "gave_up": EventKind(("batch",)),
    "harvest": EventKind(("batch",), ("grams", "pieces", "first")),
    "taste": EventKind(("batch",), ("mark",)),
    "set": EventKind(("what",), ("value", "promise")),
    # `id` of these two names the event meant; `entry` is the identity of the correction itself.
    "corrects": EventKind(("target", "event")),
    "withdrawn": EventKind(("target",)),
    "note": EventKind(("text",), ("place", "batch")),
}

#: What is seen of plants as they come in from an outing.
SEEN = ("none", "limp", "bleached", "windburnt", "chilled")

#: What each field of an event may hold. Checked by journal.events, which also says so in words.
FIELD_TYPES: dict[str, str] = {
    "tray": "id", "place": "id", "mat": "id", "lamp": "id", "fan": "id", "batch": "id", "to_batch": "id", "probe": "id",
    "target": "loose_id", "feed": "text", "promise": "text",
    "x_mm": "number", "y_mm": "number", "height_mm": "number", "setpoint_c": "temperature", "dim_pct": "percent",
    "hours_per_day": "day_hours", "hours": "positive", "shade_share": "share", "ml": "positive", "minutes": "positive",
    "n_mg_per_l": "positive", "mm": "plant_mm", "grams": "positive",
    "cells_up": "count", "seedlings_up": "count", "rooted": "count", "left": "count", "count": "count", "cells": "count",
    "pieces": "count", "more": "count", "true_leaves": "count", "mark": "mark",
    "cell_list": "cells", "periods": "periods", "buried": "bool", "insulated": "bool", "stress": "bool",
    "turned": "any", "value": "any", "on": "switch", "off": "clock", "how": "text",
    "why": "text", "what": "text", "result": "text",
    "text": "text", "sign": "sign", "event": "event", "out_at": "moment", "in_at": "moment", "night": "bool",
    "sheltered": "bool", "seen": "seen", "spares": "count", "first": "bool",
}  # fmt: skip

#: Practice choices, the default first.
PRACTICES: dict[str, tuple[str, ...]] = {
    "sow_tender": ("middle", "late", "early"),
    "frost_risk": ("usual", "bold", "safe"),
    "sow_hardy": ("fit", "early", "late"),
    "heat": ("optimum", "room", "hot", "timer", "day_only"),
    "set_up": ("in_mix", "towel", "crowd"),
    "per_cell": ("one", "several", "three_then_parted", "rows", "broadcast"),
    "seeds_per_cell": ("odds", "one", "two_always"),
    "seed_age": ("any", "this_year"),
    "depth": ("two_to_three", "twice", "three_to_five", "fixed_6_mm"),
    "firming": ("lightly", "none", "compress_by_a_third"),
    "mix_feed": ("unfed", "fed"),
    "own_soil": ("no", "sterilised", "at_pricking_out"),
    "covering": ("sieved_mix", "vermiculite", "perlite"),
    "cover": ("closed", "vented", "aired_daily", "none"),
    "cover_off": ("half", "first_seedling", "vented_early"),
    "mat_off": ("half", "each_seedling", "two_days_after"),
    "patience": ("odds", "days"),
    "before_emergence": ("either", "lit"),
    "light_source": ("lamp", "window"),
    "light_hours": ("14-16", "match_outdoors", "12_on_12_off", "18_first_week", "most"),
    "lamp": ("measured", "nearly_touching", "makers_height", "fixed"),
    "water_when": ("pale_top", "evenly_moist", "pale_top_and_half_a_day"),
    "water_how": ("below", "below_2_h", "mist", "above"),
    "soak": ("30min", "10min", "2h", "overnight"),
    "water_at": ("morning", "evening", "when_dry"),
    "first_feed": ("true_leaves", "never_in_fed_mix", "week", "second_leaves", "pot_up"),
    "feed_strength": ("quarter_weekly", "quarter_two_weeks", "half_weekly", "every_watering", "push_or_hold"),
    "thin": ("cut", "pull", "separate"),
    "pot_up": ("second_leaves", "first_leaf", "roots_show", "calendar"),
    "pots": ("one_move", "roomy", "two_moves"),
    "stem": ("crop_rule", "bury_slightly"),
    "topping": ("none", "pinch", "pinch_peppers"),
    "flowers": ("off", "left"),
    "gate": ("crop", "own"),
    "harden": ("shade_week", "hour_a_day", "quarter_hour", "from_birth"),
    "air": ("fan", "none"),
    # One way only: it stands in journals and is no choice.
    "day_zero": ("moist",),
}

#: Practices that are figures, with the least and most of each; told as text beside the choices. `gate_night_c`: the night that
#: `gate: own` waits for, °C; `lamp_fixed_mm`: the distance of `lamp: fixed`, mm; `patience_d`: the days of `patience: days`.
PRACTICE_FIGURES: dict[str, tuple[float, float]] = {
    "gate_night_c": (-15.0, 25.0), "lamp_fixed_mm": (20.0, 1500.0), "patience_d": (3.0, 200.0),
}  # fmt: skip
#: The choice that needs a figure, and which.
NEEDS_FIGURE: dict[tuple[str, str], str] = {
    ("gate", "own"): "gate_night_c", ("lamp", "fixed"): "lamp_fixed_mm", ("patience", "days"): "patience_d",
}  # fmt: skip


def practice_fault(name: str, value: str) -> str | None:
    """What is accepted for a practice, in words, where a value is none; None where it is one.

    >>> practice_fault("gate", "mine"), practice_fault("gate_night_c", "9.5"), practice_fault("gate_night_c", "90")
    ('crop, own', None, 'a number from -15 to 25')
    """
    if name in PRACTICES:
        return None if value in PRACTICES[name] else ", ".join(PRACTICES[name])
    if name not in PRACTICE_FIGURES:
        return ", ".join((*PRACTICES, *PRACTICE_FIGURES))
    low, high = PRACTICE_FIGURES[name]
    try:
        inside = low <= float(value) <= high
    except ValueError:
        inside = False
    return None if inside else f"a number from {low:g} to {high:g}"
