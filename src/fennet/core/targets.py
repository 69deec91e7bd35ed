"""What a crop wants at a stage: a band for each quantity, the practice that chose it, and the limit that overrides both."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from fennet.core.crop import BAND_UNITS, BandFigures, Crop
from fennet.core.kinds import PRACTICE_FIGURES, PRACTICES, practice_fault
from fennet.core.light import Minutes
from fennet.core.records import Batch, Garden, Target
from fennet.core.stages import ENDED, STAGES

#: Nothing warm-blooded: over this no soil is ever wanted, °C. Source: growers_rule.
SOIL_CEILING_C = 35.0
#: Where watering is due, % of capacity. Source: growers_rule.
TRIGGER_PCT = {"evenly_moist": 65.0, "pale_top": 50.0, "pale_top_and_half_a_day": 40.0}
#: Warm room without a mat, and the heat some give tropical kinds, °C. Source: growers_rule.
ROOM_C, HOT_C = (18.0, 22.0), (29.0, 30.0)
#: A tray on a mat that runs by day only may cool so far by night, °C. Source: growers_rule.
DAY_ONLY_NIGHT_C = 15.0
#: Groups that stand the hot school. Source: growers_rule.
TROPICAL_GROUPS = ("warm_fruiting", "cucurbits", "warm_herbs", "legumes_warm")
#: No seedling wants less of a night than this, h. Source: growers_rule.
LONGEST_DAY_H = 18.0
#: Either side of a length of day that is aimed at, h. Source: starting_estimate.
HOURS_EITHER_SIDE = 0.5
#: A practice that shares less than this with a crop's limit gives way to it altogether, h. Source: starting_estimate.
LEAST_OVERLAP_H = 0.9
LIT_STAGES = ("emerging", "seedling", "growing_on")


@dataclass(frozen=True)
class Band:
    """A target: low–high is in band, the ideal lies within. `night` (low, high) holds instead while it is dark.

    `named` says whose band it is; `notes` why a practice gave way or what to watch; `least` the least that keeps plants going.
    """

    quantity: str
    low: float
    high: float
    ideal_low: float
    ideal_high: float
    named: str
    source: str
    estimated: bool = False
    night: tuple[float, float] | None = None
    least: float | None = None
    notes: tuple[str, ...] = ()

    @property
    def unit(self) -> str:
        return BAND_UNITS[self.quantity]

    @property
    def lowest(self) -> float:
        return min(self.low, self.night[0]) if self.night else self.low

    @property
    def highest(self) -> float:
        return max(self.high, self.night[1]) if self.night else self.high

    def misses(self, value: float, dark: bool = False) -> float:
        """How far a figure is under (negative) or over (positive) the band; 0 inside it.

        >>> Band("moisture", 40, 80, 50, 70, "", "").misses(35)
        -5.0
        """
        low, high = self.night if dark and self.night else (self.low, self.high)
        return float(min(value - low, 0.0) + max(value - high, 0.0))


#: Between these a grower's own band may lie, in the band's unit. Source: growers_rule (soil, hours), starting_estimate.
OWN_LIMITS: dict[str, tuple[float, float]] = {
    "soil_temperature": (0.0, SOIL_CEILING_C), "daily_light": (0.0, 60.0), "light_hours": (0.0, LONGEST_DAY_H),
    "moisture": (0.0, 105.0),
}  # fmt: skip


def band_fault(target: Target) -> tuple[str, str] | None:
    """Why a grower's own band cannot be held to, as (field, words that follow what was given); None for one that can.

    >>> band_fault(Target(quantity="light_hours", low=14, high=24))
    ('high', 'is out of range: plants need a night; accepted: 0 to 18 h')
    >>> band_fault(Target(quantity="light_hours", low=14, high=16)) is None
    True
    """
    if target.quantity not in BAND_UNITS:
        return "quantity", f"has no band; accepted: {', '.join(BAND_UNITS)}"
    if target.stage is not None and target.stage not in STAGES:
        return "stage", f"is not a stage; accepted: {', '.join(STAGES)}"
    if not target.low < target.high:
        return "low", f"is no less than {target.high:g}; accepted: a band from the lower to the higher"
    least, most = OWN_LIMITS[target.quantity]
    night = ": plants need a night" if target.quantity == "light_hours" else ""
    accepted = f"is out of range{night}; accepted: {least:g} to {most:g} {BAND_UNITS[target.quantity]}"
    return ("low", accepted) if target.low < least else ("high", accepted) if target.high > most else None


def practice_of(garden: Garden, batch: Batch | None = None) -> dict[str, str]:
    """Every practice choice in force: the batch's, else the garden's, else the default; unknown words are passed over. Figures
    stand beside them, as text, where somebody gave one that can be.

    >>> practice_of(Garden(practice={"water_when": "evenly_moist"}))["water_when"]
    'evenly_moist'
    """
    chosen = {**garden.practice, **(batch.practice if batch else {})}
    choices = {k: str(chosen[k]) if str(chosen.get(k)) in values else values[0] for k, values in PRACTICES.items()}
    figures = {k: str(chosen[k]) for k in PRACTICE_FIGURES if k in chosen and practice_fault(k, str(chosen[k])) is None}
    return choices | figures


def band_from(figures: BandFigures, quantity: str, named: str) -> Band:
    """A band of the table; the ideal is its middle half unless it says otherwise. Source: group_band."""
    quarter = (figures.high - figures.low) / 4
    return Band(
        quantity,
        figures.low,
        figures.high,
        figures.low + quarter if figures.ideal_low is None else figures.ideal_low,
        figures.high - quarter if figures.ideal_high is None else figures.ideal_high,
        named,
        figures.source,
        figures.estimated,
        figures.night,
        figures.least,
        (figures.warning,) if figures.warning else (),
    )


def targets_for(
    crop: Crop,
    stage: str,
    practice: Mapping[str, str],
    own: Sequence[Target] = (),
    batch: str | None = None,
    day_length_h: float | None = None,
    since_emergence_d: float | None = None,
    at_s: float = float("inf"),
) -> dict[str, Band]:
    """The bands of a crop at a stage: soil temperature, daily light, hours of light, moisture, those that apply.

    `practice` as from `practice_of`; `own` the grower's own targets (the narrowest that fits, then the latest, wins);
    `day_length_h` outdoors at planting, `since_emergence_d` in days. A crop’s limit overrides a practice, and the band's notes
    say so. Source: the band's own source key.

    A worked example stands in tests/core/test_targets.py, with the whole table.
    """
    if stage in ENDED:
        return {}
    sown = stage in ("towel", "sown", "emerging")
    out: dict[str, Band] = {}
    if sown:
        out["soil_temperature"] = _sown_soil(crop, practice["heat"])
    elif ("growing", "soil_temperature") in crop.bands:
        out["soil_temperature"] = band_from(crop.bands["growing", "soil_temperature"], "soil_temperature", _whose(crop))
    if stage in LIT_STAGES:
        for quantity in ("daily_light", "light_hours"):
            if ("growing", quantity) in crop.bands:
                out[quantity] = band_from(crop.bands["growing", quantity], quantity, _whose(crop))
        if "light_hours" in out:
            out["light_hours"] = _hours(out["light_hours"], crop, practice["light_hours"], day_length_h, since_emergence_d)
    key = ("sown", "moisture") if stage in ("towel", "sown") else ("growing", "moisture")
    if key in crop.bands:
        out["moisture"] = band_from(crop.bands[key], "moisture", _whose(crop))
        if key[0] == "growing":
            out["moisture"] = _watering(out["moisture"], crop, practice["water_when"])
    for target in own:
        if band_fault(target) is None and applies(target, crop.id, batch, stage, at_s):
            out[target.quantity] = _own_band(target)
    return out


def applies(target: Target, crop: str, batch: str | None, stage: str, at_s: float) -> bool:
    """Whether a grower's own target speaks of this batch at this stage and time."""
    if target.from_at is not None and target.from_at.timestamp() > at_s:
        return False
    who = target.batch == batch if target.batch else target.crop == crop if target.crop else True
    return who and target.stage in (None, stage)


