"""A finding in words: the verdict, what speaks, the check, the remedies with their cautions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fennet.core.diagnosis.finding import ArguedCause, Evidence, Finding, Remedy
from fennet.telling.sentences import counted_word
from fennet.telling.speech import Speech

CAUSE_NAMES = {
    "cold_soil": "cold soil", "hot_soil": "hot soil", "dry_spell": "a dry spell", "waterlogged": "waterlogged mix",
    "weak_seed": "old or weak seed", "sown_deep": "sown too deep", "needs_light": "seed that needs light lies covered",
    "needs_pretreatment": "seed that wanted a soak, nick or cold spell", "coarse_or_crusted_mix": "coarse or crusted mix",
    "unexplained": "nothing on record explains it",
}  # fmt: skip

#: What to do to hear a witness; what each outcome is called on its button.
CHECKS = {
    "dug_seed": "Dig out two seeds and press them between finger and thumb.",
    "seed_depth": "Scrape the mix aside at one cell and measure how deep the seed lies.",
    "mix_top": "Press the top of the mix with a fingertip.",
    "mix_feel": "Squeeze a pinch of mix from seed depth.",
    "wet_top": "Look across the surface for green film, fluff or tiny flies.",
    "soil_now": "Push a thermometer into a middle cell to seed depth, wait two minutes, and log what it reads.",
    "seed_year": "Read the year on the packet.",
    "cover_of_seed": "Look whether the seed lies bare or covered.",
    "seed_was_treated": "Remember: was the seed soaked, nicked or chilled before sowing?",
}
OUTCOMES = {
    "dug_seed": {"firm": "Firm", "sprouting": "Sprouting", "soft": "Soft or smelling", "dry": "Dry", "gone": "Hollow or gone"},
    "seed_depth": {"as_meant": "As meant", "deeper": "Deeper", "on_top": "On top"},
    "mix_top": {"soft": "Soft", "crust": "A crust", "lumps": "Lumps"},
    "mix_feel": {"dust_dry": "Dust-dry", "pale_top": "Pale", "even": "Even", "dark": "Dark", "standing": "Glistens"},
    "wet_top": {"clean": "Clean", "green_or_fluff": "Green, fluff or flies"},
    "soil_now": {"cold": "Cold", "in_band": "In band", "hot": "Hot"},
    "seed_year": {"this_year_or_last": "This year’s or last", "older": "Older"},
    "cover_of_seed": {"bare": "Bare", "covered": "Covered"},
    "seed_was_treated": {"treated": "Yes", "not_treated": "No"},
}  # fmt: skip
HEARD = {
    ("dug_seed", "firm"): "dug seed was firm", ("dug_seed", "sprouting"): "dug seed was sprouting",
    ("dug_seed", "soft"): "dug seed was soft", ("dug_seed", "dry"): "dug seed was dry",
    ("dug_seed", "gone"): "dug seed was hollow or gone",
    ("seed_depth", "as_meant"): "the seed lies as deep as meant", ("seed_depth", "deeper"): "the seed lies deeper than meant",
    ("seed_depth", "on_top"): "seed lies on top", ("mix_top", "soft"): "the top of the mix is soft",
    ("mix_top", "crust"): "there is a crust on top", ("mix_top", "lumps"): "the mix is lumpy",
    ("mix_feel", "dust_dry"): "the mix feels dust-dry", ("mix_feel", "pale_top"): "the mix is pale on top",
    ("mix_feel", "even"): "the mix feels evenly damp", ("mix_feel", "dark"): "the mix is dark and wet",
    ("mix_feel", "standing"): "water stands in the mix", ("wet_top", "clean"): "the surface is clean",
    ("wet_top", "green_or_fluff"): "green film, fluff or flies on the surface", ("soil_now", "cold"): "the soil was found cold",
    ("soil_now", "in_band"): "the soil was found in its band", ("soil_now", "hot"): "the soil was found hot",
    ("seed_year", "this_year_or_last"): "the packet is of this year or last", ("seed_year", "older"): "the packet is older",
    ("cover_of_seed", "bare"): "the seed lies bare", ("cover_of_seed", "covered"): "the seed lies covered",
    ("seed_was_treated", "treated"): "the seed was treated", ("seed_was_treated", "not_treated"): "the seed was not treated",
    ("same_tray_other_seed", "came"): "other seed in this tray came up",
    ("same_tray_other_seed", "late_too"): "other seed in this tray is late too",
    ("same_seed_elsewhere", "came"): "the same seed came up in another tray",
    ("same_seed_elsewhere", "late_too"): "the same seed is late in another tray too",
    ("cell_map", "even"): "bare cells lie evenly", ("cell_map", "bare_rim"): "the bare cells lie at the rim",
    ("cell_map", "bare_corner"): "the bare cells lie in a corner", ("cell_map", "bare_patch"): "the bare cells lie in a patch",
}  # fmt: skip
MISSING = {
    "soil_temperature": "soil temperature", "soil_gap": "soil temperature over several days", "moisture": "moisture of the mix",
    "seed_lot": "the year and rate of the seed", "depth": "how deep it was sown", "pretreatment": "whether the seed was treated",
    "mix": "what mix it stands in", "dug_seed": "how a dug seed feels", "seed_depth": "how deep the seed lies",
    "mix_top": "how the top of the mix feels",
    "mix_feel": "how the mix feels", "wet_top": "what grows on the surface", "soil_now": "soil temperature now",
    "seed_year": "the year of the packet",
    "cover_of_seed": "whether the seed is covered", "seed_was_treated": "whether the seed was treated",
    "same_tray_other_seed": "other seed in this tray", "same_seed_elsewhere": "the same seed in another tray",
    "cell_map": "which cells came up",
}  # fmt: skip
TREATMENTS = {"soak": "soaking", "nick": "nicking", "cold_moist": "a cold moist spell", "hot_water": "hot water"}
MIX_NAMES = {
    "garden_soil": "garden soil",
    "seed_mix": "seed mix",
    "coir": "coir",
    "potting_mix": "potting mix",
    "other": "another mix",
}


def verdict_words(f: Finding, say: Speech) -> str:
    """The verdict in one sentence."""
    g = f.figures
    days, up, of = say.days(_n(g["days"])), _n(g["up"]), _n(g["of"])
    first = say.small(up)
    here = "rooted" if g.get("towel") else "up"
    so_far = f"{first} of {say.small(of)} {counted_word(f.batch)} are {here}" if up else f"nothing is {here}"
    at_target = f"at {say.temperature(_n(g['target_c']))} half would be {here} in {say.days(_n(g['days_at_target']))}"
    if f.state == "cannot_tell":
        words = f"cannot tell: after {days} nothing measures the soil and nobody has noted what is up. Measure the soil and count"
    elif f.state == "not_due_yet":
        again = f"; look for the first about {say.day(f.look_again_s)}" if f.look_again_s else ""
        words = f"not due yet: {so_far} after {days}, and {at_target}{again}"
    elif f.state in ("on_time", "as_it_should"):
        words = f"as it should be: {so_far} after {days}, and {at_target}"
    else:
        lead = f"{so_far} after {days}; {at_target}"
        main = f.main
        if main is None or main.cause == "unexplained":
            words = f"{lead}. Nothing on record explains it"
        elif main.share >= 0.75:
            words = f"{lead}. It is most likely {CAUSE_NAMES[main.cause]}, {say.percent(main.share)}"
        elif main.share >= 0.45 or len(f.causes) < 2:
            words = f"{lead}. The likeliest cause is {CAUSE_NAMES[main.cause]}, {say.percent(main.share)}"
        else:
            second = f.causes[1]
            words = (
                f"{lead}. It may be {CAUSE_NAMES[main.cause]}, {say.percent(main.share)}, or {CAUSE_NAMES[second.cause]}, "
                f"{say.percent(second.share)}"
            )
    return (words[0].upper() + words[1:] + ".").replace(" %", "\N{NO-BREAK SPACE}%")


def _n(value: Any) -> float:
    return float(value)


def evidence_words(e: Evidence, say: Speech) -> str:
    """One thing that speaks for or against, in half a line."""
    g: Mapping[str, Any] = e.figures
    if e.key == "witness":
        return HEARD[(g["witness"], g["outcome"])]
    if e.key in ("cold_soil", "not_cold_soil", "hot_soil", "not_hot_soil"):
        basis = {"soil": "the soil", "air": "the soil, judged from the air,", "guess": "the soil, as guessed,"}.get(
            g["basis"], "the soil"
        )
        band = f"{say.temperature(g['low_c'], unit=False)}–{say.temperature(g['high_c'])}"
        side = "under" if "cold" in e.key else "over"
        words = (
            f"{basis} averaged {say.temperature(g['mean_c'])}, {say.percent(g['share'])} of the time {side} its band of {band}"
        )
        if e.key == "cold_soil" and g["days_there"] and g["days_at_target"]:
            words += f"; half take {say.days(g['days_there'])} there, {say.days(g['days_at_target'])} at target"
        return words
    if e.key == "probe_lay_open":
        return f"the probe lay out of the mix for {say.days(g['days'])}: what it read then is left out"
    if e.key == "mat_without_lift":
        asked, got = say.temperature(g["setpoint_c"]), say.temperature(g["soil_c"])
        return f"{g['mat']} is set to {asked} and the soil stands at {got}: it warms nothing"
    if e.key in ("dry_spell_days", "waterlogged_days"):
        how = "too dry to advance" if e.key.startswith("dry") else "with water standing in it"
        return (
            f"the mix was {how} for {say.days(g['days'])}"
            if e.key.startswith("dry")
            else f"the mix stood {how} for {say.days(g['days'])}"
        )
    fixed = {
        "no_dry_spell": "moisture was measured and never too low",
        "no_waterlogged": "moisture was measured and never over capacity",
        "dry_by_deeds": "going by the waterings logged the mix has dried out",
        "light_not_needed": "this kind does not need light to come up",
        "light_reaches": "light reaches the seed",
        "no_pretreatment_needed": "this kind wants no treatment before sowing",
    }
    if e.key in fixed:
        return fixed[e.key]
    if e.key in ("seed_weak", "seed_sound"):
        packed = f"packed in {g['packed']}, " if g["packed"] else ""
        return f"{packed}about {say.percent(g['alive'])} of the seed is alive" + (", by a test" if g["tests"] else "")
    if e.key in ("depth_deep", "depth_usual"):
        usual = "pressed in" if _n(g["usual_mm"]) < 1 else say.length(g["usual_mm"])
        return f"sown at {say.length(g['depth_mm'])}, usual is {usual}"
    if e.key == "covered":
        return f"it needs light and lies under {say.length(g['depth_mm'])}; more than {say.length(g['most_mm'])} keeps light out"
    if e.key in ("untreated", "treated"):
        treatment = TREATMENTS.get(g["wanted"], g["wanted"])
        return f"it wants {treatment} first and had {'none' if e.key == 'untreated' else 'it'}"
    if e.key == "mix_kind":
        return f"it stands in {MIX_NAMES.get(g['kind'], g['kind'])}"
    raise KeyError(e.key)


def cause_words(c: ArguedCause, say: Speech) -> dict[str, list[str]]:
    """What speaks for a cause, against it, and what is not recorded."""
    return {
        "for": [evidence_words(e, say) for e in c.speaks_for],
        "against": [evidence_words(e, say) for e in c.speaks_against],
        "missing": list(dict.fromkeys(MISSING[m] for m in c.missing)),
    }


def check_words(f: Finding, say: Speech) -> tuple[str, str] | None:
    """The check that settles most, and why it."""
    if f.next_check is None:
        return None
    told = [CAUSE_NAMES[c.cause] for c in f.causes[:2] if c.cause != "unexplained"]
    between = f"between {told[0]} and {told[1]}" if len(told) > 1 else f"whether it is {told[0]}" if told else "what it is"
    bits = f", worth {say.number(f.next_check.bits, 2)} bits" if f.next_check.bits >= 0.005 else ""
    do = CHECKS[f.next_check.witness]
    if f.figures.get("towel") and f.next_check.witness == "dug_seed":
        do = "Open the bag and press two seeds between finger and thumb."
    return do, f"It says most {between}{bits}."


#: What to do, what it should change, and the caution that stands beside it.
CAUTIONS = {
    "warm_soil": "The mat’s maker’s limits come first; a thermostat’s probe must stay fixed in the mix.",
    "check_plug": "Dry hands, and unplug before you move anything. Wiring is for a licensed electrician.",
    "dig_and_see": "Mould and compost: gloves, and do not breathe the dust.",
    "let_drain": "Mould and compost: gloves, and do not breathe the dust.",
}


#: Remedies that need no figures of a model, and the effect expected.
REMEDIES = {
    "measure_soil": ("Measure the soil of {tray} where the seed lies.", "With it Fennet can say whether it is late and why."),
    "water_below": (
        "Water {tray} from below until the top darkens, and log it.",
        "Seed that only paused goes on within a day; what had sprouted and dried is lost.",
    ),
    "keep_covered": ("Keep the cover on and mist pale cells daily.", "The mix stays damp two to three times as long."),
    "let_drain": (
        "Pour off what stands in {tray}, vent the cover, and do not water until the top is pale.",
        "Stops the loss of seed, a twentieth to a fifth a day.",
    ),
    "sow_more": ("{more}", "Spares in case no more come."),
    "test_packet": (
        "Fold ten seeds of the packet into a damp towel on the mat.",
        "In a week you know the rate, and the forecast takes it in.",
    ),
    "sow_shallower": ("Sow some again, {depth} deep.", "Comes at the usual pace."),
    "wait": (
        "Wait for those on the way; do not dig the rows up.",
        "Deep seed is late by about a fifteenth of its wait for each 5 mm.",
    ),
    "uncover_seed": (
        "Brush the covering off so that light reaches the seed; keep it damp under a cover.",
        "Seed that waited for light starts at once.",
    ),
    "sow_treated": ("Sow some again after the treatment it wants.", "Untreated seed may still come, late and thinly."),
    "break_crust": (
        "Mist the top and break the crust gently with a pencil.",
        "Shoots that wait beneath show within a day or two.",
    ),
    "dig_and_see": ("Dig at two cells: seed may be eaten, rotten or sound.", "Tells whether waiting has any point."),
}


def remedy_words(r: Remedy, say: Speech) -> tuple[str, str]:
    """A remedy and the effect expected of it."""
    g = r.figures
    gain = "" if r.gain_days is None else f"About {say.days(r.gain_days.p50)} sooner for the middle seed"
    if r.gain_days is not None and round(r.gain_days.p10) != round(r.gain_days.p90):
        gain += f" ({say.number(r.gain_days.p10, 0)}–{say.number(r.gain_days.p90, 0)} d)"
    tray = g.get("tray") or "the tray"
    if r.deed == "warm_soil":
        how = f"set {g['mat']} by Tune" if g.get("mat") else "onto a mat, or to a warmer spot"
        to = f"{say.temperature(_n(g['low_c']), unit=False)}–{say.temperature(_n(g['high_c']))}"
        return f"Warm the soil of {tray} to {to}: {how}.", f"{gain or 'Little is left to gain'}."
    if r.deed == "cool_soil":
        how = f"lower {g['mat']} or take the tray off it" if g.get("mat") else "out of the heat"
        return (
            f"Cool the soil of {tray} to about {say.temperature(_n(g['to_c']))}: {how}.",
            "Seed held back by heat often wakes within days.",
        )
    if r.deed == "check_plug":
        return f"See that {g['mat']} is plugged in and warm to the hand.", f"{gain or 'The soil warms'} once it heats."
    do, effect = REMEDIES[r.deed]
    return do.format(tray=tray, more=_sow_more(g, say), depth=_depth(g, say)), effect


def _depth(g: Mapping[str, Any], say: Speech) -> str:
    if g.get("depth_mm") is None:
        return ""
    return "pressed in, not" if _n(g["depth_mm"]) < 1 else say.length(_n(g["depth_mm"]))


def _sow_more(g: Mapping[str, Any], say: Speech) -> str:
    alive = max(0.05, _n(g.get("alive") or 0.8))
    per_cell = min(5, max(1, round(1.6 / alive)))
    return f"Sow spares now, {say.small(per_cell)} {'seed' if per_cell == 1 else 'seeds'} to a cell."


def as_json(f: Finding, say: Speech, text_of: Any) -> dict[str, Any]:
    """A finding with the keys of docs/formats.md; `text_of` writes a moment."""
    check = check_words(f, say)
    return {
        "complaint": f.complaint,
        "present": round(f.present, 4),
        "state": f.state,
        "verdict": verdict_words(f, say),
        "causes": [
            {"cause": c.cause, "share": share, "cells": round(c.cells, 2), **cause_words(c, say)}
            for c, share in zip(f.causes, _rounded([c.share for c in f.causes]), strict=True)
        ],
        "next_check": None
        if check is None
        else {"do": check[0], "because": check[1], "what": f.next_check.witness if f.next_check else ""},
        "actions": [
            {
                "do": remedy_words(r, say)[0],
                "effect": remedy_words(r, say)[1],
                "by": text_of(r.by_s) if r.by_s else None,
                "caution": CAUTIONS.get(r.deed),
            }
            for r in f.remedies
        ],
        "look_again": text_of(f.look_again_s) if f.look_again_s else None,
    }


def _rounded(shares: list[float]) -> list[float]:
    """Shares to four digits that still add to 1.

    >>> _rounded([1 / 3, 1 / 3, 1 / 3])
    [0.3334, 0.3333, 0.3333]
    """
    out = [round(s, 4) for s in shares]
    if out:
        out[0] = round(out[0] + 1.0 - sum(out), 4)
    return out
