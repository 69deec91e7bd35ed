"""Outings and the gate in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date
from typing import Any

from fennet.core.crop import Crop
from fennet.core.hardening.after import After, FirstExpected
from fennet.core.hardening.cold import COLD_UNDER_C, ColdWeeks
from fennet.core.hardening.hardening import Hardening
from fennet.core.hardening.outings import Outing, Why
from fennet.core.hardening.porch import Porch
from fennet.core.hardening.ready import Ready
from fennet.core.hardening.set_out import SPARES_FOR_D, SetOut
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import area_words

Figures = Mapping[str, Any]


def why_words(w: Why, fmt: Formatter) -> str:
    """One reason as a short sentence without its stop."""
    return WHY[w.key](w.figures, fmt)


def _day(figures: Figures, name: str, fmt: Formatter) -> str:
    return fmt.calendar_day(date.fromisoformat(str(figures[name])))


def _c(figures: Figures, name: str, fmt: Formatter) -> str:
    return fmt.temperature(float(figures[name]))


SEEN = {
    "bleached": "bleached leaves", "limp": "limp leaves", "windburnt": "leaves torn by wind", "chilled": "a chill",
    "stress": "stress",
}  # fmt: skip

#: The words of each reason, by its key.
WHY: Mapping[str, Callable[[Figures, Formatter], str]] = {
    "step": lambda g, fmt: f"outing {g['n']:.0f} of {g['of']:.0f}",
    "repeat_after": lambda g, fmt: f"the last outing once more, after {SEEN[str(g['seen'])]}",
    "back_after": lambda g, fmt: f"two outings back and shade, after {SEEN[str(g['seen'])]}",
    "by_rule": lambda g, fmt: (
        f"no forecast and no record of nights: go by the rule, if it is at least {_c(g, 'least_c', fmt)} and calm"
    ),
    "by_date": lambda g, fmt: "no fresh forecast: a usual day of this date",
    "own_thermometer": lambda g, fmt: (
        f"your own thermometer outdoors reads {fmt.temperature_span(abs(float(g['shift_c'])))} "
        f"{'more' if float(g['shift_c']) > 0 else 'less'} than forecast: yours counts"
    ),
    "disagree": lambda g, fmt: "two forecasts disagree: the colder, windier one counts",
    "hot": lambda g, fmt: f"up to {_c(g, 'most_c', fmt)}: out of the noon sun",
    "cloud": lambda g, fmt: f"cloud over {fmt.percent(float(g['cloud_share']))} of the sky lets them stay longer",
    "hard_sun": lambda g, fmt: "hard sun: shaded",
    "short_day": lambda g, fmt: f"only {fmt.number(float(g['hours']))} h of the day are suitable",
    "wind": lambda g, fmt: f"wind of {fmt.number(float(g['wind_m_s']))} m/s: behind a wall or a screen",
    "rain": lambda g, fmt: "heavy rain: put them under cover",
    "water_before": lambda g, fmt: "water before they go out",
    "water_again": lambda g, fmt: "water before they go out and again at noon",
    "night_out": lambda g, fmt: f"the night stays at {_c(g, 'low_c', fmt)} or more: leave them out",
    "night_too_cold": lambda g, fmt: f"the night falls to {_c(g, 'low_c', fmt)}; it needs {_c(g, 'wants_c', fmt)}: in at dusk",
    "too_cold": lambda g, fmt: f"the day reaches {_c(g, 'most_c', fmt)}; they need {_c(g, 'least_c', fmt)}",
    "too_hot": lambda g, fmt: f"the day reaches {_c(g, 'most_c', fmt)}",
    "too_windy": lambda g, fmt: (
        f"wind of {fmt.number(float(g['wind_m_s']))} m/s; they can take {fmt.number(float(g['limit_m_s']))}"
    ),
    "no_hour": lambda g, fmt: "no hour of the day is suitable",
    "mild": lambda g, fmt: "a mild day: an hour out",
    "mild_by_rule": lambda g, fmt: f"an hour out if the day is calm and over {_c(g, 'least_c', fmt)}",
    "not_mild": lambda g, fmt: f"no mild day: it reaches {_c(g, 'most_c', fmt)}",
    "season_frost": lambda g, fmt: f"a frost that kills it is still too likely before {_day(g, 'opens', fmt)}",
    "season_nights": lambda g, fmt: f"nights are usually too cold for it before {_day(g, 'opens', fmt)}",
    "season_soil": lambda g, fmt: f"soil is usually too cold for it before {_day(g, 'opens', fmt)}",
    "season_rule": lambda g, fmt: f"its kind goes out from {_day(g, 'opens', fmt)}, counted in weeks from the last frost",
    "no_frost_known": lambda g, fmt: "Fennet does not know your last frost: set it under Set up the room",
    "cold_night": lambda g, fmt: (
        f"the night of {_day(g, 'on', fmt)} falls to {_c(g, 'low_c', fmt)}; it needs {_c(g, 'wants_c', fmt)}"
    ),
    "cold_bolts": lambda g, fmt: (
        f"the night of {_day(g, 'on', fmt)} falls to {_c(g, 'low_c', fmt)}; nights under {_c(g, 'wants_c', fmt)} make it bolt"
    ),
    "heat": lambda g, fmt: (
        f"days average {_c(g, 'mean_c', fmt)}; over {_c(g, 'limit_c', fmt)} it bolts or stops growing: wait for the heat to go"
    ),
    "soil_cold": lambda g, fmt: f"the soil is at {_c(g, 'soil_c', fmt)}; it needs {_c(g, 'wants_c', fmt)}",
    "not_hardened": lambda g, fmt: f"not hardened: {fmt.days(float(g['days']))} of outings are left",
    "too_small": lambda g, fmt: f"too small: it needs {fmt.days(float(g['days']))} more",
    "killing_night": lambda g, fmt: f"the chance of a night that kills it is {fmt.percent(float(g['chance']))}",
    "all_well": lambda g, fmt: f"the next {g['nights']:.0f} nights are mild enough, and it is hardened and big enough",
}

SUN = {"shade": "in shade", "half": "in half shade", "full": "in the sun"}
VERDICTS = {"yes": "Yes", "not_yet": "Not yet", "at_risk": "At risk"}


def seen_words(seen: str) -> str:
    """What was seen on plants that came in; "" where nobody said."""
    return {"": "", "none": "nothing seen"}.get(seen, SEEN.get(seen, seen))


def outing_sentence(o: Outing, fmt: Formatter) -> str:
    """A day's outing as one sentence."""
    if not o.go:
        return "Stay in."
    minutes = round(o.hours * 60)
    for_long = f"{fmt.number(o.hours)} h" if minutes >= 60 else f"{minutes} min"
    start = "" if o.from_h is None else f" from {fmt.clock(int(o.from_h), round(o.from_h % 1 * 60))}"
    shelter = ", out of the wind" if o.sheltered else ""
    night = ", and the night" if o.night else ""
    return f"Out for {for_long}{start}, {SUN[o.sun]}{shelter}{night}."


