"""What there is to do, for the whole room: each deed with its reason, by when, and what is lost by waiting.

Nothing here is written down as a task: the list is worked out from the record each time, so what is done or no longer true
leaves it by
itself. A person may leave a task until later; that is a `set` event and can be undone.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

import numpy as np

from fennet.core.care.day import CareDay
from fennet.core.care.watering import MINUTES as WATER_MINUTES
from fennet.core.care.watering import next_watering
from fennet.core.conditions import Conditions
from fennet.core.drying import dry_down, refill_ml
from fennet.core.due import due_after_emergence
from fennet.core.forecast import Forecast
from fennet.core.history import Counts, counts_of
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.room import RoomState, canopy_mm, leaf_distance_mm
from fennet.core.scoring import Mark
from fennet.core.tuning.lamps import LampSetting
from fennet.core.tuning.mats import MatSetting
from fennet.core.tuning.places import Exchange

DAY_S, HOUR_S = 86_400.0, 3_600.0
#: What a day of waiting costs, in days of growth or the like: it orders the list. Source: starting_estimate.
LOSS = {
    "fallen": 4.0,
    "hand_over": 3.0,
    "lamp_near": 2.5,
    "no_light": 2.5,
    "water": 2.0,
    "probe_silent": 1.2,
    "mist": 1.0,
    "too_wet": 0.9,
    "look": 0.8,
    "late": 0.7,
    "no_soil": 0.7,
    "mat_set": 0.6,
    "mat_limit": 0.6,
    "soil_out": 0.6,
    "exchange": 0.5,
    "light_out": 0.5,
    "promise": 0.4,
    "hours_out": 0.4,
    "damp": 1.6,
    "sign": 1.1,
    "pot_up": 0.9,
    "leggy": 0.8,
    "prick_out": 0.8,
    "thin": 0.7,
    "lamp_set": 0.6,
    "lamp_raise": 0.6,
    "feed": 0.5,
    "pinch": 0.2,
    "call_it": 0.3,
}
#: Out of band with nothing to press: told apart from what is to be done.
NOTES = ("soil_out", "light_out", "too_wet", "mat_limit")
#: Minutes each takes. Source: starting_estimate.
MINUTES = {
    "pot_up": 20.0,
    "prick_out": 20.0,
    "thin": 4.0,
    "feed": 4.0,
    "fallen": 10.0,
    "lamp_set": 3.0,
    "hand_over": 4.0,
    "water": 3.0,
    "mat_set": 1.0,
    "exchange": 4.0,
    "call_it": 1.0,
    "mist": 1.0,
}
#: A look is asked for daily while seed may show; misting and watering are not asked for twice within so long, h. Source:
#: growers_rule.
LOOK_EVERY_H, MIST_EVERY_H = 20.0, 20.0
#: A logger that wrote at least every three hours is silent after six of its steps, and three hours at least. Source:
#: starting_estimate.
LOGGER_STEP_H, SILENT_STEPS = 3.0, 6.0
#: Watering is told so far ahead. Source: growers_rule.
WATER_AHEAD_H = 36.0
#: Feeding, thinning, potting up and raising a lamp are told so far ahead. Source: growers_rule.
CARE_AHEAD_H = 40.0
#: Gains in days under which nobody is asked to move anything. Source: starting_estimate.
WORTH_SETTING_D, WORTH_EXCHANGE_D = 0.5, 1.5
DAYLIT = ("sill", "porch", "outdoors")
LEAVE = "leave"


@dataclass(frozen=True)
class BatchDay:
    """One living batch as it is now."""

    batch: Batch
    tray: Tray
    conditions: Conditions
    forecast: Forecast | None
    practice: Mapping[str, str]
    care: CareDay | None = None


@dataclass(frozen=True)
class Task:
    """One thing to do. `key` names it from day to day; `due_s` when (seconds UTC; in the past: now); `loss` what a day costs."""

    key: str
    kind: str
    due_s: float
    tray: str = ""
    batch: str = ""
    figures: Mapping[str, Any] = field(default_factory=dict)
    grave: bool = False

    @property
    def loss(self) -> float:
        return LOSS[self.kind]

    @property
    def note(self) -> bool:
        """Worth knowing, but there is nothing to do in a minute."""
        return self.kind in NOTES

    @property
    def minutes(self) -> float:
        return MINUTES.get(self.kind, 1.0)


@dataclass(frozen=True)
class Left:
    """A task left until a moment, why, and the event that says so."""

    until_s: float
    why: str
    event: str


def left(events: Sequence[Event], at_s: float) -> dict[str, Left]:
    """Tasks that were left until later and still are, by key; of several the last one holds. `events` are standing events."""
    out: dict[str, Left] = {}
    for e in events:
        value = e.fields.get("value")
        if e.kind != "set" or e.fields.get("what") != LEAVE or not isinstance(value, Mapping):
            continue
        try:
            until_s = datetime.fromisoformat(str(value["until"])).timestamp()
            out[str(value["task"])] = Left(until_s, str(value.get("why") or ""), e.id)
        except (KeyError, ValueError):
            continue
    return {k: v for k, v in out.items() if v.until_s > at_s}


def worklist(
    journal: Journal,
    state: RoomState,
    events: Sequence[Event],
    days: Sequence[BatchDay],
    settings: Sequence[MatSetting],
    swaps: Sequence[Exchange],
    marked: Sequence[Mark],
    at_s: float,
    lamps: Sequence[LampSetting] = (),
) -> list[Task]:
    """Everything there is to do at a moment (seconds UTC), the most pressing first. `events` are standing events.

    Due now before due later, and within that what costs most to leave. Source: growers_rule for the deeds, starting_estimate for
    their order.
    """
    places = {p.id: p for p in journal.places}
    out: list[Task] = []
    by_tray: dict[str, list[BatchDay]] = {}
    for d in days:
        by_tray.setdefault(d.tray.id, []).append(d)
    lamps_said: set[str] = set()
    for tray, inside in by_tray.items():
        here = state.trays[tray]
        place = places.get(here.place or "")
        lit = bool(state.over(here.place)) or (place is not None and place.kind in DAYLIT)
        out += _hand_over(tray, inside, state, events, lit, at_s)
        out += _water(journal, tray, inside, events, at_s)
        out += _probe(journal, tray, inside, at_s)
        for d in inside:
            out += _waiting(d, events, here.cover, at_s)
            out += _growing(journal, d, state, events, lamps_said, at_s)
            out += _caring(d, here.cover, at_s)
    out += _mats(settings, swaps, marked, at_s)
    out += _lamps(lamps, at_s)
    return in_order(_grouped(_said_once(out)), at_s)


def _said_once(tasks: Sequence[Task]) -> list[Task]:
    """One matter, one task: the light of a hand-over is not asked for again, nor is cold soil where its lateness or its mat is
    told."""
    under_lamp = {t.tray for t in tasks if t.kind == "hand_over" and "light_on" in t.figures["steps"]}
    late = {t.batch for t in tasks if t.kind == "late"}
    heated = {t.tray for t in tasks if t.kind in ("mat_set", "mat_limit")}
    fallen = {t.tray for t in tasks if t.kind == "fallen"}
    aired = {t.tray for t in tasks if t.kind == "hand_over" and "cover_off" in t.figures["steps"]}
    set_lamps = {t.figures["lamp"] for t in tasks if t.kind == "lamp_set"}
    lit_trays = {tray for t in tasks if t.kind == "lamp_set" for tray in t.figures["trays"]}
    return [
        t
        for t in tasks
        if not (t.kind == "no_light" and t.tray in under_lamp)
        and not (t.kind == "soil_out" and (t.batch in late or t.tray in heated))
        and not (t.kind in ("damp", "sign", "feed") and t.tray in fallen)
        and not (t.kind == "damp" and t.tray in aired)
        and not (t.kind in ("light_out", "leggy") and t.tray in lit_trays)
        and not (t.kind in ("hours_out", "lamp_near") and t.figures.get("lamp") in set_lamps)
    ]


#: Deeds that one walk does for several trays: told in one row.
TOGETHER = ("feed", "thin", "leggy", "sign", "damp", "pot_up")


def _grouped(tasks: Sequence[Task]) -> list[Task]:
    """The same deed of one tray said once, and small deeds of several trays in one row: a day's list stays short."""
    out: list[Task] = []
    seen: dict[tuple[str, Any], int] = {}
    trays_fed: set[str] = set()
    for t in tasks:
        if t.kind not in TOGETHER:
            out.append(t)
            continue
        if t.kind in ("feed", "damp"):
            # What is poured or aired is the whole tray.
            if f"{t.kind}:{t.tray}" in trays_fed:
                continue
            trays_fed.add(f"{t.kind}:{t.tray}")
        # What is due now is one walk, what comes later another; feeds of one strength are mixed at once.
        group = (
            t.kind,
            (
                t.figures.get("mg"),
                t.figures.get("product"),
                t.figures.get("up"),
                tuple(t.figures.get("leading", ())),
                t.due_s > _now(tasks),
            ),
        )
        if group not in seen:
            seen[group] = len(out)
            out.append(replace(t, figures={**t.figures, "together": [(t.tray, t.batch, t.figures)]}))
            continue
        first = out[seen[group]]
        of = [*first.figures["together"], (t.tray, t.batch, t.figures)]
        key = f"{t.kind}:{'+'.join(sorted({f'{tray}.{batch}' for tray, batch, _ in of}))}"
        merged = replace(first, key=key, due_s=min(first.due_s, t.due_s), figures={**first.figures, "together": of},
                         grave=first.grave or t.grave)  # fmt: skip
        out[seen[group]] = merged
    return out


