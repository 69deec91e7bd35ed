"""What seed is raised in, beyond cells and millilitres: soil blocks, paper pots and rolls, tall cups, egg boxes, wicks from
below; what each means for drying, for the depth of root and the days until potting, and whether a kind suits it."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.crop import Crop
from fennet.core.records import Tray

#: A cell holds a plant for so many days by its volume. Source: starting_estimate.
DAYS_PER_ML, FEWEST_D = 0.35, 14.0
#: Water from a wick or a mat below makes a tray need it so much less often. Source: starting_estimate.
WICK_DRIES = 0.4
#: Kinds that go down with one root and take ill to being moved, beside those that are never pricked out. Source: growers_rule.
TAP_ROOTED = frozenset(
    ("artichoke", "cardoon", "hollyhock", "salsify", "scorzonera", "parsley", "caraway", "rhubarb", "borage", "lupin", "poppy")
)
#: A tap root wants so much depth, mm; a cell under so many ml is soon full. Source: growers_rule.
TAP_DEPTH_MM, SMALL_ML = 70.0, 25.0


@dataclass(frozen=True)
class Container:
    """How a container differs from a plastic cell of the same volume: `dries` times the loss of water, `holds` times the days
    until roots run round (they stop at the air of a block, and go on through paper); `depth_mm` and `ml` where nobody gave
    them."""

    key: str
    dries: float
    holds: float
    depth_mm: float
    ml: float


#: Source: starting_estimate, growers_rule.
CONTAINERS: dict[str, Container] = {
    c.key: c
    for c in (
        Container("blocks", 1.35, 1.3, 45.0, 90.0), Container("paper", 1.3, 1.2, 70.0, 120.0),
        Container("rolls", 1.2, 1.2, 100.0, 110.0), Container("tall", 0.85, 1.25, 130.0, 250.0),
        Container("egg_box", 1.5, 0.8, 30.0, 20.0),
    )
}  # fmt: skip
PLAIN = Container("", 1.0, 1.0, 50.0, 60.0)


def container_of(tray: Tray) -> Container:
    """What a tray is made of; plastic cells where nobody said."""
    return CONTAINERS.get(tray.container or "", PLAIN)


def dries_of(tray: Tray | None) -> float:
    """How many times as fast a tray dries as plastic cells watered from the top would. Source: starting_estimate.

    >>> dries_of(Tray(id="A", container="blocks")), dries_of(Tray(id="A", wick=True)), dries_of(None)
    (1.35, 0.4, 1.0)
    """
    if tray is None:
        return 1.0
    return container_of(tray).dries * (WICK_DRIES if tray.wick else 1.0)


def cell_holds_d(cell_ml: float, container: Container = PLAIN) -> float:
    """Days a cell of a volume holds one plant before its roots run round. Source: starting_estimate.

    >>> cell_holds_d(60.0), cell_holds_d(60.0, CONTAINERS["blocks"])
    (35.0, 45.5)
    """
    return (FEWEST_D + DAYS_PER_ML * cell_ml) * container.holds


def holds_d(tray: Tray) -> float:
    """Days a tray's cells hold a plant, by what they are made of and how large they are. Source: starting_estimate."""
    made_of = container_of(tray)
    return cell_holds_d(tray.cell_ml or made_of.ml, made_of)


def advice(crop: Crop, tray: Tray) -> str:
    """The key of a line where a kind and its container do not suit, "" where they do: `tap_root` too shallow for a root that
    goes straight down, `outgrows` a cell so small that it is full long before planting, `fine_in_tall` dust-fine seed whose top
    dries over a deep dry cup. Source: growers_rule.

    >>> from fennet.crops import shipped
    >>> table = shipped()
    >>> [advice(table.get(c), Tray(id="A", container=k)) for c, k in
    ...  (("artichoke", "egg_box"), ("artichoke", "tall"), ("tomato", "egg_box"), ("petunia", "tall"))]
    ['tap_root', '', 'outgrows', 'fine_in_tall']
    """
    made_of = container_of(tray)
    if tray.kind == "open" or not (tray.container or tray.cell_ml):
        return ""
    depth_mm = tray.height_mm or made_of.depth_mm
    if (
        (crop.id in TAP_ROOTED or not crop.growth.pricks_out)
        and depth_mm < TAP_DEPTH_MM
        and crop.planting.grow_days > holds_d(tray)
    ):
        return "tap_root"
    if crop.depth_mm < 2.0 and made_of.key == "tall":
        return "fine_in_tall"
    if (
        (tray.cell_ml or made_of.ml) < SMALL_ML
        and crop.planting.grow_days > 1.3 * holds_d(tray)
        and not crop.planting.pot_up_days
    ):
        return "outgrows"
    if made_of.key == "egg_box" and crop.planting.grow_days > 1.3 * holds_d(tray):
        return "outgrows"
    return ""
