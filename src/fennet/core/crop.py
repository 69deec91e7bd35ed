"""A crop's figures, each with its unit and its source."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field

from fennet.core.growth import Growth
from fennet.core.learning.pooling import Figure
from fennet.core.response import Response
from fennet.core.working import Input

#: The source key of a figure that a garden's own record made.
LEARNED_HERE = "learned_here"
#: Unit of every numeric column of the crop table. A column that is not here is a word, not a figure.
FIGURE_UNITS: dict[str, str] = {
    "t_base_c": "°C", "t_lo_c": "°C", "t_hi_c": "°C", "t_ceil_c": "°C", "r_max_per_day": "1/d",
    "share_none_below_c": "°C", "share_full_from_c": "°C", "share_full_to_c": "°C", "share_none_at_c": "°C", "wait_sigma": "ln d",
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


#: Unit of every figure of planting out. `hardiness` beside them is a word.
PLANTING_UNITS: dict[str, str] = {
    "least_night_c": "°C", "kills_at_c": "°C", "least_soil_c": "°C", "grow_base_c": "°C", "grow_least_days": "d",
    "grow_days": "d", "grow_most_days": "d", "pot_up_days": "d", "pot_mm": "mm", "harden_days": "d", "summer_to_c": "°C",
    "cold_weeks": "weeks", "long_day_h": "h", "short_day_h": "h", "autumn_days": "d",
}  # fmt: skip
HARDINESS = ("hardy", "half_hardy", "tender")


@dataclass(frozen=True, kw_only=True)
class Planting:
    """From half up to planted out: how long, in what pot, and what the outdoors must hold first.

    `grow_least_days`, `grow_days`, `grow_most_days`: from half up to hardening off at the growing band, for the youngest plant
    that stands planting, the usual one, and the oldest that its pot still holds. `kills_at_c`: a frost that kills it hardened.
    `summer_to_c`: mean air above which a cool crop bolts or stops. `long_day_h`, `short_day_h`: days longer (shorter) than this
    make it bulb, bolt or flower. `autumn_days`: from planting to harvest in a cooling season. None: does not apply.
    """

    hardiness: str
    least_night_c: float
    kills_at_c: float
    least_soil_c: float
    grow_base_c: float
    grow_least_days: float
    grow_days: float
    grow_most_days: float
    harden_days: float
    pot_up_days: float | None = None
    pot_mm: float | None = None
    summer_to_c: float | None = None
    cold_weeks: float | None = None
    long_day_h: float | None = None
    short_day_h: float | None = None
    autumn_days: float | None = None
    source: str = "planting_estimate"
    #: Figures that are the grower's own.
    own: frozenset[str] = frozenset()

    def figures(self) -> list[Input]:
        """Every figure that applies, with its unit and source key."""
        return [
            Input(name, value, unit, "growers_own" if name in self.own else self.source, name not in self.own)
            for name, unit in PLANTING_UNITS.items()
            if (value := getattr(self, name)) is not None
        ]

    def faults(self) -> list[str]:
        """What does not hold together, in words."""
        out = []
        if self.hardiness not in HARDINESS:
            out.append(f"hardiness must be one of {', '.join(HARDINESS)}")
        if not 0 < self.grow_least_days <= self.grow_days <= self.grow_most_days:
            out.append("0 < grow_least_days <= grow_days <= grow_most_days must hold")
        if self.harden_days < 0:
            out.append("harden_days must be 0 or more")
        if self.pot_up_days is not None and not 0 < self.pot_up_days < self.grow_most_days:
            out.append("pot_up_days must be above 0 and under grow_most_days")
        return out


#: Unit of every figure of the bed. `set`, `support`, `eaten_by` and `gives` beside them are words.
BED_UNITS: dict[str, str] = {
    "spacing_mm": "mm", "row_mm": "mm", "spread_mm": "mm", "first_least_days": "d", "first_days": "d", "first_most_days": "d",
}  # fmt: skip
#: How deep it goes: as it stood, crown above the soil, to its first leaves, up its stem, into a hole of its own, or deep.
SETS = ("level", "crown", "leaves", "stem", "dibbed", "deep")
SUPPORTS = ("none", "stake", "canes", "net", "strings")
EATERS = ("slugs", "birds", "mice", "caterpillars", "flea_beetles")
GIVES = ("pick", "flower")
#: How it grows; in which season it flowers when sown in its usual time; and from when packets of it count the days to maturity.
FORMS = ("compact", "tall", "climbing", "trailing")
FLOWERS = ("", "first", "second")
COUNTED_FROM = ("sowing", "planting")


@dataclass(frozen=True, kw_only=True)
class Bed:
    """How a kind is planted out, how it grows there, and what it gives how soon.

    `spacing_mm`, `row_mm`: between plants and between rows; `spread_mm`: how wide one grows. `first_least_days`, `first_days`,
    `first_most_days`: early, usual and late days from planting out to the first that is picked, or to the first flower where it
    `gives` flowers; packets of some kinds count from sowing (`counted_from`). `flowers`: in its first or second season; empty
    where it is grown for something else.
    """

    spacing_mm: float
    row_mm: float
    first_least_days: float
    first_days: float
    first_most_days: float
    spread_mm: float
    form: str = "compact"
    flowers: str = ""
    counted_from: str = "planting"
    set: str = "level"
    support: str = "none"
    eaten_by: tuple[str, ...] = ()
    gives: str = "pick"
    source: str = "bed_estimate"
    own: frozenset[str] = frozenset()

    def figures(self) -> list[Input]:
        """Every figure, with its unit and source key."""
        return [
            Input(name, getattr(self, name), unit, "growers_own" if name in self.own else self.source, name not in self.own)
            for name, unit in BED_UNITS.items()
        ]

    def faults(self) -> list[str]:
        """What does not hold together, in words."""
        out = []
        for name, accepted in (
            ("set", SETS), ("support", SUPPORTS), ("gives", GIVES), ("form", FORMS), ("flowers", FLOWERS),
            ("counted_from", COUNTED_FROM),
        ):  # fmt: skip
            if getattr(self, name) not in accepted:
                out.append(f"{name} must be one of {', '.join(accepted)}")
        if not set(self.eaten_by) <= set(EATERS):
            out.append(f"eaten_by must be of {', '.join(EATERS)}")
        if not 0 < self.first_least_days <= self.first_days <= self.first_most_days:
            out.append("0 < first_least_days <= first_days <= first_most_days must hold")
        if min(self.spacing_mm, self.row_mm, self.spread_mm) <= 0:
            out.append("spacing_mm, row_mm and spread_mm must be above 0")
        return out


def key_of(crop: Crop) -> Hashable:
    """What tells one garden's crop from the table's, to file under."""
    return crop.here.key if crop.here is not None else None


def _band_inputs(stage: str, quantity: str, b: BandFigures) -> list[Input]:
    ends: list[tuple[str, float | None]] = [
        ("low", b.low), ("ideal_low", b.ideal_low), ("ideal_high", b.ideal_high), ("high", b.high), ("least", b.least),
        ("night_low", b.night[0] if b.night else None), ("night_high", b.night[1] if b.night else None),
    ]  # fmt: skip
    name, unit = f"{stage}_{quantity}", BAND_UNITS[quantity]
    return [Input(f"{name}_{end}", value, unit, b.source, b.estimated) for end, value in ends if value is not None]


@dataclass(frozen=True, kw_only=True)
class Here:
    """What one garden has learned of a kind, a variety and a lot, against the table. None: nothing yet.

    `pace` log of the rate against the table's; `spread` log of the spread of waits against the table's; `alive` probit of the
    share alive against what label and age say; `survival` log odds of living to be planted against what is usual;
    `height` log of how tall it grows against the table's, all in all, and `tall` what of that is the variety's own nature, by
    comparison with others of its kind under the same lamps; `leaves` log of days from leaf to leaf against the table's;
    `warmth` by what a record is of (soil, air, house): how far it is off, in sd of what it may be off.
    """

    pace: Figure | None = None
    spread: Figure | None = None
    alive: Figure | None = None
    survival: Figure | None = None
    height: Figure | None = None
    tall: Figure | None = None
    leaves: Figure | None = None
    warmth: Mapping[str, Figure] = field(default_factory=dict)

    @property
    def key(self) -> tuple[object, ...]:
        """Its figures, to file under."""
        said = (self.pace, self.spread, self.alive, self.survival, self.height, self.tall, self.leaves)
        return (*said, tuple(sorted(self.warmth.items())))


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
    share_none_below_c: float
    share_full_from_c: float
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
    planting: Planting
    bed: Bed
    growth: Growth
    sources: Mapping[str, str] = field(default_factory=dict)
    estimates: frozenset[str] = frozenset()
    #: What a garden has learned of it; its figures then are that garden's own.
    here: Here | None = None

    @property
    def response(self) -> Response:
        return Response(
            self.t_base_c, self.t_lo_c, self.t_hi_c, self.t_ceil_c, self.r_max_per_day,
            self.share_none_below_c, self.share_full_from_c, self.share_full_to_c, self.share_none_at_c,
        )  # fmt: skip

    @property
    def estimated(self) -> bool:
        """True where no trial stands behind the emergence response: it is its family's shape scaled to a packet range."""
        return "r_max_per_day" in self.estimates

    @property
    def target_soil_c(self) -> float:
        """The middle of the ideal band: what "at target" means for a sown tray."""
        return (self.soil_ideal_low_c + self.soil_ideal_high_c) / 2

    def figures(self) -> list[Input]:
        """Every figure with its unit and source key, in the order of the table; bands, growth, planting and bed behind."""
        own = [
            Input(name, float(getattr(self, name)), unit, self.sources.get(name, ""), name in self.estimates)
            for name, unit in FIGURE_UNITS.items()
        ]
        bands = [i for (stage, quantity), b in self.bands.items() for i in _band_inputs(stage, quantity, b)]
        return own + bands + self.growth.figures() + self.planting.figures() + self.bed.figures()
