"""Light against warmth: the photothermal ratio, the best single predictor of sturdy growth."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.crop import Crop
from fennet.core.working import Input, Working

#: A growing base from here on makes a kind a warm one, °C. Source: growers_rule.
WARM_BASE_C = 8.0
#: Degrees over the base counted at least. Source: growers_rule.
LEAST_DEGREES = 2.0
#: Sturdy, in mol per degree-day, for warm and for cool kinds; half of the lower end stretches. Source: starting_estimate.
STURDY_WARM, STURDY_COOL = (0.6, 1.0), (0.7, 1.3)


@dataclass(frozen=True)
class Photothermal:
    """Mol of light per degree-day, the range in which the kind grows sturdy, and the working."""

    ratio: float
    low: float
    high: float
    working: Working

    @property
    def words(self) -> str:
        """thin, low, sturdy or high."""
        if self.ratio < self.low / 2:
            return "thin"
        return "low" if self.ratio < self.low else "sturdy" if self.ratio <= self.high else "high"


def photothermal(crop: Crop, dli_mol: float, mean_c: float) -> Photothermal:
    """The photothermal ratio of a day, mol m⁻² per degree-day above the kind's growing base.

    `dli_mol` mol m⁻² d⁻¹, `mean_c` the day's mean around the plant. At least 2 degrees are counted. Range: growing plants.
    Source: liu_heins_2002; the range called sturdy is starting_estimate.

    A worked example stands in tests/core/test_lighting.py.
    """
    base_c = crop.planting.grow_base_c
    low, high = STURDY_WARM if base_c >= WARM_BASE_C else STURDY_COOL
    degrees = max(LEAST_DEGREES, mean_c - base_c)
    ratio = dli_mol / degrees
    working = Working(
        "light against warmth",
        (
            Input("daily light", round(dli_mol, 2), "mol m⁻² d⁻¹"),
            Input("mean temperature", round(mean_c, 1), "°C"),
            Input("base of growing", base_c, "°C", crop.planting.source, True),
            Input("sturdy from", low, "mol per degree-day", "starting_estimate", True),
            Input("sturdy to", high, "mol per degree-day", "starting_estimate", True),
        ),
        "daily light over degrees above the growing base, at least 2",
        ("liu_heins_2002", "starting_estimate"),
        "growing plants; the range called sturdy is estimated",
        round(ratio, 2),
        "mol per degree-day",
    )
    return Photothermal(ratio, low, high, working)
