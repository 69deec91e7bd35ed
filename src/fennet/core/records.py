"""The vocabulary of Fennet: one definition of each thing a garden's record is made of.

Field names are the keys of the open journal (docs/formats.md); a key that is a Python keyword carries its
journal spelling in the field's metadata. Units stand in the names. Journals are validated straight into these
classes and storage maps its tables onto them.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from functools import cached_property
from typing import Annotated, Any, Literal, Protocol, TypeVar
from zoneinfo import ZoneInfo

import numpy as np
from annotated_types import Ge, Le, Len
from numpy.typing import NDArray

from fennet.core.bounds import (
    MOST_PLANTS,
    AtLeastOne,
    CellName,
    Count,
    Day,
    DayOfYear,
    Finite,
    Instant,
    Millimetres,
    Name,
    NonNegative,
    Positive,
    Share,
    Text,
    Word,
    Year,
)
from fennet.core.kinds import CropId, LooseId, ThingId
from fennet.core.room_here import RoomHere

T = TypeVar("T")
FloatArray = NDArray[np.float64]

PlaceKind = Literal["shelf", "sill", "porch", "outdoors", "floor", "bag"]
LampKind = Literal[
    "white_led", "fluorescent_cool", "fluorescent_warm", "hot_tube", "hps", "metal_halide", "red_blue_led", "incandescent"
]
ContainerKind = Literal["blocks", "paper", "rolls", "tall", "egg_box"]
TrayKind = Literal["cells", "open", "pots", "towel"]
Storage = Literal["room", "cold_dry", "warm_damp"]
Covering = Literal["mix", "vermiculite", "perlite", "none"]
#: What a batch was raised from.
Start = Literal["seed", "bought", "cutting", "slip", "division"]


@dataclass(frozen=True, kw_only=True)
class Garden:
    """A household's account of its growing: where it is and how it is run."""

    name: Name = "Garden"
    timezone: Word = "UTC"
    latitude: Annotated[float, Ge(-90), Le(90)] | None = None
    longitude: Annotated[float, Ge(-180), Le(180)] | None = None
    last_frost: DayOfYear | None = None
    last_frost_sd_d: NonNegative | None = None
    tariff_per_kwh: NonNegative | None = None
    currency: Annotated[Word, Len(1, 8)] | None = None
    practice: Annotated[dict[Word, Word], Len(0, 60)] = field(default_factory=dict)

    @property
    def zone(self) -> ZoneInfo:
        """Its clock."""
        return ZoneInfo(self.timezone)

    def day_of(self, at: datetime) -> date:
        """The garden's own day of a moment, wherever that was written down.

        >>> Garden(timezone="Pacific/Auckland").day_of(datetime.fromisoformat("2026-11-28T20:00:00+00:00")).isoformat()
        '2026-11-29'
        """
        return at.astimezone(self.zone).date()


@dataclass(frozen=True, kw_only=True)
class SeedTest:
    """A germination test at home: how many of how many, on which day."""

    on: Day
    sown: AtLeastOne
    germinated: Count


@dataclass(frozen=True, kw_only=True)
class SeedLot:
    """One packet or saving of seed."""

    id: LooseId
    crop: CropId
    variety: Text | None = None
    source: Text | None = None
    mother: Text | None = None
    packed: Year | None = None
    storage: Storage | None = None
    rate: Share | None = None
    seeds: Count | None = None
    counted_at: Instant | None = None
    treated: bool | None = None
    tests: Annotated[list[SeedTest], Len(0, 400)] = field(default_factory=list)


@dataclass(frozen=True, kw_only=True)
class Room:
    id: ThingId
    name: Text | None = None


@dataclass(frozen=True, kw_only=True)
class Place:
    """Somewhere a tray can stand: a shelf, a sill, a bag."""

    id: ThingId
    room: ThingId | None = None
    kind: PlaceKind | None = None
    name: Text | None = None
    width_mm: Positive | None = None
    depth_mm: Positive | None = None
    x_mm: Millimetres | None = None
    y_mm: Millimetres | None = None
    z_mm: Millimetres | None = None
    facing_deg: Annotated[float, Ge(-360), Le(360)] | None = None
    since: Instant | None = None
    until: Instant | None = None


@dataclass(frozen=True, kw_only=True)
class Outlet:
    id: LooseId
    limit_w: Positive | None = None


