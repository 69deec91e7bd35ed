"""`./fennet score --harden`: planned outings and fixed recipes in the simulated weather of several climates."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from fennet.core.hardening.outings import PASSES, SHADE_SHARE, Done, outing_of, progress
from fennet.core.hardening.weather import day_outdoors
from fennet.core.planning.climate import climate_by_latitude
from fennet.core.records import Garden
from fennet.crops import shipped
from fennet.journal.weather import read_weather
from fennet.simulated_room.outdoors import PLACES, RECIPES, PlantOutside, Weather, begins_d, draw_weather

#: A season of outings ends here, ready or not.
MOST_D = 34
KINDS = ("leek", "snapdragon", "tomato", "pepper")


@dataclass(frozen=True)
class Season:
    """What came of one tray: how much it suffered, and the day on which it stood the open and had had its night."""

    suffered: float
    ready_d: float


def planned(w: Weather, crop_id: str, school: str, seed: int) -> Season:
    """A tray put out as each morning's outing says, by that morning's forecast."""
    crop, garden = shipped().get(crop_id), Garden(timezone="UTC", latitude=w.place.latitude, longitude=0.0)
    plant, done, rng = PlantOutside(crop.planting.least_night_c), list[Done](), np.random.default_rng([seed, 7])
    climate, night = climate_by_latitude(garden), False
    first = datetime.fromtimestamp(float(w.at_s[0]), UTC).date()
    for day in range(MOST_D):
        now_s = float(w.at_s[day * 24]) + 6.5 * 3600
        issues, _ = read_weather([w.issue(now_s, rng)], garden)
        today = first + timedelta(days=day)
        p = progress(school, done, today)
        o = outing_of(crop, school, p, day_outdoors(issues, today, garden, climate, now_s))
        again = any(x.key == "water_again" for x in o.why)
        plant.day(w, day, o.from_h or 10.0, o.hours if o.go else 0.0, PASSES[o.sun], o.sheltered, o.night and o.go, again)
        if o.go:
            done.append(Done(today, o.hours, SHADE_SHARE[o.sun], o.night, plant.seen))
        night = progress(school, done, today + timedelta(days=1)).night_passed
        if night and plant.hard:
            return Season(plant.suffered, float(day + 1))
    return Season(plant.suffered, float(MOST_D))


def by_rote(w: Weather, crop_id: str, recipe: str) -> Season:
    """A tray put out by a recipe, whatever the day; its night when the recipe is through, then whole days until it is hard."""
    plant = PlantOutside(shipped().get(crop_id).planting.least_night_c)
    steps = RECIPES[recipe]
    for day in range(MOST_D):
        hours, passes = steps[min(day, len(steps) - 1)]
        plant.day(w, day, 10.0 if hours < 9 else 8.0, hours, passes, night=day == len(steps), again=hours >= 6)
        if day >= len(steps) and plant.hard:
            return Season(plant.suffered, float(day + 1))
    return Season(plant.suffered, float(MOST_D))


def compared(seeds: range, school: str = "shade_week") -> dict[str, dict[str, Season]]:
    """By place and way: the mean of what trays suffered, and the middle day on which they were ready."""
    out: dict[str, dict[str, Season]] = {}
    for place in PLACES:
        found: dict[str, list[Season]] = {"planned": [], **{r: [] for r in RECIPES}}
        for seed in seeds:
            # Both halves of the seeds have every kind, each in its own season.
            kind = KINDS[seed // 2 % len(KINDS)]
            w = draw_weather(place, seed, later_d=begins_d(place, shipped().get(kind).planting.least_night_c))
            found["planned"].append(planned(w, kind, school, seed))
            for recipe in RECIPES:
                found[recipe].append(by_rote(w, kind, recipe))
        out[place.name] = {
            way: Season(float(np.mean([s.suffered for s in each])), float(np.median([s.ready_d for s in each])))
            for way, each in found.items()
        }
    return out


def score_harden(n: int) -> int:
    for half, seeds in (("looked at", range(0, 2 * n, 2)), ("held back", range(1, 2 * n, 2))):
        for place, ways in compared(seeds).items():
            told = "; ".join(f"{way} {s.suffered:.2f}, ready day {s.ready_d:.0f}" for way, s in ways.items())
            print(f"half {half}: {place:14} suffered {told}")
    return 0
