"""What speaks for or against a cause, in half a line each."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Mapping
from functools import lru_cache
from importlib.resources import files
from typing import Any

from fennet.core.diagnosis.finding import Evidence
from fennet.presentation.formatter import Formatter


@lru_cache
def complaint_words() -> dict[str, Any]:
    """The words of complaints as they ship."""
    return tomllib.loads(files("fennet.presentation").joinpath("complaint_words.toml").read_text(encoding="utf-8"))


#: What each outcome of a look is called once it was heard.
HEARD: dict[tuple[str, str], str] = {
    (w, o): words for w, x in complaint_words()["checks"].items() for o, words in x.get("heard", {}).items()
}
TREATMENTS = {"soak": "soaking", "nick": "nicking", "cold_moist": "a cold moist spell", "hot_water": "hot water"}
MIX_NAMES = {
    "garden_soil": "garden soil",
    "seed_mix": "seed mix",
    "coir": "coir",
    "potting_mix": "potting mix",
    "other": "another mix",
}


def _n(value: Any) -> float:
    return float(value)


def evidence_words(e: Evidence, fmt: Formatter) -> str:
    """One thing that speaks for or against, in half a line."""
    g: Mapping[str, Any] = e.figures
    if e.key == "witness":
        return HEARD[(g["witness"], g["outcome"])]
    if e.key in ("cold_soil", "not_cold_soil", "hot_soil", "not_hot_soil"):
        basis = {"soil": "the soil", "air": "the soil, judged from the air,", "guess": "the soil, as guessed,"}.get(
            g["basis"], "the soil"
        )
        band = f"{fmt.temperature(g['low_c'], unit=False)}–{fmt.temperature(g['high_c'])}"
        side = "below" if "cold" in e.key else "above"
        words = (
            f"{basis} averaged {fmt.temperature(g['mean_c'])}, {fmt.percent(g['share'])} of the time {side} its range of {band}"
        )
        if e.key == "cold_soil" and g["days_there"] and g["days_at_target"]:
            words += f"; half take {fmt.days(g['days_there'])} there, {fmt.days(g['days_at_target'])} at target"
        return words
    if e.key == "probe_lay_open":
        return f"the probe lay out of the mix for {fmt.days(g['days'])}: what it read then was not used"
    if e.key == "mat_without_lift":
        asked, got = fmt.temperature(g["setpoint_c"]), fmt.temperature(g["soil_c"])
        return f"{g['mat']} is set to {asked} and the soil stands at {got}: it is not warming"
    if e.key in ("dry_spell_days", "waterlogged_days"):
        how = "too dry to advance" if e.key.startswith("dry") else "with water standing in it"
        return (
            f"the mix was {how} for {fmt.days(g['days'])}"
            if e.key.startswith("dry")
            else f"the mix stood {how} for {fmt.days(g['days'])}"
        )
    fixed = {
        "no_dry_spell": "moisture was measured and was never too low",
        "no_waterlogged": "moisture was measured and was never too high",
        "dry_by_deeds": "by the waterings you logged, the mix has dried out",
        "light_not_needed": "this kind does not need light to come up",
        "light_reaches": "light reaches the seed",
        "no_pretreatment_needed": "this kind needs no treatment before sowing",
    }
    if e.key in fixed:
        return fixed[e.key]
    if e.key in ("seed_weak", "seed_sound"):
        packed = f"packed in {g['packed']}, " if g["packed"] else ""
        return f"{packed}about {fmt.percent(g['alive'])} of the seed is alive" + (", by a test" if g["tests"] else "")
    if e.key in ("depth_deep", "depth_usual"):
        usual = "pressed in" if _n(g["usual_mm"]) < 1 else fmt.length(g["usual_mm"])
        return f"sown at {fmt.length(g['depth_mm'])}, usual is {usual}"
    if e.key == "covered":
        return f"it needs light and lies under {fmt.length(g['depth_mm'])}: about {fmt.percent(_n(g['share']))} comes from there"
    if e.key in ("untreated", "treated"):
        treatment = TREATMENTS.get(g["wanted"], g["wanted"])
        return f"it needs {treatment} first and had {'none' if e.key == 'untreated' else 'it'}"
    if e.key in FIXED_EVIDENCE:
        return FIXED_EVIDENCE[e.key]
    if e.key in EVIDENCE:
        return EVIDENCE[e.key](g, fmt)
    if e.key == "mix_kind":
        return f"it stands in {MIX_NAMES.get(g['kind'], g['kind'])}"
    raise KeyError(e.key)


def _light_words(g: Mapping[str, Any], fmt: Formatter) -> str:
    return f"daily light averaged {fmt.number(_n(g['mol']))} mol; it needs {fmt.number(_n(g['low']))}–{fmt.number(_n(g['high']))}"


def _window_words(g: Mapping[str, Any], fmt: Formatter) -> str:
    return (
        f"a window at this season usually gives {fmt.number(_n(g['mol']))} mol a day, a good one {fmt.number(_n(g['most']))}; "
        f"it needs {fmt.number(_n(g['low']))}–{fmt.number(_n(g['high']))}"
    )


def _pot_words(g: Mapping[str, Any], fmt: Formatter) -> str:
    return f"{fmt.days(_n(g['days']))} in a cell of {fmt.volume(_n(g['ml']))}, big enough for {fmt.days(_n(g['holds']))}"


def _risk_words(words: str) -> Callable[[Mapping[str, Any], Formatter], str]:
    return lambda g, fmt: f"{words} ({fmt.percent(_n(g['share']))} of the days before; risk times {fmt.number(_n(g['times']))})"


def _soil_words(g: Mapping[str, Any], fmt: Formatter) -> str:
    return f"it grew at {fmt.temperature(_n(g['mean_c']))}; its range begins at {fmt.temperature(_n(g['low_c']))}"


def _night_words(g: Mapping[str, Any], fmt: Formatter) -> str:
    return f"the coldest of the last days was {fmt.temperature(_n(g['least_c']))}; it stands {fmt.temperature(_n(g['stands_c']))}"


def _gap_words(g: Mapping[str, Any], fmt: Formatter) -> str:
    return f"the lamp hangs {fmt.length(_n(g['gap_mm']))} from the leaves; the least safe gap is {fmt.length(_n(g['least_mm']))}"


def _bright_words(g: Mapping[str, Any], fmt: Formatter) -> str:
    return (
        f"{fmt.number(_n(g['mol']))} mol a day of at most {fmt.number(_n(g['high']))}, {fmt.number(_n(g['umol']), 0)} µmol of "
        f"{fmt.number(_n(g['ceiling']), 0)}"
    )


#: Evidence with figures, told by its key.
EVIDENCE: dict[str, Callable[[Mapping[str, Any], Formatter], str]] = {
    "light_short": _light_words,
    "window_short": _window_words,
    "light_enough": _light_words,
    "lamp_far": lambda g, fmt: (
        f"the lamp hangs {fmt.length(_n(g['distance_mm']))} off; at {fmt.length(_n(g['near_mm']))} it would give "
        f"{fmt.number(_n(g['times']))} times the light"
    ),
    "lamp_near_enough": lambda g, fmt: f"the lamp hangs {fmt.length(_n(g['distance_mm']))} from the leaves, near enough",
    "hours_short": lambda g, fmt: f"lit {fmt.number(_n(g['hours']))} hours a day; it needs at least {fmt.number(_n(g['low']))}",
    "lamp_did_not_burn": lambda g, fmt: f"the lamp over it was off for {fmt.days(_n(g['days']))}",
    "hours_enough": lambda g, fmt: f"lit {fmt.number(_n(g['hours']))} hours a day",
    "dark_days": lambda g, fmt: f"{fmt.days(_n(g['days']))} in the dark after coming up",
    "lit_at_once": lambda g, fmt: "under the light from the first day",
    "grew_warm": lambda g, fmt: f"it grew at {fmt.temperature(_n(g['mean_c']))}, over its {fmt.temperature(_n(g['high_c']))}",
    "grew_cool": lambda g, fmt: f"it grew at {fmt.temperature(_n(g['mean_c']))}, no warmer than it likes",
    "cover_days": lambda g, fmt: f"covered for {fmt.days(_n(g['days']))} after coming up",
    "cover_off_soon": lambda g, fmt: "the cover came off in time",
    "many_a_cell": lambda g, fmt: f"about {fmt.number(_n(g['n']))} share a cell",
    "few_a_cell": lambda g, fmt: f"about {fmt.number(_n(g['n']))} to a cell",
    "risk_too_wet": _risk_words("the top was wet"),
    "risk_covered_too_long": _risk_words("covered after coming up"),
    "risk_still_air": _risk_words("no moving air"),
    "risk_unclean_mix": _risk_words("garden soil, used mix or an unwashed tray"),
    "risk_watered_from_above": _risk_words("watered from above"),
    "risk_cool_and_slow": _risk_words("too cool for this kind but not for the disease"),
    "risk_crowded": _risk_words("many in a cell"),
    "fed_strong": lambda g, fmt: (
        f"fed at {fmt.number(_n(g['mg']), 0)} mg of nitrogen a litre; over {fmt.number(_n(g['burns']), 0)} burns"
    ),
    "fed_mild": lambda g, fmt: f"fed at {fmt.number(_n(g['mg']), 0)} mg of nitrogen a litre, too weak to burn",
    "unfed_days": lambda g, fmt: f"not fed for {fmt.days(_n(g['days']))}" + (" in mix that was fed" if _n(g["fed"]) else ""),
    "fed_lately": lambda g, fmt: f"fed {fmt.days(_n(g['days']))} ago",
    "lamp_under_least": _gap_words,
    "lamp_close": _gap_words,
    "lamp_not_close": _gap_words,
    "light_over": _bright_words,
    "light_not_over": _bright_words,
    "soil_under_band": _soil_words,
    "soil_not_under_band": _soil_words,
    "cold_night": _night_words,
    "no_cold_night": _night_words,
    "watered_often": lambda g, fmt: f"watered {fmt.small(_n(g['n']))} times in eight days",
    "wet_days": lambda g, fmt: (
        f"over {fmt.number(_n(g['pct']), 0)} % of capacity for {fmt.days(_n(g['days']))} of the last eight"
    ),
    "not_wet": lambda g, fmt: "hardly ever wet in the last eight days",
    "dried_out": lambda g, fmt: f"dried to {fmt.number(_n(g['least_pct']), 0)} % of capacity in the last days",
    "never_dry": lambda g, fmt: f"never drier than {fmt.number(_n(g['least_pct']), 0)} % of capacity lately",
    "long_in_cell": _pot_words,
    "not_long_in_cell": _pot_words,
    "sun_hours": lambda g, fmt: f"stood out in about {fmt.number(_n(g['hours']))} hours of sun",
    "hot_days_bolt": lambda g, fmt: (
        f"warm days reached {fmt.temperature(_n(g['warm_c']))}: this kind bolts over {fmt.temperature(_n(g['limit_c']))}"
    ),
    "heads_button": lambda g, fmt: "checked while young by heat, cold, hunger or a small pot this kind makes a button of a head",
    "hot_for_flowers": lambda g, fmt: (
        f"the air reached {fmt.temperature(_n(g['most_c']))}: from {fmt.temperature(_n(g['limit_c']))} flowers drop"
    ),
    "not_hot_for_flowers": lambda g, fmt: (
        f"the air stayed at {fmt.temperature(_n(g['most_c']))} and less: flowers drop from {fmt.temperature(_n(g['limit_c']))}"
    ),
    "cold_nights_bolt": lambda g, fmt: (
        f"cool spells of {fmt.temperature(_n(g['cool_c']))}: young it needs {fmt.temperature(_n(g['wants_c']))} and more"
    ),
    "stands_in_sun": lambda g, fmt: f"it stands on {g['place']}, where the sun comes in",
    "days_bring_flower": lambda g, fmt: f"lit {fmt.number(_n(g['hours']))} hours a day, which brings this kind to flower",
    "purple_kind": lambda g, fmt: str(g["words"]),
}
FIXED_EVIDENCE = {
    "no_lamp": "no lamp hangs over it", "fed_early": "fed before the first true leaves", "no_lamp_over": "no lamp hangs over it",
    "young_or_fed_mix": "young, or in mix that still feeds it", "never_out": "it was not outdoors",
    "was_out": "it was outdoors lately", "wilted_at_midday": "it was seen only in the heat of the day",
    "risk_no_too_wet": "the top was dry between waterings", "risk_no_covered_too_long": "the cover was off",
    "risk_no_still_air": "a fan moved the air", "risk_no_unclean_mix": "clean mix, washed tray",
    "risk_no_watered_from_above": "watered from below", "risk_no_cool_and_slow": "warm enough for the kind",
    "risk_no_crowded": "few in a cell",
}  # fmt: skip