def _now(tasks: Sequence[Task]) -> float:
    """The moment the list was asked at: what is due is not later than it."""
    return max((t.figures["at_s"] for t in tasks if "at_s" in t.figures), default=math.inf)


def in_order(tasks: Sequence[Task], at_s: float) -> list[Task]:
    """What is due now first, by what a day costs; then what comes later, by when."""
    return sorted(tasks, key=lambda t: (t.due_s > at_s, t.due_s if t.due_s > at_s else 0.0, -t.loss, t.key))


# -- after emergence
# --------------------------------------------------------------------------------------------------------------


def _hand_over(
    tray: str, inside: Sequence[BatchDay], state: RoomState, events: Sequence[Event], lit: bool, at_s: float
) -> list[Task]:
    """Cover off, off the mat, under the light: one task for a tray, in that order."""
    here = state.trays[tray]
    steps: list[str] = []
    due_of: list[BatchDay] = []
    waits = [d for d in inside if d.conditions.stage in ("sown", "towel", "emerging")]
    for d in inside:
        counts = counts_of(d.batch, events)
        dues = [x.deed for x in due_after_emergence(d.conditions.stage, here, counts, d.practice, at_s)]
        if "mat_off" in dues and any(w is not d and w.conditions.stage in ("sown", "towel") for w in waits):
            # Other seed in the tray still wants its warmth: the tray as a whole stays.
            dues.remove("mat_off")
        said_so = any(e.kind == "moved_to_light" and e.fields["batch"] == d.batch.id for e in events)
        needs_light = not lit and not said_so and d.conditions.stage in ("emerging", "seedling") and counts.up * 2 >= counts.of
        if needs_light:
            dues.append("light_on")
        if dues:
            due_of.append(d)
            steps += [x for x in dues if x not in steps]
    if not steps:
        return []
    order = ("cover_vent", "cover_off", "mat_off", "light_on")
    lead = due_of[0]
    counts = counts_of(lead.batch, events)
    since = counts.reached(math.ceil(counts.of / 2)) or counts.reached(1) or at_s
    first = counts.reached(1) or since
    figures = {
        "steps": sorted(steps, key=order.index), "batches": [d.batch.id for d in due_of], "up": counts.up, "of": counts.of,
        "since_s": since, "dark_h": 0.0 if lit else (at_s - first) / HOUR_S,
        "cells": [c for d in due_of for c in (d.batch.cell_list or [])] if len(inside) > len(due_of) else [],
    }  # fmt: skip
    return [Task(f"hand_over:{tray}", "hand_over", min(since, at_s), tray, lead.batch.id, figures, True)]


