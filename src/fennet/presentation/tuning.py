"""What to set a mat to, in words."""

from __future__ import annotations

from typing import Any

from fennet.core.tuning.mats import Instead, MatSetting
from fennet.presentation.formatter import Formatter

#: What helps beside a set-point: the deed, and the caution that stands beside it.
INSTEAD = {
    "cover_on": "Put the cover on {tray}",
    "insulate": "Insulate beneath {mat}, only as its maker allows",
    "fewer_trays": "Lay fewer trays on {mat}",
    "draught_off": "Keep draughts off",
    "warmer_spot": "Move it to a warmer spot",
    "take_off": "Take {tray} off: nothing in it still has to come up",
    "leave": "Take {tray} off {mat}: it needs different warmth from the others",
    "thermostat": "Give {mat} a thermostat, with its probe fixed in the mix of {tray}",
    "no_soil_reading": "Measure the soil of {tray} where the seed lies: nobody knows what the mat brings there",
    "part": "The kinds in {tray} need different warmth, and {mat} is set for the one that can take least: "
    "sow them apart next time",
    "probe_silent": "See why the thermometer of {tray} is silent: battery, range, or fallen out",
    "probe_stuck": "The thermometer of {tray} has not moved for hours: pull it out and warm it in the hand; it should rise",
    "probe_reads_air": "{tray} is no warmer than the room, though {mat} is set to heat: "
    "feel whether it is warm and plugged in, and push the probe into the mix at seed depth",
    "probe_no_soil": "The thermometer of {tray} shows more than any soil reaches: was it in °F, or is it touching the mat",
    "too_hot": "Take {tray} off {mat} and check its probe: its soil was last read too hot for anything in it",
    "probes_apart": "Two thermometers in {tray} do not agree: trust the one at seed depth in the middle",
    "one_in_air": "One of the two thermometers in {tray} follows the air and is not used: push it back in at seed depth",
    "two_days_show": "{mat} has not warmed {tray} that far before: set it, and the next two days show whether it can",
    "log_setpoint": "Log what {mat} is set to",
}
CAUTION = (
    "A person confirms every change. The probe must stay fixed in the mix; the mat’s own thermostat and cut-out stay in charge. "
    "Flat, not folded or wrapped, not left for days unattended. Earth-leakage protected outlet, drip loop, plugs above the trays."
)


def instead_words(i: Instead, s: MatSetting, fmt: Formatter) -> str:
    """One thing to do beside or instead of a set-point, with what it may bring."""
    words = INSTEAD[i.action].format(tray=i.tray or "the tray", mat=s.mat.id)
    if (i.action == "too_hot" or i.action.startswith("probe_")) and i.action != "probes_apart" and i.lift_c is not None:
        return f"{words} ({fmt.temperature(i.lift_c)} when last read)."
    if i.action in ("probes_apart", "one_in_air") and i.lift_c is not None:
        return f"{words} ({fmt.temperature_span(i.lift_c)} apart)."
    if i.action == "two_days_show" and i.lift_c is not None:
        return f"{words} ({fmt.temperature(i.lift_c)} is what such mats usually bring)."
    if i.lift_c is not None:
        return f"{words}: about {fmt.temperature_span(i.lift_c)} more (estimated)."
    if i.action == "leave" and i.days is not None:
        return f"{words}; together {fmt.days(i.days)} sooner."
    if i.action == "thermostat" and i.days is not None:
        return f"{words}: the swing by day and night costs about {fmt.days(i.days)}." if i.days >= 0.25 else f"{words}."
    return f"{words}."


def setting_sentence(s: MatSetting, fmt: Formatter) -> str:
    """The proposal in a sentence or two."""
    trays = " and ".join(t.tray for t in s.trays)
    if s.why_not == "nothing_waits":
        return f"Nothing on {s.mat.id} waits to come up: {trays} can come off."
    if s.why_not == "too_hot":
        return f"{s.mat.id} is too hot for what lies on it: take it off and check the probe before anything is set."
    if s.why_not == "check_plug_and_probe":
        return f"Check plug and probe of {s.mat.id} first: Fennet sets nothing by a thermometer that does not show the soil."
    if s.why_not == "no_thermostat" and s.mat.control == "always":
        return f"{s.mat.id} has no set-point to tune: it heats all the time, as far over the air as it can."
    if s.why_not == "no_thermostat" or s.setpoint_c is None or s.expect_soil_c is None:
        return f"{s.mat.id} has no set-point to tune: it runs by its timer, and the soil of {trays} goes up and down with it."
    e = s.expect_soil_c
    expected = f"{fmt.temperature(e.p10, unit=False)}–{fmt.temperature(e.p90)}"
    if s.flat_out:
        return (
            f"{s.mat.id} is at its limit: soil of about {expected} is the most it brings, and the middle of the band is "
            f"{fmt.temperature(s.middle_c or e.p50)}. A higher set-point changes nothing."
        )
    if not s.changes:
        return f"{s.mat.id} is set right: {fmt.temperature(s.setpoint_c)} holds the soil of {trays} at about {expected}."
    gain = f", {fmt.days(s.gain_days)} sooner for the middle seed" if s.gain_days >= 0.25 else ""
    return f"Set {s.mat.id} to {fmt.temperature(s.setpoint_c)}: the soil of {trays} should stand at {expected}{gain}."


def as_json(s: MatSetting, fmt: Formatter) -> dict[str, Any]:
    """A mat's setting with the keys of docs/formats.md."""
    e = s.expect_soil_c
    return {
        "mat": s.mat.id,
        "trays": [t.tray for t in s.trays],
        "setpoint_c": s.setpoint_c,
        "range_c": None if s.range_c is None else list(s.range_c),
        "expect_soil_c": None if e is None else {"p10": round(e.p10, 2), "p50": round(e.p50, 2), "p90": round(e.p90, 2)},
        "flat_out": s.flat_out,
        "gain_days": round(s.gain_days, 2),
        "instead": [instead_words(i, s, fmt) for i in s.instead],
        "now_c": s.now.setpoint_c,
        "middle_c": s.middle_c,
        "sentence": setting_sentence(s, fmt),
        "fit": [
            {
                "tray": t.tray,
                "hours": t.fit.hours,
                "tried_c": list(t.fit.tried),
                "alpha_c": round(t.fit.alpha_c, 3),
                "beta": round(float(t.fit.mean[1]), 3),
                "gamma": round(float(t.fit.mean[2]), 3),
                "lift_c": round(float(t.fit.mean[3]), 2),
                "air_known": t.air_known,
            }
            for t in s.trays
        ],
        "caution": CAUTION,
    }
