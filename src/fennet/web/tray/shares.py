"""A delay as a bar: what each cause costs in days."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.forecast import Forecast
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import CAUSE_WORDS


@dataclass(frozen=True)
class Share:
    cause: str
    words: str
    days: str
    x: float
    width: float
    gain: bool


def delay_shares(f: Forecast, fmt: Formatter) -> list[Share]:
    """The delay as a bar: what each cause costs, largest first; gains are told apart and take no room."""
    costs = {c: d for c, d in f.delay_days.items() if d > 0.05}
    whole = sum(costs.values()) or 1.0
    out, x = [], 0.0
    for cause, days in sorted(f.delay_days.items(), key=lambda item: (item[0] == "unexplained", -item[1])):
        if abs(days) < 0.05:
            continue
        gain = days < 0
        width = 0.0 if gain else days / whole * 1000
        out.append(Share(cause, CAUSE_WORDS[cause], f"{fmt.number(abs(days))} days", round(x, 1), round(width, 1), gain))
        x += width
    return out


def delay_words(f: Forecast, fmt: Formatter) -> str:
    """How far behind or ahead of target a batch is; nothing where it is not known."""
    total = f.delay_total_days
    if total is None or not f.delay_days:
        return ""
    return f"{fmt.days(total)} {'behind' if total > 0 else 'ahead of'} target, shared out"