def _waiting(d: BatchDay, events: Sequence[Event], cover: str, at_s: float) -> list[Task]:
    """Looks, mists and calls for a batch that is still coming."""
    out: list[Task] = []
    f, b, tray = d.forecast, d.batch, d.tray.id
    counts = counts_of(b, events)
    if d.conditions.stage not in ("sown", "towel", "emerging", "seedling") or counts.up >= counts.of or f is None:
        return out
    looked = _last_look(b, counts, events)
    more = f.chance_of_more if f.chance_of_more is not None else 0.0
    if d.conditions.stage != "seedling" and f.verdict not in ("finished", "cannot_tell"):
        soon = f.first_up is not None and f.first_up.p10 <= at_s + 12 * HOUR_S
        if (soon or counts.up or d.conditions.stage == "towel") and at_s - looked > LOOK_EVERY_H * HOUR_S:
            figures = {
                "up": counts.up,
                "of": counts.of,
                "looked_d": (at_s - looked) / DAY_S,
                "towel": d.conditions.stage == "towel",
            }
            out.append(Task(f"look:{b.id}", "look", at_s, tray, b.id, figures))
    if (
        counts.up
        and counts.up * 2 >= counts.of
        and cover != "on"
        and more >= 0.1
        and d.conditions.stage in ("emerging", "seedling")
    ):
        wet = max((e.at.timestamp() for e in events if e.kind == "watered" and e.fields["tray"] == tray), default=0.0)
        if at_s - wet > MIST_EVERY_H * HOUR_S:
            waiting = [c for c in (b.cell_list or []) if c not in _cells_up(b, events)]
            out.append(
                Task(f"mist:{b.id}", "mist", at_s, tray, b.id, {"n": counts.of - counts.up, "cells": waiting, "chance": more})
            )
    if not counts.up and f.call_it_s is not None and f.call_it_s <= at_s + 12 * HOUR_S and f.verdict != "cannot_tell":
        called: dict[str, Any] = {
            "chance": more,
            "resow_d": f.days_at_target,
            "n": counts.of,
            "towel": d.conditions.stage == "towel",
        }
        out.append(Task(f"call_it:{b.id}", "call_it", f.call_it_s, tray, b.id, called))
    elif f.verdict == "late":
        total = f.delay_total_days
        cause = max(f.delay_days, key=lambda c: f.delay_days[c], default="")
        out.append(Task(f"late:{b.id}", "late", at_s, tray, b.id, {"days": total, "cause": cause}))
    return out


