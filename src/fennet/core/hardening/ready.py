"""Whether a batch may be planted out for good: yes, not yet or at risk, what holds it back, and when that will likely turn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from scipy.special import ndtr

from fennet.core.crop import Crop
from fennet.core.hardening.outings import NIGHT_MARGIN_C, SCHOOLS, Progress, Why
from fennet.core.hardening.weather import DayOutdoors
from fennet.core.planning.climate import Climate
from fennet.core.planning.gate import Gate, bolts_after_cold
from fennet.core.working import Input, Working

#: So many nights ahead must hold above the kind's least. Source: growers_rule.
NIGHTS = 5
#: A forecast of frost is believed so much and no more: leaves are colder than the air under a clear sky, °C. Source:
#: starting_estimate.
COLDER_LEAF_C = 1.0
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


def killing_chance(
    crop: Crop, nights: Sequence[DayOutdoors], gate: Gate, autumn: float | None, today: date
) -> float | None:  # fmt: skip
    """The chance that a night kills a hardened plant set out today: by the forecast for as far as it goes, then by the record
    of frosts. Source: arithmetic, starting_estimate (errors of the forecast).

    The nights foretold hang together: the likeliest of them stands for all.
    """
    foretold = [n for n in nights if n.basis in ("forecast", "actual")]
    near = max((float(ndtr((crop.planting.kills_at_c + COLDER_LEAF_C - n.night_low_c) / n.off_c)) for n in foretold), default=0.0)
    later = autumn if autumn is not None else gate.risk_on(today + timedelta(days=len(foretold)))
    if later is None:
        return near if foretold else None
    return 1.0 - (1.0 - near) * (1.0 - later)


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
    season_open = gate.opens is None or gate.never or today >= gate.opens
    chance = killing_chance(crop, nights, gate, autumn, today)
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
    near = chance is not None and chance > max(gate.accepted, RISKY_NIGHT) and season_open
    if near and not told:
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
