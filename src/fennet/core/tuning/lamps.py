"""What to set a lamp to: the height and hours that bring the daily light of every tray beneath it into band, and what to do
where no setting can."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.crop import Crop
from fennet.core.history import standing
from fennet.core.light import DAY_S, Minutes, constant_dli_mol, hours_of
from fennet.core.lighting.shelf_map import ShelfMap, shelf_map
from fennet.core.records import Event, FloatArray, Journal, Lamp, Target
from fennet.core.room import RoomState, room_at
from fennet.core.targets import LONGEST_DAY_H, practice_of
from fennet.core.tuning.under_lamp import LampCase, UnderLamp, lamp_case
from fennet.core.working import Input, Interval, Working

#: Steps of height and hours, mm and h. Nobody hangs a lamp to the millimetre.
STEP_MM, STEP_H = 5.0, 0.25
#: Nearest a lamp may hang to a leaf where its maker says nothing, by kind, mm. Source: growers_rule.
LEAST_MM: dict[str, float] = {
    "fluorescent_cool": 30.0, "fluorescent_warm": 30.0, "hot_tube": 150.0, "white_led": 50.0, "red_blue_led": 150.0,
    "hps": 400.0, "metal_halide": 400.0, "incandescent": 400.0,
}  # fmt: skip
#: "Nearly touching": so far over the leaf, mm. Source: growers_rule.
NEARLY_MM = 50.0
#: The lamp is raised when growth has brought the leaf so much more light. Source: growers_rule.
RAISE_FROM, AHEAD_D = 1.15, 21
#: Reflecting sides bring so much more. Source: growers_rule (use 0.8 against 0.6).
REFLECT = 0.8 / 0.6
#: Log spread of daily light about its aim that costs one unit, how much the reading's own distances are kept to, and what a
#: change of height and of hours costs by itself. Source: starting_estimate.
AIM_LOG, STAY_LOG, CHANGE_COST = 0.12, 0.8, 0.02
#: Outside its band the same spread costs more. Source: starting_estimate.
EDGE_LOG = 0.02
#: A tray is stood higher by so much at least, mm.
LIFT_FROM_MM = 20.0
#: A setting that reaches: expected daily light inside low–high of every batch.
TRUE_ENOUGH = 1e-6
#: Where no timer was ever logged, the lamp comes on at six.
USUAL_ON_MIN = 360


@dataclass(frozen=True)
class LampInstead:
    """Something to do beside or instead of a setting; `mol` the daily light it would bring, `factor` how much more light."""

    deed: str
    tray: str | None = None
    mol: float | None = None
    factor: float | None = None
    thing: str | None = None


@dataclass(frozen=True)
class ExpectedLight:
    """What one batch gets at a setting: PPFD at its leaves while lit, daily light with the window's, and where that lies."""

    tray: str
    batch: str
    ppfd: Interval[float]
    dli: Interval[float]
    low: float
    high: float
    aim: float
    hours_ok: bool
    ceiling_umol: float

    @property
    def reaches(self) -> bool:
        return self.low - TRUE_ENOUGH <= self.dli.p50 <= self.high + TRUE_ENOUGH and self.hours_ok

    @property
    def too_bright(self) -> bool:
        return self.ppfd.p50 > self.ceiling_umol


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
    events = standing(journal.events, at_s) if events is None else events
    if any(len(s.at_s) and s.at_s[-1] > at_s for s in journal.series):
        # Asked about the past: nothing read later is known.
        journal = replace(journal, series=[s.until(at_s) for s in journal.series])
    state = room_at(journal, events, at_s)
    out = []
    for lamp in journal.lamps:
        place = state.lamps[lamp.id].place
        if (lamp.until is not None and lamp.until.timestamp() <= at_s) or place is None:
            continue
        if any(t.place == place for t in state.trays.values()):
            out.append(tune_lamp(journal, crops, lamp, state, events, at_s, zone, own))
    return out


