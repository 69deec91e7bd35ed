"""The story of a batch in a few sentences."""

from __future__ import annotations

from fennet.core.exposure import DAY_S
from fennet.core.story import Story
from fennet.presentation.formatter import Formatter
from fennet.presentation.sowing import came_words

UNITS = {"cells": "cells", "seedlings": "seedlings", "rooted": "seeds"}
ENDS = {
    "gave_up": "It was given up",
    "potted_up": "It was potted up",
    "harvest": "It was harvested",
    "lost": "All of it was lost",
}


def story_words(s: Story, fmt: Formatter) -> list[str]:
    """What became of a batch, in sentences in order of time."""
    sown_s = s.batch.sown_at.timestamp()
    out = [f"{came_words(s.batch).capitalize()} on {fmt.day(sown_s)}."]
    if s.batch.from_seed and s.first_up_s is not None and not s.settled:
        unit = UNITS.get(s.unit, s.unit)
        out.append(f"The first came up on {fmt.day(s.first_up_s)}; {s.up} of {s.of} {unit} so far, and more may come.")
    elif s.half_up_s is not None and s.batch.from_seed and s.first_up_s is not None:
        out.append(
            f"The first came up on {fmt.day(s.first_up_s)}, half of those that came by {fmt.day(s.half_up_s)}, "
            f"{fmt.days((s.half_up_s - sown_s) / DAY_S)} after sowing; in all {s.up} of {s.of} {UNITS.get(s.unit, s.unit)}."
        )
    elif s.batch.from_seed:
        out.append("Nobody counted anything up.")
    if s.lost:
        told = ", ".join(f"{n} (“{why}”)" if why else f"{n}, cause not written down" for why, n in s.lost.items())
        out.append(f"Lost inside: {told}.")
    a = s.after
    if a is not None:
        went = f"{a.planted} were planted out" if a.planted is not None else "It was planted out"
        out.append(f"{went} on {fmt.day(a.planted_s)}, {fmt.days((a.planted_s - sown_s) / DAY_S)} after sowing.")
        if a.lost:
            out.append(f"{a.lost} were lost outside: {', '.join(w for w in a.lost_to if w) or 'cause not written down'}.")
        if a.first_flower_s is not None:
            out.append(f"The first flower opened on {fmt.day(a.first_flower_s)}.")
        if a.first_harvest_s is not None:
            got = [
                f"{fmt.number(a.grams, 0)} g" if a.grams is not None else "",
                f"{a.pieces} pieces" if a.pieces is not None else "",
            ]
            picked = " and ".join(x for x in got if x)
            out.append(
                f"The first was picked on {fmt.day(a.first_harvest_s)}, {fmt.days(a.days_to_first or 0.0)} after planting"
                + (f"; {picked} in all." if picked else ".")
            )
        else:
            out.append("No harvest is noted.")
        if a.taste is not None:
            out.append(f"Taste: {fmt.number(a.taste)} of 5.")
    elif s.over:
        out.append(f"{ENDS.get(s.ended, 'It ended')} on {fmt.day(s.inside_until_s)}.")
    else:
        out.append("It is still growing.")
    return out
