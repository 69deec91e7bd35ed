"""What stands under a lamp: each tray with its leaves' height, the crops that want light, the light it has besides, and what it
would get at a setting."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.conditions import planting_day_length_h
from fennet.core.crop import Crop
from fennet.core.growth import heights_ahead
from fennet.core.history import counts_of, life_events, lost_of, place_stays
from fennet.core.learning.garden import crop_of
from fennet.core.light import DAY_S, HOUR_S, LampState, Minutes, constant_dli_mol, days_of_light, hours_of, local_days
from fennet.core.lighting.curve import LEAST_GAP_MM, LampCurve, lamp_curve
from fennet.core.records import Batch, Event, FloatArray, Journal, Lamp, Place, Target, Tray
from fennet.core.room import USUAL_TRAY_HEIGHT_MM, RoomState, canopy_mm, in_trays
from fennet.core.stages import stages_now
from fennet.core.stretch import thermal_age
from fennet.core.targets import Band, practice_of, targets_for
from fennet.core.tray_light import light_at_tray
from fennet.core.working import Interval

#: Stages that live by the lamp.
LIT = ("emerging", "seedling", "growing_on", "hardening")
#: PPFD over which seed leaves, and seedlings raised in the shade, may bleach, µmol m⁻² s⁻¹. Source: growers_rule.
SEED_LEAF_UMOL, SEEDLING_UMOL = 350.0, 600.0
#: How much brighter a tray's brightest spot is than its middle where no map tells. Source: starting_estimate.
BRIGHTEST = 1.12
#: Window light counted on: the mean of so many days, d.
WINDOW_D = 7
#: Steps of height and hours, mm and h. Nobody hangs a lamp to the millimetre.
STEP_MM, STEP_H = 5.0, 0.25
#: A batch is reached where its expected daily light lies inside low–high.
TRUE_ENOUGH = 1e-6


@dataclass(frozen=True)
class LitBatch:
    """One batch under a lamp: its bands of light and hours, the most PPFD it stands, its plants."""

    batch: Batch
    crop: Crop
    stage: str
    light: Band
    hours: Band
    ceiling_umol: float
    plants: int
    age_d: float
    pace: float
    seen: tuple[tuple[float, float], ...]

    def height_ahead(self, days: FloatArray) -> FloatArray:
        """Height in so many days, mm."""
        return heights_ahead(self.crop.growth, self.seen, self.age_d, days, self.pace)


@dataclass(frozen=True)
class UnderLamp:
    """A tray under a lamp: height of its top and of its leaves over the place (mm), what grows in it, light it has besides: in a
    day from window and other lamps, and from lamps lit at the same time."""

    tray: Tray
    top_mm: float
    canopy_mm: float
    canopy_logged: bool
    batches: tuple[LitBatch, ...]
    other_mol: float
    brightest: float = BRIGHTEST
    other_umol: float = 0.0

    @property
    def leaf_mm(self) -> float:
        return self.top_mm + self.canopy_mm

    def distance_mm(self, height_mm: float) -> float:
        return height_mm - self.leaf_mm


@dataclass(frozen=True)
class LampCase:
    """Everything that bears on one lamp's setting. `ahead`: nothing under it is up yet, and it is set for what will be."""

    lamp: Lamp
    state: LampState
    curve: LampCurve
    trays: tuple[UnderLamp, ...]
    ahead: bool
    headroom_mm: float
    dim: float

    @property
    def batches(self) -> list[tuple[UnderLamp, LitBatch]]:
        return [(t, b) for t in self.trays for b in t.batches]


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


def expected_at(case: LampCase, height_mm: float, hours: float) -> tuple[ExpectedLight, ...]:
    """What each batch under a lamp gets at a height (mm over the place) and so many hours a day. Source: the lamp's curve."""
    out = []
    for t, b in case.batches:
        ppfd = case.curve.ppfd(max(t.distance_mm(height_mm), LEAST_GAP_MM), t.tray.id, case.dim)
        mol = constant_dli_mol(1.0, hours)
        dli = Interval(*(t.other_mol + mol * q for q in (ppfd.p10, ppfd.p50, ppfd.p90)))
        aim = (b.light.ideal_low + b.light.ideal_high) / 2
        fits = b.hours.low - 1e-6 <= hours <= b.hours.high + 1e-6
        out.append(
            ExpectedLight(
                t.tray.id, b.batch.id, ppfd, dli, b.light.low, b.light.high, aim, fits, max(1.0, b.ceiling_umol - t.other_umol)
            )
        )
    return tuple(out)