def reasons(o: Outing, fmt: Formatter) -> str:
    """Why a day's outing is as it is, as one sentence."""
    told = [why_words(w, fmt) for w in o.why if o.go or w.key != "step"]
    words = "; ".join(told)
    return f"{words[:1].upper()}{words[1:]}." if words else ""


def gate_sentence(r: Ready, fmt: Formatter) -> str:
    """Whether a batch may be planted out, as one sentence."""
    said = f"Plant out: {VERDICTS[r.verdict].lower()}"
    if r.verdict == "yes" or r.on is None:
        return f"{said}."
    return f"{said}; likely from {fmt.calendar_day(r.on)}."


#: How deep each is set.
SET_WORDS = {
    "level": "As deep as it stood in its pot",
    "crown": "As deep as it stood, the crown clear of the soil",
    "leaves": "Up to its first leaves",
    "stem": "Its stem buried to the first leaves: it roots along it",
    "dibbed": "Each into a hole of its own, 150 mm deep, watered in and not filled",
    "deep": "Into a trench 150 mm deep, filled as it grows",
}
SUPPORT_WORDS = {
    "none": "", "stake": "A stake with it, against the wind", "canes": "Canes with it, to climb", "net": "A net or frame with it",
    "strings": "Strings around the row, against the wind",
}  # fmt: skip
EATER_WORDS = {
    "slugs": "slugs", "birds": "birds", "mice": "mice", "caterpillars": "caterpillars", "flea_beetles": "flea beetles",
}  # fmt: skip


def set_out_words(s: SetOut, fmt: Formatter) -> list[str]:
    """How a batch is set into its bed, as sentences."""
    depth = SET_WORDS[s.bed.set].replace("150 mm", fmt.length(150.0))
    out = ["Water it an hour before, so that roots slide out; hold it by a leaf; water it in"]
    apart = f"{fmt.length(s.bed.spacing_mm)} apart, {fmt.length(s.bed.row_mm)} between rows"
    out.append(f"{depth}; {apart}, {area_words(s.area_m2 * 1e6, fmt)} for {fmt.small(s.plants)}")
    if s.spares:
        against = _eaters(s) or "the first days"
        where = "its pot" if s.spares == 1 else "their pots"
        out.append(f"Keep {fmt.small(s.spares)} back in {where} for {fmt.days(float(SPARES_FOR_D))}, against frost and {against}")
    if s.bed.support != "none":
        out.append(SUPPORT_WORDS[s.bed.support])
    if s.bed.eaten_by:
        out.append(f"Look for {_eaters(s)} the first evenings" if "slugs" in s.bed.eaten_by else f"Guard it from {_eaters(s)}")
    return [f"{words}." for words in out]