@dataclass(frozen=True, kw_only=True)
class Lamp:
    id: ThingId
    place: ThingId | None = None
    kind: LampKind | None = None
    watts: NonNegative | None = None
    lumens: NonNegative | None = None
    lux_per_ppfd: Positive | None = None
    length_mm: Positive | None = None
    min_distance_mm: NonNegative | None = None
    #: Tubes that can be lit one by one; whether foil or white sides keep its light in.
    tubes: Annotated[int, Ge(1), Le(24)] | None = None
    shield: bool | None = None
    outlet: LooseId | None = None
    name: Text | None = None
    since: Instant | None = None
    until: Instant | None = None


@dataclass(frozen=True, kw_only=True)
class Mat:
    id: ThingId
    watts: NonNegative | None = None
    control: Literal["thermostat", "timer", "always"] | None = None
    trays_max: AtLeastOne | None = None
    width_mm: Positive | None = None
    depth_mm: Positive | None = None
    outlet: LooseId | None = None
    name: Text | None = None
    since: Instant | None = None
    until: Instant | None = None


@dataclass(frozen=True, kw_only=True)
class Fan:
    id: ThingId
    place: ThingId | None = None
    watts: NonNegative | None = None
    outlet: LooseId | None = None
    name: Text | None = None
    since: Instant | None = None
    until: Instant | None = None


@dataclass(frozen=True, kw_only=True)
class Tray:
    """A thing with cells (or pots, an open box, a towel) in which batches live."""

    id: ThingId
    kind: TrayKind | None = None
    #: What its cells are made of, where it is not plastic; and whether a wick or a mat below waters it.
    container: ContainerKind | None = None
    wick: bool | None = None
    name: Text | None = None
    rows: Annotated[int, Ge(1), Le(60)] | None = None
    columns: Annotated[int, Ge(1), Le(60)] | None = None
    cell_ml: Positive | None = None
    width_mm: Positive | None = None
    depth_mm: Positive | None = None
    height_mm: Positive | None = None
    since: Instant | None = None
    until: Instant | None = None

    def cell_names(self) -> list[str]:
        """Every cell of the tray, row by row.

        >>> Tray(id="A", rows=1, columns=2).cell_names()
        ['r1c1', 'r1c2']
        """
        return [f"r{r}c{c}" for r in range(1, (self.rows or 0) + 1) for c in range(1, (self.columns or 0) + 1)]


@dataclass(frozen=True, kw_only=True)
class Calibration:
    """Two points that turn a probe's or a balance's figure into percent of capacity, from a moment on."""

    quantity: Word
    dry: Finite
    capacity: Finite
    unit: Word | None = None
    from_at: Instant | None = field(default=None, metadata={"key": "from"})


@dataclass(frozen=True, kw_only=True)
class Source:
    """Who or what took a reading."""

    id: LooseId
    kind: Literal["thermometer", "moisture", "light", "logger", "person"] | None = None
    sited: ThingId | None = None
    calibration: Annotated[list[Calibration], Len(0, 400)] = field(default_factory=list)


@dataclass(frozen=True, kw_only=True)
class Mix:
    kind: Literal["seed_mix", "potting_mix", "garden_soil", "coir", "other"] | None = None
    clean: bool | None = None
    fed: bool | None = None
    #: The grower's own recipe, by its name; own or bought; damped before it was filled in or after.
    recipe: Text | None = None
    own: bool | None = None
    wetted: Literal["before", "after"] | None = None


@dataclass(frozen=True, kw_only=True)
class Pretreatment:
    kind: Literal["soak", "nick", "cold_moist", "hot_water"]
    hours: NonNegative | None = None


#: So many seeds at least make a row of a place that a batch names; fewer are seeds of its cells.
SEEDS_IN_A_ROW = 5


