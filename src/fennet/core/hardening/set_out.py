"""How a batch is set into its bed: how far apart, how deep, on what support, against what, and how many are kept back."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.crop import Bed, Crop
from fennet.core.working import Input, Working

#: So many of a batch are kept back, and none of fewer than this. Source: growers_rule.
SPARES_SHARE, SPARES_FROM = 0.1, 4
#: Spares are kept until what is planted has rooted, d. Source: growers_rule.
SPARES_FOR_D = 14


@dataclass(frozen=True)
class SetOut:
    """Planting some plants of a kind: distances mm, the bed they fill m², depth, support, what eats them, and spares to keep."""

    plants: int
    spares: int
    bed: Bed
    area_m2: float
    working: Working


def set_out(crop: Crop, plants: int, spares: int | None = None) -> SetOut:
    """How so many plants are set out; `spares` as wanted, else a tenth of them, one at least, and none of a few. Source:
    bed_estimate, growers_rule.

    >>> from fennet.crops import shipped
    >>> out = set_out(shipped().get("leek"), 40)
    >>> out.plants, out.spares, round(out.area_m2, 2), out.bed.set
    (36, 4, 1.62, 'dibbed')
    """
    wanted = spares if spares is not None else max(1, round(plants * SPARES_SHARE)) if plants >= SPARES_FROM else 0
    kept = max(0, min(wanted, plants - 1))
    go, bed = plants - kept, crop.bed
    area_m2 = go * bed.spacing_mm * bed.row_mm / 1e6
    working = Working(
        "setting it out",
        (
            *(i for i in bed.figures() if i.name in ("spacing_mm", "row_mm")),
            Input("plants", plants, "", "log"),
            Input("kept back", kept, "", "want" if spares is not None else "growers_rule", spares is None),
        ),
        "plants that go out, times the distance in the row, times that between rows",
        (bed.source, "growers_rule"),
        "a level bed; in deep boxes closer",
        round(area_m2, 2),
        "m²",
    )
    return SetOut(go, kept, bed, area_m2, working)
