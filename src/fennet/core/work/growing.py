"""What there is to do for what grows: water, light and heat out of band, disease and stretch, feeding, thinning, potting up."""

from __future__ import annotations

from collections.abc import Sequence

from fennet.core.care.watering import at_hour_s, minutes_of, watering_of
from fennet.core.drying import SOAKED_PCT, dry_down, refill_ml
from fennet.core.learning.habits import Habit
from fennet.core.light import DAY_S, HOUR_S, LampState, least_mm
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import RoomState, canopy_mm, leaf_distance_mm
from fennet.core.work.figures import (
    Damp,
    Fallen,
    Feed,
    FeelMix,
    HoursOut,
    LampNear,
    Leggy,
    LightOut,
    NoLight,
    Sign,
    SoilOut,
    TooWet,
    Water,
)
from fennet.core.work.task import CARE_AHEAD_H, BatchDay, Task

#: Leaves that stood so long under a lamp as it hangs without these signs are not hurt by it, d. Source: growers_rule.
UNHURT_D = 5.0
BURNS = frozenset(("bleached", "brown_edges", "cupped"))
#: A tray that nobody watered nor felt is felt so long after it was begun, d, open and covered; leaves dry it faster. Source:
#: growers_rule.
FIRST_FEEL_D, COVERED_FEEL_D = 1.0, 4.0
#: Watering is told so far ahead, h. Source: growers_rule.
WATER_AHEAD_H = 36.0


def water_tasks(
    journal: Journal, tray: str, inside: Sequence[BatchDay], events: Sequence[Event], at_s: float, usual: Habit | None = None
) -> list[Task]:
    """Water now, or the hour it will be wanted; too wet is told and nothing is poured. `usual` days between waterings here."""
    out: list[Task] = []
    said = False
    for d in inside:
        wet = d.conditions.channels["moisture"]
        if wet.value is None or wet.band is None or said:
            continue
        low, high, how = wet.band.low, wet.band.high, d.practice["water_how"]
        if wet.out and wet.miss < 0:
            now = Water(wet.value, low, how, refill_ml(d.tray, wet.value, events), minutes_of(d.practice))
            out.append(Task(f"water:{tray}", at_s, tray, d.batch.id, now, True))
            said = True
        elif wet.out:
            out.append(Task(f"too_wet:{tray}", at_s, tray, d.batch.id, TooWet(wet.value, high)))
            said = True
        elif wet.value > low:
            n = watering_of(journal, d.tray, d.conditions, d.practice, events, at_s)
            if n is not None and n.when_s.p50 - at_s <= WATER_AHEAD_H * HOUR_S:
                later = Water(wet.value, low, how, n.ml, n.minutes, True, n.hold)
                due_s = at_hour_s(n.when_s.p50, at_s, d.practice["water_at"], journal.garden.zone)
                out.append(Task(f"water:{tray}", due_s, tray, d.batch.id, later))
                said = True
    unread = [d for d in inside if d.conditions.channels["moisture"].value is None]
    if not said and unread and len(unread) == len(inside):
        out += _feel_it(journal, tray, unread, events, at_s, usual)
    return out


def _feel_it(
    journal: Journal, tray: str, inside: Sequence[BatchDay], events: Sequence[Event], at_s: float, usual: Habit | None
) -> list[Task]:
    """A finger in a tray that nobody felt or weighed lately, when by its likely drying it nears the dry end of its band, or when
    it has gone longer without water than trays here mostly do; of one that nobody ever watered either, some days after it was
    begun. Habit asks sooner, never later: it may be a bad one. Source: growers_rule."""
    d = inside[0]
    band = d.conditions.channels["moisture"].band
    if band is None:
        return []
    watered = [e.at_s for e in events if e.kind == "watered" and e.fields.get("tray") == tray and e.at_s <= at_s]
    if not watered:
        began_s = max(x.batch.sown_at.timestamp() for x in inside)
        covers = [e.fields["on"] for e in events if e.kind == "cover" and e.fields.get("tray") == tray and e.at_s <= at_s]
        due_s = began_s + (COVERED_FEEL_D if covers and covers[-1] is True else FIRST_FEEL_D) * DAY_S
        return [Task(f"feel:{tray}", due_s, tray, d.batch.id, FeelMix(None, None))] if due_s <= at_s else []
    dries = dry_down(journal, tray, events, at_s, d.conditions.leafy_s)
    wait = dries.days_to(SOAKED_PCT, band.low)
    due_s = watered[-1] + (wait.p10 + wait.p50) / 2 * DAY_S
    turn_s = watered[-1] + usual.days.p90 * DAY_S if usual is not None else float("inf")
    if min(due_s, turn_s) > at_s:
        return []
    usual_d = usual.days.p50 if usual is not None and turn_s < due_s else None
    figures = FeelMix((at_s - watered[-1]) / DAY_S, wait.p50, usual_d)
    return [Task(f"feel:{tray}", min(due_s, turn_s), tray, d.batch.id, figures)]


