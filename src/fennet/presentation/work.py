"""The worklist in words: what, why, the button that names the deed and its amount, and the log line that does it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import singledispatch
from typing import TypeVar

from fennet.core.away import Ask
from fennet.core.care.handling import Pinch, PotUp, PrickOut, Thin
from fennet.core.light import clock_of
from fennet.core.work.figures import (
    AirCover,
    CallIt,
    ChangePlaces,
    ColdNight,
    ComeIn,
    Damp,
    Fallen,
    Feed,
    FeelMix,
    Figures,
    FlowersOff,
    GoOut,
    HandOver,
    HotDay,
    HoursOut,
    LampNear,
    LampRaise,
    LampSet,
    Late,
    Leggy,
    LightOut,
    LitFromSowing,
    Look,
    MatCheck,
    MatLimit,
    MatSet,
    Mist,
    MistTop,
    NoLight,
    NoSoil,
    PinchOut,
    PlantOut,
    Prepare,
    ProbeDrifting,
    ProbeFallen,
    ProbeImpossible,
    ProbeSilent,
    ProbeStuck,
    PromiseBroken,
    Sign,
    SoilOut,
    SowDay,
    TooWet,
    Water,
)
from fennet.core.work.task import Task
from fennet.presentation.diagnosis import CAUSE_NAMES
from fennet.presentation.entries import SIGN_WORDS
from fennet.presentation.formatter import Formatter
from fennet.presentation.hardening import outing_sentence, reasons, set_out_words, why_words
from fennet.presentation.sentences import CAUSE_WORDS

F = TypeVar("F")
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
    #: The day whose run sheet opens, where one does.
    day: str = ""


def task_words(t: Task, name: str, fmt: Formatter) -> Words:
    """A task in words; `name` is what its batch is called."""
    return _told(t.figures, t, name, fmt)


@singledispatch
def _told(g: Figures, t: Task, name: str, fmt: Formatter) -> Words:
    """A task in words, by what it rests on."""
    raise TypeError(f"no words for a task of kind {g.kind}")


def _some(cells: Sequence[str]) -> str:
    """A few names, and that there are more."""
    return f"{', '.join(cells[:6])}{' …' if len(cells) > 6 else ''}"


@_told.register
def _hand_over(g: HandOver, t: Task, name: str, fmt: Formatter) -> Words:
    logged = {"cover_vent": f"{t.tray} cover vent", "cover_off": f"{t.tray} cover off", "mat_off": f"{t.tray} mat off"}
    parts = [logged[s] for s in g.steps if s in logged]
    if "light_on" in g.steps:
        parts += [f"{b} to light" for b in g.batches]
    half = g.up * 2 >= g.of
    came = f"Half of the {name} were up by" if half else f"The first {name} came up on"
    why = f"{came} {fmt.moment(g.since_s)}."
    if g.dark_h >= 2:
        dark = f"{fmt.number(g.dark_h, 0)} hours without a lamp"
        why += f" The first have now been {dark}, and warmth without light makes them stretch."
    else:
        why += " Left warm and covered they stretch."
    if g.cells:
        why += f" For {_some(g.cells)}; the others wait."
    what = ", ".join(STEP_WORDS[s] for s in g.steps)
    button = "Done, moved" if len(g.steps) > 1 else what[0].upper() + what[1:]
    return Words(f"{t.tray}: {what}", why, button, "; ".join(parts))


@_told.register
def _look(g: Look, t: Task, name: str, fmt: Formatter) -> Words:
    if g.towel:
        return Words(f"{t.tray}: open the bag, count roots", f"{name}: open a towel every day.", opens="tray")
    if g.up:
        why = f"{name}: {g.up} of {g.of} when last counted, {fmt.days(g.looked_d)} ago.{_seldom(g, fmt)}"
        return Words(f"{t.tray}: count again", why, "No more up", f"{t.batch} {g.up} up", "tray")
    line = f"{t.batch} nothing_up"
    why = f"{name}: the first may show today.{_seldom(g, fmt)}"
    return Words(f"{t.tray}: lift the cover and look", why, "Nothing up", line, "tray")


def _seldom(g: Look, fmt: Formatter) -> str:
    """Where nobody has looked for longer than is usual here."""
    if g.usual_d is None:
        return ""
    return f" Nobody has looked for {fmt.days(g.looked_d)}; you usually look every {fmt.days(g.usual_d)}."


@_told.register
def _mist(g: Mist, t: Task, name: str, fmt: Formatter) -> Words:
    cells = f" ({_some(g.cells)})" if g.cells else ""
    chance = fmt.percent(g.chance)
    why = f"{fmt.small(g.n)} of {name} are not up{cells} and dry out first without a cover; the chance of more is {chance}."
    return Words(f"{t.tray}: mist where nothing is up yet", why[0].upper() + why[1:], "Misted", f"{t.tray} misted")


@_told.register
def _air_cover(g: AirCover, t: Task, name: str, fmt: Formatter) -> Words:
    why = "Ten minutes of fresh air a day, as your practice has it; wipe the drops off before it goes back on."
    return Words(f"{t.tray}: lift the cover for a while", why, "Aired", f"{t.tray} cover vent; {t.tray} cover on")


@_told.register
def _mist_top(g: MistTop, t: Task, name: str, fmt: Formatter) -> Words:
    since = "Nobody has logged water yet." if g.since_h is None else f"Last wetted {fmt.number(g.since_h, 0)} h ago."
    return Words(f"{t.tray}: mist the top", f"{since} Without a cover the top dries in half a day.", "Misted", f"{t.tray} misted")


@_told.register
def _lit_from_sowing(g: LitFromSowing, t: Task, name: str, fmt: Formatter) -> Words:
    why = "Your practice lights seed from the day it is sown, so that the first up do not stand in the dark."
    return Words(f"{t.tray}: put it under a lamp now", why, "Done, moved", f"{t.batch} to light")


@_told.register
def _call_it(g: CallIt, t: Task, name: str, fmt: Formatter) -> Words:
    again = f" Sown again now, half would be up in about {fmt.days(g.resow_d)}." if g.resow_d else ""
    freed = "its place" if g.by_seed else f"{g.n} cells"
    chance = fmt.percent(g.chance)
    why = f"{name}: the chance that any will come is {chance}.{again} Giving up frees {freed} and keeps the record."
    return Words(f"{t.tray}: give it up", why, "Give up", f"{t.batch} gave up", "why")


@_told.register
def _late(g: Late, t: Task, name: str, fmt: Formatter) -> Words:
    cause = CAUSE_WORDS.get(g.cause, "")
    by = f" by {fmt.days(g.days)}" if g.days else ""
    most = f", most of it {cause}" if cause and g.cause != "unexplained" else ""
    return Words(f"{t.tray}: {name} is late", f"Late{by}{most}.", opens="why")


@_told.register
def _water(g: Water, t: Task, name: str, fmt: Formatter) -> Words:
    how, way, of = WATER_HOW[g.how], WATER_WAYS[g.how], _each(t, Water)
    line = "; ".join(f"{x.tray} watered {how}" + (f" {f.ml:g}ml" if f.ml else "") for x, f in of)
    soak = ""
    if how == "below":
        soak = f" Stand {'it' if len(of) == 1 else 'them'} in for {fmt.number(g.minutes, 0)} minutes and pour off the rest."
    if len(of) > 1:
        amounts = ", ".join(f"{x.tray} {fmt.volume(f.ml)}" if f.ml else x.tray for x, f in of)
        driest, dry = min(of, key=lambda x: x[1].moisture_pct)
        why = f"{amounts}; {driest.tray} is driest, at {fmt.number(dry.moisture_pct, 0)} % of capacity.{soak}"
        return Words(f"{_trays(t)}: water {way}", why, f"Water {fmt.small(len(of))} trays", line)
    amount = fmt.volume(g.ml) if g.ml else "water"
    low, now = fmt.number(g.low_pct, 0), fmt.number(g.moisture_pct, 0)
    if g.ahead:
        why = f"{name} will soon be down to {low} % of capacity; it is at {now} % now."
        if g.hold == "top_wet":
            why += " Its top is wet: let it dry first."
    else:
        why = f"{name} is at {now} % of capacity; it needs at least {low} %."
    return Words(f"{t.tray}: {amount} {way}", f"{why}{soak}", f"Water {amount}" if g.ml else "Water", line)


@_told.register
def _feel(g: FeelMix, t: Task, name: str, fmt: Formatter) -> Words:
    if g.since_d is None or g.dries_d is None:
        why = "Nobody has logged a watering or felt the mix. Press it with a finger: dry mix is pale, damp mix dark and cool."
    else:
        dry = f"such a tray is at its dry end after about {fmt.days(g.dries_d)}"
        often = f" You usually water every {fmt.days(g.usual_d)}." if g.usual_d is not None else ""
        why = f"Watered {fmt.days(g.since_d)} ago and not felt since; {dry}.{often}"
    return Words(f"{_trays(t)}: feel the mix", why, opens="tray")


@_told.register
def _too_wet(g: TooWet, t: Task, name: str, fmt: Formatter) -> Words:
    now, high = fmt.number(g.moisture_pct, 0), fmt.number(g.high_pct, 0)
    why = f"{name} is at {now} % of capacity; it should have {high} % at most."
    return Words(f"{t.tray}: let it dry, pour off standing water", why)


@_told.register
def _probe(g: ProbeSilent, t: Task, name: str, fmt: Formatter) -> Words:
    why = f"Silent for {fmt.number(g.silent_h, 0)} h while {name} is due: check its battery, its range, and whether it fell out."
    return Words(f"{t.tray}: {g.source or 'its thermometer'} is silent", why, opens="tray")


@_told.register
def _stuck(g: ProbeStuck, t: Task, name: str, fmt: Formatter) -> Words:
    shown = f"{fmt.number(g.value, 0)} %" if g.quantity == "moisture" else fmt.temperature(g.value)
    rests = "waterings" if g.quantity == "moisture" else "dates and settings"
    why = f"It shows {shown} without the least change since {fmt.moment(g.since_s)}; what Fennet says of {rests} rests on that. "
    moved = "Lift the probe out of the mix" if g.quantity == "moisture" else "Warm the probe in your hand"
    why += f"{moved}: if the figure stays, see to its battery or its plug."
    return Words(f"{t.tray}: {g.source or 'its probe'} stands still", why, opens="tray")


@_told.register
def _impossible(g: ProbeImpossible, t: Task, name: str, fmt: Formatter) -> Words:
    since = f"since {fmt.moment(g.since_s)}"
    if g.quantity == "moisture":
        why = f"It shows {fmt.number(g.value, 0)} % {since}: more than full, or less than dry. Calibrate it anew, dry and full; "
        why += f"what Fennet says of waterings for {name} rests on it."
        return Words(f"{t.tray}: {g.source or 'its probe'} reads an impossible value", why, opens="tray")
    why = f"It shows {fmt.temperature(g.value)} {since}. See whether it sends °F as °C, lies on the mat or has a broken wire. "
    why += f"Until then nothing that rests on it holds: dates and settings of {name}."
    return Words(f"{t.tray}: {g.source or 'its probe'} reads an impossible value", why, opens="tray")


@_told.register
def _out_of_mix(g: ProbeFallen, t: Task, name: str, fmt: Formatter) -> Words:
    why = f"It went from {fmt.temperature(g.was_c)} to {fmt.temperature(g.now_c)} in one step, {fmt.moment(g.since_s)}, and "
    why += f"stayed: mix does not change that fast. Push it back into the mix. Dates and settings of {name} have rested on the "
    why += "air since."
    return Words(f"{t.tray}: {g.source or 'its probe'} may have fallen out of the mix", why, opens="tray")


@_told.register
def _drifting(g: ProbeDrifting, t: Task, name: str, fmt: Formatter) -> Words:
    far = fmt.temperature_span(abs(g.apart)) if "temperature" in g.quantity else f"{fmt.number(abs(g.apart), 0)} points"
    other = "what was read by hand" if g.by_hand else g.other or "the other probe"
    why = f"It has come {far} apart from {other} since {fmt.day(g.since_s)}, a little every day. "
    if g.quantity in ("soil_temperature", "air_temperature"):
        why += "Put both in a glass of water with ice: they should show 0 °C." if fmt.temperature_unit == "degC" else (
            "Put both in a glass of water with ice: they should show 32 °F."
        )  # fmt: skip
    else:
        why += "Calibrate it anew, dry and full." if g.quantity == "moisture" else "Compare both in one spot for a day."
    return Words(f"{t.tray}: {g.source or 'its probe'} is drifting", why, opens="tray")


@_told.register
def _no_soil(g: NoSoil, t: Task, name: str, fmt: Formatter) -> Words:
    why = "Nobody has said, so Fennet assumes an ordinary house. A guess narrows the dates; a thermometer narrows them more."
    return Words(f"{_trays(t)}: about how warm is it?", why, opens="tray")


@_told.register
def _mat_set(g: MatSet, t: Task, name: str, fmt: Formatter) -> Words:
    e, to = g.expect_soil_c, fmt.temperature(g.to_c)
    should = f"soil of {fmt.temperature(e.p10, unit=False)}–{fmt.temperature(e.p90)}" if e else "soil in its band"
    now = f"It is set to {fmt.temperature(g.now_c)}; this" if g.now_c is not None else "This"
    return Words(
        f"{t.tray}: {g.mat} to {to}", f"{now} should bring {should}, {fmt.days(g.gain_d)} sooner.", f"Set {to}", opens="set"
    )


@_told.register
def _mat_limit(g: MatLimit, t: Task, name: str, fmt: Formatter) -> Words:
    most = f"About {fmt.temperature(g.most_c)} is the most it brings; the" if g.most_c is not None else "The"
    return Words(
        f"{t.tray}: {g.mat} is at its limit", f"{most} middle of the band is {fmt.temperature(g.middle_c)}.", opens="tune"
    )


#: What is wrong with a mat's thermometer.
AT_FAULT = {
    "silent": "its thermometer is silent",
    "stuck": "its thermometer has not moved for hours",
    "reads_air": "the soil is no warmer than the room, though the mat is set to heat",
    "no_soil": "its thermometer shows more than any soil reaches",
}


@_told.register
def _mat_check(g: MatCheck, t: Task, name: str, fmt: Formatter) -> Words:
    why = f"{AT_FAULT[g.reason]}. Fennet sets nothing until you have checked plug and probe."
    return Words(f"{t.tray}: check plug and probe of {g.mat}", why[0].upper() + why[1:], opens="tune")


@_told.register
def _exchange(g: ChangePlaces, t: Task, name: str, fmt: Formatter) -> Words:
    gain = f"{fmt.days(g.gain_d)} gained" + (" together" if g.off else "")
    what = f"{g.onto} onto {g.mat}" + (f", {g.off} off" if g.off else "")
    line = (f"{g.off} mat off; " if g.off else "") + f"{g.onto} mat {g.mat}"
    return Words(what, f"It gains most from the mat: {gain}.", "Exchange" if g.off else "Onto the mat", line)


@_told.register
def _promise(g: PromiseBroken, t: Task, name: str, fmt: Formatter) -> Words:
    promised = f"{fmt.temperature(g.low_c, unit=False)}–{fmt.temperature(g.high_c)}"
    why = f"{promised} was expected; it brought {fmt.temperature(g.actual_c)}. Tune it again."
    return Words(f"{t.tray}: the mat did not bring what was expected", why, opens="tune")


@_told.register
def _soil_out(g: SoilOut, t: Task, name: str, fmt: Formatter) -> Words:
    side, thing = "below" if g.miss_c < 0 else "above", "air" if g.air else "soil"
    band = f"{fmt.temperature(g.low_c, unit=False)}–{fmt.temperature(g.high_c)}"
    what = f"{t.tray}: {thing} {fmt.temperature_span(abs(g.miss_c))} {side} its range"
    return Words(what, f"{name}: {fmt.temperature(g.soil_c)}; it needs {band}.", opens="tray")


@_told.register
def _no_light(g: NoLight, t: Task, name: str, fmt: Formatter) -> Words:
    return Words(
        f"{t.tray}: no lamp above it",
        f"{name}: seedlings need at least 12 hours of light from the day they come up.",
        opens="tray",
    )


@_told.register
def _light_out(g: LightOut, t: Task, name: str, fmt: Formatter) -> Words:
    band = f"{fmt.number(g.low_mol)}–{fmt.number(g.high_mol)} mol"
    return Words(
        f"{t.tray}: {fmt.number(g.mol_per_day)} mol of light a day",
        f"{name} needs {band}; check the lamp’s height.",
        opens="tray",
    )


@_told.register
def _hours_out(g: HoursOut, t: Task, name: str, fmt: Formatter) -> Words:
    line = f"{g.lamp} {g.want_h:g}h" if g.lamp else ""
    button = f"{g.lamp} to {fmt.number(g.want_h)} h" if line else ""
    why = f"{name} needs {fmt.number(g.low_h)}–{fmt.number(g.high_h)} h."
    return Words(f"{t.tray}: {fmt.number(g.lit_h)} h lit a day", why, button, line)


@_told.register
def _lamp_near(g: LampNear, t: Task, name: str, fmt: Formatter) -> Words:
    whose = "its maker asks for" if g.by_maker else "a lamp of its kind needs"
    why = f"It hangs {fmt.length(g.gap_mm)} from the leaves of {name}; {whose} at least {fmt.length(g.least_mm)}."
    line = f"{g.lamp} at {g.to_mm:.0f}mm"
    return Words(f"{t.tray}: {g.lamp} hangs too close", why, f"Raise to {fmt.length(g.to_mm)}", line)


def _trays(t: Task) -> str:
    """The trays of a row: "A", "A and B", "A, B and C"."""
    return _listed(list(dict.fromkeys(x.tray for x in t.each)))


def _listed(found: Sequence[str]) -> str:
    """Words in a row: "A", "A and B", "A, B and C"."""
    return found[0] if len(found) == 1 else f"{', '.join(found[:-1])} and {found[-1]}"


def _each(t: Task, of: type[F]) -> list[tuple[Task, F]]:
    """The tasks a row speaks of with what each rests on; all are of one kind."""
    return [(x, x.figures) for x in t.each if isinstance(x.figures, of)]


def _who(t: Task, one: Task, name: str) -> str:
    """What a row calls one of those it speaks of: the only one by its name, of several each by its tray."""
    return one.tray if t.together else name


@_told.register
def _fallen(g: Fallen, t: Task, name: str, fmt: Formatter) -> Words:
    line = f"{t.tray} cover off" if g.cover != "off" else ""
    why = (
        f"Lift out the fallen {name} with the mix around them, take the cover off, run a fan, "
        "stand the tray apart, and wash your hands."
    )
    return Words(f"{t.tray}: seedlings have fallen: act now", why, "Cover off" if line else "", line, "why")


#: What a cause of damping off asks for in a word or two: before they are up, and after.
AGAINST_DAMP = {
    "too_wet": ("no water until the top is pale", "dry the top"),
    "covered_too_long": ("vent the cover", "cover off"),
    "still_air": ("let air in", "let air in"),
    "unclean_mix": ("keep it airy", "keep it airy and apart"),
    "watered_from_above": ("water from below", "water from below"),
    "cool_and_slow": ("warm it to its ideal", "warm it to its ideal"),
    "crowded": ("keep it airy", "thin it"),
}


@_told.register
def _damp(g: Damp, t: Task, name: str, fmt: Formatter) -> Words:
    of = _each(t, Damp)
    leading = list(dict.fromkeys(c for _, f in of for c in f.leading))
    asks = ", ".join(dict.fromkeys(AGAINST_DAMP[c][g.up] for c in leading)) or "let air in"
    reason = f": {' and '.join(CAUSE_NAMES[c] for c in g.leading)}" if len(of) == 1 and leading else ""
    most = max(f.index for _, f in of)
    risk = f"the risk of damping off is {'up to ' if len(of) > 1 else ''}{fmt.number(most, 0)} of 100{reason}"
    if not g.up:
        shut = [x.tray for x, f in of if f.cover == "on"]
        line = "; ".join(f"{tray} cover vent" for tray in shut)
        whose = f"Nothing is up yet, but {risk}. A wet surface breeds what kills seedlings."
        return Words(f"{_trays(t)}: {asks}", whose, "Vent cover" if line else "", line, "why")
    covered = [x.tray for x, f in of if f.cover != "off"]
    line = "; ".join(f"{tray} cover off" for tray in covered)
    whose = f"No seedling has fallen, but {risk}. Acting now is easy."
    return Words(f"{_trays(t)}: {asks}", whose, "Cover off" if line else "", line, "why")


@_told.register
def _leggy(g: Leggy, t: Task, name: str, fmt: Formatter) -> Words:
    tall = _listed([f"{_who(t, x, name)} {fmt.number(f.ratio)} times" for x, f in _each(t, Leggy)])
    return Words(f"{_trays(t)}: long and thin", f"{tall[0].upper() + tall[1:]} as tall as it should be.", opens="why")


@_told.register
def _sign(g: Sign, t: Task, name: str, fmt: Formatter) -> Words:
    seen = " and ".join(dict.fromkeys(SIGN_WORDS[s] for _, f in _each(t, Sign) for s in f.signs[:2]))
    return Words(f"{_trays(t)}: {seen}", "Two to five short questions show the likely cause.", opens="look")


@_told.register
def _feed(g: Feed, t: Task, name: str, fmt: Formatter) -> Words:
    strength = f"{fmt.number(g.n_mg_per_l, 0)} mg of nitrogen a litre"
    line = "; ".join(f"{tray} fed {g.n_mg_per_l:g}mg" for tray in dict.fromkeys(x.tray for x in t.each))
    first = "First feed; " if g.first else ""
    push = {2.0: "doubled, to catch up with its date; ", 0.5: "halved, to hold it for its date; "}.get(g.push, "")
    why = f"{first}{push}{strength}, every {fmt.days(g.every_d)}."
    return Words(f"{_trays(t)}: feed", why[0].upper() + why[1:], f"Fed {fmt.number(g.n_mg_per_l, 0)} mg/l", line, "feed")


PREPARE_WORDS = {
    "soak": "soak overnight", "nick": "nick each seed, away from its scar", "cold_moist": "keep cold and moist until then",
    "hot_water": "treat with hot water",
}  # fmt: skip


@_told.register
def _sow_day(g: SowDay, t: Task, name: str, fmt: Formatter) -> Words:
    wait = ""
    if g.waiting is not None:
        share = fmt.percent(g.waiting[1])
        wait = f" Sown a week later, {g.waiting[0]} would be only {share} grown when it is planted."
    why = f"{fmt.small(g.cells).capitalize()} cells, as planned.{wait}"
    return Words(f"Sow {_listed(list(g.names))}", why, opens="sow_day", day=g.day.isoformat())


@_told.register
def _prepare(g: Prepare, t: Task, name: str, fmt: Formatter) -> Words:
    how = PREPARE_WORDS.get(g.how, "make the seed ready")
    return Words(f"{g.name}: {how}", f"{g.seeds} seeds, to be sown {fmt.calendar_day(g.sow_on)}.", opens="sow_day",
                 day=g.sow_on.isoformat())  # fmt: skip


@_told.register
def _go_out(g: GoOut, t: Task, name: str, fmt: Formatter) -> Words:
    if g.porch is not None:
        line = "; ".join(f"{x.batch} out {g.porch}" for x in t.each)
        who = _listed([_who(t, x, name) for x in t.each])
        there = "" if g.porch_c is None else f" It is {fmt.temperature(g.porch_c)} in {g.porch}: leave them there until dusk."
        return Words(
            f"{who}: into {g.porch} by day", f"{reasons(g.outing, fmt)}{there}", f"They are in {g.porch}", line, "harden"
        )
    stand = {"shade": "shade", "half": "half", "full": "sun"}[g.sun]
    more = f"{' sheltered' if g.sheltered else ''}{' night' if g.night else ''}"
    line = "; ".join(f"{x.batch} out {stand}{more}" for x in t.each)
    who = _listed([_who(t, x, name) for x in t.each])
    outing = outing_sentence(replace(g.outing, hours=g.hours), fmt)
    return Words(f"{who}: {outing[0].lower()}{outing[1:-1]}", reasons(g.outing, fmt), "They are out", line, "harden")


@_told.register
def _come_in(g: ComeIn, t: Task, name: str, fmt: Formatter) -> Words:
    who = _listed([_who(t, x, name) for x in t.each])
    night = "" if g.low_c is None else f"; the night falls to {fmt.temperature(g.low_c)}{', too cold for it' if g.cold else ''}"
    line = "; ".join(f"{x.batch} in fine" for x in t.each)
    return Words(f"{who}: bring in", f"Out for {fmt.number(g.hours)} h{night}.", "In, nothing seen", line, "harden")


@_told.register
def _cold_night(g: ColdNight, t: Task, name: str, fmt: Formatter) -> Words:
    what = f"{fmt.temperature(g.stands_c)} kills it" if g.kills else f"it needs at least {fmt.temperature(g.stands_c)}"
    if g.bolts and not g.kills:
        what = f"nights under {fmt.temperature(g.stands_c)} make it run to seed while it is young"
    why = (
        f"The night falls to {fmt.temperature(g.low_c)}; {what}. "
        "Cover it with fleece, a box or a bucket before dusk and uncover it by day."
    )
    return Words(f"{name}: cover it tonight", why, opens="harden")


@_told.register
def _hot_day(g: HotDay, t: Task, name: str, fmt: Formatter) -> Words:
    young = "its roots are not down yet; " if g.rooting else ""
    why = f"The day reaches {fmt.temperature(g.high_c, 0)}; {young}water it in the morning and shade it over noon."
    return Words(f"{name}: water and shade it", why, opens="harden")


@_told.register
def _pinch_out(g: PinchOut, t: Task, name: str, fmt: Formatter) -> Words:
    why = f"{name} is growing outdoors. Pinch it above the second pair of leaves and it branches."
    return Words(f"{name}: pinch", why, "Pinched", f"{t.batch} pinched", "harden")


@_told.register
def _flowers_off(g: FlowersOff, t: Task, name: str, fmt: Formatter) -> Words:
    why = (
        f"A plant that fruits while small stays small: take its flowers off for {fmt.days(g.days)} more, until it has rooted, "
        "and any leaf that touches the soil."
    )
    return Words(f"{name}: take its first flowers off", why, opens="harden")


@_told.register
def _plant_out(g: PlantOut, t: Task, name: str, fmt: Formatter) -> Words:
    why = "; ".join(why_words(w, fmt) for w in g.gate.why)
    how = " ".join(set_out_words(g.set_out, fmt)[:2])
    return Words(
        f"{name}: ready to plant out", f"{why[:1].upper()}{why[1:]}. {how}", "It is planted", f"{t.batch} planted", "harden"
    )


HOLDS = {
    "dry_mix": "the mix is dry: water first, feed after", "in_the_dark": "it is in the dark: no feed without light",
    "not_while_it_ails": "it is unwell: no feed until it has recovered",
}  # fmt: skip


@_told.register
def _thin(g: Thin, t: Task, name: str, fmt: Formatter) -> Words:
    how = {"pull": "pull the weaker"}.get(g.how, "cut the weaker at the soil")
    of = _each(t, Thin)
    line = "; ".join(f"{x.batch} thinned to {f.to}" for x, f in of)
    extra = _listed([f"about {fmt.small(f.extra)} in {_who(t, x, name)}" for x, f in of])
    if g.how == "separate":
        # What is kept is potted: plants, pots and plan follow from there.
        why = (
            f"The first true leaves are out; {extra} share cells. "
            "Water an hour before, prise them apart by the leaves, keep both."
        )
        return Words(f"{_trays(t)}: part them and pot both", why, opens="pot_up")
    why = f"The first true leaves are out; {extra} are too many. {how[0].upper() + how[1:]}."
    return Words(f"{_trays(t)}: thin to one a cell", why, "Thinned", line)


@_told.register
def _prick_out(g: PrickOut, t: Task, name: str, fmt: Formatter) -> Words:
    why = (
        f"{name}: about {fmt.small(g.n)} stand together. Water an hour before, so that roots slide out; "
        "hold them by a leaf, never by the stem."
    )
    return Words(f"{t.tray}: prick out", why, opens="pot_up")


@_told.register
def _pot_up(g: PotUp, t: Task, name: str, fmt: Formatter) -> Words:
    of = _each(t, PotUp)
    why = "; ".join(_ready(_who(t, x, name), f) for x, f in of)
    stem = {
        "bury": "Bury the stem to the seed leaves",
        "slightly": "A little deeper than it stood",
        "level": "As deep as it stood",
    }
    stems = {f.stem for _, f in of}
    depth = stem[stems.pop()] if len(stems) == 1 else "How deep: see each"
    pots = {f.pot_mm for _, f in of}
    pot = f", into {fmt.length(g.pot_mm)} pots" if len(pots) == 1 and g.pot_mm else ""
    return Words(
        f"{_trays(t)}: pot up{pot}",
        f"{why[0].upper() + why[1:]}. {depth}. Water an hour before, so that roots slide out, and hold it by a leaf.",
        opens="pot_up",
    )


def _ready(who: str, f: PotUp) -> str:
    """Why one of them is potted up."""
    return {
        "leaves": f"{who} has its {'second' if f.need == 2 else 'first'} true leaves",
        "roots": f"roots of {who} come out of their cells", "full_cell": f"{who} has outgrown its cells",
        "calendar": f"{who} is in its third week",
    }[f.why]  # fmt: skip


def ready_words(f: Thin | PrickOut | PotUp | Pinch, fmt: Formatter) -> str:
    """Why one batch is thinned, pricked out, potted up or pinched, for its own page."""
    match f:
        case Thin():
            return f"about {fmt.small(f.extra)} too many once the first true leaves are there"
        case PrickOut():
            return f"sown as a crowd of about {fmt.small(f.n)}"
        case Pinch():
            return "a week in its pot, with weeks to wait"
    pot = f", into {fmt.length(f.pot_mm)} pots" if f.pot_mm else ""
    return {
        "leaves": f"at its {'second' if f.need == 2 else 'first'} true leaves", "roots": "roots come out of the cells",
        "full_cell": "it has outgrown its cells", "calendar": "its third week",
    }[f.why] + pot  # fmt: skip


@_told.register
def _pinch(g: Pinch, t: Task, name: str, fmt: Formatter) -> Words:
    why = (
        f"{name} has been in its pot for a week and has weeks to wait. Pinch it above the second pair of leaves and it branches."
    )
    return Words(f"{t.tray}: pinch out the tips", why, "Pinched", f"{t.batch} pinched")


@_told.register
def _lamp_set(g: LampSet, t: Task, name: str, fmt: Formatter) -> Words:
    on, off = clock_of(g.on_min), clock_of(g.off_min)
    line = f"{g.lamp} at {g.height_mm:g}mm {on}-{off}"
    verb = "set" if g.now_mm is None else "lower" if g.height_mm < g.now_mm else "raise"
    why = f"Brings {', '.join(g.trays)} to {fmt.number(g.low_mol)} mol a day{'' if g.reaches else ' at best'}, lit {on}–{off}."
    return Words(f"{g.lamp}: {verb} to {fmt.length(g.height_mm)}", why, f"Set {fmt.length(g.height_mm)}", line, "lamps")


@_told.register
def _lamp_raise(g: LampRaise, t: Task, name: str, fmt: Formatter) -> Words:
    line = f"{g.lamp} at {g.to_mm:g}mm"
    why = "The plants have grown towards it: light at the tallest leaves is up by 15 %."
    return Words(f"{g.lamp}: raise to {fmt.length(g.to_mm)}", why, f"Raise to {fmt.length(g.to_mm)}", line, "lamps")


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
    ml = f" with about {fmt.volume(a.ml)}" if a.ml else ""
    one_day = fmt.local(a.from_s).date() == fmt.local(a.to_s).date()
    days = fmt.day(a.from_s) if one_day else f"between {fmt.day(a.from_s)} and {fmt.day(a.to_s)}"
    words = {
        "dries_out": f"{a.tray} dries out, {days}.",
        "comes_up_covered": f"{a.tray} comes up under its cover, {days}.",
        "water_full": f"Water {a.tray} full{ml}.",
        "mat_alone": f"Switch {a.thing} off, or have somebody look at it daily: never leave a mat unattended for days.",
        "lamp_timer": f"Put {a.thing} on a timer: nothing switches it off.",
        "water": f"{days}: water {a.tray}{ml}.",
        "hand_over": f"{days}: look at {a.tray}; once half are up, cover off, off the mat, light on.",
        "look_at_mat": f"Daily: see that {a.thing} is warm, not hot, and its probe lies in the mix of {a.tray}.",
    }[a.action]
    return words[0].upper() + words[1:]