@dataclass(frozen=True, kw_only=True)
class Batch:
    """One kind, sown at one time, in some cells of one tray.

    What was not raised from seed (`start`) came on its `sown_at` as plants: from where (`source`), how tall (`size_mm`).
    """

    id: ThingId
    crop: CropId
    sown_at: Instant
    tray: ThingId | None = None
    cell_list: Annotated[list[CellName], Len(0, 3600)] | None = None
    cells: AtLeastOne | None = None
    seeds: AtLeastOne | None = None
    seed_lot: LooseId | None = None
    variety: Text | None = None
    set_up: Literal["in_mix", "towel", "crowd"] | None = None
    seeds_per_cell: AtLeastOne | None = None
    depth_mm: Annotated[float, Ge(0), Le(500)] | None = None
    mix: Mix | None = None
    covered_with: Covering | None = None
    pretreatment: Annotated[list[Pretreatment], Len(0, 20)] | None = None
    from_batch: ThingId | None = field(default=None, metadata={"key": "from"})
    want: LooseId | None = None
    sowing: Annotated[Word, Len(1, 8)] | None = None
    start: Start | None = None
    source: Text | None = None
    size_mm: Annotated[float, Ge(1), Le(3000)] | None = None
    practice: Annotated[dict[Word, Word], Len(0, 60)] = field(default_factory=dict)

    @property
    def from_seed(self) -> bool:
        """Whether it was sown; else it came as plants, and nobody waits for it to come up."""
        return self.start in (None, "seed")

    @property
    def by_seed(self) -> bool:
        """Whether it is counted by the seed and not by the cell: in a towel, scattered in an open box, or in rows of one, whose
        names stand in `cell_list` beside the number of seeds."""
        rows = (
            self.cell_list is not None
            and self.seeds_per_cell is None
            and (self.seeds or 0) >= SEEDS_IN_A_ROW * len(self.cell_list)
        )
        return bool(self.seeds) and self.cells is None and (not self.cell_list or rows)

    @property
    def n_cells(self) -> int:
        """Cells sown; what is counted by the seed counts one each."""
        if self.by_seed:
            return self.seeds or 1
        return len(self.cell_list) if self.cell_list else (self.cells or self.seeds or 1)

    @property
    def n_seeds_per_cell(self) -> int:
        if self.seeds_per_cell:
            return self.seeds_per_cell
        if self.seeds and self.cells:
            return max(1, round(self.seeds / self.cells))
        return 1


@dataclass(frozen=True, kw_only=True)
class Event:
    """A deed, a count or a sign, never changed once written; `fields` holds what its kind carries."""

    kind: str
    at: Instant
    id: LooseId
    by: Text | None = None
    fields: Mapping[str, Any] = field(default_factory=dict)

    @cached_property
    def at_s(self) -> float:
        """When it was, seconds UTC."""
        return self.at.timestamp()


@dataclass(frozen=True, kw_only=True)
class Want:
    """Plants wanted of one kind: by when, where, how sure, once or every so many days.

    `moved` holds the grower's own sowing dates by the number of the sowing ("1" the first); `practice` overrides the garden's.
    """

    crop: CropId
    variety: Text | None = None
    plants: Annotated[int, Ge(1), Le(MOST_PLANTS)] | None = None
    out_by: Day | None = None
    spares: Annotated[int, Ge(0), Le(MOST_PLANTS)] | None = None
    id: LooseId | None = None
    where: Literal["out", "indoors"] | None = None
    season: Literal["spring", "autumn"] | None = None
    every_days: Annotated[int, Ge(1), Le(366)] | None = None
    times: Annotated[int, Ge(1), Le(30)] | None = None
    confidence: Annotated[float, Ge(0.5), Le(0.999)] | None = None
    seed_lot: LooseId | None = None
    moved: Annotated[dict[Word, Day], Len(0, 60)] = field(default_factory=dict)
    practice: Annotated[dict[Word, Word], Len(0, 60)] = field(default_factory=dict)
    note: Text | None = None


@dataclass(frozen=True, kw_only=True)
class Target:
    """A grower's own band for one quantity: of one batch or one crop, in one stage or all, from a moment on."""

    quantity: Word
    low: Finite
    high: Finite
    ideal_low: Finite | None = None
    ideal_high: Finite | None = None
    crop: CropId | None = None
    batch: ThingId | None = None
    stage: Word | None = None
    from_at: Instant | None = field(default=None, metadata={"key": "from"})


@dataclass(frozen=True)
class Series:
    """Readings of one quantity by one source at one spot, in canonical units, in order of time.

    `at_s` seconds since 1970 UTC; `value` canonical; `estimated` true where a person guessed; `daylight` true where a light
    reading is of the sky and not of a lamp (None: none is); same length each. `spot_mm` (x, y, z) where on its place it was read.
    """

    place: str
    quantity: str
    source: str | None
    at_s: FloatArray
    value: FloatArray
    estimated: NDArray[np.bool_]
    daylight: NDArray[np.bool_] | None = None
    spot_mm: tuple[float | None, float | None, float | None] | None = None
    #: The revision it was read at, where it was read from a store.
    revision: Hashable = None

    def only(self, keep: NDArray[np.bool_]) -> Series:
        """Some of the readings: those where `keep` is true."""
        sky = self.daylight[keep] if self.daylight is not None else None
        return replace(
            self, at_s=self.at_s[keep], value=self.value[keep], estimated=self.estimated[keep], daylight=sky, revision=None
        )

    def until(self, at_s: float) -> Series:
        """What was known at a moment: nothing later than `at_s`."""
        if not len(self.at_s) or self.at_s[-1] <= at_s:
            return self
        n = int(np.searchsorted(self.at_s, at_s, side="right"))
        sky = self.daylight[:n] if self.daylight is not None else None
        known = None if self.revision is None else (self.revision, at_s)
        return replace(self, at_s=self.at_s[:n], value=self.value[:n], estimated=self.estimated[:n], daylight=sky, revision=known)


