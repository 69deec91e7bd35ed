"""What was done to seed and over it, in words."""

from __future__ import annotations

from fennet.core.records import Batch

#: What seed is covered with.
COVERINGS = {"mix": "sieved mix", "vermiculite": "vermiculite", "perlite": "perlite", "none": "nothing"}
#: What a batch is raised from.
STARTS = {
    "seed": "seed", "bought": "bought plants", "cutting": "cuttings", "slip": "slips", "division": "parts of an old plant",
}  # fmt: skip
#: What was done on a batch's first day.
CAME = {"bought": "bought", "cutting": "cut and set", "slip": "set as slips", "division": "parted"}
#: What was done to it before it was sown.
PRETREATMENTS = {"soak": "soaked", "nick": "nicked", "cold_moist": "kept cold and moist", "hot_water": "hot water"}


def came_words(batch: Batch) -> str:
    """What was done on a batch's first day, in a word: sown, bought, parted."""
    return CAME.get(batch.start or "", "sown")
