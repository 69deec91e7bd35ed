"""How one batch's emergence forecast is told."""

from __future__ import annotations

from dataclasses import dataclass, field

from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, SoilRecord
from fennet.core.history import Counts
from fennet.core.records import Batch, FloatArray
from fennet.core.working import Interval, Working


@dataclass(frozen=True)
class Curve:
    """Number expected up over time: seconds UTC, and low, middle, high of an 80 % range."""

    at_s: FloatArray
    p10: FloatArray
    p50: FloatArray
    p90: FloatArray


@dataclass(frozen=True)
class Forecast:
    """What can be said of one batch at one moment. Times are seconds UTC; None where nothing can be said."""

    batch: Batch
    crop: Crop
    at_s: float
    verdict: str
    counts: Counts
    soil: SoilRecord
    reason: str = ""
    half_up: Interval[float] | None = None
    first_up: Interval[float] | None = None
    final_count: Interval[float] | None = None
    days_at_target: float | None = None
    delay_days: dict[str, float] = field(default_factory=dict)
    call_it_s: float | None = None
    chance_of_more: float | None = None
    as_recorded: str = ""
    expected_now: Interval[float] | None = None
    at_target_now: Interval[float] | None = None
    rest_days_at_target: float | None = None
    estimated: bool = False
    expected: Curve | None = None
    at_target: Curve | None = None
    workings: dict[str, Working] = field(default_factory=dict)

    @property
    def supposed(self) -> bool:
        """Whether it rests on no reading at all, only on a house as people live in it."""
        return self.soil.basis == "house"

    @property
    def delay_total_days(self) -> float | None:
        """Days by which half-up runs behind the same sowing at target; None where either is unknown."""
        if self.half_up is None or self.days_at_target is None or self.supposed:
            return None
        return (self.half_up.p50 - self.batch.sown_at.timestamp()) / DAY_S - self.days_at_target


def happened(counts: Counts, n: int) -> Interval[float] | None:
    """When the n-th was first seen up, as a range of no width."""
    at_s = counts.reached(n) if n else None
    return Interval(at_s, at_s, at_s) if at_s is not None else None
