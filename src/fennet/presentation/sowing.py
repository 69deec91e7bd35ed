"""What was done to seed and over it, in words."""

from __future__ import annotations

#: What seed is covered with.
COVERINGS = {"mix": "sieved mix", "vermiculite": "vermiculite", "perlite": "perlite", "none": "nothing"}
#: What was done to it before it was sown.
PRETREATMENTS = {"soak": "soaked", "nick": "nicked", "cold_moist": "kept cold and moist", "hot_water": "hot water"}
