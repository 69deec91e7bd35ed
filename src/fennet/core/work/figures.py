"""What each kind of task rests on: one class a kind, so that a figure that is missing or misspelt fails before a person reads it.

What hands are wanted for in caring (thin, prick out, pot up, pinch) stands in `fennet.core.care.handling`.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from datetime import date
from typing import ClassVar, Protocol

from fennet.core.hardening.outings import Outing
from fennet.core.hardening.ready import Ready
from fennet.core.hardening.set_out import SetOut
from fennet.core.working import Interval


class Figures(Protocol):
    """What a task rests on; `kind` names it."""

    kind: ClassVar[str]


def walk_of(figures: Figures) -> Hashable:
    """What must be alike for tasks of one kind to be one walk: the way of watering, the strength of a feed (it is mixed once),
    whether they are up (plants are aired otherwise than seed), and the hours, sun and shelter of an outing."""
    match figures:
        case Water():
            return figures.how
        case Feed():
            return figures.n_mg_per_l
        case Damp():
            return figures.up
        case GoOut():
            return figures.hours, figures.from_h, figures.sun, figures.sheltered, figures.night
    return None


# -- what comes up -------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class HandOver:
    """Steps due in a tray, in order; of its leading batch how many are up, since when, and hours since without light."""

    kind: ClassVar[str] = "hand_over"
    steps: tuple[str, ...]
    batches: tuple[str, ...]
    up: int
    of: int
    since_s: float
    dark_h: float
    #: The cells it is for, where others in the tray wait.
    cells: tuple[str, ...] = ()


@dataclass(frozen=True)
class Look:
    kind: ClassVar[str] = "look"
    up: int
    of: int
    looked_d: float
    towel: bool
    #: Nobody looked for so much longer than is usual here (days) that what did not come may be what was not seen.
    usual_d: float | None = None


@dataclass(frozen=True)
class Mist:
    """So many still wait, with a chance that more come."""

    kind: ClassVar[str] = "mist"
    n: int
    cells: tuple[str, ...]
    chance: float


@dataclass(frozen=True)
class AirCover:
    """A cover that is lifted daily by practice."""

    kind: ClassVar[str] = "air_cover"


@dataclass(frozen=True)
class MistTop:
    """Seed without a cover by practice: so many hours since its top was last wetted, where somebody wrote it down."""

    kind: ClassVar[str] = "mist_top"
    since_h: float | None


@dataclass(frozen=True)
class LitFromSowing:
    """Seed that by practice is lit from the day it is sown, and stands where no lamp and no window is."""

    kind: ClassVar[str] = "lit_from_sowing"


@dataclass(frozen=True)
class CallIt:
    kind: ClassVar[str] = "call_it"
    chance: float
    #: Days until half would be up if it were sown again.
    resow_d: float | None
    n: int
    by_seed: bool


@dataclass(frozen=True)
class Late:
    kind: ClassVar[str] = "late"
    days: float | None
    cause: str


@dataclass(frozen=True)
class ProbeSilent:
    kind: ClassVar[str] = "probe_silent"
    source: str
    silent_h: float


@dataclass(frozen=True)
class ProbeStuck:
    """A logger that shows one figure without the least change: which, of what, the figure, since when (seconds UTC)."""

    kind: ClassVar[str] = "probe_stuck"
    source: str
    quantity: str
    value: float
    since_s: float


@dataclass(frozen=True)
class ProbeImpossible:
    """A logger that shows what cannot be: which, of what, the figure, since when (seconds UTC)."""

    kind: ClassVar[str] = "probe_impossible"
    source: str
    quantity: str
    value: float
    since_s: float


@dataclass(frozen=True)
class ProbeFallen:
    """A logger that seems to lie out of the mix: which, what it showed before and shows now, °C, since when (seconds UTC)."""

    kind: ClassVar[str] = "probe_fallen"
    source: str
    was_c: float
    now_c: float
    since_s: float


@dataclass(frozen=True)
class ProbeDrifting:
    """A logger that comes apart from what is read beside it: both, of what, how far, since when (seconds UTC), and whether the
    other was read by hand."""

    kind: ClassVar[str] = "probe_drifting"
    source: str
    other: str
    quantity: str
    apart: float
    since_s: float
    by_hand: bool


@dataclass(frozen=True)
class NoSoil:
    kind: ClassVar[str] = "no_soil"


# -- what grows ----------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Water:
    """A tray under its band, or before it gets there. `hold` top_wet: let it dry first."""

    kind: ClassVar[str] = "water"
    moisture_pct: float
    low_pct: float
    how: str
    ml: float | None
    minutes: float
    ahead: bool = False
    hold: str = ""


@dataclass(frozen=True)
class FeelMix:
    """Mix that nobody felt or weighed lately: days since it was last watered and the days it likely takes to its dry end; None
    where nobody ever watered it. `usual_d` days between waterings here, where it is their turn by that."""

    kind: ClassVar[str] = "feel"
    since_d: float | None
    dries_d: float | None
    usual_d: float | None = None


@dataclass(frozen=True)
class TooWet:
    kind: ClassVar[str] = "too_wet"
    moisture_pct: float
    high_pct: float


@dataclass(frozen=True)
class SoilOut:
    """The soil, or the `air` that stands for it, beside its band."""

    kind: ClassVar[str] = "soil_out"
    soil_c: float
    low_c: float
    high_c: float
    miss_c: float
    air: bool


@dataclass(frozen=True)
class NoLight:
    kind: ClassVar[str] = "no_light"


@dataclass(frozen=True)
class LightOut:
    kind: ClassVar[str] = "light_out"
    mol_per_day: float
    low_mol: float
    high_mol: float


@dataclass(frozen=True)
class HoursOut:
    kind: ClassVar[str] = "hours_out"
    lit_h: float
    want_h: float
    low_h: float
    high_h: float
    #: The one lamp whose hours would mend it.
    lamp: str


@dataclass(frozen=True)
class LampNear:
    kind: ClassVar[str] = "lamp_near"
    lamp: str
    gap_mm: float
    least_mm: float
    to_mm: float
    #: Whether the least is its maker's, or its kind's.
    by_maker: bool = True


@dataclass(frozen=True)
class Fallen:
    kind: ClassVar[str] = "fallen"
    cover: str


@dataclass(frozen=True)
class Damp:
    kind: ClassVar[str] = "damp"
    index: float
    leading: tuple[str, ...]
    cover: str
    up: bool


@dataclass(frozen=True)
class Leggy:
    kind: ClassVar[str] = "leggy"
    ratio: float


@dataclass(frozen=True)
class Sign:
    kind: ClassVar[str] = "sign"
    signs: tuple[str, ...]


@dataclass(frozen=True)
class Feed:
    kind: ClassVar[str] = "feed"
    n_mg_per_l: float
    first: bool
    push: float
    every_d: float


# -- from the plan -------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class SowDay:
    """A day's sowing: the kinds, cells in all, and the kind that a week's wait would cost most, with the part of its growing it
    would then have."""

    kind: ClassVar[str] = "sow_day"
    day: date
    names: tuple[str, ...]
    cells: int
    waiting: tuple[str, float] | None


@dataclass(frozen=True)
class Prepare:
    """Seed to be made ready before its sowing: how (soak, nick, cold_moist, hot_water), for which day, how many seeds."""

    kind: ClassVar[str] = "prepare"
    name: str
    how: str
    sow_on: date
    seeds: int


# -- on the way out ------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class GoOut:
    """An outing to begin: hours, from when by the clock, sun (shade, half, full), out of the wind, overnight; `outing` says why.
    On a day in, the `porch` that is warm enough, and how warm it was read."""

    kind: ClassVar[str] = "go_out"
    hours: float
    from_h: float | None
    sun: str
    sheltered: bool
    night: bool
    outing: Outing
    porch: str | None = None
    porch_c: float | None = None


@dataclass(frozen=True)
class ComeIn:
    """An outing under way: hours out, the night's low where it is known, and whether that is under what the kind stands."""

    kind: ClassVar[str] = "come_in"
    hours: float
    low_c: float | None
    cold: bool