#: A logger writes at even steps no longer than so: so many of them in a row, and this part of them within a quarter of the middle
#: one. A handful of readings on an afternoon is none. Source: growers_rule.
LOGGER_STEP_S, LOGGER_STEPS, LOGGER_EVEN, LOGGER_WITHIN = 3 * 3600.0, 5, 0.7, 0.25


def is_logger(series: Series, kinds: Mapping[str, str | None] | None = None) -> bool:
    """Whether a device wrote a series: its source says so, or its even steps do. `kinds` source id → kind.

    >>> at = np.arange(8) * 1800.0
    >>> by = Series("A", "light", None, at, np.zeros(8), np.zeros(8, bool))
    >>> is_logger(by), is_logger(by.only(at < 5000.0)), is_logger(by, {"x": "person"})
    (True, False, True)
    """
    kind = (kinds or {}).get(series.source or "")
    if kind == "logger" and len(series.at_s):
        return True
    steps = np.diff(series.at_s[-200:])
    if kind == "person" or len(steps) < LOGGER_STEPS:
        return False
    middle = float(np.median(steps))
    even = np.abs(steps - middle) <= LOGGER_WITHIN * middle
    return 0.0 < middle <= LOGGER_STEP_S and float(even.mean()) >= LOGGER_EVEN


@dataclass(frozen=True)
class RecordFault:
    """A value that was stored and cannot be: in which record, which field, what stands there. Where the record can do without
    the value it is read without it, else (`whole`) it is left out until the value is mended."""

    section: str
    id: str
    field: str
    given: str
    whole: bool = False


class Keeps(Protocol):
    """Where answers and steps of them are kept: `get` gives what is filed under a key, or makes it."""

    def get(self, key: Hashable, make: Callable[[], T]) -> T: ...


class KeepsNothing:
    """Everything is made anew."""

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        return make()


@dataclass(frozen=True, kw_only=True)
class Journal:
    """A garden's whole record, or the part of it that a question needs."""

    garden: Garden = field(default_factory=Garden)
    crops: list[dict[str, Any]] = field(default_factory=list)
    seed_lots: list[SeedLot] = field(default_factory=list)
    rooms: list[Room] = field(default_factory=list)
    places: list[Place] = field(default_factory=list)
    outlets: list[Outlet] = field(default_factory=list)
    lamps: list[Lamp] = field(default_factory=list)
    mats: list[Mat] = field(default_factory=list)
    fans: list[Fan] = field(default_factory=list)
    trays: list[Tray] = field(default_factory=list)
    sources: list[Source] = field(default_factory=list)
    batches: list[Batch] = field(default_factory=list)
    series: list[Series] = field(default_factory=list)
    events: list[Event] = field(default_factory=list)
    wants: list[Want] = field(default_factory=list)
    promises: list[dict[str, Any]] = field(default_factory=list)
    targets: list[dict[str, Any]] = field(default_factory=list)
    feeds: list[dict[str, Any]] = field(default_factory=list)
    recipes: list[dict[str, Any]] = field(default_factory=list)
    minima: list[dict[str, Any]] = field(default_factory=list)
    weather: list[dict[str, Any]] = field(default_factory=list)
    plans: list[dict[str, Any]] = field(default_factory=list)
    learned: list[dict[str, Any]] = field(default_factory=list)
    trials: list[dict[str, Any]] = field(default_factory=list)
    #: What of the stored record cannot be read; never part of a journal.
    faults: list[RecordFault] = field(default_factory=list)
    #: The revisions the set-up and the weather were read at, where they come from a store, and which correction of events holds;
    #: never part of a journal.
    revision: Hashable = None
    weather_revision: Hashable = None
    corrected: Mapping[str, str] = field(default_factory=dict)
    #: What the garden's own past says is usual of its trays, mats and lamps; never part of a journal.
    here: RoomHere = field(default_factory=RoomHere)
    #: Where what is worked out from it is kept.
    keeps: Keeps = field(default_factory=KeepsNothing, repr=False, compare=False)
