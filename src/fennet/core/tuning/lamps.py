"""What to set a lamp to: the height and hours that bring the daily light of every tray beneath it into band, and what to do
where no setting can."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.crop import Crop
from fennet.core.history import effective_events
from fennet.core.light import Minutes, hours_of, least_mm
from fennet.core.lighting.curve import LEAST_GAP_MM
from fennet.core.lighting.shelf_map import ShelfMap, shelf_map
from fennet.core.records import Event, FloatArray, Journal, Lamp, Target
from fennet.core.room import RoomState, room_at
from fennet.core.targets import LONGEST_DAY_H, practice_of
from fennet.core.tuning.lamp_instead import LampInstead, left_out, ways_instead
from fennet.core.tuning.lamp_raising import raise_dates
from fennet.core.tuning.under_lamp import STEP_H, STEP_MM, ExpectedLight, LampCase, expected_at, lamp_case
from fennet.core.working import Input, Working

#: "Nearly touching": so far over the leaf, mm. Source: growers_rule.
NEARLY_MM = 50.0
#: Log spread of daily light about its aim that costs one unit, how much the reading's own distances are kept to, and what a
#: change of height and of hours costs by itself. Source: starting_estimate.
AIM_LOG, STAY_LOG, CHANGE_COST = 0.12, 0.8, 0.02
#: Outside its band the same spread costs more. Source: starting_estimate.
EDGE_LOG = 0.02
#: Where no timer was ever logged, the lamp comes on at six.
USUAL_ON_MIN = 360


#: Turns in which lamps over the same trays are tuned to each other: two settle them, the third is for the last.
TURNS = 3


@dataclass(frozen=True)
class LampSetting:
    """What a lamp should be set to. `height_mm` None: nothing under it wants light yet, or nothing is known of it (`why_not`)."""

    case: LampCase
    height_mm: float | None
    distance_mm: float | None
    on_min: int | None
    hours: float | None
    expected: tuple[ExpectedLight, ...]
    now: tuple[ExpectedLight, ...]
    reaches: bool
    instead: tuple[LampInstead, ...]
    raise_at: tuple[tuple[float, float], ...] = ()
    school: str = "measured"
    map: ShelfMap | None = None
    why_not: str = ""
    workings: Mapping[str, Working] = field(default_factory=dict)

    @property
    def lamp(self) -> Lamp:
        return self.case.lamp

    @property
    def off_min(self) -> int | None:
        return None if self.on_min is None or self.hours is None else round(self.on_min + 60 * self.hours) % 1440

    @property
    def now_hours(self) -> float | None:
        return hours_of(self.case.state.periods) if self.case.state.periods else None

    @property
    def changes(self) -> bool:
        """Whether it asks for another height or other hours than the lamp has."""
        if self.height_mm is None:
            return False
        there = self.case.state.height_mm
        moves = there is None or abs(there - self.height_mm) >= 2 * STEP_MM
        hours = self.now_hours
        return moves or hours is None or (self.hours is not None and abs(hours - self.hours) >= STEP_H - 1e-9)


def tune_lamps(
    journal: Journal, crops: Mapping[str, Crop], at_s: float, zone: ZoneInfo, own: Sequence[Target] = (),
    events: Sequence[Event] | None = None,
) -> list[LampSetting]:  # fmt: skip
    """A setting for every lamp that hangs over trays at a moment (seconds UTC); nothing later is used. `crops` by the names the
    journal's batches use, `own` the grower's own targets in order.

    Source: group_band, growers_rule for the bands, ceilings and distances; each lamp's curve names its own.
    """
    events = effective_events(journal.events, at_s) if events is None else events
    if any(len(s.at_s) and s.at_s[-1] > at_s for s in journal.series):
        # Asked about the past: nothing read later is known.
        journal = replace(journal, series=[s.until(at_s) for s in journal.series])
    state = room_at(journal, events, at_s)
    beside: dict[str, list[Lamp]] = {}
    for lamp in journal.lamps:
        place = state.lamps[lamp.id].place
        hangs = (lamp.until is None or lamp.until.timestamp() > at_s) and place is not None
        if hangs and any(t.place == place for t in state.trays.values()):
            beside.setdefault(str(place), []).append(lamp)
    found: dict[str, LampSetting] = {}
    for together in beside.values():
        # Lamps that light the same trays are tuned to each other: each by what the others are to be set to, until they agree.
        meant = dict(state.lamps)
        for _ in range(TURNS if len(together) > 1 else 1):
            for lamp in together:
                around = replace(state, lamps={**meant, lamp.id: state.lamps[lamp.id]})
                s = tune_lamp(journal, crops, lamp, around, events, at_s, zone, own)
                found[lamp.id] = s
                if s.height_mm is not None and s.on_min is not None and s.off_min is not None:
                    periods = ((s.on_min, s.off_min),)
                    meant[lamp.id] = replace(state.lamps[lamp.id], height_mm=s.height_mm, periods=periods)
    return [found[lamp.id] for lamp in journal.lamps if lamp.id in found]


def tune_lamp(
    journal: Journal, crops: Mapping[str, Crop], lamp: Lamp, state: RoomState, events: Sequence[Event], at_s: float,
    zone: ZoneInfo, own: Sequence[Target] = (),
) -> LampSetting:  # fmt: skip
    """What one lamp should be set to. `events` are effective events. Source: growers_rule, group_band."""
    place = next((p for p in journal.places if p.id == state.lamps[lamp.id].place), None)
    drawn = shelf_map(journal, place, state, events, at_s) if place is not None else None
    brightest = {t.tray: t.most_umol / max(t.mean_umol, 1.0) for t in drawn.trays} if drawn else {}
    case = lamp_case(journal, crops, lamp, state, events, at_s, zone, own, brightest)
    practice = practice_of(journal.garden)
    school = practice["lamp"]
    nothing = LampSetting(case, None, None, None, None, (), (), False, (), school=school, map=drawn)
    if not case.batches:
        return replace(nothing, why_not="nothing_lit")
    height = case.state.height_mm
    hours_now = hours_of(case.state.periods) if case.state.periods else None
    now = expected_at(case, height, hours_now) if height is not None and hours_now is not None else ()
    if case.curve.basis == "none":
        # Nothing was read and the lamp's lumens are not known: there is nothing to argue from.
        return replace(
            nothing, now=now, why_not="not_known", instead=(*left_out(case), LampInstead("read_light", case.trays[0].tray.id))
        )
    low_h, high_h, clash = hours_open(case)
    heights = heights_open(case, school, float(practice.get("lamp_fixed_mm", 0.0)))
    best_height, hours = _best(case, heights, np.arange(low_h, high_h + 1e-9, STEP_H), school)
    expected = expected_at(case, best_height, hours)
    reaches = all(e.reaches and not e.too_bright for e in expected) and clash is None
    on_min = on_at_min(case.state.periods, hours)
    distance = min(t.distance_mm(best_height) for t in case.trays)
    return LampSetting(
        case, best_height, distance, on_min, hours, expected, now, reaches,
        tuple(ways_instead(journal, case, best_height, hours, expected, clash, drawn, state)),
        () if case.ahead else tuple(raise_dates(case, best_height, at_s)), school, drawn, "",
        {"curve": case.curve.working(), "setting": _working(case, best_height, hours, expected)},
    )  # fmt: skip


def on_at_min(periods: Sequence[Minutes] | None, hours: float) -> int:
    """When to light a lamp for so many hours, minutes after midnight: as it is now, earlier where it would only now run past
    midnight into the hours that are kept dark.

    >>> on_at_min([(420, 1260)], 15.0), on_at_min([(600, 1320)], 16.0), on_at_min([(1200, 300)], 14.0)
    (420, 480, 1200)
    """
    on_min, off_min = periods[0] if periods else (USUAL_ON_MIN, 0)
    if 0 < off_min <= on_min:
        # Lit through midnight by choice, as where the night's power is cheap.
        return on_min
    return min(on_min, round(1440 - 60 * hours))


# -- what is open to choose ---------------------------------------------------------------------------------------------------


def heights_open(case: LampCase, school: str = "measured", fixed_mm: float = 0.0) -> FloatArray:
    """Heights over the place that keep the safe distance from the tallest leaves and stay under the shelf above, mm; the one of
    the grower's own distance from the leaves (`fixed`), never under the safe one."""
    tallest = max(t.leaf_mm for t in case.trays)
    lowest = tallest + least_mm(case.lamp)
    if school == "nearly_touching":
        return np.array([math.ceil((tallest + max(NEARLY_MM, least_mm(case.lamp))) / STEP_MM) * STEP_MM])
    if school == "fixed" and fixed_mm:
        return np.array([math.ceil((tallest + max(fixed_mm, least_mm(case.lamp))) / STEP_MM) * STEP_MM])
    if school == "makers_height":
        there = case.state.height_mm
        return np.array([max(there, lowest) if there is not None else math.ceil(lowest / STEP_MM) * STEP_MM])
    first = math.ceil(lowest / STEP_MM) * STEP_MM
    return np.arange(first, max(first, case.headroom_mm) + 0.1, STEP_MM)