def _eaters(s: SetOut) -> str:
    names = [EATER_WORDS[e] for e in s.bed.eaten_by]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else ""


def cold_words(c: ColdWeeks, fmt: Formatter) -> str:
    """The weeks of cold of a batch, as one sentence."""
    had = fmt.number(c.least) if round(c.most, 1) == round(c.least, 1) else f"{fmt.number(c.least)} to {fmt.number(c.most)}"
    asked = "" if round(c.most, 1) == round(c.least, 1) else ", for want of readings on the other days"
    limit = fmt.temperature(COLD_UNDER_C, 0)
    wants = (
        f"It flowers in its first year after {fmt.number(c.wants, 0)} weeks under {limit} with true leaves: it had {had}{asked}"
    )
    if c.enough:
        return f"{wants}. That is enough."
    left = c.wants - c.least
    if c.ahead is None:
        return f"{wants}."
    if c.ahead >= left:
        return f"{wants}. An ordinary year still brings {fmt.number(c.ahead)}: a cold frame or a porch soon, out of hard frost."
    return f"{wants}. An ordinary year brings {fmt.number(c.ahead)} more: it will likely flower next year."


def plant_doubt(h: Hardening, fmt: Formatter) -> str:
    """Why a batch had better not be planted today, as one sentence; "" where its gate says yes."""
    if h.gate.verdict == "yes":
        return ""
    why = "; ".join(why_words(w, fmt) for w in h.gate.why)
    return f"{h.batch.id}: {gate_sentence(h.gate, fmt)[:-1]}: {why}."


def outing_doubt_words(h: Hardening, found: Sequence[Why], fmt: Formatter) -> str:
    """What speaks against an outing as it is told, with what today's is."""
    if h.today is None:
        return ""
    if any(w.key == "stay_in" for w in found):
        return f"{h.batch.id} should stay in: {reasons(h.today, fmt)}"
    told = []
    for w in found:
        if w.key == "too_long":
            told.append(f"{fmt.number(float(w.figures['hours']))} h is a lot for today")
        elif w.key == "hot_now":
            told.append(f"it is {fmt.temperature(float(w.figures['now_c']), 0)} outside now")
        else:
            told.append("more sun than today allows")
    return f"{h.batch.id}: {'; '.join(told)}: {outing_sentence(h.today, fmt)}"


def picked_early_words(batch_id: str) -> str:
    """That what is picked was never planted."""
    return (
        f"{batch_id} was never planted, so this counts as picked from its tray. "
        f"If it is all cut, log {batch_id} lost and how many as well."
    )


LOST_WORDS = {
    "slugs": "slugs", "birds": "birds", "frost": "frost", "sun": "the sun", "wind": "the wind", "other": "something else",
}  # fmt: skip
HEALTH_WORDS = {"well": "does well", "middling": "middling", "poor": "does poorly"}


def after_words(x: After, fmt: Formatter) -> list[str]:
    """What became of a planted batch, in short parts."""
    where = f" in {', '.join(x.places)}" if x.places else ""
    out = [f"planted {fmt.day(x.planted_s)}{where}{f', {x.planted} plants' if x.planted is not None else ''}"]
    if x.lost:
        to = [LOST_WORDS.get(why, why) for why in x.lost_to if why]
        out.append(f"{x.lost} lost since{' to ' + ', '.join(to) if to else ''}")
    out += [HEALTH_WORDS.get(x.health, x.health)] if x.health else []
    out += [f"in flower since {fmt.day(x.first_flower_s)}"] if x.first_flower_s is not None else []
    if x.days_to_first is not None:
        out.append(f"first picked after {fmt.days(x.days_to_first)}")
    out += [f"{fmt.number(x.grams, 0)} g in all"] if x.grams is not None else []
    out += [f"{x.pieces} pieces in all"] if x.pieces is not None else []
    out += [f"taste {fmt.number(x.taste)} of 5"] if x.taste is not None else []
    return out


def first_words(e: FirstExpected, crop: Crop, fmt: Formatter) -> str:
    """When the first pick or flower of a planting is expected."""
    return f"{'First flowers' if crop.bed.gives == 'flower' else 'First pick'} expected {fmt.day_range(e.at_s)}."


def porch_words(p: Porch, name: str, fmt: Formatter) -> str:
    """What a porch is good for on a day in, as one sentence."""
    if p.now_c is None:
        least = fmt.temperature(p.least_c, 0)
        return f"Into {name} by day if a thermometer there shows {least} or more and the sun does not bake it; back in at dusk."
    if p.suits:
        return f"Into {name} by day: it is {fmt.temperature(p.now_c)} there; back in at dusk."
    return f"It is {fmt.temperature(p.now_c)} in {name}: not there either."