def in_order(own: Sequence[Target]) -> list[Target]:
    """A grower's targets from the widest to the narrowest, so that the last that applies holds."""
    return sorted(own, key=lambda t: (bool(t.batch), bool(t.crop), bool(t.stage), t.from_at.timestamp() if t.from_at else 0.0))


def _whose(crop: Crop) -> str:
    return f"{crop.name}’s band"


def _own_band(t: Target) -> Band:
    quarter = (t.high - t.low) / 4
    whom = f" for {t.batch or (t.crop or '').replace('_', ' ')}" if t.batch or t.crop else ""
    return Band(
        t.quantity,
        t.low,
        t.high,
        t.low + quarter if t.ideal_low is None else t.ideal_low,
        t.high - quarter if t.ideal_high is None else t.ideal_high,
        f"your own band{whom}",
        "growers_own",
    )


def _sown_soil(crop: Crop, heat: str) -> Band:
    figures = (crop.soil_low_c, crop.soil_high_c, crop.soil_ideal_low_c, crop.soil_ideal_high_c)
    source = crop.sources.get("soil_low_c", "")
    band = Band("soil_temperature", *figures, _whose(crop), source, "soil_low_c" in crop.estimates)
    ceiling = min(SOIL_CEILING_C, crop.soil_high_c)
    if heat == "room":
        low, high = ROOM_C
        if low < crop.soil_low_c or high > ceiling:
            notes = (f"the room’s {low:.0f}–{high:.0f} °C gives way to what {crop.name} needs",)
            return replace(band, notes=notes)
        return replace(band, ideal_low=max(low, band.low), ideal_high=min(high, band.high), named="practice: room heat only")
    if heat == "hot":
        low, high = HOT_C
        if crop.group not in TROPICAL_GROUPS or high > ceiling:
            return replace(band, notes=(f"29–30 °C is for tropical kinds; {crop.name} keeps its own band",))
        return replace(band, ideal_low=low, ideal_high=high, named="practice: hot, 29–30 °C")
    if heat == "day_only":
        night = (min(band.low, DAY_ONLY_NIGHT_C), band.high)
        return replace(band, night=night, named="practice: mat by day only", notes=("by night the soil may cool to the room",))
    if heat == "timer":
        return replace(band, notes=("a mat on a timer swings; the band is the same",))
    return band


