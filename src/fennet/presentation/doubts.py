"""What is doubted of a figure, in words: what it would mean, and what to do about it."""

from __future__ import annotations

from fennet.core.care.feeding import BURNS_MG
from fennet.core.doubts import Doubt, as_fahrenheit_c
from fennet.presentation.formatter import Formatter


def doubt_words(d: Doubt, fmt: Formatter) -> str:
    """One doubt, with its way out."""
    figure = fmt.number(d.figure, 0) if d.figure is not None else ""
    burns = fmt.number(BURNS_MG, 0)
    degrees = f"{figure} °C is hotter than any soil or air in a grow-room"
    if d.figure is not None and d.kind == "hot":
        degrees += f". As °F it is {fmt.number(as_fahrenheit_c(d.figure))} °C: undo it and log {figure}F"
    flush = f"if it was poured, pour plain water through {d.tray}, twice its cells’ volume"
    return {
        "uncalibrated": f"Nobody has said what {d.tray} weighs dry and full, so this weight cannot be used yet: "
                        "add a scale for it under Set up the room.",
        "dripping": f"{d.tray} weighs {figure} % of what it holds drained: dripping, or wet outside. "
                    "Let it drain, wipe it, and weigh it again.",
        "burns": f"{figure} mg of nitrogen a litre burns seedlings, from {burns} on; {flush}.",
        "slip": f"{figure} mg of nitrogen a litre is many times what burns seedlings ({burns}): a decimal point? "
                f"{flush[0].upper()}{flush[1:]}.",
        "hot": f"{degrees}.",
        "early": f"Nothing in {d.tray} has a true leaf yet: it lives on its seed, and feed only grows algae.",
    }[d.kind]  # fmt: skip
