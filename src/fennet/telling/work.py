"""The worklist in words: what, why, the button that names the deed and its amount, and the log line that does it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fennet.core.away import Ask
from fennet.core.worklist import Task
from fennet.telling.sentences import CAUSE_WORDS
from fennet.telling.speech import Speech

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


def task_words(t: Task, name: str, say: Speech) -> Words:
    """A task in words; `name` is what its batch is called."""
    return _WORDS[t.kind](t, name, say, t.figures)


def _hand_over(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    steps = list(g["steps"])
    logged = {"cover_vent": f"{t.tray} cover vent", "cover_off": f"{t.tray} cover off", "mat_off": f"{t.tray} mat off"}
    parts = [logged[s] for s in steps if s in logged]
    if "light_on" in steps:
        parts += [f"{b} to light" for b in g["batches"]]
    half = g["up"] * 2 >= g["of"]
    why = f"{'Half of' if half else 'The first of'} {name} {'are' if half else 'is'} up since {say.moment(g['since_s'])}"
    if g["dark_h"] >= 2:
        why += f"; {say.number(g['dark_h'], 0)} h without a lamp over it"
    why += ". Each warm hour in the dark adds stem."
    if g["cells"]:
        why += f" For {len(g['cells'])} of its cells; the others wait."
    what = ", ".join(STEP_WORDS[s] for s in steps)
    button = "Done, moved" if len(steps) > 1 else what[0].upper() + what[1:]
    return Words(f"{t.tray}: {what}", why, button, "; ".join(parts))


def _look(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    if g["towel"]:
        return Words(f"{t.tray}: open the bag, count roots", f"{name}: a towel is opened daily.", opens="tray")
    if g["up"]:
        why = f"{name}: {g['up']} of {g['of']} when last counted, {say.days(g['looked_d'])} ago."
        return Words(f"{t.tray}: count again", why, "No more up", f"{t.batch} {g['up']} up", "tray")
    line = f"{t.batch} nothing_up"
    return Words(f"{t.tray}: lift the cover and look", f"{name}: the first may show today.", "Nothing up", line, "tray")


def _mist(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    more = " …" if len(g["cells"]) > 6 else ""
    cells = f" ({', '.join(g['cells'][:6])}{more})" if g["cells"] else ""
    chance = say.percent(g["chance"])
    why = f"{say.small(g['n'])} of {name} still wait{cells} and dry first without a cover; {chance} that more come."
    return Words(f"{t.tray}: mist the cells that wait", why[0].upper() + why[1:], "Misted", f"{t.tray} misted")


def _call_it(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    again = f" Sown again now, half would be up in about {say.days(g['resow_d'])}." if g["resow_d"] else ""
    freed = "seeds" if g["towel"] else "cells"
    chance = say.percent(g["chance"])
    why = f"{name}: the chance of any is {chance}.{again} Giving up frees {g['n']} {freed} and keeps the record."
    return Words(f"{t.tray}: call it", why, "Give up", f"{t.batch} gave up", "why")


def _late(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    cause = CAUSE_WORDS.get(g["cause"], "")
    by = f" by {say.days(g['days'])}" if g["days"] else ""
    most = f", most of it {cause}" if cause and g["cause"] != "unexplained" else ""
    return Words(f"{t.tray}: {name} is late", f"Late{by}{most}.", opens="why")


def _water(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    how = WATER_HOW[g["how"]]
    way = {"below": "from below", "above": "from above", "mist": "as mist"}[how]
    amount = say.volume(g["ml"]) if g["ml"] else "water"
    line = f"{t.tray} watered {how}" + (f" {g['ml']:g}ml" if g["ml"] else "")
    low, now = say.number(g["low_pct"], 0), say.number(g["moisture_pct"], 0)
    if "from_s" in g:
        why = f"{name} will reach {low} % of capacity; {now} % now."
    else:
        why = f"{name} stands at {now} % of capacity; its band begins at {low} %."
    return Words(f"{t.tray}: {amount} {way}", why, f"Water {amount}" if g["ml"] else "Water", line)


def _too_wet(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    now, high = say.number(g["moisture_pct"], 0), say.number(g["high_pct"], 0)
    why = f"{name} stands at {now} % of capacity; its band ends at {high} %."
    return Words(f"{t.tray}: leave it dry, pour off what stands", why)


def _probe(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    why = f"Nothing for {say.number(g['silent_h'], 0)} h while {name} waits: battery, range, or fallen out."
    return Words(f"{t.tray}: {g['source'] or 'its thermometer'} is silent", why, opens="tray")


def _no_soil(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    why = f"Nothing tells what {name} is getting, so nothing can be said of when it is due."
    return Words(f"{t.tray}: measure the soil", why, opens="tray")


def _mat_set(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    e, to = g["expect"], say.temperature(g["to_c"])
    should = f"soil of {say.temperature(e.p10, unit=False)}–{say.temperature(e.p90)}" if e else "soil in its band"
    now = f"It is set to {say.temperature(g['now_c'])}; this" if g["now_c"] is not None else "This"
    return Words(
        f"{t.tray}: {g['mat']} to {to}", f"{now} should bring {should}, {say.days(g['gain_d'])} sooner.", f"Set {to}", opens="set"
    )


def _mat_limit(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    most = f"About {say.temperature(g['most_c'])} is the most it brings; the" if g["most_c"] is not None else "The"
    return Words(
        f"{t.tray}: {g['mat']} is at its limit", f"{most} middle of the band is {say.temperature(g['middle_c'])}.", opens="tune"
    )


def _exchange(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    gain = f"{say.days(g['gain_d'])} gained" + (" together" if g["out"] else "")
    what = f"{g['in']} onto {g['mat']}" + (f", {g['out']} off" if g["out"] else "")
    line = (f"{g['out']} mat off; " if g["out"] else "") + f"{g['in']} mat {g['mat']}"
    return Words(what, f"Gains most from the place: {gain}.", "Exchange" if g["out"] else "Onto the mat", line)


def _promise(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    promised = f"{say.temperature(g['low_c'], unit=False)}–{say.temperature(g['high_c'])}"
    why = f"{promised} was expected; it brought {say.temperature(g['actual_c'])}. Tune it again."
    return Words(f"{t.tray}: the mat did not keep its promise", why, opens="tune")


def _soil_out(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    side, thing = "under" if g["miss_c"] < 0 else "over", "air" if g["air"] else "soil"
    band = f"{say.temperature(g['low_c'], unit=False)}–{say.temperature(g['high_c'])}"
    what = f"{t.tray}: {thing} {say.temperature_span(abs(g['miss_c']))} {side} its band"
    return Words(what, f"{name}: {say.temperature(g['soil_c'])}, wants {band}.", opens="tray")


def _no_light(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    return Words(f"{t.tray}: no light over it", f"{name}: from the first day up seedlings want 12 hours and more.", opens="tray")


def _light_out(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    band = f"{say.number(g['low'])}–{say.number(g['high'])} mol"
    return Words(
        f"{t.tray}: {say.number(g['mol'])} mol of light a day", f"{name} wants {band}; see the lamp’s height.", opens="tray"
    )


def _hours_out(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    line = f"{g['lamp']} {g['want']:g}h" if g["lamp"] else ""
    button = f"{g['lamp']} to {say.number(g['want'])} h" if line else ""
    why = f"{name} wants {say.number(g['low'])}–{say.number(g['high'])} h."
    return Words(f"{t.tray}: {say.number(g['hours'])} h lit a day", why, button, line)


def _lamp_near(t: Task, name: str, say: Speech, g: Mapping[str, Any]) -> Words:
    why = f"{say.length(g['gap_mm'])} from the leaves of {name}; its maker allows {say.length(g['least_mm'])} and more."
    line = f"{g['lamp']} at {g['to_mm']:.0f}mm"
    return Words(f"{t.tray}: {g['lamp']} hangs too near", why, f"Raise to {say.length(g['to_mm'])}", line)


_WORDS = {
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


def when_words(t: Task, at_s: float, say: Speech) -> str:
    """When a task is due: now, today, at its hour, tomorrow, or the day."""
    if t.due_s <= at_s:
        return "now" if t.grave or t.kind in ("mist", "look", "call_it") else "today"
    local, now = say.local(t.due_s), say.local(at_s)
    days = (local.date() - now.date()).days
    if days == 0:
        return f"about {local.hour}:00"
    return "tomorrow" if days == 1 else say.short_day(t.due_s)


def minutes_words(tasks: list[Task], say: Speech) -> str:
    """How long a list takes, in words."""
    total = sum(t.minutes for t in tasks)
    return f"about {say.small(total)} minutes" if total >= 2 else "a minute"


def ask_words(a: Ask, say: Speech) -> str:
    """One thing to do before leaving, to ask of a helper, or that fails."""
    g = a.figures
    ml = f" with about {say.volume(g['ml'])}" if g.get("ml") else ""
    one_day = say.local(a.from_s).date() == say.local(a.to_s).date()
    days = say.day(a.from_s) if one_day else f"between {say.day(a.from_s)} and {say.day(a.to_s)}"
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
    }[a.deed]
    return words[0].upper() + words[1:]