def _last_look(b: Batch, counts: Counts, events: Sequence[Event]) -> float:
    looks = [e.at.timestamp() for e in events if e.kind in ("count", "sign", "check") and e.fields.get("batch") == b.id]
    return max([b.sown_at.timestamp(), *looks])


def _cells_up(b: Batch, events: Sequence[Event]) -> set[str]:
    found = [
        e.fields["cell_list"] for e in events if e.kind == "count" and e.fields["batch"] == b.id and e.fields.get("cell_list")
    ]
    return {c for cells in found for c in cells}


# -- water and readings
# -------------------------------------------------------------------------------------------------------------


def _water(journal: Journal, tray: str, inside: Sequence[BatchDay], events: Sequence[Event], at_s: float) -> list[Task]:
    """Water now, or the hour it will be wanted; too wet is told and nothing is poured."""
    out: list[Task] = []
    said = False
    for d in inside:
        wet = d.conditions.channels["moisture"]
        if wet.value is None or wet.band is None or said:
            continue
        low, high = wet.band.low, wet.band.high
        figures: dict[str, Any] = {"moisture_pct": wet.value, "low_pct": low, "high_pct": high, "how": d.practice["water_how"]}
        figures |= {"ml": refill_ml(d.tray, wet.value, events), "minutes": WATER_MINUTES[d.practice["water_how"]]}
        if wet.out and wet.miss < 0:
            out.append(Task(f"water:{tray}", "water", at_s, tray, d.batch.id, figures, True))
            said = True
        elif wet.out:
            out.append(Task(f"too_wet:{tray}", "too_wet", at_s, tray, d.batch.id, figures))
            said = True
        elif wet.value > low:
            leafy = d.conditions.stage in ("growing_on", "hardening")
            loss = dry_down(journal, tray, events, at_s, leafy)
            n = next_watering(d.tray, wet.value, low, d.practice["water_how"], loss, events, at_s)
            if n.when_s.p50 - at_s <= WATER_AHEAD_H * HOUR_S:
                figures |= {"from_s": n.when_s.p10, "to_s": n.when_s.p90, "ml": n.ml, "hold": n.hold}
                out.append(Task(f"water:{tray}", "water", n.when_s.p50, tray, d.batch.id, figures))
                said = True
    return out


