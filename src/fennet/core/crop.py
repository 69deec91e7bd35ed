"""A crop's figures, each with its unit and its source."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fennet.core.response import Response
from fennet.core.working import Input

#: Unit of every numeric column of the crop table. A column that is not here is a word, not a figure.
FIGURE_UNITS: dict[str, str] = {
    "t_base_c": "°C", "t_lo_c": "°C", "t_hi_c": "°C", "t_ceil_c": "°C", "r_max_per_day": "1/d",
    "share_full_to_c": "°C", "share_none_at_c": "°C", "wait_sigma": "ln d",
    "depth_mm": "mm", "covered_share": "share", "untreated_share": "share", "half_life_y": "y",
    "soil_low_c": "°C", "soil_ideal_low_c": "°C", "soil_ideal_high_c": "°C", "soil_high_c": "°C",
}  # fmt: skip


@dataclass(frozen=True)
class BandFigures:
    """A band of the table: low to high in the quantity's unit, an ideal where it is not the middle half, `night` (low, high)."""

    low: float
    high: float
    source: str
    ideal_low: float | None = None
    ideal_high: float | None = None
    night: tuple[float, float] | None = None
    least: float | None = None
    warning: str = ""
    estimated: bool = False


#: Unit of the quantities that have a band.
BAND_UNITS = {"soil_temperature": "°C", "daily_light": "mol m⁻² d⁻¹", "light_hours": "h", "moisture": "% of capacity"}


def _band_inputs(stage: str, quantity: str, b: BandFigures) -> list[Input]:
    ends: list[tuple[str, float | None]] = [
        ("low", b.low), ("ideal_low", b.ideal_low), ("ideal_high", b.ideal_high), ("high", b.high), ("least", b.least),
        ("night_low", b.night[0] if b.night else None), ("night_high", b.night[1] if b.night else None),
    ]  # fmt: skip
    name, unit = f"{stage}_{quantity}", BAND_UNITS[quantity]
    return [Input(f"{name}_{end}", value, unit, b.source, b.estimated) for end, value in ends if value is not None]


@dataclass(frozen=True, kw_only=True)
class Crop:
    """What Fennet knows of one kind: enough to germinate it, and where each figure comes from."""

    id: str
    name: str
    synonyms: tuple[str, ...]
    family: str
    group: str
    seed_leaf: str
    t_base_c: float
    t_lo_c: float
    t_hi_c: float
    t_ceil_c: float
    r_max_per_day: float
    share_full_to_c: float
    share_none_at_c: float
    wait_sigma: float
    depth_mm: float
    seed_light: str
    covered_share: float
    pretreatment: str
    untreated_share: float
    half_life_y: float
    soil_low_c: float
    soil_ideal_low_c: float
    soil_ideal_high_c: float
    soil_high_c: float
    caution: str = ""
    #: (stage: sown or growing, quantity: soil_temperature, daily_light, light_hours, moisture) → band.
    bands: Mapping[tuple[str, str], BandFigures] = field(default_factory=dict)
    sources: Mapping[str, str] = field(default_factory=dict)
    estimates: frozenset[str] = frozenset()

    @property
    def response(self) -> Response:
        return Response(
            self.t_base_c, self.t_lo_c, self.t_hi_c, self.t_ceil_c, self.r_max_per_day, self.share_full_to_c, self.share_none_at_c
        )

    @property
    def estimated(self) -> bool:
        """True where no trial stands behind the emergence response: it is its family's shape scaled to a packet range."""
        return "r_max_per_day" in self.estimates

    @property
    def target_soil_c(self) -> float:
        """The middle of the ideal band: what "at target" means for a sown tray."""
        return (self.soil_ideal_low_c + self.soil_ideal_high_c) / 2

    def figures(self) -> list[Input]:
        """Every figure with its unit and source key: those of the table in its order, then the bands of growing."""
        own = [
            Input(name, float(getattr(self, name)), unit, self.sources.get(name, ""), name in self.estimates)
            for name, unit in FIGURE_UNITS.items()
        ]
        return own + [i for (stage, quantity), b in self.bands.items() for i in _band_inputs(stage, quantity, b)]