def _hours(band: Band, crop: Crop, school: str, day_length_h: float | None, since_emergence_d: float | None) -> Band:
    named = {"14-16": "practice: 14–16 h", "12_on_12_off": "practice: 12 on, 12 off"}.get(school, "")
    if school == "12_on_12_off":
        low, high = 12.0 - HOURS_EITHER_SIDE, 12.0 + HOURS_EITHER_SIDE
    elif school == "match_outdoors":
        if day_length_h is None:
            return replace(
                band, notes=(*band.notes, "the garden’s latitude and last frost are needed to match the days outdoors")
            )
        high = min(day_length_h + HOURS_EITHER_SIDE, LONGEST_DAY_H)
        low = min(day_length_h - HOURS_EITHER_SIDE, high - HOURS_EITHER_SIDE)
        named = "practice: as outdoors at planting"
    elif school == "most":
        low, high, named = LONGEST_DAY_H - 2.0, LONGEST_DAY_H, "practice: all the light there is, with six hours of night"
    elif school == "18_first_week":
        first = since_emergence_d is not None and since_emergence_d < 7
        low, high = (17.5, 18.0) if first else (12.0, 16.0)
        named = "practice: 18 h in the first week" if first else "practice: 12–16 h after the first week"
    else:
        low, high = 14.0, 16.0
    # A crop's limit is one its figures warn of; without a warning the practice may go where it likes short of no night.
    limited = bool(band.notes)
    if limited and min(high, band.high) - max(low, band.low) < LEAST_OVERLAP_H:
        return replace(band, notes=(*band.notes, f"{named.removeprefix('practice: ')} gives way to it"))
    if limited:
        tight_low, tight_high = max(low, band.low), min(high, band.high)
        gave = (f"{named.removeprefix('practice: ')} gives way to it in part",) if (tight_low, tight_high) != (low, high) else ()
        return _middle(replace(band, low=tight_low, high=tight_high, named=named, notes=(*band.notes, *gave)))
    return _middle(replace(band, low=low, high=high, named=named, source="growers_rule"))


def _watering(band: Band, crop: Crop, school: str) -> Band:
    trigger = TRIGGER_PCT[school]
    words = {"evenly_moist": "evenly moist", "pale_top": "pale top", "pale_top_and_half_a_day": "pale top and half a day"}[school]
    if trigger < band.low:
        note = f"{words} ({trigger:.0f} %) gives way: {crop.name} wants {band.low:.0f} % at least"
        return replace(band, notes=(*band.notes, note))
    return _middle(replace(band, low=trigger, named=f"practice: water at {words}, {trigger:.0f} %"))


def _middle(band: Band) -> Band:
    quarter = (band.high - band.low) / 4
    return replace(band, ideal_low=band.low + quarter, ideal_high=band.high - quarter)


def is_dark(minutes: int, periods: Sequence[Minutes] | None) -> bool:
    """Whether it is night for the plants at a local time: lamps off; without a timer from seven in the evening to seven.

    >>> is_dark(60, [(360, 1200)]), is_dark(600, None)
    (True, False)
    """

    def lit(on: int, off: int) -> bool:
        return on <= minutes < off if on < off else minutes >= on or minutes < off

    return not any(lit(on, off) for on, off in periods or ((420, 1140),))