def hours_open(case: LampCase) -> tuple[float, float, str | None]:
    """The hours that every batch's band allows, at least four and at most eighteen; where they share none, those between, and
    the tray that agrees least."""
    bands = [b.hours for _, b in case.batches]
    low, high = max(b.low for b in bands), min(b.high for b in bands)
    if low <= high + 1e-9:
        return max(4.0, low), min(LONGEST_DAY_H, max(low, high)), None
    middle = float(np.median([(b.low + b.high) / 2 for b in bands]))
    worst = max(case.batches, key=lambda x: abs(x[1].hours.misses(middle)))
    return max(4.0, high), min(LONGEST_DAY_H, low), worst[0].tray.id


# -- choosing -----------------------------------------------------------------------------------------------------------------


def _best(case: LampCase, heights: FloatArray, hours: FloatArray, school: str) -> tuple[float, float]:
    """Height and hours of least loss: every batch's daily light near the middle of its band, no leaf over its ceiling, hours
    where the crops want them; of what comes to the same, near where the lamp was read and hangs already."""
    grid_h = np.unique(np.append(hours, _now_hours(case, hours)))
    loss = np.zeros((len(heights), len(grid_h)))
    for t, b in case.batches:
        ppfd = np.array([case.curve.ppfd(max(t.distance_mm(h), LEAST_GAP_MM), t.tray.id, case.dim).p50 for h in heights])
        dli = t.other_mol + 0.0036 * ppfd[:, None] * grid_h[None, :]
        aim = (b.light.ideal_low + b.light.ideal_high) / 2
        log_dli = np.log(np.maximum(dli, 0.05))
        loss += ((log_dli - math.log(aim)) / AIM_LOG) ** 2
        outside = np.maximum(0.0, math.log(b.light.low) - log_dli) + np.maximum(0.0, log_dli - math.log(b.light.high))
        loss += (outside / EDGE_LOG) ** 2
        over = np.maximum(0.0, np.log((ppfd * t.brightest + t.other_umol) / b.ceiling_umol))
        loss += (over / 0.02)[:, None] ** 2
        miss = np.array([b.hours.misses(float(h)) for h in grid_h])
        loss += (miss / STEP_H)[None, :] ** 2
        middle = (b.hours.ideal_low + b.hours.ideal_high) / 2
        loss += 0.01 * ((grid_h - middle) / 2.0)[None, :] ** 2
    n = len(case.batches)
    measured = case.curve.measured_mm
    if measured is not None:
        nearest = np.array([min(t.distance_mm(h) for t in case.trays) for h in heights])
        outside = np.maximum(0.0, np.log((measured[0] + 60) / (nearest + 60))) + np.maximum(
            0.0, np.log((nearest + 60) / (measured[1] + 60))
        )
        # A curve is surest where it was read: hours do the rest where they can.
        loss += n * ((outside / STAY_LOG) ** 2)[:, None]
    if case.state.height_mm is not None:
        loss += (CHANGE_COST * np.abs(heights - case.state.height_mm) / 50.0)[:, None]
    i, j = np.unravel_index(int(np.argmin(loss)), loss.shape)
    return float(heights[i]), float(grid_h[j])