def _probe(journal: Journal, tray: str, inside: Sequence[BatchDay], at_s: float) -> list[Task]:
    """A logger that fell silent, or seed that waits with nothing measuring its soil."""
    waits = [d for d in inside if d.conditions.stage in ("sown", "emerging")]
    if not waits:
        return []
    loggers = []
    for s in journal.series:
        known = s.until(at_s)
        if s.quantity == "soil_temperature" and s.place == tray and len(known.at_s) >= 6:
            step_s = float(np.median(np.diff(known.at_s[-50:])))
            if step_s <= LOGGER_STEP_H * HOUR_S:
                loggers.append((float(known.at_s[-1]), step_s, s.source or ""))
    if loggers:
        last_s, step_s, source = max(loggers)
        if at_s - last_s > max(3 * HOUR_S, SILENT_STEPS * step_s):
            figures = {"source": source, "silent_h": (at_s - last_s) / HOUR_S}
            return [Task(f"probe:{tray}", "probe_silent", last_s, tray, waits[0].batch.id, figures)]
        return []
    soil = waits[0].conditions.channels["soil_temperature"]
    return [Task(f"soil:{tray}", "no_soil", at_s, tray, waits[0].batch.id)] if soil.value is None else []


# -- heat and light
# -------------------------------------------------------------------------------------------------------------------


def _growing(
    journal: Journal, d: BatchDay, state: RoomState, events: Sequence[Event], lamps_said: set[str], at_s: float
) -> list[Task]:
    """What is out of band for one batch in heat, light and hours, and a lamp too near."""
    out: list[Task] = []
    c, tray, b = d.conditions, d.tray.id, d.batch
    over = state.over(state.trays[tray].place)
    lamp = over[0] if len(over) == 1 else None
    soil = c.channels["soil_temperature"]
    if soil.out and soil.band is not None:
        low_c, high_c = soil.band.night if soil.dark and soil.band.night else (soil.band.low, soil.band.high)
        figures: dict[str, Any] = {
            "soil_c": soil.value,
            "low_c": low_c,
            "high_c": high_c,
            "miss_c": soil.miss,
            "air": c.soil_is_air,
        }
        out.append(Task(f"soil_out:{b.id}", "soil_out", at_s, tray, b.id, figures))
    light, hours = c.channels["daily_light"], c.channels["light_hours"]
    if c.stage in ("seedling", "growing_on"):
        if not over and (hours.value or 0) < 1:
            out.append(Task(f"no_light:{b.id}", "no_light", at_s, tray, b.id, {}, True))
        elif light.out and light.value is not None and light.band is not None:
            figures = {"mol": light.value, "low": light.band.low, "high": light.band.high}
            out.append(Task(f"light_out:{b.id}", "light_out", at_s, tray, b.id, figures))
        if hours.out and over and hours.value is not None and hours.band is not None:
            want = (hours.band.ideal_low + hours.band.ideal_high) / 2
            key = lamp.lamp if lamp and lamp.periods else ""
            if key not in lamps_said or not key:
                figures = {"hours": hours.value, "want": want, "low": hours.band.low, "high": hours.band.high, "lamp": key}
                out.append(Task(f"hours_out:{key or b.id}", "hours_out", at_s, tray, b.id, figures))
            lamps_said.add(key)
    if lamp is not None and lamp.height_mm is not None:
        own = next((x for x in journal.lamps if x.id == lamp.lamp), None)
        gap = leaf_distance_mm(lamp.height_mm, d.tray, canopy_mm([b], events, at_s, journal.series))
        if own and own.min_distance_mm and gap is not None and gap < own.min_distance_mm:
            figures = {
                "gap_mm": gap,
                "least_mm": own.min_distance_mm,
                "to_mm": lamp.height_mm + own.min_distance_mm - gap,
                "lamp": own.id,
            }
            out.append(Task(f"lamp_near:{own.id}", "lamp_near", at_s, tray, b.id, figures, True))
    return out


# -- growing seedlings
# ----------------------------------------------------------------------------------------------------------------