@dataclass(frozen=True)
class ColdNight:
    """A night foretold that harms what is planted: its low, and what the kind stands, dies of, or runs to seed after."""

    kind: ClassVar[str] = "cold_night"
    low_c: float
    stands_c: float
    kills: bool
    bolts: bool = False


@dataclass(frozen=True)
class HotDay:
    """A hot day foretold for what is planted: its high, and whether the plants are still rooting."""

    kind: ClassVar[str] = "hot_day"
    high_c: float
    rooting: bool


@dataclass(frozen=True)
class PinchOut:
    """A branching kind that is out and was never pinched."""

    kind: ClassVar[str] = "pinch_out"


@dataclass(frozen=True)
class FlowersOff:
    """A fruiting kind that flowers before it has rooted: for how many days more its flowers come off."""

    kind: ClassVar[str] = "flowers_off"
    days: float


@dataclass(frozen=True)
class PlantOut:
    """A batch that may be planted: why, and how it is set out."""

    kind: ClassVar[str] = "plant_out"
    gate: Ready
    set_out: SetOut


# -- what is set ---------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class LampSet:
    """A lamp's height above its place and its hours, and the light these bring to the worst off of its trays."""

    kind: ClassVar[str] = "lamp_set"
    lamp: str
    height_mm: float
    now_mm: float | None
    on_min: int
    off_min: int
    trays: tuple[str, ...]
    low_mol: float
    reaches: bool


@dataclass(frozen=True)
class LampRaise:
    kind: ClassVar[str] = "lamp_raise"
    lamp: str
    to_mm: float


@dataclass(frozen=True)
class MatSet:
    kind: ClassVar[str] = "mat_set"
    mat: str
    to_c: float
    now_c: float | None
    gain_d: float
    expect_soil_c: Interval[float] | None


@dataclass(frozen=True)
class MatLimit:
    kind: ClassVar[str] = "mat_limit"
    mat: str
    most_c: float | None
    middle_c: float


@dataclass(frozen=True)
class MatCheck:
    """A mat whose thermometer cannot be gone by: nothing is set before plug and probe were looked at."""

    kind: ClassVar[str] = "mat_check"
    mat: str
    #: What is wrong: silent, stuck, reads_air or no_soil.
    reason: str


@dataclass(frozen=True)
class ChangePlaces:
    """A tray onto a mat, and another `off` it to make room."""

    kind: ClassVar[str] = "exchange"
    mat: str
    onto: str
    off: str
    gain_d: float


@dataclass(frozen=True)
class PromiseBroken:
    kind: ClassVar[str] = "promise"
    actual_c: float
    low_c: float
    high_c: float
