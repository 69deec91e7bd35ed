"""What light costs: energy of a lamp by its hours, per tray and plant, against the hours it held the light in band."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from zoneinfo import ZoneInfo

from fennet.core.history import counts_of, lost_of
from fennet.core.light import DAY_S, HOUR_S, days_of_light, lamp_states, lit_spans, local_days
from fennet.core.records import Event, Journal
from fennet.core.tray_light import light_at_tray
from fennet.core.tuning.under_lamp import LampCase
from fennet.core.working import Input, Working

#: Over how many days energy is told.
OVER_D = 30


@dataclass(frozen=True)
class HoursInBand:
    """One batch since it came up: the hours it was lit, and how many of them on days whose light lay in its band."""

    tray: str
    batch: str
    lit_h: float
    in_band_h: float


@dataclass(frozen=True)
class LightCost:
    """A lamp's energy over some days. `cost` and its parts None where there is no tariff; per plant None without plants."""

    kwh: float
    days: float
    lit_h: float
    cost: float | None
    per_tray: float | None
    per_plant: float | None
    working: Working
    in_band: tuple[HoursInBand, ...] = field(default=())


def cost_of_lamp(journal: Journal, case: LampCase, events: Sequence[Event], at_s: float, zone: ZoneInfo) -> LightCost | None:
    """What a lamp cost over the last thirty days, and which of its hours held each batch's light in band; None for a lamp of
    unknown watts, or that was not lit. `events` are effective events. Source: arithmetic."""
    if not case.lamp.watts or not case.trays:
        return None
    from_s = local_days(at_s - OVER_D * DAY_S, at_s, zone)[0][1]
    switch = next((x for x in journal.series if x.quantity == "lamp_on" and x.place == case.lamp.id), None)
    spans = lit_spans(
        lamp_states(case.lamp, events), zone, from_s, at_s, switch.at_s if switch else None, switch.value if switch else None
    )
    lit_h = sum(b - a for a, b in spans) / HOUR_S
    if lit_h <= 0:
        return None
    hours: list[HoursInBand] = []
    for t in case.trays:
        light = light_at_tray(journal, t.tray, [b.batch for b in t.batches], events, zone, from_s, at_s)
        days = days_of_light(light, zone, from_s, at_s)
        for b in t.batches:
            up_s = counts_of(b.batch, events).reached(1) or b.batch.sown_at.timestamp()
            here = [d for d in days if d.to_s > up_s]
            inside = sum(d.lit_h for d in here if d.mol is not None and b.light.low <= d.mol <= b.light.high)
            hours.append(HoursInBand(t.tray.id, b.batch.id, sum(d.lit_h for d in here), inside))
    plants = sum(max(0, counts_of(b.batch, events).up - lost_of(b.batch, events)) for _, b in case.batches)
    tariff = journal.garden.tariff_per_kwh
    return light_cost(case.lamp.watts, lit_h, (at_s - from_s) / DAY_S, tariff, len(case.trays), plants, hours)


def light_cost(
    watts: float, lit_h: float, days: float, tariff_per_kwh: float | None, trays: int, plants: int,
    in_band: Sequence[HoursInBand] = (),
) -> LightCost:  # fmt: skip
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
        kwh, days, lit_h, cost, cost / trays if cost is not None and trays else None,
        cost / plants if cost is not None and plants else None, working, tuple(in_band),
    )  # fmt: skip
