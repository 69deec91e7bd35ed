"""What a garden's own past says is usual of its trays, mats and lamps, where each one's own readings of late say nothing yet."""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from hashlib import sha256

NEVER_S = float("-inf")


@dataclass(frozen=True)
class Usual:
    """What is to be expected of one thing against the table: how far off it (the logarithm of a factor, or °C), its sd on the
    same scale, how many months it rests on, and the moment (seconds UTC) from which its own readings count beside it. `own` where
    it is the grower's figure and nothing that was learned."""

    off: float
    sd: float
    rests_on: int = 0
    since_s: float = NEVER_S
    own: bool = False

    @property
    def times(self) -> float:
        """The factor, where `off` is the logarithm of one.

        >>> round(Usual(math.log(1.5), 0.2).times, 3)
        1.5
        """
        return math.exp(self.off)


@dataclass(frozen=True)
class RoomHere:
    """What is usual here: how fast each tray dries against others like it; how far the soil stands over its mat's set-point (°C)
    and what the mat lifts it, by mat and tray; what each lamp gives at 150 mm against its lumens, or against a lamp of which
    nothing is known. Of what is not named only the table tells."""

    drying: Mapping[str, Usual] = field(default_factory=dict)
    offset: Mapping[tuple[str, str], Usual] = field(default_factory=dict)
    lift: Mapping[tuple[str, str], Usual] = field(default_factory=dict)
    output: Mapping[str, Usual] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.drying or self.offset or self.lift or self.output)

    @cached_property
    def fingerprint(self) -> Hashable:
        """What tells it from what was learned at another time, to file under: short, since it stands in every key."""
        if not self:
            return None
        said = [sorted(of.items()) for of in (self.drying, self.offset, self.lift, self.output)]
        return sha256(repr(said).encode()).hexdigest()

    def over_c(self, mat: str, tray: str) -> float:
        """How far the soil of a tray stands over its mat's set-point, °C."""
        usual = self.offset.get((mat, tray))
        return usual.off if usual is not None else 0.0

    def lift_times(self, mat: str, tray: str) -> float:
        """What a mat lifts a tray, times what mats usually do."""
        usual = self.lift.get((mat, tray))
        return usual.times if usual is not None else 1.0