def lamp_case(
    journal: Journal, crops: Mapping[str, Crop], lamp: Lamp, state: RoomState, events: Sequence[Event], at_s: float,
    zone: ZoneInfo, own: Sequence[Target] = (), brightest: Mapping[str, float] | None = None,
) -> LampCase:  # fmt: skip
    """What bears on one lamp's setting at a moment (seconds UTC). `events` effective events; `brightest` tray → brightest spot
    over the tray's middle, from a map. Source: group_band, growers_rule."""
    now = state.lamps[lamp.id]
    here = [t for t in journal.trays if now.place is not None and state.trays[t.id].place == now.place]
    length_h = planting_day_length_h(journal.garden, datetime.fromtimestamp(at_s, zone).year)
    by_tray = in_trays([b for b in journal.batches if b.sown_at.timestamp() <= at_s], events, at_s)
    inside = {t.id: by_tray.get(t.id, []) for t in here}
    stages = stages_now((b for found in inside.values() for b in found), events, at_s)
    # Where nothing is up yet the lamp is set for what will be: it must not come too late.
    lit_early = practice_of(journal.garden)["before_emergence"] == "lit"
    ahead = not any(stage in LIT for stage in stages.values())
    under = []
    for tray in here:
        lit = []
        for b in inside[tray.id]:
            stage = "emerging" if ahead and stages[b.id] == "sown" else stages[b.id]
            found = _lit(journal, crop_of(crops, b), b, stage, events, at_s, length_h, own) if stage in LIT else None
            if found is not None:
                lit.append(found)
        if not lit:
            continue
        logged = canopy_mm([x.batch for x in lit], events, at_s, journal.series)
        guessed = max(float(x.height_ahead(np.zeros(1))[0]) for x in lit)
        canopy = guessed if logged is None else max(logged, guessed if _stale(lit, at_s) else 0.0)
        mol, umol = _besides(journal, lamp, tray, [x.batch for x in lit], state, events, at_s, zone)
        under.append(
            UnderLamp(
                tray, tray.height_mm or USUAL_TRAY_HEIGHT_MM, canopy, logged is not None, tuple(lit), mol,
                (brightest or {}).get(tray.id, BRIGHTEST), umol,
            )
        )  # fmt: skip
    curve = lamp_curve(journal, lamp, events, at_s, [u.tray.id for u in under])
    dim = (now.dim_pct if now.dim_pct is not None else 100.0) / 100
    # Who lights from the day of sowing sets it now.
    return LampCase(lamp, now, curve, tuple(under), ahead and not lit_early, _headroom(journal, now), dim or 1.0)


def _stale(lit: Sequence[LitBatch], at_s: float) -> bool:
    """Whether heights were logged so long ago that the plants have outgrown them."""
    return all(not x.seen or x.age_d - x.seen[-1][0] > 3.0 for x in lit)


def _lit(
    journal: Journal, crop: Crop, batch: Batch, stage: str, events: Sequence[Event], at_s: float, length_h: float | None,
    own: Sequence[Target],
) -> LitBatch | None:  # fmt: skip
    counts = counts_of(batch, events)
    first_s = counts.reached(1)
    since_d = (at_s - first_s) / DAY_S if first_s is not None else None
    # Hardening plants still stand under the lamp on the days they stay in: the bands of growing on hold.
    bands = targets_for(
        crop, "growing_on" if stage == "hardening" else stage, practice_of(journal.garden, batch), own, batch.id, length_h,
        since_d, at_s,
    )  # fmt: skip
    if "daily_light" not in bands or "light_hours" not in bands:
        return None
    age = thermal_age(journal, crop, batch, events, at_s)
    leaves = max((int(e.fields.get("true_leaves") or 0) for e in life_events(batch, events, "height")), default=0)
    young = leaves < 1 and age.now_d < crop.growth.leaf_days + 5.0
    plants = max(0, (counts.up or batch.n_cells) - lost_of(batch, events))
    return LitBatch(
        batch, crop, stage, bands["daily_light"], bands["light_hours"], SEED_LEAF_UMOL if young else SEEDLING_UMOL, plants,
        age.now_d, age.pace, tuple(age.heights),
    )  # fmt: skip


