"""What was done to seed and over it, in words."""

from __future__ import annotations

from fennet.core.records import Batch

#: What seed is covered with.
COVERINGS = {"mix": "sieved mix", "vermiculite": "vermiculite", "perlite": "perlite", "none": "nothing"}
#: What a tray is covered with, in words and as the record has it: closed, or letting air in.
COVERS: dict[str, tuple[str, bool | str]] = {
    "lid": ("a closed lid", True), "film": ("film", True), "glass": ("glass", True),
    "lid_vented": ("a lid with its vents open", "vented"), "cloth": ("cloth or fleece", "vented"),
}  # fmt: skip
#: What a batch is raised from.
STARTS = {
    "seed": "seed", "bought": "bought plants", "cutting": "cuttings", "slip": "slips", "division": "parts of an old plant",
}  # fmt: skip
#: What was done on a batch's first day.
CAME = {"bought": "bought", "cutting": "cut and set", "slip": "set as slips", "division": "parted"}
#: About how warm it is where a tray stands, in words and °C.
WARMTHS = {
    "cold_room": ("a cold room", 15.0), "living_room": ("a living room", 19.5), "warm_cupboard": ("a warm cupboard", 23.5),
    "on_mat": ("on a mat", 24.0),
}  # fmt: skip
#: How the first water came.
WATERED = {"below": "from below, until the top was dark", "above": "from above", "mist": "misted through"}
#: What was done to it before it was sown.
PRETREATMENTS = {"soak": "soaked", "nick": "nicked", "cold_moist": "kept cold and moist", "hot_water": "hot water"}


def came_words(batch: Batch) -> str:
    """What was done on a batch's first day, in a word: sown, bought, parted."""
    return CAME.get(batch.start or "", "sown")


#: What cells are made of, where it is not plastic.
CONTAINER_WORDS = {
    "blocks": "soil blocks", "paper": "paper pots", "rolls": "paper or card rolls", "tall": "tall cups", "egg_box": "an egg box",
}  # fmt: skip