def _now_hours(case: LampCase, hours: FloatArray) -> list[float]:
    """The hours it is lit now, where they are open to choose."""
    if not case.state.periods:
        return []
    now = hours_of(case.state.periods)
    return [now] if hours[0] - 1e-9 <= now <= hours[-1] + 1e-9 else []


def _working(case: LampCase, height: float, hours: float, expected: Sequence[ExpectedLight]) -> Working:
    e = min(expected, key=lambda e: e.dli.p50)
    tray = next(t for t in case.trays if t.tray.id == e.tray)
    return Working(
        "daily light expected",
        (
            Input("height over the place", height, "mm", "proposed"),
            Input("tray", round(tray.top_mm), "mm", "" if tray.tray.height_mm else "not given", tray.tray.height_mm is None),
            Input("leaves", round(tray.canopy_mm), "mm", "last height logged" if tray.canopy_logged else "the kind’s curve",
                  not tray.canopy_logged),
            Input("lamp to leaf", round(tray.distance_mm(height)), "mm"),
            Input("brightness there", round(e.ppfd.p50, 1), "µmol m⁻² s⁻¹", "the lamp’s curve"),
            Input("lit", hours, "h", "proposed"),
            Input("from the window and other lamps", round(tray.other_mol, 2), "mol m⁻² d⁻¹"),
        ),
        "brightness at the leaf × seconds lit / 1 000 000, and what else shines there",
        ("arithmetic", "starting_estimate"),
        f"tray {e.tray} as it stands; the range is the curve’s",
        round(e.dli.p50, 2),
        "mol m⁻² d⁻¹",
    )  # fmt: skip
