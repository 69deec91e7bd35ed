"""Whether a batch may be planted out for good: yes, not yet or at risk, what holds it back, and when that will likely turn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from scipy.special import ndtr

from fennet.core.crop import Crop
from fennet.core.hardening.outings import NIGHT_MARGIN_C, SCHOOLS, Progress, Why
from fennet.core.hardening.weather import DayOutdoors
from fennet.core.planning.climate import Climate
from fennet.core.planning.gate import Gate, as_practised, autumn_risk, bolts_after_cold
from fennet.core.working import Input, Working

#: So many nights ahead must hold above the kind's least. Source: growers_rule.
NIGHTS = 5
#: A forecast of frost is believed so much and no more: leaves are colder than the air under a clear sky, °C. Source:
#: starting_estimate.
COLDER_LEAF_C = 1.0
#: Before its ordinary day a kind goes out only where the ordinary nights of so many days after the forecast, and the soil, are no
#: more than so much under what it wants, °C. Source: starting_estimate.
AFTER_NIGHTS, EARLY_NIGHT_C, EARLY_SOIL_C = 7, 2.5, 1.5
#: A killing night likelier than this within the forecast is a risk, whatever the season allows. Source: starting_estimate.
RISKY_NIGHT = 0.2


@dataclass(frozen=True)
class Ready:
    """The verdict on planting out: `yes`, `not_yet` or `at_risk`; why; the day it will likely turn (today where it is yes);
    and the chance of a night that kills after planting now, None where nothing is known of frost."""

    verdict: str
    why: tuple[Why, ...]
    on: date | None
    chance_of_killing_night: float | None
    working: Working


def killing_chances(
    crop: Crop, nights: Sequence[DayOutdoors], gate: Gate, autumn: float | None, today: date
) -> tuple[float, float | None]:  # fmt: skip
    """The chance that a night kills a hardened plant set out today: within the forecast, and in all, by the record of frosts
    where the forecast ends. Source: arithmetic, starting_estimate (errors of the forecast).

    The nights foretold hang together: the likeliest of them stands for all.
    """
    foretold = [n for n in nights if n.basis in ("forecast", "actual")]
    near = max((float(ndtr((crop.planting.kills_at_c + COLDER_LEAF_C - n.night_low_c) / n.off_c)) for n in foretold), default=0.0)
    later = autumn if autumn is not None else gate.risk_on(today + timedelta(days=len(foretold)))
    if later is None:
        return near, near if foretold else None
    return near, 1.0 - (1.0 - near) * (1.0 - later)


def opens_early(
    crop: Crop, nights: Sequence[DayOutdoors], gate: Gate, chance: float | None, climate: Climate | None, soil_c: float | None,
    today: date,
) -> bool:  # fmt: skip
    """Whether this spring lets a kind out before its ordinary day: the nights foretold hold, what is left of frost is within
    the accepted risk, and the nights and the soil of the ordinary year are not far under what it wants. Only by a forecast and
    a record of nights. Source: growers_rule, starting_estimate.
    """
    told = [n for n in nights[:NIGHTS] if n.basis in ("forecast", "actual")]
    if climate is None or gate.never or len(told) < NIGHTS or chance is None or chance > gate.accepted:
        return False
    p = crop.planting
    after = [climate.night_c(today + timedelta(days=i)) for i in range(NIGHTS, NIGHTS + AFTER_NIGHTS)]
    soil = climate.soil_c(today) if soil_c is None else soil_c
    mild = all(n.night_low_c >= p.least_night_c for n in told)
    return (
        mild
        and min(after) >= p.least_night_c - EARLY_NIGHT_C
        and soil >= p.least_soil_c - (EARLY_SOIL_C if soil_c is None else 0)
    )


def verdict_on(
    crop: Crop, practice: Mapping[str, str], gate: Gate, p: Progress, days: Sequence[DayOutdoors], southern: bool,
    climate: Climate | None, soil_c: float | None, grown_d: float | None,
) -> Ready:  # fmt: skip
    """Whether a batch may be planted on the first of `days`, by its practice. The one way to the gate, whoever asks."""
    today = days[0].day
    autumn = autumn_risk(gate, today, southern)
    return ready(as_practised(crop, practice), practice["harden"], p, days, gate, climate, autumn, soil_c, grown_d, today)


def ready(
    crop: Crop,
    school: str,
    p: Progress,
    nights: Sequence[DayOutdoors],
    gate: Gate,
    climate: Climate | None,
    autumn: float | None,
    soil_c: float | None,
    grown_d: float | None,
    today: date,
) -> Ready:
    """Whether a batch may be planted out today. `nights` the days ahead from today on; `grown_d` days of growing that its plants
    still want, None where nobody knows their age; `soil_c` as measured or foretold; `autumn` the chance of a killing frost before
    what is planted after midsummer has rooted.

    Yes where the season's risk is accepted, the nights ahead hold, soil is warm, the plants are of a size and hardened. At risk
    where the season allows it and something of these days does not. Source: growers_rule.
    """
    plant = crop.planting
    near, chance = killing_chances(crop, nights, gate, autumn, today)
    season_open = gate.opens is None or gate.never or today >= gate.opens
    if not season_open and autumn is None:
        season_open = opens_early(crop, nights, gate, chance, climate, soil_c, today)
    why: list[Why] = []
    turns: list[date] = []
    if not season_open and gate.opens is not None:
        why.append(Why(f"season_{gate.by}", {"opens": gate.opens.isoformat()}))
        turns.append(gate.opens)
    if gate.opens is None:
        why.append(Why("no_frost_known"))
    first_nights = [n for n in nights[:NIGHTS] if n.known]
    cold = [n for n in first_nights if n.night_low_c < plant.least_night_c - 0.5]
    told = [n for n in cold if n.basis != "climate"]
    if told:
        worst = min(told, key=lambda n: n.night_low_c)
        why.append(
            Why(
                "cold_bolts" if bolts_after_cold(crop) else "cold_night",
                {"low_c": worst.night_low_c, "wants_c": plant.least_night_c, "on": worst.day.isoformat()},
            )
        )
        mild = [n.day for n in nights if n.known and n.day > worst.day and n.night_low_c >= plant.least_night_c + NIGHT_MARGIN_C]
        turns.append(mild[0] if mild else worst.day + timedelta(days=NIGHTS))
    if soil_c is not None and soil_c < plant.least_soil_c:
        why.append(Why("soil_cold", {"soil_c": soil_c, "wants_c": plant.least_soil_c}))
        by_date = climate.first_at_least("soil", plant.least_soil_c, today, today + timedelta(days=60)) if climate else None
        turns.append(by_date or today + timedelta(days=7))
    told_days = [n for n in first_nights if n.basis != "climate"]
    mean_c = sum(float(n.temperature_c.mean()) for n in told_days) / len(told_days) if told_days else None
    if plant.summer_to_c is not None and mean_c is not None and mean_c > plant.summer_to_c:
        why.append(Why("heat", {"mean_c": mean_c, "limit_c": plant.summer_to_c}))
        turns.append(today + timedelta(days=NIGHTS))
    left = len(SCHOOLS[school]) - p.step
    if left > 0 or not p.night_passed:
        why.append(Why("not_hardened", {"days": float(max(left, 0) + (not p.night_passed))}))
        turns.append(today + timedelta(days=max(left, 0) + (not p.night_passed)))
    if grown_d is not None and grown_d > 0:
        why.append(Why("too_small", {"days": grown_d}))
        turns.append(today + timedelta(days=round(grown_d)))
    risky = (chance is not None and chance > gate.accepted) or near > RISKY_NIGHT
    if risky and season_open and not told:
        why.append(Why("killing_night", {"chance": chance or 0.0}))
        turns.append(today + timedelta(days=NIGHTS))
    keys = {w.key for w in why}
    if not keys:
        verdict = "yes"
        why.append(Why("all_well", {"nights": float(len(first_nights))}))
    elif not season_open or "too_small" in keys or ("not_hardened" in keys and p.step < len(SCHOOLS[school]) // 2):
        verdict = "not_yet"
    else:
        verdict = "at_risk"
    return Ready(
        verdict, tuple(why), max(turns) if turns else today, chance, _working(crop, gate, chance, soil_c, left, first_nights)
    )


def _working(
    crop: Crop, gate: Gate, chance: float | None, soil_c: float | None, left: int, nights: Sequence[DayOutdoors]
) -> Working:
    p = crop.planting
    low_c = min((n.night_low_c for n in nights), default=None)
    return Working(
        "planting out",
        (
            Input("nights it wants", p.least_night_c, "°C", p.source, True),
            Input("the coldest of the next nights", None if low_c is None else round(low_c, 1), "°C",
                  nights[0].basis if nights else ""),
            Input("a frost that kills it", p.kills_at_c, "°C", p.source, True),
            Input("chance of a night that kills", None if chance is None else round(chance, 3), "share"),
            Input("chance accepted", gate.accepted, "share", "practice"),
            Input("the season opens", gate.opens.isoformat() if gate.opens else None, "", gate.by),
            Input("soil", None if soil_c is None else round(soil_c, 1), "°C"),
            Input("soil it wants", p.least_soil_c, "°C", p.source, True),
            Input("outings left", max(left, 0), "days", "practice"),
        ),
        "yes where every one holds; at risk where the season allows it and these days do not; else not yet",
        ("growers_rule", "planting_estimate", "starting_estimate"),
        "the next five nights; after them the ordinary year",
    )  # fmt: skip
