"""`./fennet score --gate N`: whether a *yes* at the gate is followed by a killing night, and what *not yet* costs."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import numpy as np

from fennet.core.crop import Crop
from fennet.core.hardening.hardening import AHEAD_D
from fennet.core.hardening.outings import SCHOOLS, Progress
from fennet.core.hardening.ready import NIGHTS, verdict_on
from fennet.core.hardening.weather import day_outdoors
from fennet.core.planning.climate import climate
from fennet.core.planning.frost import Frosts
from fennet.core.planning.gate import ACCEPTED_RISK, gate_on, next_opening
from fennet.core.planning.plan import Outdoors
from fennet.core.records import Garden
from fennet.core.targets import practice_of
from fennet.crops import shipped
from fennet.journal.minima import read_minima
from fennet.journal.weather import read_weather
from fennet.simulated_room.nights import Days, draw_days, foretold_on, record_of
from fennet.simulated_room.outdoors import PLACES, Place

KINDS = ("leek", "snapdragon", "cosmos", "tomato", "pepper")
#: The springs that are tried follow a record that ends with this year. Of each so many days are looked at before the season
#: opens, and after.
RECORD_TO, BEFORE_D, AFTER_D = 2025, 30, 45
#: A killing night is looked for so long after planting.
WATCHED_D = 60
PRACTICE = practice_of(Garden())


@dataclass(frozen=True)
class Spring:
    """One kind in one spring of one place: the day of the first *yes*, whether a night killed after it, and how many days after
    the first day that was good in hindsight it came; None where it never came, or no day was good."""

    place: str
    kind: str
    yes: date | None
    killed: bool
    late_d: int | None


def springs(seeds: Sequence[int], places: Sequence[Place] = PLACES) -> Iterator[Spring]:
    """Every kind in every place, in the spring of each seed."""
    for place in places:
        garden = Garden(timezone="UTC", latitude=place.latitude, longitude=0.0)
        frosts = Frosts(garden, read_minima(record_of(place, RECORD_TO)).minima)
        year = climate(read_minima(record_of(place, RECORD_TO)).minima, frosts.southern)
        for seed in seeds:
            for kind in KINDS:
                yield _spring(place, garden, Outdoors(frosts, year), shipped().get(kind), seed)


def _spring(place: Place, garden: Garden, out: Outdoors, crop: Crop, seed: int) -> Spring:
    midwinter = date(RECORD_TO + 1, 1, 15) if not out.frosts.southern else date(RECORD_TO + 1, 7, 15)
    opens = next_opening(crop, midwinter, out.frosts, out.climate).opens
    assert opens is not None
    first = opens - timedelta(days=BEFORE_D)
    days = draw_days(place, first, BEFORE_D + AFTER_D + WATCHED_D + 10, 1000 + seed)
    good = _good_in_hindsight(crop, days, opens)
    yes = next((d for d in _days(first, BEFORE_D + AFTER_D) if _says_yes(crop, garden, out, days, d, seed)), None)
    killed = yes is not None and _kills(crop, days, yes)
    late_d = (yes - good).days if yes is not None and good is not None else None
    return Spring(place.name, crop.id, yes, killed, late_d)


def _days(first: date, n: int) -> Iterator[date]:
    return (first + timedelta(days=i) for i in range(n))


def _says_yes(crop: Crop, garden: Garden, out: Outdoors, days: Days, today: date, seed: int) -> bool:
    """The verdict on grown and hardened plants, by that morning's forecast."""
    rng = np.random.default_rng([seed, today.toordinal()])
    issues, _ = read_weather([foretold_on(days, today, garden.zone, rng)], garden)
    now_s = datetime(today.year, today.month, today.day, 8, tzinfo=UTC).timestamp()
    ahead = [day_outdoors(issues, today + timedelta(days=i), garden, out.climate, now_s) for i in range(min(AHEAD_D, NIGHTS + 2))]
    hard = Progress(len(SCHOOLS[PRACTICE["harden"]]), True, 0, "none", ())
    gate = gate_on(crop, today, out.frosts, out.climate, PRACTICE)
    return verdict_on(crop, PRACTICE, gate, hard, ahead, out.frosts.southern, out.climate, None, None).verdict == "yes"


def _kills(crop: Crop, days: Days, planted: date) -> bool:
    """Whether a night after planting kills it."""
    return any(days.low_on(d + timedelta(days=1)) <= crop.planting.kills_at_c for d in _days(planted, WATCHED_D))


def _good_in_hindsight(crop: Crop, days: Days, opens: date) -> date | None:
    """The first day after which no night kills it and the next five are as warm as it wants, as they came."""
    for day in _days(days.first, BEFORE_D + AFTER_D):
        nights = [days.low_on(d + timedelta(days=1)) for d in _days(day, NIGHTS)]
        if min(nights) >= crop.planting.least_night_c and not _kills(crop, days, day):
            return day
    return None


def score_gate(n: int) -> int:
    for half, seeds in (("looked at", range(0, 2 * n, 2)), ("held back", range(1, 2 * n, 2))):
        found = list(springs(seeds))
        for kind in KINDS:
            _print(half, kind, [s for s in found if s.kind == kind])
        _print(half, "all", found)
    return 0


def _print(half: str, what: str, found: Sequence[Spring]) -> None:
    said = [s for s in found if s.yes is not None]
    late = [s.late_d for s in found if s.late_d is not None]
    killed = sum(s.killed for s in said) / max(1, len(said))
    print(
        f"half {half}: {what:10} {len(found)} springs, yes in {len(said)}; a killing night after it in {100 * killed:.0f} % "
        f"(accepted {100 * ACCEPTED_RISK[PRACTICE['frost_risk']]:.0f} %); it came "
        f"{np.median(late) if late else float('nan'):.0f} days after the first good day in the middle case, "
        f"{np.percentile(late, 90) if late else float('nan'):.0f} in one of ten"
    )
