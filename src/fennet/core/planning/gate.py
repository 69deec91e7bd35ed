"""From which day a crop may stand outdoors, and what held it back: frost, nights, soil."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import cast

from fennet.core.crop import Crop, Planting
from fennet.core.light import day_length_h
from fennet.core.planning.climate import Climate
from fennet.core.planning.frost import HALF_YEAR_D, FrostDates, Frosts, midwinter, season_of
from fennet.core.planning.notes import Note
from fennet.core.records import Garden
from fennet.core.working import Input, Working

#: Chance of a later frost that each school accepts at planting out. Source: growers_rule.
ACCEPTED_RISK = {"bold": 0.5, "usual": 0.2, "safe": 0.1}
#: Days from the middle of the last frost (0 °C) to planting, where there is no record of nights: hardy crops go out before
#: it, tender ones two to three weeks after. Source: growers_rule.
FROM_FROST_D = {"hardy": -35, "half_hardy": -7, "tender": 14}
#: Kinds that want nights as warm as this wait a week longer than other tender ones. Source: growers_rule.
VERY_TENDER_C, LATER_D = 11.0, 7
#: Hardy and half-hardy kinds that bolt after cool nights as young plants want nights as warm as this, and wait until so many days
#: after the last frost. Source: growers_rule.
BOLTS_UNDER_C, BOLTING_WAITS_D = 6.0, 7


@dataclass(frozen=True)
class Gate:
    """`opens`: the first day a crop may go out; None where nothing is known of frost. `by`: frost, nights, soil or rule.

    `frost` are the dates of the frost that kills it; `notes` say what could not be kept.
    """

    opens: date | None
    by: str
    frost: FrostDates | None
    accepted: float
    working: Working
    notes: tuple[Note, ...] = ()

    @property
    def never(self) -> bool:
        """Whether no day here is what the crop wants: then `opens` is the least bad one, and holds nothing back."""
        return any(n.kind in ("never_frost_safe", "never_warm") for n in self.notes)

    def risk_on(self, day: date) -> float | None:
        """Chance of a killing frost after planting on a day."""
        return self.frost.chance_after(day) if self.frost else None


def as_practised(crop: Crop, practice: Mapping[str, str]) -> Crop:
    """A kind with the nights that its grower waits for: memory of one's own garden outranks a table. Source: growers_own.

    >>> from fennet.crops import shipped
    >>> as_practised(shipped().get("tomato"), {"gate": "own", "gate_night_c": "10.5"}).planting.least_night_c
    10.5
    """
    if practice.get("gate") != "own" or "gate_night_c" not in practice:
        return crop
    p = crop.planting
    return replace(crop, planting=replace(p, least_night_c=float(practice["gate_night_c"]), own=p.own | {"least_night_c"}))


def planting_gate(
    crop: Crop, season: int, frosts: Frosts, climate: Climate | None, practice: Mapping[str, str] | None = None
) -> Gate:
    """The first day of a season on which a crop may be planted out: after it the chance of a frost that kills it is no more
    than the practice accepts, the mean night is above the crop's least, or the grower's own, and the soil above its least.

    `season`: the year of the midwinter that opens it. Without a record of nights, weeks from the average last frost by
    hardiness stand in for nights and soil. Source: growers_rule, planting_estimate.
    """
    practice = practice or {}
    accepted = ACCEPTED_RISK.get(practice.get("frost_risk", "usual"), ACCEPTED_RISK["usual"])
    p = as_practised(crop, practice).planting
    kept = frosts.rests_on_these.get((p, season, accepted))
    if kept is None or kept[0] is not climate:
        kept = frosts.rests_on_these[p, season, accepted] = (climate, _gate(p, season, frosts, climate, accepted))
    return cast(Gate, kept[1])


def _gate(p: Planting, season: int, frosts: Frosts, climate: Climate | None, accepted: float) -> Gate:
    frost = frosts.at(p.kills_at_c)
    notes: list[Note] = []
    opens: dict[str, date] = {}
    start = midwinter(season, frosts.southern)
    summer = start + timedelta(days=HALF_YEAR_D - 1)
    if frost is not None:
        safe = frost.day_of_risk(accepted, season)
        if safe is None:
            notes.append(Note("never_frost_safe", {"kills_at_c": p.kills_at_c, "share": frost.chance_after(summer)}))
            safe = summer
        opens["frost"] = safe
    if climate is not None:
        for what, wants, holds in (("nights", p.least_night_c, climate.night_c), ("soil", p.least_soil_c, climate.soil_c)):
            day = climate.first_at_least(what, wants, start, summer)
            if day is None:
                best = max((start + timedelta(days=i) for i in range(HALF_YEAR_D)), key=holds)
                notes.append(Note("never_warm", {"what": what, "warmest_c": holds(best), "wants_c": wants}))
                day = _later_rule(frosts, season, p.hardiness, p.least_night_c, accepted) or best
            opens[what] = day
    else:
        rule = _later_rule(frosts, season, p.hardiness, p.least_night_c, accepted)
        if rule is not None:
            opens["rule"] = rule
    by = max(opens, key=lambda k: opens[k]) if opens else "unknown"
    if frost is None:
        notes.append(Note("no_frost_known" if not opens else "frost_not_told"))
    working = Working(
        "when it may go out",
        (
            Input("a frost that kills it", p.kills_at_c, "°C", p.source, True),
            Input("chance of one accepted", accepted, "share", "practice"),
            *(Input(f"{what} from", day.isoformat()) for what, day in opens.items()),
            Input("nights it wants", p.least_night_c, "°C", *_source(p)),
            Input("soil it wants", p.least_soil_c, "°C", p.source, True),
        ),
        "the latest of: the day after which a killing frost is unlikely enough, the day the mean night is warm enough, "
        "the day the soil is; without a record of nights, weeks from the average last frost by hardiness",
        ("growers_rule", "planting_estimate"),
        "an ordinary year; go by the forecast of the week itself",
        value=opens[by].isoformat() if opens else None,
        notes=frost.notes if frost else (),
    )
    return Gate(opens.get(by), by, frost, accepted, working, tuple(notes))


def _source(p: Planting) -> tuple[str, bool]:
    """Whose word the least night is, and whether it is estimated."""
    return ("growers_own", False) if "least_night_c" in p.own else (p.source, True)


def _later_rule(frosts: Frosts, season: int, hardiness: str, least_night_c: float, accepted: float) -> date | None:
    """Weeks from the middle of the last frost at 0 °C, sooner for who accepts more risk than is usual and later for who accepts
    less, by the spread of the last frost; None where no frost date is known, midwinter where there is no frost."""
    frost = frosts.at(0.0)
    if frost is None:
        return None
    start = midwinter(season, frosts.southern)
    middle = frost.middle(season) or start + timedelta(days=HALF_YEAR_D - 1)
    days = FROM_FROST_D[hardiness] + (LATER_D if hardiness == "tender" and least_night_c >= VERY_TENDER_C else 0)
    if hardiness != "tender" and least_night_c >= BOLTS_UNDER_C:
        days = max(days, BOLTING_WAITS_D)
    own, usual = frost.day_of_risk(accepted, season), frost.day_of_risk(ACCEPTED_RISK["usual"], season)
    if own is not None and usual is not None:
        days += (own - usual).days
    return max(start, middle + timedelta(days=days))


#: What is planted after midsummer wants so many days before the frost that kills it. Source: growers_rule.
ROOTS_IN_D = 42
#: Without a record of autumn frosts so many days after midsummer are the last to plant. Source: starting_estimate.
LAST_AFTER_MIDSUMMER_D = 75


def autumn_risk(gate: Gate, day: date, southern: bool) -> float | None:
    """The chance that autumn's first killing frost comes before what is planted on a day has rooted; None in spring, and where
    no record tells. Source: growers_rule."""
    if season_of(day, southern)[1] < HALF_YEAR_D or gate.frost is None:
        return None
    return gate.frost.chance_before(day + timedelta(days=ROOTS_IN_D))


def gate_on(crop: Crop, day: date, frosts: Frosts, climate: Climate | None, practice: Mapping[str, str] | None = None) -> Gate:
    """The gate that a day stands before or behind: this season's, while there is time before its autumn, else the next one's.
    Source: growers_rule.

    >>> from fennet.crops import shipped
    >>> frosts = Frosts(Garden(latitude=52.0, last_frost="05-05"), None)
    >>> [gate_on(shipped().get("leek"), date(2026, m, 10), frosts, None).opens.year for m in (3, 7, 12)]
    [2026, 2026, 2027]
    """
    season, d = season_of(day, frosts.southern)
    now = planting_gate(crop, season, frosts, climate, practice)
    if d < HALF_YEAR_D:
        return now
    risk = autumn_risk(now, day, frosts.southern)
    late = d > HALF_YEAR_D + LAST_AFTER_MIDSUMMER_D if risk is None else risk > now.accepted
    return next_opening(crop, day, frosts, climate, practice) if late else now


def next_opening(
    crop: Crop, after: date, frosts: Frosts, climate: Climate | None, practice: Mapping[str, str] | None = None
) -> Gate:
    """The gate of the first season whose spring is not over at `after`."""
    season, d = season_of(after, frosts.southern)
    return planting_gate(crop, season + (d >= HALF_YEAR_D), frosts, climate, practice)


def day_length_note(crop: Crop, garden: Garden, day: date) -> Note | None:
    """Whether the days outdoors at planting make a crop bulb, bolt or flower too soon; None where nothing speaks against it.

    Source: astronomy, planting_estimate.
    """
    p = crop.planting
    if garden.latitude is None or garden.longitude is None or (p.long_day_h is None and p.short_day_h is None):
        return None
    hours = day_length_h(day, garden.latitude, garden.longitude)
    if hours is None:
        return Note("no_sunrise")
    if p.long_day_h is not None and hours > p.long_day_h:
        return Note("long_days", {"hours": hours, "limit_h": p.long_day_h})
    if p.short_day_h is not None and hours < p.short_day_h:
        return Note("short_days", {"hours": hours, "limit_h": p.short_day_h})
    return None


def bolts_after_cold(crop: Crop) -> bool:
    """Whether a kind that stands cold runs to seed after cold nights as a young plant. Source: growers_rule."""
    return crop.planting.hardiness != "tender" and crop.planting.least_night_c >= BOLTS_UNDER_C


def cold_bolting_note(crop: Crop, gate: Gate | None, climate: Climate | None, day: date) -> Note | None:
    """Whether a kind that bolts after cool nights as a young plant would have them at planting. Source: planting_estimate."""
    p = crop.planting
    if not bolts_after_cold(crop):
        return None
    if climate is not None:
        night_c: float | None = climate.night_c(day)
        cold = climate.night_c(day) < p.least_night_c
    else:
        night_c, cold = None, gate is not None and gate.opens is not None and day < gate.opens
    return Note("cold_bolting", {"night_c": night_c, "wants_c": p.least_night_c}) if cold else None


def cold_weeks_after(climate: Climate | None, day: date, under_c: float = 10.0, weeks: int = 12) -> float | None:
    """Of the first `weeks` after planting, those whose mean air lies under `under_c`; None where nights are not recorded.

    Source: growers_rule.
    """
    if climate is None:
        return None
    return sum(climate.mean_c(day + timedelta(days=i)) < under_c for i in range(weeks * 7)) / 7