def tune_lamp(
    journal: Journal, crops: Mapping[str, Crop], lamp: Lamp, state: RoomState, events: Sequence[Event], at_s: float,
    zone: ZoneInfo, own: Sequence[Target] = (),
) -> LampSetting:  # fmt: skip
    """What one lamp should be set to. `events` are standing events. Source: growers_rule, group_band."""
    place = next((p for p in journal.places if p.id == state.lamps[lamp.id].place), None)
    drawn = shelf_map(journal, place, state, events, at_s) if place is not None else None
    brightest = {t.tray: t.most_umol / max(t.mean_umol, 1.0) for t in drawn.trays} if drawn else {}
    case = lamp_case(journal, crops, lamp, state, events, at_s, zone, own, brightest)
    school = practice_of(journal.garden)["lamp"]
    nothing = LampSetting(case, None, None, None, None, (), (), False, (), school=school, map=drawn)
    if not case.batches:
        return replace(nothing, why_not="nothing_lit")
    height = case.state.height_mm
    hours_now = hours_of(case.state.periods) if case.state.periods else None
    now = expected_at(case, height, hours_now) if height is not None and hours_now is not None else ()
    if case.curve.basis == "none":
        # Nothing was read and the lamp's lumens are not known: there is nothing to argue from.
        return replace(
            nothing, now=now, why_not="not_known", instead=(*_left_out(case), LampInstead("read_light", case.trays[0].tray.id))
        )
    low_h, high_h, clash = hours_open(case)
    heights = heights_open(case, school)
    best_height, hours = _best(case, heights, np.arange(low_h, high_h + 1e-9, STEP_H), school)
    expected = expected_at(case, best_height, hours)
    reaches = all(e.reaches and not e.too_bright for e in expected) and clash is None
    on_min = on_at_min(case.state.periods, hours)
    distance = min(t.distance_mm(best_height) for t in case.trays)
    return LampSetting(
        case, best_height, distance, on_min, hours, expected, now, reaches,
        tuple(_instead(journal, case, best_height, hours, expected, reaches, clash, drawn, state)),
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


def least_mm(lamp: Lamp) -> float:
    """The nearest it may hang to a leaf, mm: as its maker says, else by its kind. Source: growers_rule."""
    return lamp.min_distance_mm if lamp.min_distance_mm is not None else LEAST_MM.get(lamp.kind or "", 100.0)


def heights_open(case: LampCase, school: str = "measured") -> FloatArray:
    """Heights over the place that keep the safe distance from the tallest leaves and stay under the shelf above, mm."""
    tallest = max(t.leaf_mm for t in case.trays)
    lowest = tallest + least_mm(case.lamp)
    if school == "nearly_touching":
        return np.array([math.ceil((tallest + max(NEARLY_MM, least_mm(case.lamp))) / STEP_MM) * STEP_MM])
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


def expected_at(case: LampCase, height_mm: float, hours: float) -> tuple[ExpectedLight, ...]:
    """What each batch under a lamp gets at a height (mm over the place) and so many hours a day. Source: the lamp's curve."""
    out = []
    for t, b in case.batches:
        ppfd = case.curve.ppfd(max(t.distance_mm(height_mm), 5.0), t.tray.id, case.dim)
        mol = constant_dli_mol(1.0, hours)
        dli = Interval(*(t.other_mol + mol * q for q in (ppfd.p10, ppfd.p50, ppfd.p90)))
        aim = (b.light.ideal_low + b.light.ideal_high) / 2
        fits = b.hours.low - 1e-6 <= hours <= b.hours.high + 1e-6
        out.append(ExpectedLight(t.tray.id, b.batch.id, ppfd, dli, b.light.low, b.light.high, aim, fits, b.ceiling_umol))
    return tuple(out)


# -- choosing -----------------------------------------------------------------------------------------------------------------


def _best(case: LampCase, heights: FloatArray, hours: FloatArray, school: str) -> tuple[float, float]:
    """Height and hours of least loss: every batch's daily light near the middle of its band, no leaf over its ceiling, hours
    where the crops want them; of what comes to the same, near where the lamp was read and hangs already."""
    grid_h = np.unique(np.append(hours, _now_hours(case, hours)))
    loss = np.zeros((len(heights), len(grid_h)))
    for t, b in case.batches:
        ppfd = np.array([case.curve.ppfd(max(t.distance_mm(h), 5.0), t.tray.id, case.dim).p50 for h in heights])
        dli = t.other_mol + 0.0036 * ppfd[:, None] * grid_h[None, :]
        aim = (b.light.ideal_low + b.light.ideal_high) / 2
        log_dli = np.log(np.maximum(dli, 0.05))
        loss += ((log_dli - math.log(aim)) / AIM_LOG) ** 2
        outside = np.maximum(0.0, math.log(b.light.low) - log_dli) + np.maximum(0.0, log_dli - math.log(b.light.high))
        loss += (outside / EDGE_LOG) ** 2
        over = np.maximum(0.0, np.log(ppfd * t.brightest / b.ceiling_umol))
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


def raise_dates(case: LampCase, height_mm: float, at_s: float) -> list[tuple[float, float]]:
    """When to raise the lamp as the plants grow, and to what height: each time light at the tallest leaves has risen by 15 %, or
    they come within the safe distance. Three weeks ahead, at most four. Source: growth_estimate, growers_rule."""
    days = np.arange(0.0, AHEAD_D + 0.01, 0.25)
    tallest = np.zeros(len(days))
    lead: UnderLamp | None = None
    for t in case.trays:
        ahead = np.max([b.height_ahead(days) for b in t.batches], axis=0)
        # Heights as logged hold now; the curve says how they rise from there.
        risen = t.leaf_mm + np.maximum(0.0, ahead - ahead[0])
        if lead is None or risen[-1] > tallest[-1]:
            lead = t
        tallest = np.maximum(tallest, risen)
    if lead is None:
        return []
    out: list[tuple[float, float]] = []
    hung, gap = height_mm, height_mm - tallest[0]
    start = case.curve.ppfd(max(gap, 5.0), lead.tray.id).p50
    least = least_mm(case.lamp)
    for i, day in enumerate(days):
        distance = hung - tallest[i]
        brighter = case.curve.ppfd(max(distance, 5.0), lead.tray.id).p50 / start
        if day > 0 and (brighter >= RAISE_FROM or distance < least):
            hung = min(case.headroom_mm, math.ceil((tallest[i] + gap) / STEP_MM) * STEP_MM)
            out.append((at_s + float(day) * DAY_S, hung))
            if len(out) == 4 or hung >= case.headroom_mm:
                break
    return out


# -- what else ----------------------------------------------------------------------------------------------------------------


def _instead(
    journal: Journal, case: LampCase, height: float, hours: float, expected: Sequence[ExpectedLight], reaches: bool,
    clash: str | None, drawn: ShelfMap | None, state: RoomState,
) -> list[LampInstead]:  # fmt: skip
    out: list[LampInstead] = []
    short = [e for e in expected if e.dli.p50 < e.low - TRUE_ENOUGH]
    over = [e for e in expected if e.dli.p50 > e.high + TRUE_ENOUGH or e.too_bright]
    if clash is not None:
        out.append(LampInstead("move", clash, thing=_elsewhere(journal, case, state)))
    if short:
        worst = min(short, key=lambda e: e.dli.p50 / e.aim)
        more = worst.aim / max(worst.dli.p50, 0.1)
        from_lamp = worst.dli.p50 * REFLECT
        out.append(LampInstead("reflect", worst.tray, from_lamp, REFLECT))
        if case.dim < 0.99:
            out.insert(0, LampInstead("undim", None, worst.dli.p50 / case.dim))
        longer = next((b for t, b in case.batches if b.batch.id == worst.batch), None)
        if longer is not None and not longer.hours.notes and hours < LONGEST_DAY_H - STEP_H:
            out.append(LampInstead("longer_day", worst.tray, worst.dli.p50 * LONGEST_DAY_H / hours, LONGEST_DAY_H))
        if len(case.trays) > 1 or (drawn is not None and drawn.evenness < 0.8):
            out.append(LampInstead("smaller_area", worst.tray))
        lifted = _lifted(case, height, hours, short) if len(case.trays) > 1 else []
        out = [*lifted, *out]
        if not lifted and (over or len({e.tray for e in short}) < len(case.trays)):
            out.append(LampInstead("move", worst.tray, thing=_elsewhere(journal, case, state)))
        out.append(LampInstead("another_lamp", None, None, more))
    for e in over:
        # What is mended for the short ones by lifting or moving them lets the lamp go up for the rest.
        if not any(i.deed in ("move", "lift") for i in out):
            dimmed = height >= case.headroom_mm - STEP_MM and not short
            # A lamp that cannot go higher is dimmed; else this tray stands nearer to it than the rest can bear.
            out.append(LampInstead("dim" if dimmed else "move", e.tray, e.aim, e.aim / e.dli.p50,
                                   None if dimmed else _elsewhere(journal, case, state)))  # fmt: skip
    for deed, tray in drawn.advice() if drawn is not None else []:
        out.append(LampInstead(deed, tray or None))
    out += _left_out(case)
    read = {p.tray for p in case.curve.points if p.tray}
    if case.curve.basis != "measured":
        out.append(LampInstead("read_light", case.trays[0].tray.id))
    elif len(case.curve.points) == 1 and len(case.trays) > 1:
        out.append(LampInstead("one_reading", next((t.tray.id for t in case.trays if t.tray.id not in read), None)))
    elif case.curve.measured_mm and case.curve.measured_mm[1] - case.curve.measured_mm[0] < 20:
        out.append(LampInstead("read_another_height", case.trays[0].tray.id))
    if case.state.height_mm is None:
        out.append(LampInstead("log_height"))
    if not case.state.periods:
        out.append(LampInstead("log_timer"))
    return out


def _left_out(case: LampCase) -> list[LampInstead]:
    """One word for each reason for which readings could not be used."""
    by_why = {p.why: p for p in reversed(case.curve.left_out)}
    return [LampInstead(why, p.tray, p.ppfd_umol) for why, p in by_why.items()]


def _lifted(case: LampCase, height: float, hours: float, short: Sequence[ExpectedLight]) -> list[LampInstead]:
    """Trays that would be in band if they stood higher, as near as is safe; `mol` is the lift in mm."""
    out = []
    for tray in {e.tray for e in short}:
        t = next(t for t in case.trays if t.tray.id == tray)
        aim = max(e.aim for e in short if e.tray == tray)
        now = t.distance_mm(height)
        for d in np.arange(now - LIFT_FROM_MM, least_mm(case.lamp), -STEP_MM):
            if t.other_mol + constant_dli_mol(case.curve.ppfd(float(d), tray, case.dim).p50, hours) >= aim:
                out.append(LampInstead("lift", tray, float(now - d)))
                break
    return out


def _elsewhere(journal: Journal, case: LampCase, state: RoomState) -> str | None:
    """Another lamp that hangs over a place, with the fewest trays under it."""
    others = [x.id for x in journal.lamps if x.id != case.lamp.id and state.lamps[x.id].place not in (None, case.state.place)]
    return min(others, key=lambda n: (sum(t.place == state.lamps[n].place for t in state.trays.values()), n), default=None)


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
