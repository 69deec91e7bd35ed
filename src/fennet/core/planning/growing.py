"""How long a crop takes indoors at the planned soil, air and light: to come up, and to be ready for hardening off."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from fennet.core.crop import Crop
from fennet.core.emergence import pace_log_sd
from fennet.core.records import Batch, Pretreatment
from fennet.core.sowing import depth_by_school_mm, sowing_effect
from fennet.core.working import Input, Interval, Working

#: Where no air was read: what a heated room holds, day and night. Source: starting_estimate.
USUAL_AIR_C = 18.0
#: Growth follows daily light by this power, and is hurried and held back no further than so. Source: starting_estimate.
LIGHT_POWER, QUICKEST, SLOWEST = 0.5, 0.8, 2.5
#: Share of a day that is day, for the mean of a day and a night band. Source: arithmetic.
DAY_SHARE = 0.6
#: Under this a growing plant stands still: degrees over its base. Source: starting_estimate.
LEAST_OVER_BASE_C = 1.0
#: Where between the least, the usual and the most each school of sowing tender crops stands. Source: growers_rule.
SCHOOL_SIZE = {"late": -0.65, "middle": 0.0, "early": 0.75}
_P90 = 1.2816
#: A batch that is only planned still needs a moment.
_ANY = datetime(2000, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, kw_only=True)
class PlannedRoom:
    """What the plan assumes about the room, °C and mol m⁻² d⁻¹. `dli_mol` None: each crop's own target is reached.

    `from_record`: names of those that were read from the garden's record and not assumed.
    """

    soil_without_mat_c: float = USUAL_AIR_C
    air_c: float = USUAL_AIR_C
    dli_mol: float | None = None
    from_record: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Emerging:
    """Days from sowing to half up, and the share of live seed that arrives, at one soil temperature."""

    soil_c: float
    days: Interval[float]
    arrives: float
    working: Working


@dataclass(frozen=True)
class Growing:
    """Days from half up to hardening off: for the youngest plant that stands it, as aimed at, and the oldest its pot holds."""

    least_days: float
    aim_days: float
    most_days: float
    slower: float
    pot_up_days: float | None
    working: Working


def emerging(
    crop: Crop, soil_c: float, speed: float = 1.0, depth_school: str = "two_to_three", set_up: str = "in_mix"
) -> Emerging | None:
    """Days to half up at a planned soil temperature, 80 % range, pretreated as the crop asks; None where none would come.

    `speed` is the seed's, 1 fresh. Range: the crop's own base to ceiling. Source: the crop's response.
    """
    rate = float(crop.response.rate_per_day(soil_c)) * speed
    if rate < 1 / 90:
        return None
    treated = [Pretreatment(kind=crop.pretreatment)] if crop.pretreatment not in ("", "none") else []  # type: ignore[arg-type]
    depth_mm = depth_by_school_mm(crop, depth_school)
    batch = Batch(id="planned", crop=crop.id, sown_at=_ANY, cells=1, depth_mm=depth_mm, pretreatment=treated)
    effect = sowing_effect(crop, batch)
    days = effect.deep_wait / rate
    spread = math.exp(_P90 * pace_log_sd(crop))
    arrives = float(crop.response.share(soil_c)) * effect.deep_share * effect.other_share
    working = Working(
        "days to half up",
        (
            Input("planned soil", round(soil_c, 1), "°C"),
            Input("rate at that soil", round(rate / speed, 4), "1/d", crop.sources.get("r_max_per_day", ""), crop.estimated),
            Input("speed of this seed against fresh", round(speed, 2), "", "starting_estimate", True),
            Input("depth", depth_mm, "mm", crop.sources.get("depth_mm", "")),
        ),
        "one over the rate of emergence at the planned soil, times the seed's age and depth; the range is the crop's own spread",
        (crop.sources.get("r_max_per_day", ""), "starting_estimate"),
        "soil held at the planned temperature, mix kept moist",
        value=round(days, 1),
        unit="d",
    )
    return Emerging(soil_c, Interval(days / spread, days, days * spread), arrives, working)


def growing_band_c(crop: Crop) -> float:
    """Mean of day and night in the crop's growing band, °C."""
    band = crop.bands[("growing", "soil_temperature")]
    day = (band.low + band.high) / 2
    night = sum(band.night) / 2 if band.night else day
    return DAY_SHARE * day + (1 - DAY_SHARE) * night


def growing(crop: Crop, room: PlannedRoom, school: str = "middle", window_mol: float | None = None) -> Growing | None:
    """Days from half up to hardening off in the planned room; None where it is too cold for the crop to grow.

    The table's days hold at the growing band's mean and the middle of its daily light; thermal time over the crop's growing
    base and the root of daily light carry them to the room; who grows at a window alone has its light, `window_mol`. `school`
    moves the aim of tender crops between the least and the most. Source: planting_estimate, starting_estimate.
    """
    p = crop.planting
    if window_mol is not None:
        room = replace(room, dli_mol=window_mol, from_record=room.from_record - {"dli_mol"})
    band_c = growing_band_c(crop)
    over = room.air_c - p.grow_base_c
    if over < LEAST_OVER_BASE_C:
        return None
    # Above the band growth hurries no further: it stretches.
    heat = max(band_c - p.grow_base_c, LEAST_OVER_BASE_C) / min(over, band_c + 2 - p.grow_base_c)
    light_band = crop.bands[("growing", "daily_light")]
    target = (light_band.low + light_band.high) / 2
    light = 1.0 if room.dli_mol is None else (target / max(room.dli_mol, 0.5)) ** LIGHT_POWER
    slower = min(SLOWEST, max(QUICKEST, heat * light))
    size = SCHOOL_SIZE.get(school, 0.0) if p.hardiness == "tender" else 0.0
    reach = p.grow_most_days - p.grow_days if size > 0 else p.grow_days - p.grow_least_days
    aim = p.grow_days + size * reach
    working = Working(
        "days of growing on",
        (
            Input("days at its own band", round(aim, 1), "d", p.source, True),
            Input("planned air, day and night", room.air_c, "°C", "" if "air_c" in room.from_record else "starting_estimate"),
            Input("mean of its growing band", round(band_c, 1), "°C", crop.bands[("growing", "soil_temperature")].source),
            Input("base of growing", p.grow_base_c, "°C", p.source, True),
            Input("planned daily light", room.dli_mol if room.dli_mol is not None else round(target, 1), "mol m⁻² d⁻¹"),
            Input("middle of its light band", round(target, 1), "mol m⁻² d⁻¹", light_band.source),
        ),
        "days of the table, times (band − base) / (air − base), times the root of (its light / planned light)",
        (p.source, "starting_estimate"),
        f"{p.grow_base_c + LEAST_OVER_BASE_C:g} °C and over; between {QUICKEST:g} and {SLOWEST:g} times the table's days",
        value=round(aim * slower),
        unit="d",
    )
    pot = p.pot_up_days * slower if p.pot_up_days else None
    return Growing(p.grow_least_days * slower, aim * slower, p.grow_most_days * slower, slower, pot, working)
