"""A season in numbers, in words."""

from __future__ import annotations

from fennet.core.season import NEVER_CAME, NOT_SAID, Cost, SeasonNumbers
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import CAUSE_WORDS

#: What one would do about what cost most.
MEND = {
    "cold_soil": "warm the soil: a mat, a warmer shelf, or sow later",
    "hot_soil": "keep the soil cooler: turn the mat down or move the tray",
    "dry_spell": "keep the mix moist until seed is up",
    "weak_seed": "test old seed before sowing, or buy fresh",
    "sown_deep": "sow shallower",
    NEVER_CAME: "test the seed, and keep the mix evenly warm and moist",
}
#: The same of losses, by a word in what was written.
MEND_LOSS = (
    (("fell", "damp", "mould", "mold", "rot"), "take covers off sooner, water from below, move the air"),
    (("dry", "dried", "thirst", "wilt"), "water sooner, or leave a run sheet when you are away"),
    (("slug", "bird", "cat", "mouse", "mice", "pest"), "keep them off it"),
    (("frost", "cold", "sun", "wind"), "harden off in smaller steps and go by the forecast"),
)


def cause_words(cause: str) -> str:
    """What a loss or a delay is laid to."""
    if cause == NEVER_CAME:
        return "seed that never came up"
    if cause == NOT_SAID:
        return "losses nobody wrote a cause to"
    return CAUSE_WORDS.get(cause, f"“{cause}”")


def mend_words(cause: str) -> str:
    """What one would do about it; empty where nothing is known."""
    plain = cause.casefold()
    return MEND.get(cause) or next((what for words, what in MEND_LOSS if any(w in plain for w in words)), "")


def cost_words(c: Cost, fmt: Formatter) -> str:
    """What one cause cost: "12 plants and 13 tray-days"."""
    room = f"{fmt.number(c.tray_days, 0 if c.tray_days >= 2 else 1)} tray-days"
    return f"{c.plants} {'plant' if c.plants == 1 else 'plants'} and {room}" if c.plants else room


def season_words(s: SeasonNumbers, fmt: Formatter) -> list[str]:
    """The season in sentences, what to mend first at the end."""
    if not s.batches:
        return ["Nothing was sown."]
    sowings = "One sowing" if s.batches == 1 else f"{fmt.small(s.batches).capitalize()} sowings"
    out = [f"{sowings}: of {s.cells} cells {s.up} came up."]
    died = sum(s.lost.values())
    inside = "none died inside" if not died else f"{died} died inside"
    if s.planted is not None:
        out.append(f"Of these {inside}; {s.planted} were planted out.")
    elif died:
        out.append(f"Of these {inside}. Nobody counted what was planted out.")
    if s.growing:
        out.append(f"{fmt.small(s.growing).capitalize()} {'is' if s.growing == 1 else 'are'} still inside.")
    picked = [f"{fmt.number(s.grams / 1000)} kg" if s.grams else "", f"{s.pieces} flowers and pieces" if s.pieces else ""]
    if any(picked):
        out.append(f"{' and '.join(x for x in picked if x)} were picked.")
    elif s.planted:
        out.append("No harvest is noted.")
    return out


def energy_words(s: SeasonNumbers, currency: str | None, fmt: Formatter) -> str:
    """What lamps and mats used and cost."""
    if s.kwh is None:
        return "Nothing tells what lamps and mats used: set their hours, and give their watts in the room."
    words = f"Lamps and mats used about {fmt.number(s.kwh.p50, 0)} kWh ({fmt.number(s.kwh.p10, 0)}–{fmt.number(s.kwh.p90, 0)})"
    if s.cost is None:
        return f"{words}. What that cost is not known: give the price of a kWh in the room."
    money = f" {currency}" if currency else ""
    each = f", {fmt.number(s.per_plant, 2)}{money} a plant" if s.per_plant is not None else ""
    return f"{words}: {fmt.number(s.cost, 0)}{money}{each}."


def mend_first(s: SeasonNumbers, fmt: Formatter) -> str:
    """What one would have to mend first; empty where nothing cost anything."""
    if not s.costs:
        return ""
    worst = s.costs[0]
    cure = mend_words(worst.cause)
    words = f"Mend first: {cause_words(worst.cause)} cost most, {cost_words(worst, fmt)}."
    return f"{words} {cure[:1].upper()}{cure[1:]}." if cure else words
