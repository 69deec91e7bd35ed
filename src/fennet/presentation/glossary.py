"""The words that Fennet uses, each in a sentence as a grower would say it."""

from __future__ import annotations

GLOSSARY: tuple[tuple[str, str], ...] = (
    ("Batch", "One kind, sown or bought on one day, in one tray or box."),
    ("Range", "The warmth, light, hours or moisture that a kind does well in at its age; in the middle is its best."),
    ("Half up", "The day on which half of the seed that will come is above ground."),
    ("Give up on", "The day from which fewer than one tray in ten like this still sends anything up."),
    ("First up", "The day on which the first seedling shows."),
    ("Up in the end", "How many come up in all, those that are up already among them."),
    ("Chance of more", "The chance that at least one more comes up."),
    ("At target", "How long sound seed of this kind takes to half up in soil at the middle of its ideal range."),
    ("Guess", "A figure nobody measured. It counts, with a wide margin, until somebody measures."),
    ("Dates as a range", "Eight times in ten the day falls inside it. The Track record tells how often that was so here."),
    ("How", "Press it beside a figure to see what went into it, the rule, and where the rule comes from."),
    ("Verdict", "One sentence on a tray: not due, on time, late, and why."),
    ("Cause", "What most likely stands behind a fault, with the evidence for and against and the most useful check."),
    ("Proposed setting", "What to set a mat or lamp to. Nothing is set before you press; what it should bring is then checked."),
    ("Mol a day", "All the light a leaf gets in a day. A sunny sill in March gives 3 to 6, a good lamp 10 to 14."),
    ("Capacity", "How wet mix is when it was soaked and has drained. 100 % is full; most trays are watered at 50 to 60 %."),
    ("Outing", "Hours outdoors that get plants used to sun, wind and cold before they are planted."),
    ("Ready to plant out", "Nights, soil, frost, its size and its outings together say whether a batch can go out."),
    ("Chance of a later frost", "The share of springs in which such a frost comes after that day."),
    ("Set-point", "What a thermostat is set to. The soil usually settles a little above or below it."),
    ("Light against warmth", "A day’s light for each degree of warmth. Too little for the warmth, and stems grow long and thin."),
    ("Damping off", "A disease on wet soil that fells seedlings at the base. There is no cure; air and a dry top prevent it."),
    ("Practice", "Where growers disagree you choose once; every answer follows your choice."),
    ("Log line", "One line to write anything down: A 3 up, A watered 250ml, leek-1 out half, soil about 19."),
)  # fmt: skip
#: The same, to be shown beside the word where it stands on a page.
MEANINGS = {word.lower(): said for word, said in GLOSSARY}
KEYS: tuple[tuple[str, str], ...] = (
    ("/", "write in the log line"), ("f", "find a tray, a kind, an entry or a page"), ("?", "this page"),
    ("Tab", "take the log line’s first suggestion"), ("↑", "the lines you wrote before, in the log line"),
    ("← → Shift", "move a lamp or a sowing that has the focus, in large steps with Shift"), ("Esc", "leave without saving"),
)  # fmt: skip
