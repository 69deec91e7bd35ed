"""Advice for the new season in words."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, cast

from fennet.core.next_season import Advice
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import CAUSE_WORDS

VERDICTS = {"repeat": "Repeat", "change": "Change something", "drop": "Leave it out", "new": "Not tried yet"}


def advice_words(a: Advice, fmt: Formatter) -> list[str]:
    """The reasons, and what the seed left is worth."""
    out = [_reason(key, figures, fmt) for key, figures in a.reasons]
    if a.seeds_left is not None or a.alive is not None:
        left = (
            f"{fmt.number(a.seeds_left, 0)} seeds are left"
            if a.seeds_left is not None
            else "Seed is left, nobody counted how much"
        )
        out.append(f"{left}{f', {fmt.percent(a.alive)} of it alive' if a.alive is not None else ''}.")
    return out


def _reason(key: str, figures: Mapping[str, object], fmt: Formatter) -> str:
    f = cast(Mapping[str, Any], figures)
    if key == "tasted_poor":
        return f"It tasted {fmt.number(f['taste'])} of 5."
    if key == "failed":
        lost = ", ".join(f"{n} to “{why}”" if why else f"{n} lost" for why, n in f["lost"].items())
        cause = f", mostly {CAUSE_WORDS.get(f['cause'], f['cause'])}" if f["cause"] else ""
        return f"In {f['year']} only {f['up']} of {f['of']} came up{cause}{f'; {lost}' if lost else ''}."
    if key == "fell_short":
        return f"{f['planted']} were planted of {f['wanted']} wanted: sow more, or mend what was lost."
    if key == "enough":
        return f"{f['planted']} were planted of {f['wanted']} wanted."
    if key == "better":
        return f"‘{f['variety']}’ did better here."
    if key == "growing":
        return "It is still growing: nothing speaks against it yet."
    if key == "weak_seed":
        return f"Only {fmt.percent(f['alive'])} of its seed is alive: buy fresh."
    if key == "went_out_late":
        return f"It went out {fmt.days(f['days'])} later than wanted; the date is moved by as much."
    return "Nothing was sown for it."