def _besides(
    journal: Journal, lamp: Lamp, tray: Tray, batches: Sequence[Batch], state: RoomState, events: Sequence[Event], at_s: float,
    zone: ZoneInfo,
) -> tuple[float, float]:  # fmt: skip
    """Light a tray has a day from the window and from other lamps over it, mol m⁻² d⁻¹: the mean of the last days; and the
    brightness of those lamps that are lit while this one is, µmol m⁻² s⁻¹."""
    days = local_days(at_s - WINDOW_D * DAY_S, at_s, zone)
    from_s, to_s = days[0][1], days[-1][1]
    place = state.trays[tray.id].place
    total, at_once = 0.0, 0.0
    mine = state.lamps[lamp.id].periods
    if _sees_window(journal, tray, events, from_s):
        light = light_at_tray(journal, tray, batches, events, zone, from_s, to_s)
        window = days_of_light(
            replace(light, lit=[], brightness=[], logged_s=np.zeros(0), logged_umol=np.zeros(0)), zone, from_s, to_s
        )
        mols = [d.mol for d in window if d.mol]
        total = float(np.mean(mols)) if mols else 0.0
    for other in journal.lamps:
        hung = state.lamps[other.id]
        if other.id == lamp.id or hung.place != place or not hung.periods or hung.height_mm is None:
            continue
        canopy = canopy_mm(batches, events, at_s, journal.series) or 0.0
        curve = lamp_curve(journal, other, events, at_s, [tray.id])
        distance = hung.height_mm - (tray.height_mm or USUAL_TRAY_HEIGHT_MM) - canopy
        hours = hours_of(hung.periods)
        dim = (hung.dim_pct if hung.dim_pct is not None else 100.0) / 100
        ppfd = curve.ppfd(max(distance, 10.0), tray.id, dim).p50
        total += ppfd * hours * HOUR_S / 1e6
        if not mine or _overlapping(mine, hung.periods):
            at_once += ppfd
    return total, at_once


def _overlapping(one: Sequence[Minutes], other: Sequence[Minutes]) -> bool:
    """Whether two timers light at the same time."""

    def minutes(periods: Sequence[Minutes]) -> set[int]:
        return {m % 1440 for on, off in periods for m in range(on, off if off > on else off + 1440, 15)}

    return bool(minutes(one) & minutes(other))


def _sees_window(journal: Journal, tray: Tray, events: Sequence[Event], from_s: float) -> bool:
    """Whether anything may say what a tray has from a window: light of the sky was read somewhere, or it was moved since."""
    moved = sum(s.to_s > from_s for s in place_stays(tray.id, events)) > 1
    return moved or any(s.quantity == "light" and s.daylight is not None and s.daylight.any() for s in journal.series)


#: A lamp hangs no higher than this over its place where nothing above is known, mm. Source: starting_estimate.
HIGHEST_MM = 900.0
#: Room a lamp itself takes under the shelf above, mm. Source: starting_estimate.
BODY_MM = 60.0


def _headroom(journal: Journal, now: LampState) -> float:
    """The highest its lower face can hang: under the next place above in the same room, mm."""
    place = next((p for p in journal.places if p.id == now.place), None)
    if place is None or place.z_mm is None:
        return HIGHEST_MM
    above = [
        p.z_mm - place.z_mm
        for p in journal.places
        if p.id != place.id and p.room == place.room and p.z_mm is not None and p.z_mm > place.z_mm + 100 and _overlap(p, place)
    ]
    highest = min([HIGHEST_MM, *(a - BODY_MM for a in above)])
    return max(highest, now.height_mm or 0.0)


def _overlap(a: Place, b: Place) -> bool:
    if a.x_mm is None or b.x_mm is None or a.width_mm is None or b.width_mm is None:
        return True
    return a.x_mm < b.x_mm + b.width_mm and b.x_mm < a.x_mm + a.width_mm
