"""What light costs: energy of a lamp by its hours, per tray and plant, against the hours it held the light in band."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.working import Input, Working


@dataclass(frozen=True)
class LightCost:
    """A lamp's energy over some days. `cost` and its parts None where there is no tariff; per plant None without plants."""

    kwh: float
    days: float
    cost: float | None
    per_tray: float | None
    per_plant: float | None
    in_band_h: float
    working: Working

    @property
    def cost_per_day(self) -> float | None:
        return self.cost / self.days if self.cost is not None and self.days > 0 else None


def light_cost(
    watts: float, lit_h: float, days: float, tariff_per_kwh: float | None, trays: int, plants: int, in_band_h: float = 0.0
) -> LightCost:
    """Energy of a lamp lit for `lit_h` hours over `days`, its cost, and each tray's and plant's part.

    Raises ValueError for negative watts or hours. Source: arithmetic.

    >>> c = light_cost(36.0, 14.0 * 30, 30, 0.30, 2, 40)
    >>> c.kwh, round(c.cost, 2), round(c.per_plant, 3)
    (15.12, 4.54, 0.113)
    """
    if watts < 0 or lit_h < 0:
        raise ValueError(f"watts {watts:g} and hours {lit_h:g} must be 0 or more")
    kwh = round(watts * lit_h / 1000.0, 6)
    cost = kwh * tariff_per_kwh if tariff_per_kwh is not None else None
    working = Working(
        "cost of light",
        (
            Input("lamp", watts, "W"),
            Input("lit", round(lit_h, 1), "h"),
            Input("days", round(days, 1), "d"),
            Input("tariff", tariff_per_kwh, "per kWh", "the garden’s" if tariff_per_kwh is not None else "not given"),
            Input("trays", trays, ""),
            Input("plants", plants, ""),
        ),
        "watts × hours / 1000 × tariff, shared alike by trays and by plants",
        ("arithmetic",),
        "the lamp’s rated watts",
        round(kwh, 2),
        "kWh",
    )
    return LightCost(
        kwh, days, cost, cost / trays if cost is not None and trays else None,
        cost / plants if cost is not None and plants else None, in_band_h, working,
    )  # fmt: skip
