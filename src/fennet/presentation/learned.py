"""What a garden has learned, in words and as a document."""

from __future__ import annotations

from typing import Any

from fennet.core.learning.garden import Learned
from fennet.core.learning.habits import Habit
from fennet.core.learning.overview import Line, YearLine
from fennet.core.learning.room_overview import RoomLine
from fennet.core.working import Interval
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import ppfd_words

#: Under so much nobody speaks of sooner or later.
LITTLE, LITTLE_C = 0.03, 0.15
MEASURE_WORDS = {
    "pace": "days to come up", "alive": "share that comes", "survival": "share that lives to be planted",
    "spread": "how evenly it comes", "height": "how tall it grows", "leaves": "how fast leaves follow",
    "drying": "how fast it dries", "offset": "how far it stands over its set-point", "lift": "what a mat lifts it",
    "output": "what it gives",
}  # fmt: skip


def times_words(times: Interval[float], fmt: Formatter) -> str:
    """Days against what is expected: "12 % sooner (3 to 20 % sooner)".

    >>> from fennet.presentation.formatter import Formatter
    >>> times_words(Interval(0.8, 0.88, 0.97), Formatter())
    '12 % sooner (3 to 20 % sooner)'
    >>> times_words(Interval(0.93, 1.02, 1.12), Formatter())
    'as the table says (7 % sooner to 12 % later)'
    """

    def way(x: float) -> str:
        return f"{fmt.percent(abs(x - 1))} {'sooner' if x < 1 else 'later'}"

    middle = "as the table says" if abs(times.p50 - 1) < LITTLE else way(times.p50)
    low, high = times.p10, times.p90
    if low < 1 < high:
        return f"{middle} ({way(low)} to {way(high)})"
    near, far = sorted((abs(low - 1), abs(high - 1)))
    return f"{middle} ({round(near * 100)} to {fmt.percent(far)} {'sooner' if high <= 1 else 'later'})"


def share_words(share: Interval[float], fmt: Formatter) -> str:
    """A share with its range."""
    return f"{fmt.percent(share.p50)} ({round(share.p10 * 100)} to {fmt.percent(share.p90)})"


def line_words(x: Line, fmt: Formatter) -> str:
    if x.measure == "height":
        away = x.value.p50 - 1
        how = f"{fmt.percent(abs(away))} {'taller' if away > 0 else 'shorter'} than" if abs(away) >= LITTLE else "as tall as"
        return f"{how} the table says ({round(x.value.p10 * 100)} to {fmt.percent(x.value.p90)} of it)"
    if x.measure == "leaves":
        return f"leaves: {times_words(x.value, fmt)}"
    return times_words(x.value, fmt) if x.measure == "pace" else share_words(x.value, fmt)


def year_words(y: YearLine, fmt: Formatter) -> str:
    """How a year was against the others."""
    return times_words(y.times, fmt).replace("as the table says", "as other years")


def habit_words(h: Habit, fmt: Formatter) -> str:
    """A habit in a sentence."""
    low, high = fmt.number(h.days.p10), fmt.number(h.days.p90)
    what = "A tray is watered" if h.what == "watered" else "A sowing is counted"
    return f"{what} every {fmt.number(h.days.p50)} days, mostly {low} to {high}, by {h.steps} steps in the log."


def room_words(x: RoomLine, fmt: Formatter) -> str:
    """What one thing of the room does, with its range."""
    if x.measure == "drying":
        low, high = fmt.number(x.value.p10, 2), fmt.number(x.value.p90, 2)
        if x.own:
            return f"dries {fmt.number(x.value.p50, 2)} times as fast as is usual, your own figure"
        if abs(x.value.p50 - 1) < LITTLE:
            return f"dries as is usual for such a tray ({low} to {high} times)"
        return f"dries {fmt.number(x.value.p50, 2)} times as fast as is usual ({low} to {high})"
    if x.measure == "offset":
        between = f"{_over(x.value.p10, fmt)} to {_over(x.value.p90, fmt)}"
        if abs(x.value.p50) < LITTLE_C:
            return f"on {x.mat} its soil stands as the mat is set ({between})"
        return f"on {x.mat} its soil stands {_over(x.value.p50, fmt)} what the mat is set to ({between})"
    if x.measure == "lift":
        lift = f"{x.mat} warms it by {fmt.temperature_span(x.value.p50)} at most"
        between = f"{fmt.temperature_span(x.value.p10)} to {fmt.temperature_span(x.value.p90)}"
        # Readings of late move it from there: it need not be the figure that was given.
        return f"{lift} ({between}), beginning from your own figure" if x.own else f"{lift} ({between})"
    if x.measure == "ageing":
        lost = "nothing" if x.value.p50 < 0.005 else fmt.percent(x.value.p50)
        return f"loses {lost} of its light every thousand hours ({_lost(x.value.p10, fmt)} to {_lost(x.value.p90, fmt)})"
    low, high = ppfd_words(x.value.p10, fmt), ppfd_words(x.value.p90, fmt)
    return f"gives {ppfd_words(x.value.p50, fmt)} at {fmt.length(150)} ({low} to {high})"


def _over(span_c: float, fmt: Formatter) -> str:
    """So much over or under, as "0.4 °C under"."""
    return f"{fmt.temperature_span(abs(span_c))} {'over' if span_c > 0 else 'under'}"


def _lost(share: float, fmt: Formatter) -> str:
    return "nothing" if share < 0.005 else fmt.percent(share)


#: Of what each line of the room was read lately.
LATELY = {
    "drying": ("stretch between waterings", "stretches between waterings"), "offset": ("hour", "hours"),
    "lift": ("hour", "hours"), "output": ("reading", "readings"), "ageing": ("", ""),
}  # fmt: skip


def rests_words(x: RoomLine, fmt: Formatter) -> str:
    """What a line of the room rests on."""
    said = []
    if x.months:
        said.append(f"{fmt.number(x.months, 0)} {'earlier month' if x.months == 1 else 'earlier months'}")
    if x.lately:
        said.append(f"{fmt.number(x.lately, 0)} {LATELY[x.measure][x.lately != 1]} recently")
    return ", ".join(said) or "your other trays, mats and lamps"


def as_json(
    learned: Learned, lines: list[Line], years: list[YearLine], habits: list[Habit], room: list[RoomLine]
) -> dict[str, Any]:
    """What was learned as its command gives it (formats)."""
    return {
        "batches": len(learned.lessons),
        "figures": [
            {"measure": x.measure, "crop": x.crop, "variety": x.variety or None, **_range(x.value), "rests_on": x.rests_on,
             "seasons": x.seasons, "own": x.own} for x in lines
        ],
        "years": [{"year": y.year, **_range(y.times), "rests_on": y.rests_on, "left_out": y.left_out} for y in years],
        "habits": [{"what": h.what, **_range(h.days), "steps": h.steps} for h in habits],
        "room": [
            {"measure": x.measure, "thing": x.thing, "mat": x.mat or None, **_range(x.value), "months": x.months,
             "lately": x.lately, "own": x.own} for x in room
        ],
    }  # fmt: skip


def _range(i: Interval[float]) -> dict[str, float]:
    return {q: round(getattr(i, q), 3) for q in ("p10", "p50", "p90")}
