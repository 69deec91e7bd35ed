"""What a garden has learned, in words and as a document."""

from __future__ import annotations

import math
from typing import Any

from fennet.core.drying import DryDown
from fennet.core.learning.garden import Learned
from fennet.core.learning.habits import Habit
from fennet.core.learning.overview import Line, YearLine
from fennet.core.tuning.lamps import LampSetting
from fennet.core.tuning.on_mat import OnMat
from fennet.core.working import Interval
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import ppfd_words

#: Under so much nobody speaks of sooner or later.
LITTLE = 0.03
MEASURE_WORDS = {
    "pace": "days to come up", "alive": "share that comes", "survival": "share that lives to be planted",
    "spread": "how evenly it comes",
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
    return times_words(x.value, fmt) if x.measure == "pace" else share_words(x.value, fmt)


def year_words(y: YearLine, fmt: Formatter) -> str:
    """How a year was against the others."""
    return times_words(y.times, fmt).replace("as the table says", "as other years")


def habit_words(h: Habit, fmt: Formatter) -> str:
    """A habit in a sentence."""
    low, high = fmt.number(h.days.p10), fmt.number(h.days.p90)
    what = "A tray is watered" if h.what == "watered" else "A sowing is counted"
    return f"{what} every {fmt.number(h.days.p50)} days, mostly {low} to {high}, by {h.steps} steps in the log."


def drying_words(tray: str, d: DryDown, fmt: Formatter) -> str:
    """How a tray dries against what is usual."""
    how = "as is usual for such a tray" if abs(d.times - 1) < LITTLE else f"{fmt.number(d.times, 2)} times as fast as is usual"
    return f"Tray {tray} dries {how}, by {d.cycles} stretches between waterings."


def mat_words(t: OnMat, mat: str, fmt: Formatter) -> str:
    """What a mat does for a tray, by its own readings."""
    lift = fmt.temperature_span(float(t.fit.mean[3]))
    return f"{mat} lifts tray {t.tray} by {lift} at most, by {fmt.number(t.fit.hours, 0)} hours of readings."


def lamp_words(s: LampSetting, fmt: Formatter) -> str:
    """What a lamp gives, by its own readings."""
    at_150 = ppfd_words(math.exp(float(s.case.curve.mean[0])), fmt)
    n = len(s.case.curve.points)
    return f"{s.lamp.id} gives {at_150} at {fmt.length(150)}, by {n} {'reading' if n == 1 else 'readings'} under it."


def as_json(learned: Learned, lines: list[Line], years: list[YearLine], habits: list[Habit]) -> dict[str, Any]:
    """What was learned as its command gives it (formats)."""
    return {
        "batches": len(learned.lessons),
        "figures": [
            {"measure": x.measure, "crop": x.crop, "variety": x.variety or None, **_range(x.value), "rests_on": x.rests_on,
             "seasons": x.seasons, "own": x.own} for x in lines
        ],
        "years": [{"year": y.year, **_range(y.times), "rests_on": y.rests_on, "left_out": y.left_out} for y in years],
        "habits": [{"what": h.what, **_range(h.days), "steps": h.steps} for h in habits],
    }  # fmt: skip


def _range(i: Interval[float]) -> dict[str, float]:
    return {q: round(getattr(i, q), 3) for q in ("p10", "p50", "p90")}