def growing_tasks(
    journal: Journal, d: BatchDay, state: RoomState, events: Sequence[Event], lamps_said: set[str], at_s: float
) -> list[Task]:
    """What is out of band for one batch in heat, light and hours, and a lamp too near."""
    out: list[Task] = []
    c, tray, b = d.conditions, d.tray.id, d.batch
    over = state.over(state.trays[tray].place)
    lamp = over[0] if len(over) == 1 else None
    soil = c.channels["soil_temperature"]
    if soil.out and soil.band is not None and soil.value is not None:
        low_c, high_c = soil.band.night if soil.dark and soil.band.night else (soil.band.low, soil.band.high)
        beside = SoilOut(soil.value, low_c, high_c, soil.miss, c.soil_is_air)
        out.append(Task(f"soil_out:{b.id}", at_s, tray, b.id, beside))
    light, hours = c.channels["daily_light"], c.channels["light_hours"]
    if c.stage in ("seedling", "growing_on"):
        if not over and (hours.value or 0) < 1 and d.practice["light_source"] == "lamp":
            out.append(Task(f"no_light:{b.id}", at_s, tray, b.id, NoLight(), True))
        elif light.out and light.value is not None and light.band is not None:
            out.append(Task(f"light_out:{b.id}", at_s, tray, b.id, LightOut(light.value, light.band.low, light.band.high)))
        if hours.out and over and hours.value is not None and hours.band is not None:
            want = (hours.band.ideal_low + hours.band.ideal_high) / 2
            key = lamp.lamp if lamp and lamp.periods else ""
            if key not in lamps_said or not key:
                lit = HoursOut(hours.value, want, hours.band.low, hours.band.high, key)
                out.append(Task(f"hours_out:{key or b.id}", at_s, tray, b.id, lit))
            lamps_said.add(key)
    known = {x.id: x for x in journal.lamps}
    for hung in over:
        own, canopy = known[hung.lamp], canopy_mm([b], events, at_s, journal.series)
        gap = leaf_distance_mm(hung.height_mm, d.tray, canopy)
        if gap is None or hung.height_mm is None or gap >= least_mm(own):
            continue
        if canopy is None and not own.min_distance_mm:
            # By its kind alone only leaves that somebody measured are called near.
            continue
        if own.min_distance_mm or not _unhurt(b, hung, events, at_s):
            near = LampNear(own.id, gap, least_mm(own), hung.height_mm + least_mm(own) - gap, bool(own.min_distance_mm))
            out.append(Task(f"lamp_near:{own.id}", at_s, tray, b.id, near, True))
    return out


def _unhurt(batch: Batch, hung: LampState, events: Sequence[Event], at_s: float) -> bool:
    """Whether leaves have stood under a lamp as it hangs for days with no burn seen. Source: growers_rule."""
    burns = any(
        e.kind == "sign" and e.fields["sign"] in BURNS and e.fields.get("batch") in (batch.id, None) and e.at_s >= hung.from_s
        for e in events
    )
    return at_s - hung.from_s >= UNHURT_D * DAY_S and not burns


def caring_tasks(d: BatchDay, cover: str, at_s: float) -> list[Task]:
    """Disease, stretch and signs to look into; feeding, thinning, pricking out, potting up, pinching."""
    care, tray, b = d.care, d.tray.id, d.batch
    if care is None:
        return []
    out: list[Task] = []
    until_s = at_s + CARE_AHEAD_H * HOUR_S
    if care.fallen:
        out.append(Task(f"fallen:{tray}", at_s, tray, b.id, Fallen(cover), True))
    elif care.risk is not None and care.risk.warns(at_s):
        leading = tuple(c for c, _ in care.risk.leading(2))
        damp = Damp(care.risk.now, leading, cover, care.risk.up_s is not None)
        out.append(Task(f"damp:{tray}", at_s, tray, b.id, damp))
    if care.stretch is not None and care.stretch.words == "leggy" and d.conditions.stage in ("seedling", "growing_on"):
        out.append(Task(f"leggy:{b.id}", at_s, tray, b.id, Leggy(care.stretch.ratio)))
    if care.signs and not care.fallen:
        out.append(Task(f"sign:{b.id}", at_s, tray, b.id, Sign(tuple(care.signs))))
    out += [Task(f"{h.action}:{b.id}", h.due_s, tray, b.id, h.figures) for h in care.handling if h.due_s <= until_s]
    f = care.feed
    # Dry mix is watered first, and what is potted up gets fresh mix: neither is asked to be fed as well.
    potted = any(h.action == "pot_up" and h.due_s <= at_s for h in care.handling)
    if f is not None and f.due_s <= until_s and not potted and not f.hold:
        out.append(Task(f"feed:{tray}", f.due_s, tray, b.id, Feed(f.n_mg_per_l, f.first, f.push, f.every_d)))
    return out
