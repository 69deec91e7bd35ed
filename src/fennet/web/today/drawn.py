"""What the bench drawing is made of: places with their lamps and trays in millimetres of the room, and the twin in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from fennet.core.conditions import Conditions
from fennet.core.crop import Crop
from fennet.core.forecast import Forecast
from fennet.core.records import Batch, Tray

#: Paper left of a place, mm of the room.
SIDE_MM = 56.0
#: Stands for the room of places that were given none; no id of a thing begins with a space.
ROOMLESS = " none"


@dataclass(frozen=True)
class Matter:
    """What stands beside a tray in the drawing: words, and a mark for over (▲) or under (▼) where that is meant."""

    what: str
    mark: str
    grave: bool = False


@dataclass(frozen=True)
class TrayNow:
    """A tray with what is in it now: batch, conditions, forecast and crop of each; what is out of band; and the names of what is
    in it without that anything could be worked out of it."""

    tray: Tray
    inside: list[tuple[Batch, Conditions, Forecast | None, Crop]]
    matters: Sequence[Matter]
    untold: Sequence[str] = ()


@dataclass(frozen=True)
class Seedling:
    x: float
    leaf: str
    size: float
    stem: float


@dataclass(frozen=True)
class DrawnTray:
    id: str
    name: str
    short: str
    x: float
    y: float
    width: float
    height: float
    seedlings: list[Seedling]
    up: str
    cover: str
    mat: str
    under: list[tuple[str, str]]
    callout: str
    mark: str
    told: str

    @property
    def shown_up(self) -> str:
        """How many are up, where there is room to write it."""
        return self.up if self.width > 250 and len(self.name) < 16 else ""

    @property
    def label(self) -> str:
        """The name of its link: what is written on it, in that order, and the rest."""
        written = [self.id, self.short, self.shown_up, *(words for _, words in self.under), f"{self.mark} {self.callout}"]
        return f"{' '.join(w.strip() for w in written if w.strip())}; {self.told}"


@dataclass(frozen=True)
class Ray:
    x1: float
    x2: float
    y1: float
    y2: float


@dataclass(frozen=True)
class DrawnLamp:
    id: str
    x: float
    y: float
    width: float
    hang: float
    words: str
    rays: list[Ray]
    shade: float
    lit: bool
    distance: tuple[float, float, float, str] | None
    out: bool
    told: str
    height_mm: float | None
    lower: str
    higher: str


@dataclass(frozen=True)
class DrawnPlace:
    id: str
    name: str
    kind: str
    x: float
    y: float
    width: float
    top: float
    bottom: float
    trays: list[DrawnTray]
    lamps: list[DrawnLamp]
    told: str

    @property
    def box(self) -> str:
        """The part of the drawing that holds this place."""
        return f"{self.x - SIDE_MM:.0f} {self.top:.0f} {self.width + 2 * SIDE_MM + 40:.0f} {self.bottom - self.top:.0f}"

    @property
    def share(self) -> int:
        """Its width in steps of a decimetre, for laying columns side by side."""
        return max(2, min(30, round((self.width + 2 * SIDE_MM) / 100)))


@dataclass(frozen=True)
class Row:
    """The twin in words: one line a tray."""

    place: str
    tray: str
    crop: str
    up: str
    soil: str
    light: str
    hours: str
    moisture: str
    surroundings: str


@dataclass(frozen=True)
class Bench:
    columns: list[list[DrawnPlace]]
    rows: list[Row] = field(default_factory=list)
    loose: list[str] = field(default_factory=list)

    @property
    def places(self) -> list[DrawnPlace]:
        return [p for column in self.columns for p in column]
