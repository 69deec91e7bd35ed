"""A plan in words: its notes, its clashes, and the changes that would clear them."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from typing import Any

from fennet.core.planning.clashes import Change, Clash
from fennet.core.planning.notes import Note
from fennet.core.planning.plan import Planned, want_name
from fennet.presentation.formatter import Formatter

RESOURCE_WORDS = {
    "mat_places": "mat places", "shelf_mm2": "shelf", "lamp_mm2": "room under lamps", "lamp_timers": "timers for lamps",
}  # fmt: skip
GATE_WORDS = {
    "frost": "until then a frost that kills it is too likely", "nights": "until then the nights are too cold for it",
    "soil": "until then the soil is too cold for it", "rule": "its kind waits so long after the last frost", "unknown": "",
}  # fmt: skip


def day_words(day: date, fmt: Formatter, year: date | None = None) -> str:
    """A calendar day as this reader writes it: "4 March"; with its year where it is not that of `year`."""
    words = fmt.day(datetime(day.year, day.month, day.day, 12, tzinfo=fmt.zone))
    return f"{words} {day.year}" if year is not None and day.year != year.year else words


def area_words(mm2: float, fmt: Formatter) -> str:
    """An area of shelf: "0.45 m²", or "4.8 sq ft"."""
    return f"{fmt.number(mm2 / 92_903.04, 1)} sq ft" if fmt.imperial else f"{fmt.number(mm2 / 1e6, 2)} m²"


def amount_words(resource: str, amount: float, fmt: Formatter) -> str:
    """So much of a resource: "one mat place", "0.3 m² of shelf"."""
    if resource == "mat_places":
        n = max(1, round(amount + 0.499))
        return f"{fmt.small(n)} mat place{'s' if n != 1 else ''}"
    if resource == "lamp_timers":
        n = round(amount)
        return f"{fmt.small(n)} lamp{'s' if n != 1 else ''} with a timer of {'their' if n != 1 else 'its'} own"
    return f"{area_words(amount, fmt)} of {RESOURCE_WORDS[resource]}"


def sowing_words(p: Planned) -> str:
    """What a sowing is called, its number where there are several."""
    name = want_name(p.draft.want, p.draft.crop)
    return f"{name} ({p.draft.key})" if (p.draft.want.times or 1) > 1 or p.draft.parts > 1 else name


def note_words(note: Note, fmt: Formatter, crop: str) -> str:
    """A note as one sentence."""
    words: str = _NOTES[note.kind](note.values, fmt, crop)
    return words[0].upper() + words[1:]


def _days(n: float, fmt: Formatter) -> str:
    return fmt.days(n)


_Teller = Callable[[Any, Formatter, str], str]


def _short_of_seed(v: Any, s: Formatter, _: str) -> str:
    left = "no seed is left" if not v["left"] else f"{v['left']} seeds are left"
    return f"{left}: {s.count_range(v['plants'])} plants of {v['wanted']} can be expected. Order seed, or plan fewer."


def _dead_seed(v: Any, s: Formatter) -> str:
    share = s.percent(v["alive"])
    about = share if share.startswith("under") else f"about {share}"
    packet = f"the packet of {v['packed']}" if v["packed"] else "the packet"
    return f"{about} of {packet} is alive: planned as if with fresh seed. Test twenty seeds before you give it up."


def _past(v: Any, s: Formatter, crop: str) -> str:
    return (
        f"the last day to sow it was {day_words(v['last'], s)}. Sown now it is ready about {day_words(v['ready'], s)}, "
        f"{_days(v['late_days'], s)} late."
    )


def _later(v: Any, s: Formatter, crop: str) -> str:
    risk = f" A killing frost after {day_words(v['wish'], s)} comes in {s.percent(v['risk'])} of years." if v["risk"] else ""
    return f"wanted by {day_words(v['wish'], s)}, planned for {day_words(v['out_on'], s)}: {GATE_WORDS[v['by']]}.{risk}"


_NOTES: dict[str, _Teller] = {
    "never_frost_safe": lambda v, s, c: (
        f"even at midsummer a night at {s.temperature(v['kills_at_c'], 0)} comes in {s.percent(v['share'])} of years: "
        "grow it under cover, or keep fleece at hand."
    ),
    "never_warm": lambda v, s, c: (
        f"the {v['what']} here reach{'es' if v['what'] == 'soil' else ''} {s.temperature(v['warmest_c'], 0)} "
        f"at the warmest, below the "
        f"{s.temperature(v['wants_c'], 0)} it needs: a warm wall, a tunnel or a greenhouse."
    ),
    "no_frost_known": lambda v, s, c: (
        "Fennet does not know your frosts: enter the average last frost, or a record of nights."
    ),
    "frost_not_told": lambda v, s, c: (
        "the record has too few complete springs to judge frost, and no average date was given: only nights and soil were used."
    ),
    "long_days": lambda v, s, c: (
        f"planted into days of {s.number(v['hours'])} h, over {s.number(v['limit_h'])} h, "
        "it bulbs or bolts while small: plant earlier, or for autumn."
    ),
    "under_fleece": lambda v, s, c: f"planted early, under fleece or in a frame until about {day_words(v['until'], s)}.",
    "gate_passed": lambda v, s, c: (
        f"it could go out from {day_words(v['opened'], s)}; sown now it is ready about {day_words(v['ready'], s)}: later, "
        "but still in time."
    ),
    "wish_past": lambda v, s, c: f"wanted by {day_words(v['wish'], s)}, which is past: planned for the next season that works.",
    "frost_by_latitude": lambda v, s, c: (
        "no last frost is set here: by the latitude alone it may be about "
        f"{day_words(v['middle'], s) if v['middle'] else 'midwinter'}, three weeks either way. Ask a neighbour and set it."
    ),
    "climate_by_latitude": lambda v, s, c: (
        "by an ordinary year at this latitude, give or take 3 °C: there is no record of nights here."
    ),
    "cold_bolting": lambda v, s, c: (
        f"cool nights as a young plant make it bolt: it needs {s.temperature(v['wants_c'], 0)} or more"
        + (f", planted then they average {s.temperature(v['night_c'], 0)}." if v["night_c"] is not None else ".")
        + " Plant later, or keep fleece on."
    ),
    "short_days": lambda v, s, c: (
        f"planted into days of {s.number(v['hours'])} h, under {s.number(v['limit_h'])} h, it comes to flower while small."
    ),
    "no_sunrise": lambda v, s, c: "the sun does not rise and set on that day here: day length says nothing of the season.",
    "cold_spell": lambda v, s, c: f"goes out early enough for the {s.small(v['weeks'])} cold weeks it needs as a young plant.",
    "no_cold_spell": lambda v, s, c: (
        f"needs {s.small(v['need'])} weeks under {s.temperature(10, 0)} as a young plant; planted then it has "
        f"{s.small(v['weeks'])}. Plant earlier, or give it a cold frame."
    ),
    "cold_spell_unknown": lambda v, s, c: (
        f"needs {s.small(v['weeks'])} weeks under {s.temperature(10, 0)} as a young plant; "
        "no record of nights says whether it gets them."
    ),
    "hot_summer": lambda v, s, c: (
        f"a month after planting the air means {s.temperature(v['mean_c'], 0)}, "
        f"over {s.temperature(v['limit_c'], 0)}: it may bolt. "
        "Plant earlier, or for autumn."
    ),
    "autumn": lambda v, s, c: (
        f"for autumn: cool enough from {day_words(v['cool_from'], s)}, planted by {day_words(v['last'], s)} to be ready "
        f"before the frost of about {day_words(v['frost_by'], s)}."
    ),
    "autumn_too_late": lambda v, s, c: (
        f"summer lasts too long for an autumn crop: it is cool from {day_words(v['cool_from'], s)}, but to be ready before the "
        f"frost it must be planted by {day_words(v['last'], s)}."
    ),
    "autumn_wish_late": lambda v, s, c: (
        f"wanted by {day_words(v['wish'], s)}, but to be ready before the frost of about {day_words(v['frost_by'], s)} "
        f"it is planted by {day_words(v['last'], s)}."
    ),
    "autumn_unknown": lambda v, s, c: "autumn sowing goes by temperature: a record of daily minima is needed for it.",
    "no_autumn_crop": lambda v, s, c: "is not a crop for autumn; it is planned for spring.",
    "short_of_seed": _short_of_seed,
    "dead_seed": lambda v, s, c: _dead_seed(v, s),
    "never_up": lambda v, s, c: f"does not come up in soil at {s.temperature(v['soil_c'], 0)}: it needs a mat, or a warmer room.",
    "too_cold_to_grow": lambda v, s, c: (
        f"does not grow at {s.temperature(v['air_c'], 0)}; "
        f"it grows from {s.temperature(v['base_c'] + 1, 0)}: it needs a warmer room."
    ),
    "past": _past,
    "buy_plants": lambda v, s, c: "buy plants instead, or choose another crop for the place.",
    "later_than_wished": _later,
    "moved_outside": lambda v, s, c: (
        f"moved {_days(v['days'], s)} {'before' if v['too_early'] else 'after'} its range of {day_words(v['from'], s)} to "
        f"{day_words(v['to'], s)}: {'it will be root-bound and stretched' if v['too_early'] else 'it will be small'} at planting."
    ),
    "overdue": lambda v, s, c: (
        f"was to be sown on {day_words(v['day'], s)} and nothing was: sow it now, or hand it back to the plan."
    ),
    "without_mat": lambda v, s, c: (
        f"no mat has room for it: {_days(v['days'], s)} longer at the room's {s.temperature(v['soil_c'], 0)}."
    ),
}  # fmt: skip


def clash_words(c: Clash, fmt: Formatter) -> str:
    """A clash as one sentence."""
    span = f"{day_words(c.from_day, fmt)} to {day_words(c.to_day, fmt)}"
    if c.resource == "mat_places":
        need, have = (
            f"{fmt.small(c.needed)} mat places are needed",
            "there is one" if c.have == 1 else f"there are {fmt.small(c.have)}",
        )
        return f"{span}: {need}, {have}."
    if c.resource == "lamp_timers":
        return f"{span}: the crops under lamps need {fmt.small(c.needed)} timers, there are lamps for {fmt.small(c.have)}."
    return f"{span}: {area_words(c.needed, fmt)} of {RESOURCE_WORDS[c.resource]} is needed; there is {area_words(c.have, fmt)}."


def change_words(change: Change, fmt: Formatter) -> str:
    """One change as a clause."""
    if change.kind == "more":
        return f"{amount_words(change.resource, change.amount or 0.0, fmt)} more"
    assert change.sowing is not None
    name = sowing_words(change.sowing)
    if change.kind == "fewer":
        kind = want_name(change.sowing.draft.want, change.sowing.draft.crop)
        return f"{change.plants} {kind} instead of {change.wanted}" if change.plants else f"leave out {kind}"
    assert change.day is not None
    beyond = f", {_days(change.days_beyond, fmt)} outside its range" if change.days_beyond else ""
    if change.kind == "room_heat":
        return f"sow {name} without a mat on {day_words(change.day, fmt)}{beyond}"
    return f"sow {name} on {day_words(change.day, fmt)}{beyond}"


def way_words(way: tuple[Change, ...], fmt: Formatter) -> str:
    """A way out: its changes, joined."""
    return ", and ".join(change_words(c, fmt) for c in way)


def least_change_words(c: Clash, fmt: Formatter) -> str:
    """The least change that clears a clash."""
    return way_words(c.changes[0], fmt) if c.changes else "fewer plants"
