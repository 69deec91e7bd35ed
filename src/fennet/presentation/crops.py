"""A crop in plain words: how it is sown, grown on and planted, and what it gives."""

from __future__ import annotations

from fennet.core.containers import advice, holds_d
from fennet.core.crop import Crop
from fennet.core.records import Tray
from fennet.presentation.formatter import Formatter
from fennet.presentation.hardening import EATER_WORDS, SET_WORDS, SUPPORT_WORDS
from fennet.presentation.sowing import PRETREATMENTS

#: Where a kind and what it is sown in do not suit.
CONTAINER_ADVICE = {
    "tap_root": "{crop} goes straight down with one root and takes ill to being moved: tall cups or rolls suit it better.",
    "outgrows": "{crop} stays indoors about {days}; these cells hold it about {holds}: use larger ones, or pot it up on the way.",
    "fine_in_tall": "{crop} has dust-fine seed: over a tall cup the top dries before it roots. Sow it in cells and pot it up.",
}


def container_words(crop: Crop, tray: Tray, fmt: Formatter) -> str:
    """Advice where a kind and its container do not suit; "" where they do."""
    key = advice(crop, tray)
    if not key:
        return ""
    days, holds = fmt.days(crop.planting.grow_days), fmt.days(holds_d(tray))
    return CONTAINER_ADVICE[key].format(crop=crop.name[0].upper() + crop.name[1:], days=days, holds=holds)


HARDINESS_WORDS = {"hardy": "hardy", "half_hardy": "half-hardy", "tender": "tender"}
FORM_WORDS = {"compact": "compact", "tall": "tall", "climbing": "climbing", "trailing": "trailing"}
SEED_LIGHT_WORDS = {
    "light": "light helps it come up: press it in or cover it thinly", "dark": "it comes up best in the dark",
    "either": "light or dark makes no difference to the seed",
}  # fmt: skip
#: What the seed is treated to first.
BEFORE_WORDS = {
    "soak": "soak it overnight", "nick": "nick each seed", "cold_moist": "keep it cold and moist for two to four weeks",
    "hot_water": "treat it with hot water",
}  # fmt: skip
assert set(BEFORE_WORDS) == set(PRETREATMENTS)


def crop_facts(crop: Crop, fmt: Formatter) -> list[tuple[str, str]]:
    """What a grower asks of a kind, each as a heading and a sentence or two."""
    p, b = crop.planting, crop.bed
    days = crop.response.days_to_half(crop.target_soil_c)
    depth = "on the surface" if crop.depth_mm < 1 else f"{fmt.length(crop.depth_mm)} deep"
    first = f"; {BEFORE_WORDS[crop.pretreatment]} first" if crop.pretreatment in BEFORE_WORDS else ""
    soil = _span(crop.soil_low_c, crop.soil_high_c, fmt)
    out = [("Sowing", f"{depth[0].upper()}{depth[1:]}, in soil of {soil}; {SEED_LIGHT_WORDS[crop.seed_light]}{first}.")]
    if days is not None:
        out.append(("Half up", f"After about {fmt.days(days)} at {fmt.temperature(crop.target_soil_c)}."))
    pot = f", in a pot of {fmt.length(p.pot_mm)} from about {fmt.days(p.pot_up_days)}" if p.pot_up_days and p.pot_mm else ""
    out.append(("Growing on", f"{_days(p.grow_least_days, p.grow_most_days, fmt)} from half up to hardening off{pot}."))
    out.append((
        "Planting out",
        f"{HARDINESS_WORDS[p.hardiness].capitalize()}: when nights stay above {fmt.temperature(p.least_night_c, 0)} and the soil "
        f"is at {fmt.temperature(p.least_soil_c, 0)}; {fmt.temperature(p.kills_at_c, 0)} kills it.",
    ))  # fmt: skip
    support = f" {SUPPORT_WORDS[b.support]}." if b.support != "none" else ""
    eaten = f" Eaten by {' and '.join(EATER_WORDS[e] for e in b.eaten_by)}." if b.eaten_by else ""
    out.append((
        "In the bed",
        f"{SET_WORDS[b.set].replace('150 mm', fmt.length(150.0))}, {fmt.length(b.spacing_mm)} apart, {fmt.length(b.row_mm)} "
        f"between rows. {FORM_WORDS[b.form].capitalize()}, about {fmt.length(b.spread_mm)} wide.{support}{eaten}",
    ))  # fmt: skip
    out.append(("First flowers" if b.gives == "flower" else "First pick", _maturity(crop, days, fmt)))
    if b.flowers:
        out.append(("Flowers in", _season(crop, fmt)))
    turns = _turns(crop, fmt)
    if turns:
        out.append(("Runs to seed or bulbs early", turns))
    return out


def _maturity(crop: Crop, days_up: float | None, fmt: Formatter) -> str:
    b, p = crop.bed, crop.planting
    early, late = b.first_least_days, b.first_most_days
    planting = f"{_days(early, late, fmt)} from planting out"
    if days_up is None:
        return f"{planting}."
    before = days_up + p.grow_days + p.harden_days
    sowing = f"{_days(before + early, before + late, fmt)} from sowing it indoors"
    usual = " Packets of it usually count from sowing it outdoors." if b.counted_from == "sowing" else ""
    return f"{planting}, {sowing}.{usual}"


def _season(crop: Crop, fmt: Formatter) -> str:
    weeks = crop.planting.cold_weeks
    if crop.bed.flowers == "first":
        return "Its first season."
    if weeks:
        return (
            f"Its first season after about {fmt.number(weeks, 0)} weeks under {fmt.temperature(10.0, 0)} as a young plant; "
            "otherwise its second."
        )
    return "Its second season."


def _turns(crop: Crop, fmt: Formatter) -> str:
    p = crop.planting
    out = []
    if p.long_day_h is not None:
        out.append(f"in days over {fmt.number(p.long_day_h)} h")
    if p.short_day_h is not None:
        out.append(f"in days under {fmt.number(p.short_day_h)} h")
    if p.summer_to_c is not None:
        out.append(f"in heat over {fmt.temperature(p.summer_to_c, 0)}")
    return f"{'; '.join(out)[:1].upper()}{'; '.join(out)[1:]}." if out else ""


def _span(low_c: float, high_c: float, fmt: Formatter) -> str:
    return f"{fmt.temperature(low_c, 0, False)}–{fmt.temperature(high_c, 0)}"


def _days(low: float, high: float, fmt: Formatter) -> str:
    return f"{round(low)}–{round(high)} days"