def _caring(d: BatchDay, cover: str, at_s: float) -> list[Task]:
    """Disease, stretch and signs to look into; feeding, thinning, pricking out, potting up, pinching."""
    care, tray, b = d.care, d.tray.id, d.batch
    if care is None:
        return []
    out: list[Task] = []
    until_s = at_s + CARE_AHEAD_H * HOUR_S
    if care.fallen:
        out.append(Task(f"fallen:{tray}", "fallen", at_s, tray, b.id, {"cover": cover}, True))
    elif care.risk is not None and care.risk.warns(at_s):
        leading = [c for c, _ in care.risk.leading(2)]
        figures = {"index": care.risk.now, "leading": leading, "cover": cover, "up": care.risk.up_s is not None, "at_s": at_s}
        out.append(Task(f"damp:{tray}", "damp", at_s, tray, b.id, figures))
    if care.stretch is not None and care.stretch.words == "leggy" and d.conditions.stage in ("seedling", "growing_on"):
        out.append(Task(f"leggy:{b.id}", "leggy", at_s, tray, b.id, {"ratio": care.stretch.ratio, "at_s": at_s}))
    if care.signs and not care.fallen:
        out.append(Task(f"sign:{b.id}", "sign", at_s, tray, b.id, {"signs": list(care.signs), "at_s": at_s}))
    for h in care.handling:
        if h.due_s <= until_s:
            figures = {**h.figures, "why": h.why, "at_s": at_s}
            out.append(Task(f"{h.deed}:{b.id}", h.deed, h.due_s, tray, b.id, figures))
    f = care.feed
    # Dry mix is watered first, and what is potted up gets fresh mix: neither is asked to be fed as well.
    potted = any(h.deed == "pot_up" and h.due_s <= at_s for h in care.handling)
    if f is not None and f.due_s <= until_s and not potted and not f.hold:
        figures = {"mg": f.n_mg_per_l, "first": f.first, "push": f.push, "every_d": f.every_d, "at_s": at_s}
        out.append(Task(f"feed:{tray}", "feed", f.due_s, tray, b.id, figures))
    return out


def _lamps(settings: Sequence[LampSetting], at_s: float) -> list[Task]:
    """Lamps whose setting leaves a batch out of band, and lamps to be raised as plants grow."""
    out: list[Task] = []
    for s in settings:
        if s.case.ahead or s.height_mm is None or s.hours is None or s.on_min is None or s.off_min is None or not s.expected:
            continue
        trays = sorted({e.tray for e in s.expected})
        figures: dict[str, Any] = {
            "lamp": s.lamp.id, "height_mm": s.height_mm, "distance_mm": s.distance_mm, "hours": s.hours, "on_min": s.on_min,
            "off_min": s.off_min, "trays": trays, "now_mm": s.case.state.height_mm, "reaches": s.reaches,
            "low": min(e.dli.p50 for e in s.expected), "at_s": at_s,
        }  # fmt: skip
        gains = sum(e.reaches for e in s.expected) > sum(e.reaches for e in s.now)
        if s.changes and gains and s.case.curve.basis == "measured":
            out.append(Task(f"lamp_set:{s.lamp.id}", "lamp_set", at_s, trays[0], "", figures))
        elif s.raise_at and not s.changes and s.raise_at[0][0] <= at_s + CARE_AHEAD_H * HOUR_S:
            when_s, to_mm = s.raise_at[0]
            out.append(Task(f"lamp_raise:{s.lamp.id}", "lamp_raise", when_s, trays[0], "", {**figures, "to_mm": to_mm}))
    return out


def _mats(settings: Sequence[MatSetting], swaps: Sequence[Exchange], marked: Sequence[Mark], at_s: float) -> list[Task]:
    """Set-points worth changing, places worth exchanging, promises that did not hold."""
    out: list[Task] = []
    for s in settings:
        tray = s.trays[0].tray if s.trays else ""
        if s.flat_out:
            e = s.expect_soil_c
            out.append(
                Task(
                    f"mat_limit:{s.mat.id}",
                    "mat_limit",
                    at_s,
                    tray,
                    "",
                    {"mat": s.mat.id, "most_c": e.p50 if e else None, "middle_c": s.middle_c},
                )
            )
        elif s.changes and s.gain_days >= WORTH_SETTING_D:
            figures = {
                "mat": s.mat.id,
                "to_c": s.setpoint_c,
                "now_c": s.now.setpoint_c,
                "gain_d": s.gain_days,
                "expect": s.expect_soil_c,
            }
            out.append(Task(f"mat_set:{s.mat.id}", "mat_set", at_s, tray, "", figures))
    for x in swaps[:1]:
        if x.gain_days >= WORTH_EXCHANGE_D:
            figures = {"mat": x.mat, "in": x.tray, "out": x.instead_of, "gain_d": x.gain_days}
            out.append(Task(f"exchange:{x.mat}:{x.tray}", "exchange", at_s, x.tray, "", figures))
    newest: dict[str, Mark] = {}
    for m in marked:
        if m.kind == "mat_soil" and m.outcome in ("under", "over") and m.subject not in newest and at_s - m.made_s < 5 * DAY_S:
            newest[m.subject] = m
    for m in newest.values():
        figures = {"actual_c": m.actual, "low_c": m.low, "high_c": m.high}
        out.append(Task(f"promise:{m.id}", "promise", at_s, m.subject, "", figures))
    return out
