"""Are a batch's seedlings long and thin, and why: the case argued, with what speaks, the one check, and what to do."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.crop import Crop
from fennet.core.diagnosis.cell_map import bare_pattern
from fennet.core.diagnosis.engine import Argument, Complaint, argue
from fennet.core.diagnosis.finding import ArguedCause, Evidence, Finding, LeggyFigures, NextCheck, Remedy, checks_of, split_said
from fennet.core.diagnosis.leggy import LeggyEffects, leggy_effects
from fennet.core.diagnosis.leggy_case import SILL_SD, LeggyCase, leggy_case
from fennet.core.diagnosis.witnesses import heard
from fennet.core.exposure import DAY_S
from fennet.core.learning.garden import crop_of
from fennet.core.planning.resow import last_resow_s
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import room_at, tray_of
from fennet.core.stretch import stretch_of, thermal_age
from fennet.core.tuning.lamps import tune_lamp
from fennet.core.working import Input, Working

#: Causes from this share on get a remedy. Source: starting_estimate.
MENDED_FROM = 0.12
#: Stretch from which seedlings are watched. Source: growers_rule.
WATCH_FROM = 1.25
LOOK_AGAIN_D = 4.0
#: Neighbours under the same lamp count as leggy, and as sturdy, from and under these stretches. Source: growers_rule.
NEIGHBOUR_LEGGY, NEIGHBOUR_STURDY = 1.4, 1.2
#: So many of them, lately measured, say what there is to say. Source: starting_estimate.
NEIGHBOURS_MOST = 8
#: A good window against the usual one, four in five are darker. Source: starting_estimate.
GOOD_SILL = math.exp(0.84 * SILL_SD)
#: Chances of causes that nothing recorded speaks of. Source: starting_estimate.
SUPPOSED = {"short_hours": 0.15, "lamp_too_far": 0.35, "late_to_light": 0.22, "covered_too_long": 0.2, "crowded": 0.22}
ACTIONS = {
    "weak_light": ("tune_lamp", "bring_to_light"),
    "lamp_too_far": ("tune_lamp",),
    "short_hours": ("see_timer", "tune_lamp"),
    "late_to_light": ("light_at_once",),
    "too_warm": ("cooler_nights",),
    "covered_too_long": ("cover_off",),
    "crowded": ("thin_or_space",),
    "unexplained": ("wait_and_see",),
}


def leggy(
    journal: Journal, crops: Mapping[str, Crop], complaint: Complaint, batch: Batch, events: Sequence[Event], at_s: float
) -> Finding | None:
    """Is a batch leggy, and why; None before anything is up or where nothing bears on it. `events` are effective events.

    Source: growers_rule (effects), growth_estimate (heights), starting_estimate (spreads).
    """
    zone = journal.garden.zone
    case = leggy_case(journal, crop_of(crops, batch), batch, events, at_s, zone)
    if case is None or not len(case.mol):
        return None
    said = heard(journal, crops, batch, events, complaint, at_s)
    if case.stretch is None and not said and case.known_share == 0.0 and np.isnan(case.lit_h).all():
        # Nobody measured or saw anything that bears on it: there is nothing to argue from.
        return None
    supposed = {k: v for k, v in SUPPOSED.items() if k in complaint.causes}
    seen_long = said.get("stems") == "long_thin"
    effects = leggy_effects(case, complaint, supposed, seen_long)
    said |= _neighbours(journal, crops, batch, events, at_s)
    pattern = _pattern(batch, events)
    if pattern is not None:
        said["leggy_map"] = pattern
    told = argue(effects.suppositions, complaint, said, _not_to_ask(case))
    seen = case.stretch is not None or "stems" in said
    # Without a ruler or a look, light and warmth alone may foretell it but cannot say it is there.
    foretells = 0.6 if case.known_share >= 0.5 else 0.4
    present = told.present if seen else min(told.present, foretells)
    if not seen and present < 0.3:
        return None
    state = _state(case, effects, present, seen)
    if seen_long and state == "sturdy":
        # Who saw long thin stems is not told that they are sturdy.
        state = "watch"
    every = sorted(complaint.causes, key=lambda c: -told.shares.get(c, 0.0))
    causes = tuple(_argued(c, case, effects, told) for c in every)
    checks = checks_of(told)
    check = checks[0] if checks else None
    conflict = seen_long and case.stretch is not None and case.stretch.ratio < WATCH_FROM
    if conflict:
        check = NextCheck("ruler", 0.0)
    if case.stretch is None and state in ("cannot_tell", "foretold"):
        check = NextCheck("ruler", 0.0)
    figures = LeggyFigures(case.age.now_d, shrunk_mm=case.age.shrunk)
    if case.stretch is not None:
        measured = case.stretch
        figures = replace(figures, stretch=measured.ratio, height_mm=measured.height_mm, expected_mm=measured.expected_mm)
        figures = replace(figures, eye_against_ruler=conflict)
    remedies = _remedies(journal, crops, case, causes, events, zone, state) if present >= 0.5 else ()
    workings: dict[str, Working] = {"present": _working(case, effects, present, complaint)}
    if case.stretch is not None:
        workings["stretch"] = case.stretch.working
    return Finding(
        batch,
        complaint.key,
        state,
        present,
        causes,
        check,
        remedies,
        at_s + LOOK_AGAIN_D * DAY_S,
        figures,
        workings,
        checks,
    )


def _state(case: LeggyCase, effects: LeggyEffects, present: float, seen: bool) -> str:
    """leggy, watch, sturdy, foretold (by its light alone), or cannot_tell."""
    if present >= 0.5:
        return "leggy" if seen else "foretold"
    if case.stretch is not None:
        return "watch" if case.stretch.ratio >= WATCH_FROM or present >= 0.25 else "sturdy"
    return "watch" if present >= 0.25 else "sturdy" if seen else "cannot_tell"


def _not_to_ask(case: LeggyCase) -> frozenset[str]:
    out = set()
    if case.known_share > 0.5:
        out.add("light_at_leaf")
    if case.distance_mm is not None or case.lamp is None:
        out.add("lamp_gap")
    if case.lamp is None:
        out.add("timer_reads")
    if case.known_share > 0.5 or not np.isnan(case.lit_h).all():
        out.add("came_to_light")
    if (~np.isnan(case.temp_c)).mean() > 0.5:
        out.add("warmth")
    if case.cover_known:
        out.add("cover_stayed")
    if case.batch.seeds_per_cell == 1:
        out.add("leaves_touch")
    if case.stretch is not None:
        out.add("stems")
    return frozenset(out)


def _pattern(batch: Batch, events: Sequence[Event]) -> str | None:
    """How the leggy seedlings lie in the tray, from the cells named with the sign."""
    mine = [
        set(e.fields["cell_list"])
        for e in events
        if e.kind == "sign" and e.fields.get("batch") == batch.id and e.fields["sign"] in ("long_thin", "fallen_sound_base")
        and e.fields.get("cell_list")
    ]  # fmt: skip
    if not mine or not batch.cell_list:
        return None
    return bare_pattern(batch.cell_list, set(batch.cell_list) - mine[-1])


def _neighbours(
    journal: Journal, crops: Mapping[str, Crop], batch: Batch, events: Sequence[Event], at_s: float
) -> dict[str, str]:
    """Whether other batches under the same lamp stretch too, by their own heights."""

    # One walk through the record for all: a shelf may hold sixty.
    moves = [e for e in events if e.kind in ("potted_up", "moved")]
    where = {e.fields["tray"]: e.fields["place"] for e in events if e.kind == "placed" and e.at_s <= at_s}
    measured = {e.fields["batch"]: e.at_s for e in events if e.kind == "height"}
    here = where.get(tray_of(batch, moves, at_s) or "")
    found: list[str] = []
    for other in sorted(journal.batches, key=lambda b: -measured.get(b.id, 0.0)):
        if len(found) >= NEIGHBOURS_MOST:
            break
        if other.id == batch.id or other.crop not in crops or here is None or other.sown_at.timestamp() > at_s:
            continue
        if other.id not in measured or where.get(tray_of(other, moves, at_s) or "") != here:
            continue
        s = stretch_of(crop_of(crops, other), thermal_age(journal, crop_of(crops, other), other, events, at_s))
        if s is not None and (s.ratio >= NEIGHBOUR_LEGGY or s.ratio <= NEIGHBOUR_STURDY):
            found.append("leggy_too" if s.ratio >= NEIGHBOUR_LEGGY else "sturdy")
    return {"same_lamp": max(set(found), key=lambda x: (found.count(x), x))} if found else {}


# -- what speaks --------------------------------------------------------------------------------------------------------------


def _argued(cause: str, case: LeggyCase, effects: LeggyEffects, told: Argument) -> ArguedCause:
    yes, no, lacks = _by_record(cause, case)
    # That they are long says that something is wrong, not what.
    heard_for, heard_against = split_said([s for s in told.said.get(cause, ()) if s.witness != "stems"])
    yes, no = [*yes, *heard_for], [*no, *heard_against]
    lacks += [w for w in told.missing.get(cause, ()) if w not in lacks and w not in _not_to_ask(case)]
    return ArguedCause(cause, told.shares.get(cause, 0.0), 0.0, tuple(yes), tuple(no), tuple(lacks), effects.parts.get(cause))


def _by_record(cause: str, case: LeggyCase) -> tuple[list[Evidence], list[Evidence], list[str]]:
    """What the record itself says for and against a cause, and what it lacks."""
    yes: list[Evidence] = []
    no: list[Evidence] = []
    lacks: list[str] = []
    mol = float(np.nanmean(np.where(case.supposed, np.nan, case.mol))) if case.known_share > 0 else None
    if cause in ("weak_light", "lamp_too_far"):
        if mol is None:
            lacks.append("light")
            # Nobody read it, but it stood at a window: even the light of a good one may be short in that season.
            windows = case.mol[case.supposed]
            if cause == "weak_light" and len(windows) and float(windows.mean()) * GOOD_SILL < case.light.low:
                yes.append(
                    Evidence("window_short", {"mol": float(windows.mean()), "most": float(windows.mean()) * GOOD_SILL,
                                              "low": case.light.low, "high": case.light.high})
                )  # fmt: skip
        else:
            short = mol < case.light.low
            (yes if short else no).append(Evidence("light_short" if short else "light_enough",
                                                   {"mol": mol, "low": case.light.low, "high": case.light.high}))  # fmt: skip
    if cause == "lamp_too_far":
        if case.lamp is not None and case.distance_mm is not None and case.reach is not None:
            far = case.reach > 1.25
            figures = {"distance_mm": case.distance_mm, "near_mm": case.near_mm, "times": case.reach}
            (yes if far else no).append(Evidence("lamp_far" if far else "lamp_near_enough", figures))
        elif case.lamp is not None:
            lacks.append("lamp_height")
        else:
            no.append(Evidence("no_lamp"))
    if cause == "short_hours":
        known = case.lit_h[~np.isnan(case.lit_h)]
        if not len(known):
            lacks.append("hours")
        else:
            burned = known > 0.1
            mean = float(known[burned].mean()) if burned.any() else 0.0
            # Dark from the first day on it came to the light late; dark later, the lamp failed it.
            failed = float(case.unlit[int(np.argmax(burned)) :].sum()) if burned.any() else 0.0
            if failed:
                yes.append(Evidence("lamp_did_not_burn", {"days": failed}))
            if mean < case.hours.low - 0.5:
                yes.append(Evidence("hours_short", {"hours": mean, "low": case.hours.low}))
            elif not failed:
                no.append(Evidence("hours_enough", {"hours": mean, "low": case.hours.low}))
    if cause == "late_to_light":
        known_dark = np.where(np.isnan(case.mol), np.nan_to_num(case.lit_h, nan=9.0) < 0.5, np.nan_to_num(case.mol) <= 0.5)
        if np.isnan(case.mol).all() and np.isnan(case.lit_h).all():
            lacks.append("when_lit")
        else:
            days = float(np.argmin(known_dark)) if not known_dark.all() else float(len(known_dark))
            (yes if days >= 1 else no).append(Evidence("dark_days" if days >= 1 else "lit_at_once", {"days": days}))
    if cause == "too_warm":
        known = case.temp_c[~np.isnan(case.temp_c)]
        if not len(known):
            lacks.append("growing_temperature")
        else:
            over = float(known.mean()) > case.high_c + 0.7
            (yes if over else no).append(Evidence("grew_warm" if over else "grew_cool",
                                                  {"mean_c": float(known.mean()), "high_c": case.high_c}))  # fmt: skip
    if cause == "covered_too_long":
        if not case.cover_known:
            lacks.append("cover")
        else:
            days = float(case.covered.sum())
            (yes if days >= 2 else no).append(Evidence("cover_days" if days >= 2 else "cover_off_soon", {"days": days}))
    if cause == "crowded":
        if case.batch.seeds_per_cell is None and case.batch.set_up != "crowd":
            lacks.append("seeds_per_cell")
        else:
            many = case.plants_a_cell >= 2.5
            (yes if many else no).append(Evidence("many_a_cell" if many else "few_a_cell", {"n": case.plants_a_cell}))
    return yes, no, lacks


# -- what to do ---------------------------------------------------------------------------------------------------------------


def _remedies(
    journal: Journal, crops: Mapping[str, Crop], case: LeggyCase, causes: Sequence[ArguedCause], events: Sequence[Event],
    zone: ZoneInfo, told: str,
) -> tuple[Remedy, ...]:  # fmt: skip
    out: list[Remedy] = []
    tray = tray_of(case.batch, events, case.at_s)
    state = room_at(journal, events, case.at_s)
    here = state.trays.get(tray or "")
    today = case.at_s + 0.5 * DAY_S
    lit = {"weak_light", "lamp_too_far", "short_hours"}
    for c in causes:
        if c.share < MENDED_FROM:
            continue
        for action in ACTIONS.get(c.cause, ()):
            remedy = Remedy(action, c.cause, None, today, tray, high_c=case.high_c)
            if action == "see_timer" and not case.unlit.any():
                continue
            if action == "tune_lamp":
                lamp = next((x for x in journal.lamps if x.id == case.lamp), None)
                if lamp is None or any(r.action == action for r in out):
                    continue
                setting = tune_lamp(journal, crops, lamp, state, events, case.at_s, zone)
                mol = min((e.dli.p50 for e in setting.expected if e.batch == case.batch.id), default=None)
                remedy = replace(
                    remedy, lamp=lamp.id, height_mm=setting.height_mm, hours=setting.hours, mol_per_day=mol,
                    action=action if setting.height_mm is not None else "read_light",
                )  # fmt: skip
            elif action == "bring_to_light" and case.lamp is not None:
                continue
            elif action == "cooler_nights":
                remedy = replace(remedy, mat=here.mat if here else None)
            elif action == "cover_off" and (here is None or here.cover == "off"):
                continue
            if not any(r.action == remedy.action for r in out):
                out.append(remedy)
    if told == "foretold":
        # Nothing is lost yet: mending is all there is to do.
        return tuple(out)
    bury = case.crop.growth.stem == "bury"
    out.append(Remedy("bury_stem" if bury else "support", "", tray=tray, crop=case.crop.name))
    if not bury:
        last_s = last_resow_s(journal, case.crop, case.batch, case.at_s, zone)
        late = last_s is not None and last_s < case.at_s
        out.append(Remedy("resow_too_late" if late else "resow", "", None, last_s, crop=case.crop.name, last_s=last_s))
    if any(c.cause in lit for c in causes[:1]):
        out.append(Remedy("fan_on", "", tray=tray))
    return tuple(out)


def _working(case: LeggyCase, effects: LeggyEffects, present: float, complaint: Complaint) -> Working:
    parts = tuple(
        Input(f"{cause.replace('_', ' ')}, times", round(ratio, 2), "", "growers_rule", True)
        for cause, ratio in sorted(effects.parts.items(), key=lambda x: -x[1])
    )
    return Working(
        "long thin seedlings",
        (
            Input(
                "measured over expected", None if effects.measured is None else round(effects.measured, 2), "times", "your ruler"
            ),
            Input("by light, warmth, cover and company one expects", round(effects.expected, 2), "times", "model", True),
            Input("days whose light is known", round(100 * case.known_share), "%", "readings and timers"),
            *parts,
        ),
        "each day’s growth × (1 + what short light, warmth over the band, a cover and company add); drawn 300 ways within what "
        "is known and weighed by the height measured; the main cause is the one whose mending brings it nearest to sturdy",
        ("growers_rule", "growth_estimate", complaint.source),
        "from coming up to 60 days of age",
        round(present, 3),
        "probability that it is leggy",
    )
