"""What a garden's past says of a variety, in words for the plan and for sowing."""

from __future__ import annotations

from fennet.core.variety_notes import Did, Failed, VarietyNotes
from fennet.presentation.formatter import Formatter
from fennet.presentation.learned import times_words
from fennet.presentation.sentences import CAUSE_WORDS

FIRST = {"pace": "quickest", "spread": "most even", "survival": "healthiest"}


def variety_words(n: VarietyNotes, fmt: Formatter) -> list[tuple[str, bool]]:
    """Each note as words, and whether it is a warning."""
    out: list[tuple[str, bool]] = []
    for x in n.lines:
        if x.measure == "pace":
            out.append((f"It comes up {times_words(x.value, fmt)} than the table says here.", False))
        elif x.measure == "alive":
            less = x.value.p50 < 0.85
            out.append(
                (f"{'Less' if less else 'More'} of it comes here than its label says: {fmt.percent(x.value.p50)} for 85 %.", less)
            )
        else:
            out.append((f"{fmt.percent(x.value.p50)} of its seedlings live to be planted here.", x.value.p50 < 0.92))
    out += [(f"It is the {FIRST[measure]} of {fmt.small(of)} here.", False) for measure, of in n.first]
    if n.did is not None:
        out += [(words, False) for words in _did(n.did, fmt)]
    if n.failed is not None:
        out.append((_failed(n.failed, fmt), True))
    out += [(f"You wrote: “{text}”", False) for text in n.said]
    return out


def _did(d: Did, fmt: Formatter) -> list[str]:
    out = []
    when = ", ".join(str(y) for y in d.years)
    if d.grams is not None:
        place = _place(d.grams_rank, d.grams_of, "heaviest", fmt)
        out.append(f"It gave {fmt.number(d.grams, 0)} g a plant ({when}){place}.")
    if d.taste is not None:
        out.append(f"It tasted {fmt.number(d.taste)} of 5 ({when}){_place(d.taste_rank, d.taste_of, 'best', fmt)}.")
    return out


def _place(rank: int, of: int, best: str, fmt: Formatter) -> str:
    """A place among varieties of the kind; nothing where there is but one."""
    if of < 2 or not rank:
        return ""
    return f", the {best} of {fmt.small(of)}" if rank == 1 else f", place {rank} of {of}"


def _failed(f: Failed, fmt: Formatter) -> str:
    lost = ", ".join(f"{n} to “{why}”" if why else f"{n} lost" for why, n in f.lost.items())
    why = f", mostly {CAUSE_WORDS.get(f.cause, f.cause)}" if f.cause else ""
    told = f"{f.up} of {f.of} came up{why}" + (f"; {lost}" if lost else "") + ("; it was given up" if f.given_up else "")
    return f"What failed last time ({f.year}): {told}."
