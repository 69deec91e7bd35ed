"""The worklist in words: what, why, the button that names the deed and its amount, and the log line that does it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from fennet.core.away import Ask
from fennet.core.light import clock_of
from fennet.core.work.task import Task
from fennet.presentation.diagnosis import CAUSE_NAMES
from fennet.presentation.entries import SIGN_WORDS
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import CAUSE_WORDS

WATER_WAYS = {"below": "from below", "below_2_h": "from below", "mist": "as mist", "above": "from above"}
WATER_HOW = {"below": "below", "below_2_h": "below", "mist": "mist", "above": "above"}
STEP_WORDS = {"cover_vent": "vent the cover", "cover_off": "cover off", "mat_off": "off the mat", "light_on": "under a lamp"}


@dataclass(frozen=True)
class Words:
    """One task told. `line` what a press logs ("" where there is no one press); `opens` a page to go to: why, tune, tray, or set
    where a setting is confirmed with the press."""

    what: str
    why: str
    button: str = ""
    line: str = ""
    opens: str = ""


def task_words(t: Task, name: str, fmt: Formatter) -> Words:
    """A task in words; `name` is what its batch is called."""
    return _WORDS[t.kind](t, name, fmt, t.figures)


def _hand_over(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    steps = list(g["steps"])
    logged = {"cover_vent": f"{t.tray} cover vent", "cover_off": f"{t.tray} cover off", "mat_off": f"{t.tray} mat off"}
    parts = [logged[s] for s in steps if s in logged]
    if "light_on" in steps:
        parts += [f"{b} to light" for b in g["batches"]]
    half = g["up"] * 2 >= g["of"]
    why = f"{'Half of' if half else 'The first of'} {name} {'are' if half else 'is'} up since {fmt.moment(g['since_s'])}"
    if g["dark_h"] >= 2:
        why += f", the first for {fmt.number(g['dark_h'], 0)} h, with no lamp over them"
    why += ". Each warm hour in the dark adds stem."
    if g["cells"]:
        why += f" For {len(g['cells'])} of its cells; the others wait."
    what = ", ".join(STEP_WORDS[s] for s in steps)
    button = "Done, moved" if len(steps) > 1 else what[0].upper() + what[1:]
    return Words(f"{t.tray}: {what}", why, button, "; ".join(parts))


def _look(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    if g["towel"]:
        return Words(f"{t.tray}: open the bag, count roots", f"{name}: a towel is opened daily.", opens="tray")
    if g["up"]:
        why = f"{name}: {g['up']} of {g['of']} when last counted, {fmt.days(g['looked_d'])} ago."
        return Words(f"{t.tray}: count again", why, "No more up", f"{t.batch} {g['up']} up", "tray")
    line = f"{t.batch} nothing_up"
    return Words(f"{t.tray}: lift the cover and look", f"{name}: the first may show today.", "Nothing up", line, "tray")


def _mist(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    more = " …" if len(g["cells"]) > 6 else ""
    cells = f" ({', '.join(g['cells'][:6])}{more})" if g["cells"] else ""
    chance = fmt.percent(g["chance"])
    why = f"{fmt.small(g['n'])} of {name} still wait{cells} and dry first without a cover; {chance} that more come."
    return Words(f"{t.tray}: mist the cells that wait", why[0].upper() + why[1:], "Misted", f"{t.tray} misted")


def _call_it(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    again = f" Sown again now, half would be up in about {fmt.days(g['resow_d'])}." if g["resow_d"] else ""
    freed = "seeds" if g["towel"] else "cells"
    chance = fmt.percent(g["chance"])
    why = f"{name}: the chance of any is {chance}.{again} Giving up frees {g['n']} {freed} and keeps the record."
    return Words(f"{t.tray}: call it", why, "Give up", f"{t.batch} gave up", "why")


def _late(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    cause = CAUSE_WORDS.get(g["cause"], "")
    by = f" by {fmt.days(g['days'])}" if g["days"] else ""
    most = f", most of it {cause}" if cause and g["cause"] != "unexplained" else ""
    return Words(f"{t.tray}: {name} is late", f"Late{by}{most}.", opens="why")


def _water(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    how = WATER_HOW[g["how"]]
    way = WATER_WAYS[g["how"]]
    of = g["together"]
    line = "; ".join(f"{tray} watered {how}" + (f" {f['ml']:g}ml" if f["ml"] else "") for tray, _, f in of)
    soak = ""
    if how == "below" and g.get("minutes"):
        soak = f" Stand {'it' if len(of) == 1 else 'them'} in for {fmt.number(g['minutes'], 0)} minutes and pour off the rest."
    if len(of) > 1:
        amounts = ", ".join(f"{tray} {fmt.volume(f['ml'])}" if f["ml"] else tray for tray, _, f in of)
        driest = min(of, key=lambda x: x[2]["moisture_pct"])
        why = f"{amounts}; {driest[0]} is driest, at {fmt.number(driest[2]['moisture_pct'], 0)} % of capacity.{soak}"
        return Words(f"{_trays(t)}: water {way}", why, f"Water {fmt.small(len(of))} trays", line)
    amount = fmt.volume(g["ml"]) if g["ml"] else "water"
    low, now = fmt.number(g["low_pct"], 0), fmt.number(g["moisture_pct"], 0)
    if "from_s" in g:
        why = f"{name} will reach {low} % of capacity; {now} % now."
        if g.get("hold") == "top_wet":
            why += " Its top is wet: let it dry first."
    else:
        why = f"{name} stands at {now} % of capacity; its band begins at {low} %."
    return Words(f"{t.tray}: {amount} {way}", f"{why}{soak}", f"Water {amount}" if g["ml"] else "Water", line)


def _too_wet(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    now, high = fmt.number(g["moisture_pct"], 0), fmt.number(g["high_pct"], 0)
    why = f"{name} stands at {now} % of capacity; its band ends at {high} %."
    return Words(f"{t.tray}: leave it dry, pour off what stands", why)


def _probe(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    why = f"Nothing for {fmt.number(g['silent_h'], 0)} h while {name} waits: battery, range, or fallen out."
    return Words(f"{t.tray}: {g['source'] or 'its thermometer'} is silent", why, opens="tray")


def _no_soil(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    why = f"Nothing tells what {name} is getting, so nothing can be said of when it is due."
    return Words(f"{t.tray}: measure the soil", why, opens="tray")


def _mat_set(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    e, to = g["expect"], fmt.temperature(g["to_c"])
    should = f"soil of {fmt.temperature(e.p10, unit=False)}–{fmt.temperature(e.p90)}" if e else "soil in its band"
    now = f"It is set to {fmt.temperature(g['now_c'])}; this" if g["now_c"] is not None else "This"
    return Words(
        f"{t.tray}: {g['mat']} to {to}", f"{now} should bring {should}, {fmt.days(g['gain_d'])} sooner.", f"Set {to}", opens="set"
    )


def _mat_limit(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    most = f"About {fmt.temperature(g['most_c'])} is the most it brings; the" if g["most_c"] is not None else "The"
    return Words(
        f"{t.tray}: {g['mat']} is at its limit", f"{most} middle of the band is {fmt.temperature(g['middle_c'])}.", opens="tune"
    )


def _exchange(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    gain = f"{fmt.days(g['gain_d'])} gained" + (" together" if g["out"] else "")
    what = f"{g['in']} onto {g['mat']}" + (f", {g['out']} off" if g["out"] else "")
    line = (f"{g['out']} mat off; " if g["out"] else "") + f"{g['in']} mat {g['mat']}"
    return Words(what, f"Gains most from the place: {gain}.", "Exchange" if g["out"] else "Onto the mat", line)


def _promise(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    promised = f"{fmt.temperature(g['low_c'], unit=False)}–{fmt.temperature(g['high_c'])}"
    why = f"{promised} was expected; it brought {fmt.temperature(g['actual_c'])}. Tune it again."
    return Words(f"{t.tray}: the mat did not keep its promise", why, opens="tune")


def _soil_out(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    side, thing = "under" if g["miss_c"] < 0 else "over", "air" if g["air"] else "soil"
    band = f"{fmt.temperature(g['low_c'], unit=False)}–{fmt.temperature(g['high_c'])}"
    what = f"{t.tray}: {thing} {fmt.temperature_span(abs(g['miss_c']))} {side} its band"
    return Words(what, f"{name}: {fmt.temperature(g['soil_c'])}, wants {band}.", opens="tray")


def _no_light(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    return Words(f"{t.tray}: no light over it", f"{name}: from the first day up seedlings want 12 hours and more.", opens="tray")


def _light_out(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    band = f"{fmt.number(g['low'])}–{fmt.number(g['high'])} mol"
    return Words(
        f"{t.tray}: {fmt.number(g['mol'])} mol of light a day", f"{name} wants {band}; see the lamp’s height.", opens="tray"
    )


def _hours_out(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    line = f"{g['lamp']} {g['want']:g}h" if g["lamp"] else ""
    button = f"{g['lamp']} to {fmt.number(g['want'])} h" if line else ""
    why = f"{name} wants {fmt.number(g['low'])}–{fmt.number(g['high'])} h."
    return Words(f"{t.tray}: {fmt.number(g['hours'])} h lit a day", why, button, line)


def _lamp_near(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    why = f"{fmt.length(g['gap_mm'])} from the leaves of {name}; its maker allows {fmt.length(g['least_mm'])} and more."
    line = f"{g['lamp']} at {g['to_mm']:.0f}mm"
    return Words(f"{t.tray}: {g['lamp']} hangs too near", why, f"Raise to {fmt.length(g['to_mm'])}", line)


def _trays(t: Task) -> str:
    """The trays of a row: "A", "A and B", "A, B and C"."""
    return _listed(list(dict.fromkeys(tray for tray, _, _ in t.figures["together"])))


def _listed(found: Sequence[str]) -> str:
    """Words in a row: "A", "A and B", "A, B and C"."""
    return found[0] if len(found) == 1 else f"{', '.join(found[:-1])} and {found[-1]}"


def _who(t: Task, tray: str, name: str) -> str:
    """What a row calls one of those it speaks of: the only one by its name, of several each by its tray."""
    return name if len(t.figures["together"]) == 1 else tray


def _fallen(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    line = f"{t.tray} cover off" if g["cover"] != "off" else ""
    why = f"{name} falls: out with the fallen and their mix, cover off, a fan on, apart from the others, wash your hands."
    return Words(f"{t.tray}: act on the fallen now", why, "Cover off" if line else "", line, "why")


#: What a cause of damping off asks for in a word or two: before they are up, and after.
AGAINST_DAMP = {
    "too_wet": ("no water until the top pales", "dry the top"),
    "covered_too_long": ("vent the cover", "cover off"),
    "still_air": ("let air in", "let air in"),
    "unclean_mix": ("keep it airy", "keep it airy and apart"),
    "watered_from_above": ("water from below", "water from below"),
    "cool_and_slow": ("warm it to its best", "warm it to its best"),
    "crowded": ("keep it airy", "thin it"),
}


def _damp(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    of = g["together"]
    leading = list(dict.fromkeys(c for _, _, f in of for c in f["leading"]))
    asks = ", ".join(dict.fromkeys(AGAINST_DAMP[c][bool(g["up"])] for c in leading)) or "let air in"
    reason = f", for {' and '.join(CAUSE_NAMES[c] for c in g['leading'])}" if len(of) == 1 and leading else ""
    most = max(f["index"] for _, _, f in of)
    risk = f"Risk {'up to ' if len(of) > 1 else ''}{fmt.number(most, 0)} of 100{reason}"
    if not g["up"]:
        shut = [tray for tray, _, f in of if f["cover"] == "on"]
        line = "; ".join(f"{tray} cover vent" for tray in shut)
        whose = f"{risk}, before they are up; what lives in a wet top waits for them."
        return Words(f"{_trays(t)}: {asks}", whose, "Vent cover" if line else "", line, "why")
    covered = [tray for tray, _, f in of if f["cover"] != "off"]
    line = "; ".join(f"{tray} cover off" for tray in covered)
    whose = f"{risk}; nothing has fallen, and it is still cheap to act."
    return Words(f"{_trays(t)}: {asks}", whose, "Cover off" if line else "", line, "why")


def _leggy(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    tall = _listed([f"{_who(t, tray, name)} {fmt.number(f['ratio'])} times" for tray, _, f in g["together"]])
    return Words(f"{_trays(t)}: long and thin", f"{tall[0].upper() + tall[1:]} as tall as it should be.", opens="why")


def _sign(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    seen = " and ".join(dict.fromkeys(SIGN_WORDS[s] for _, _, f in g["together"] for s in f["signs"][:2]))
    return Words(f"{_trays(t)}: {seen}", "Two to five short questions say what stands behind it.", opens="look")


def _feed(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    strength = f"{fmt.number(g['mg'], 0)} mg of nitrogen a litre"
    trays = list(dict.fromkeys(tray for tray, _, _ in g["together"]))
    line = "; ".join(f"{tray} fed {g['mg']:g}mg" for tray in trays)
    first = "First feed; " if g["first"] else ""
    push = {2.0: "doubled, to catch up with its date; ", 0.5: "halved, to hold it for its date; "}.get(g["push"], "")
    why = f"{first}{push}{strength}, every {fmt.days(g['every_d'])}."
    return Words(f"{_trays(t)}: feed", why[0].upper() + why[1:], f"Fed {fmt.number(g['mg'], 0)} mg/l", line, "feed")


HOLDS = {
    "dry_mix": "the mix is dry: water first, feed after", "in_the_dark": "it stands in the dark: no feed without light",
    "not_while_it_ails": "it ails: no feed until it stands again",
}  # fmt: skip


def _thin(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    how = {"cut": "cut the weaker at the soil", "pull": "pull the weaker", "separate": "separate them and keep both"}[g["how"]]
    of = g["together"]
    line = "; ".join(f"{batch} thinned to {f['to']}" for _, batch, f in of)
    extra = _listed([f"about {fmt.small(f['extra'])} in {_who(t, tray, name)}" for tray, _, f in of])
    why = f"The first true leaves are there; {extra} are too many. {how[0].upper() + how[1:]}."
    return Words(f"{_trays(t)}: thin to one a cell", why, "Thinned", line)


def _prick_out(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    why = f"{name}: sown as a crowd of about {fmt.small(g['n'])}; hold them by a leaf, never by the stem."
    return Words(f"{t.tray}: prick out", why, opens="pot_up")


def _pot_up(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    of = g["together"]
    why = "; ".join(_ready(_who(t, tray, name), f) for tray, _, f in of)
    stem = {
        "bury": "Bury the stem to the seed leaves",
        "slightly": "A little deeper than it stood",
        "level": "As deep as it stood",
    }
    stems = {f["stem"] for _, _, f in of}
    depth = stem[stems.pop()] if len(stems) == 1 else "How deep, each says"
    pots = {f.get("pot_mm") for _, _, f in of}
    pot = f", into {fmt.length(g['pot_mm'])} pots" if len(pots) == 1 and g.get("pot_mm") else ""
    return Words(f"{_trays(t)}: pot up{pot}", f"{why[0].upper() + why[1:]}. {depth}.", opens="pot_up")


def _ready(who: str, f: Mapping[str, Any]) -> str:
    """Why one of them is potted up."""
    return {
        "leaves": f"{who} has its {'second' if f.get('need') == 2 else 'first'} true leaves",
        "roots": f"roots of {who} come out of their cells", "full_cell": f"the cells hold {who} no longer",
        "calendar": f"{who} is in its third week",
    }[f["why"]]  # fmt: skip


def ready_words(action: str, why: str, f: Mapping[str, Any], fmt: Formatter) -> str:
    """Why one batch is thinned, pricked out, potted up or pinched, for its own page."""
    if action == "thin":
        return f"about {fmt.small(f['extra'])} too many once the first true leaves are there"
    if action == "prick_out":
        return f"sown as a crowd of about {fmt.small(f['n'])}"
    if action == "pinch":
        return "a week in its pot, with weeks to wait"
    pot = f", into {fmt.length(f['pot_mm'])} pots" if f.get("pot_mm") else ""
    return {
        "leaves": f"at its {'second' if f.get('need') == 2 else 'first'} true leaves", "roots": "roots come out of the cells",
        "full_cell": "the cells hold it no longer", "calendar": "its third week",
    }[why] + pot  # fmt: skip


def _pinch(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    why = f"{name} stands in its pot a week and has weeks to wait: pinched above the second pair of leaves it branches."
    return Words(f"{t.tray}: pinch out the tips", why, "Pinched", f"{t.batch} pinched")


def _lamp_set(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    on, off = clock_of(g["on_min"]), clock_of(g["off_min"])
    line = f"{g['lamp']} at {g['height_mm']:g}mm {on}-{off}"
    there = g["now_mm"]
    verb = "set" if there is None else "lower" if g["height_mm"] < there else "raise"
    trays = ", ".join(g["trays"])
    why = f"Brings {trays} to {fmt.number(g['low'])} mol a day{'' if g['reaches'] else ' at best'}, lit {on}–{off}."
    return Words(f"{g['lamp']}: {verb} to {fmt.length(g['height_mm'])}", why, f"Set {fmt.length(g['height_mm'])}", line, "lamps")


def _lamp_raise(t: Task, name: str, fmt: Formatter, g: Mapping[str, Any]) -> Words:
    line = f"{g['lamp']} at {g['to_mm']:g}mm"
    why = "The plants have grown into it: light at the tallest leaves is up by 15 %."
    return Words(f"{g['lamp']}: raise to {fmt.length(g['to_mm'])}", why, f"Raise to {fmt.length(g['to_mm'])}", line, "lamps")


_WORDS = {
    "fallen": _fallen,
    "damp": _damp,
    "leggy": _leggy,
    "sign": _sign,
    "feed": _feed,
    "thin": _thin,
    "prick_out": _prick_out,
    "pot_up": _pot_up,
    "pinch": _pinch,
    "lamp_set": _lamp_set,
    "lamp_raise": _lamp_raise,
    "hand_over": _hand_over,
    "look": _look,
    "mist": _mist,
    "call_it": _call_it,
    "late": _late,
    "water": _water,
    "too_wet": _too_wet,
    "probe_silent": _probe,
    "no_soil": _no_soil,
    "mat_set": _mat_set,
    "mat_limit": _mat_limit,
    "exchange": _exchange,
    "promise": _promise,
    "soil_out": _soil_out,
    "no_light": _no_light,
    "light_out": _light_out,
    "hours_out": _hours_out,
    "lamp_near": _lamp_near,
}


def when_words(t: Task, at_s: float, fmt: Formatter) -> str:
    """When a task is due: now, today, at its hour, tomorrow, or the day."""
    if t.due_s <= at_s:
        return "now" if t.grave or t.kind in ("mist", "look", "call_it") else "today"
    local, now = fmt.local(t.due_s), fmt.local(at_s)
    days = (local.date() - now.date()).days
    if days == 0:
        return f"about {local.hour}:00"
    return "tomorrow" if days == 1 else fmt.short_day(t.due_s)


def minutes_words(tasks: list[Task], fmt: Formatter) -> str:
    """How long a list takes, in words."""
    total = sum(t.minutes for t in tasks)
    return f"about {fmt.small(total)} minutes" if total >= 2 else "a minute"


def ask_words(a: Ask, fmt: Formatter) -> str:
    """One thing to do before leaving, to ask of a helper, or that fails."""
    g = a.figures
    ml = f" with about {fmt.volume(g['ml'])}" if g.get("ml") else ""
    one_day = fmt.local(a.from_s).date() == fmt.local(a.to_s).date()
    days = fmt.day(a.from_s) if one_day else f"between {fmt.day(a.from_s)} and {fmt.day(a.to_s)}"
    mat = g.get("mat", "")
    words = {
        "dries_out": f"{a.tray} dries out, {days}.",
        "comes_up_covered": f"{a.tray} comes up under its cover, {days}.",
        "water_full": f"Water {a.tray} full{ml}.",
        "mat_alone": f"Switch {mat} off, or have somebody look at it daily: a mat is not left for days unattended.",
        "lamp_timer": f"Put {g.get('lamp', '')} on a timer: nothing switches it.",
        "water": f"{days}: water {a.tray}{ml}.",
        "hand_over": f"{days}: look at {a.tray}; once half are up, cover off, off the mat, light on.",
        "look_at_mat": f"Daily: see that {mat} is warm, not hot, and its probe lies in the mix of {a.tray}.",
    }[a.action]
    return words[0].upper() + words[1:]
