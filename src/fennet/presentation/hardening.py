"""Outings and the gate in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date
from typing import Any

from fennet.core.hardening.outings import Outing, Why
from fennet.core.hardening.ready import Ready
from fennet.presentation.formatter import Formatter

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
        f"no forecast and no record of nights: go by the rule, where it is {_c(g, 'least_c', fmt)} or more and calm"
    ),
    "by_date": lambda g, fmt: "no fresh forecast: a usual day of this date",
    "disagree": lambda g, fmt: "two forecasts disagree: the colder and windier is gone by",
    "hot": lambda g, fmt: f"up to {_c(g, 'most_c', fmt)}: out of the noon sun",
    "cloud": lambda g, fmt: f"cloud over {fmt.percent(float(g['cloud_share']))} of the sky lets them stay longer",
    "hard_sun": lambda g, fmt: "hard sun: shaded",
    "short_day": lambda g, fmt: f"only {fmt.number(float(g['hours']))} h of the day suit",
    "wind": lambda g, fmt: f"wind of {fmt.number(float(g['wind_m_s']))} m/s: behind a wall or a screen",
    "rain": lambda g, fmt: "rain that beats them down: under cover",
    "water_before": lambda g, fmt: "water before they go",
    "water_again": lambda g, fmt: "water before they go and again at noon",
    "night_out": lambda g, fmt: f"the night stays at {_c(g, 'low_c', fmt)} or more: leave them out",
    "night_too_cold": lambda g, fmt: f"the night falls to {_c(g, 'low_c', fmt)}; it wants {_c(g, 'wants_c', fmt)}: in at dusk",
    "too_cold": lambda g, fmt: f"the day reaches {_c(g, 'most_c', fmt)}; they want {_c(g, 'least_c', fmt)}",
    "too_hot": lambda g, fmt: f"the day reaches {_c(g, 'most_c', fmt)}",
    "too_windy": lambda g, fmt: f"wind of {fmt.number(float(g['wind_m_s']))} m/s; they stand {fmt.number(float(g['limit_m_s']))}",
    "no_hour": lambda g, fmt: "no hour of the day suits",
    "mild": lambda g, fmt: "a mild day: an hour out",
    "mild_by_rule": lambda g, fmt: f"an hour out if the day is calm and over {_c(g, 'least_c', fmt)}",
    "not_mild": lambda g, fmt: f"no mild day: it reaches {_c(g, 'most_c', fmt)}",
    "season_frost": lambda g, fmt: f"a frost that kills it is still too likely before {_day(g, 'opens', fmt)}",
    "season_nights": lambda g, fmt: f"nights are usually too cold for it before {_day(g, 'opens', fmt)}",
    "season_soil": lambda g, fmt: f"soil is usually too cold for it before {_day(g, 'opens', fmt)}",
    "season_rule": lambda g, fmt: f"by the weeks from the last frost it goes out from {_day(g, 'opens', fmt)}",
    "no_frost_known": lambda g, fmt: "nothing is known of frost here: set the last frost under Garden",
    "cold_night": lambda g, fmt: (
        f"the night of {_day(g, 'on', fmt)} falls to {_c(g, 'low_c', fmt)}; it wants {_c(g, 'wants_c', fmt)}"
    ),
    "heat": lambda g, fmt: (
        f"days stand at {_c(g, 'mean_c', fmt)}; over {_c(g, 'limit_c', fmt)} it bolts or stops: wait for it to go"
    ),
    "soil_cold": lambda g, fmt: f"soil has {_c(g, 'soil_c', fmt)}; it wants {_c(g, 'wants_c', fmt)}",
    "not_hardened": lambda g, fmt: f"not hardened: {fmt.days(float(g['days']))} of outings are left",
    "too_small": lambda g, fmt: f"too small: it wants {fmt.days(float(g['days']))} more",
    "killing_night": lambda g, fmt: f"a night that kills it comes with a chance of {fmt.percent(float(g['chance']))}",
    "all_well": lambda g, fmt: f"the next {g['nights']:.0f} nights hold, it is hardened and grown",
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
