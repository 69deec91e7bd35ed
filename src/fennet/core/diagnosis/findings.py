"""What is wrong with a batch: builds the case from the record, has it argued, and says what to look at and to do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from fennet.core.batch_model import towel_wait
from fennet.core.crop import Crop
from fennet.core.diagnosis.engine import Argument, Complaint, Said, argue
from fennet.core.diagnosis.finding import ArguedCause, Evidence, Finding, NextCheck, Remedy
from fennet.core.diagnosis.slow_germination import SlowCase, SlowEffects, slow_effects, spell_days
from fennet.core.diagnosis.witnesses import heard
from fennet.core.drying import moisture_by_deeds
from fennet.core.exposure import DAY_S, moisture_record, soil_record
from fennet.core.heat_mat import mat_without_lift
from fennet.core.history import counts_of, ended_s, standing
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import room_at, tray_of
from fennet.core.seed import fresh_state, rooted, seed_state
from fennet.core.sowing import DARK_FROM_MM, rooted_sowing, sowing_effect
from fennet.core.working import Input, Interval, Working

#: A share this small is told, but not argued.
TOLD_FROM = 0.005
#: A check is worth a walk from so many bits on. Source: starting_estimate.
CHECK_FROM_BITS = 0.05
#: Chances that a cause acts unseen, where the record gives a reason to suppose it. Source: starting_estimate.
SUPPOSED = {
    "garden_soil": 0.30, "potting_mix": 0.05, "untreated": 0.5, "covered_light": 0.15, "unknown_light": 0.08, "deep_fine":
    0.08, "watered_daily": 0.2,
    "unknown_lot": 0.07, "tested_lot": 0.02, "known_lot": 0.04, "dry_by_deeds": 0.45, "depth_known": 0.015, "spell_measured":
    0.4, "moisture_known": 0.015,
}  # fmt: skip
#: Under this the mix of a tray, going by deeds alone, is called dry; so much faster and slower a tray may dry. Source:
#: starting_estimate.
DRY_BY_DEEDS_PCT, DRYING_FACTORS = 30.0, (0.6, 1.0, 1.7)
FINE_SEED_MM = 5.0
#: How long after a remedy one looks again, d. Source: growers_rule.
LOOK_AGAIN_D = 3.0


def findings(
    journal: Journal,
    crops: Mapping[str, Crop],
    complaints: Mapping[str, Complaint],
    batch: Batch,
    at_s: float,
    events: Sequence[Event] | None = None,
) -> list[Finding]:
    """Every complaint about one batch as far as its record carries it at `at_s` (seconds UTC); later entries are not used.

    `events` the standing events at that moment, if the caller has them; `crops` by the names the journal's batches use. A batch
    that has ended, or of which everything is up, has none.
    Raises ValueError for a batch sown after `at_s`. Source: the models named by each complaint.
    """
    if batch.sown_at.timestamp() > at_s:
        raise ValueError(f"batch {batch.id} is sown after the moment asked about")
    events = standing(journal.events, at_s) if events is None else events
    counts = counts_of(batch, events)
    if ended_s(batch, events) is not None or counts.up >= counts.of:
        return []
    return [slow_germination(journal, crops, complaints["slow_germination"], batch, events, at_s)]


def slow_germination(
    journal: Journal, crops: Mapping[str, Crop], complaint: Complaint, batch: Batch, events: Sequence[Event], at_s: float
) -> Finding:
    """Is a batch slow, and why. `events` are standing events. Source: bradford_1990, gummerson_1986, starting_estimate."""
    case = slow_case(journal, crops[batch.crop], batch, events, at_s)
    effects = slow_effects(case, complaint)
    words = heard(journal, crops, batch, events, complaint, at_s)
    told = argue(effects.suppositions, complaint, words, _not_to_ask(case))
    present = min(told.present, 0.45) if case.unseen else told.present
    state = _state(case, effects, present)
    dry_d, wet_d = spell_days(case.moisture_pct)
    spells = {"dry_d": dry_d, "wet_d": wet_d, "known_share": float((~np.isnan(case.moisture_pct)).mean())}
    causes = tuple(
        _argued(c, share, case, effects, told, spells, journal, events, complaint)
        for c, share in told.shares.items()
        if share >= TOLD_FROM or effects.gained_without.get(c, 0.0) > 0.05
    )
    causes = _whole(causes)
    asked = next((a for a in told.asked if a.bits >= CHECK_FROM_BITS), None)
    if state in ("cannot_tell",) and case.soil.basis == "none":
        check: NextCheck | None = NextCheck("soil_now", next((a.bits for a in told.asked if a.witness == "soil_now"), 0.0))
    else:
        check = NextCheck(asked.witness, asked.bits) if asked else None
    response, target_c = case.crop.response, case.crop.target_soil_c
    figures: dict[str, float | str | None] = {
        "days": float(int((at_s - batch.sown_at.timestamp()) / DAY_S)),
        "up": case.counts.up,
        "of": case.counts.of,
        "expected": effects.at_target * case.counts.of,
        "days_at_target": towel_wait(case.sowing) / float(response.rate_per_day(target_c)),
        "towel": 1.0 if batch.set_up == "towel" else 0.0,
        "target_c": target_c,
        "soil_c": case.soil.mean_c if case.soil.n_readings else None,
    }
    look_s = _look_again(case, effects, state)
    remedies = remedies_for(case, effects, causes, state, journal, events) if present >= 0.5 or state == "cannot_tell" else ()
    working = Working(
        "slow germination",
        (
            Input("up", case.counts.up, f"of {case.counts.of}", "counts"),
            Input("sound seed at target would show", round(effects.at_target * case.counts.of, 1), case.counts.unit, "model"),
            Input("as recorded one expects", round(effects.expected * case.counts.of, 1), case.counts.unit, "model"),
            Input("chance of so few at target", round(effects.chance_of_so_few, 3), "", "model"),
        ),
        "every set of up to two unseen causes, with what was measured, is held against the counts; the main cause is the one "
        "without which most more would be up; what was seen changes the odds by how likely it is with and without each cause",
        ("bradford_1990", "gummerson_1986", complaint.source),
        "from sowing until all are up or the batch is given up",
        round(present, 3),
        "probability that it is slow",
    )
    return Finding(
        batch, complaint.key, state, present, causes, check, remedies, look_s, figures, {"present": working}
    )  # fmt: skip


# -- the case -----------------------------------------------------------------------------------------------------------


def slow_case(journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> SlowCase:
    """What the record holds for one batch, and what must be supposed where it is silent."""
    counts = counts_of(batch, events)
    soil = soil_record(journal, batch, events, at_s)
    moisture_pct, _ = moisture_record(journal, batch, events, soil.grid_s, at_s)
    lot = next((s for s in journal.seed_lots if s.id == batch.seed_lot), None)
    sowing = sowing_effect(crop, batch)
    if batch.pretreatment is None:
        # Nobody wrote whether it was soaked: supposed below, not taken as left out.
        sowing = replace(sowing, pretreatment_share=1.0)
    looked = bool(counts.at_s) or any(
        e.kind in ("sign", "check") and (e.fields.get("batch") == batch.id or e.fields.get("tray") == batch.tray) for e in events
    )
    seed, fresh = seed_state(crop, lot, batch.sown_at.date()), fresh_state(crop, lot, batch.sown_at)
    mother = next((b for b in journal.batches if b.id == batch.from_batch), None)
    if mother is not None and mother.set_up == "towel":
        seed, fresh, sowing = rooted(seed), rooted(fresh), rooted_sowing(sowing)
    return SlowCase(
        batch,
        crop,
        counts,
        soil,
        moisture_pct,
        seed,
        fresh,
        sowing,
        at_s,
        _supposed(journal, crop, batch, events, moisture_pct, at_s),
        unseen=not looked and not soil.n_readings,
    )


def _supposed(
    journal: Journal, crop: Crop, batch: Batch, events: Sequence[Event], moisture_pct: np.ndarray, at_s: float
) -> dict[str, float]:
    """Chances of causes that nothing measured speaks of, where the record gives a reason to think them likelier or less."""
    out: dict[str, float] = {}
    # Temperature is either measured or one of the supposed courses; it is never supposed twice.
    out["cold_soil"] = out["hot_soil"] = 0.0
    towel = batch.set_up == "towel"
    known = float((~np.isnan(moisture_pct)).mean())
    tray = tray_of(batch, events, at_s)
    waters = [e for e in events if e.kind == "watered"]
    here = [e for e in waters if e.fields["tray"] == tray and e.at.timestamp() >= batch.sown_at.timestamp()]
    dry = 0.08
    if waters and tray:
        under = []
        for factor in DRYING_FACTORS:
            _, m = moisture_by_deeds(batch.sown_at.timestamp(), at_s, events, tray, factor)
            under.append(float((m < DRY_BY_DEEDS_PCT).sum() >= 4))
        dry = 0.02 + SUPPOSED["dry_by_deeds"] * float(np.mean(under))
    days = max(1.0, (at_s - batch.sown_at.timestamp()) / DAY_S)
    wet = SUPPOSED["watered_daily"] if len([e for e in here if e.fields.get("how") != "mist"]) / days >= 0.8 else 0.05
    dry_d, wet_d = spell_days(moisture_pct)
    for cause, spell_d, p in (("dry_spell", dry_d, dry), ("waterlogged", wet_d, wet)):
        # How much a spell kills is the least known of all: a measured one may have done more than the model says.
        out[cause] = (
            SUPPOSED["spell_measured"] if spell_d > 1.0 else SUPPOSED["moisture_known"] if known > 0.7 else p * (1 - known)
        )
    lot = next((s for s in journal.seed_lots if s.id == batch.seed_lot), None)
    if lot is None:
        out["weak_seed"] = SUPPOSED["unknown_lot"]
    elif lot.tests or lot.packed:
        out["weak_seed"] = SUPPOSED["tested_lot" if lot.tests else "known_lot"]
    if towel:
        out["sown_deep"] = out["coarse_or_crusted_mix"] = 0.0
        return out
    if batch.depth_mm is not None:
        out["sown_deep"] = SUPPOSED["depth_known"]
    elif crop.depth_mm <= FINE_SEED_MM:
        out["sown_deep"] = SUPPOSED["deep_fine"]
    if crop.seed_light == "light" and batch.depth_mm is None and batch.covered_with != "none":
        out["needs_light"] = SUPPOSED["covered_light" if batch.covered_with else "unknown_light"]
    if crop.pretreatment not in ("", "none") and batch.pretreatment is None:
        out["needs_pretreatment"] = SUPPOSED["untreated"]
    kind = batch.mix.kind if batch.mix else None
    if kind in SUPPOSED:
        out["coarse_or_crusted_mix"] = SUPPOSED[kind]
    return out


def _not_to_ask(case: SlowCase) -> frozenset[str]:
    """Witnesses that nobody need be asked: what is on record, or cannot be for this batch."""
    out = set()
    batch, crop = case.batch, case.crop
    if case.soil.n_readings and case.soil.basis != "air" and case.soil.trouble != "gap":
        out.add("soil_now")
    if crop.seed_light != "light" or batch.set_up == "towel" or batch.depth_mm is not None or batch.covered_with == "none":
        out.add("cover_of_seed")
    if crop.pretreatment in ("", "none") or batch.pretreatment is not None:
        out.add("seed_was_treated")
    if batch.set_up == "towel":
        out |= {"seed_depth", "mix_top", "mix_feel", "wet_top"}
    if not np.isnan(case.moisture_pct[-1]):
        out.add("mix_feel")
    if any("packed" in i.name or i.name == "age" for i in case.seed.working.inputs) and not case.seed.working.notes:
        out.add("seed_year")
    return frozenset(out)


def _state(case: SlowCase, effects: SlowEffects, present: float) -> str:
    share = case.counts.up / case.counts.of
    if case.unseen and effects.at_target >= 0.3:
        return "cannot_tell"
    if present >= 0.5:
        return "few" if case.counts.up else "slow"
    if effects.at_target < 0.5 and share <= effects.at_target + 0.1:
        return "not_due_yet"
    return "as_it_should" if share >= 0.8 * effects.at_target else "on_time"


def _look_again(case: SlowCase, effects: SlowEffects, state: str) -> float | None:
    """When to look again: three days after acting, or when the first should show at the pace the soil allows now."""
    if state not in ("not_due_yet", "on_time"):
        return case.at_s + LOOK_AGAIN_D * DAY_S
    rate = float(case.crop.response.rate_per_day(case.soil.recent_c)) if case.soil.n_readings else 0.0
    rate = rate or float(case.crop.response.rate_per_day(case.crop.target_soil_c))
    left = max(0.0, (0.8 if not case.counts.up else 1.2) - effects.progress)
    return case.at_s + max(1.0, min(30.0, left / rate)) * DAY_S


# -- what speaks ----------------------------------------------------------------------------------------------------------


def _argued(
    cause: str,
    share: float,
    case: SlowCase,
    effects: SlowEffects,
    told: Argument,
    spells: Mapping[str, float],
    journal: Journal,
    events: Sequence[Event],
    complaint: Complaint,
) -> ArguedCause:
    speaks_for, against, missing = _by_record(cause, case, spells, journal, events)
    for s in told.said.get(cause, ()):
        (speaks_for if s.times > 1 else against).append(_said(s))
    missing += [w for w in told.missing.get(cause, ()) if w not in missing and w not in _not_to_ask(case)]
    cells = effects.gained_without.get(cause, 0.0) * case.counts.of
    return ArguedCause(cause, share, cells, tuple(speaks_for), tuple(against), tuple(missing))


def _said(s: Said) -> Evidence:
    return Evidence("witness", {"witness": s.witness, "outcome": s.outcome, "times": s.times})


def _by_record(
    cause: str, case: SlowCase, spells: Mapping[str, float], journal: Journal, events: Sequence[Event]
) -> tuple[list[Evidence], list[Evidence], list[str]]:
    """What the measured record says of one cause: for, against, and what it lacks."""
    crop, batch, soil = case.crop, case.batch, case.soil
    yes: list[Evidence] = []
    no: list[Evidence] = []
    lacks: list[str] = []
    if cause in ("cold_soil", "hot_soil"):
        if not soil.n_readings:
            lacks.append("soil_temperature")
        else:
            below = float((soil.soil_c < crop.soil_low_c).mean())
            above = float((soil.soil_c > crop.soil_high_c).mean())
            share = below if cause == "cold_soil" else above
            figures = {"mean_c": soil.mean_c, "share": share, "low_c": crop.soil_low_c, "high_c": crop.soil_high_c,
                       "days_there": crop.response.days_to_half(soil.mean_c), "basis": soil.basis,
                       "days_at_target": crop.response.days_to_half(crop.target_soil_c)}  # fmt: skip
            (yes if share >= 0.15 else no).append(Evidence(cause if share >= 0.15 else f"not_{cause}", figures))
            if soil.open_d >= 0.2:
                no.append(Evidence("probe_lay_open", {"days": soil.open_d}))
            if soil.basis == "air":
                lacks.append("soil_temperature")
            if soil.trouble == "gap":
                lacks.append("soil_gap")
            idle = mat_without_lift(journal, batch, events, case.at_s, soil.recent_c) if cause == "cold_soil" else None
            if idle is not None:
                yes.append(
                    Evidence("mat_without_lift", {"mat": idle.mat, "setpoint_c": idle.setpoint_c, "soil_c": soil.recent_c})
                )
    elif cause in ("dry_spell", "waterlogged"):
        days = spells["dry_d"] if cause == "dry_spell" else spells["wet_d"]
        if spells["known_share"] < 0.05:
            lacks.append("moisture")
        elif days >= 0.5:
            yes.append(Evidence(f"{cause}_days", {"days": days}))
        elif spells["known_share"] >= 0.5:
            no.append(Evidence(f"no_{cause}", {"share": spells["known_share"]}))
        else:
            lacks.append("moisture")
        logs_water = any(e.kind == "watered" for e in events)
        if cause == "dry_spell" and logs_water and case.supposed.get("dry_spell", 0.0) > 0.15:
            yes.append(Evidence("dry_by_deeds"))
    elif cause == "weak_seed":
        lot = next((s for s in journal.seed_lots if s.id == batch.seed_lot), None)
        if lot is None or (lot.packed is None and not lot.tests):
            lacks.append("seed_lot")
        else:
            figures = {"alive": case.seed.mean, "fresh": case.fresh.mean, "packed": lot.packed, "tests": len(lot.tests)}
            weak = case.seed.mean < case.fresh.mean - 0.1
            (yes if weak else no).append(Evidence("seed_weak" if weak else "seed_sound", figures))
    elif cause == "sown_deep":
        if batch.depth_mm is None:
            lacks.append("depth")
        else:
            deep = case.sowing.deep_wait > 1.03 or case.sowing.deep_share < 0.95
            figures = {"depth_mm": batch.depth_mm, "usual_mm": crop.depth_mm}
            (yes if deep else no).append(Evidence("depth_deep" if deep else "depth_usual", figures))
    elif cause == "needs_light":
        if crop.seed_light != "light":
            no.append(Evidence("light_not_needed"))
        elif case.sowing.light_share < 1.0:
            yes.append(Evidence("covered", {"depth_mm": batch.depth_mm, "most_mm": DARK_FROM_MM}))
        elif batch.depth_mm is None and batch.covered_with != "none":
            lacks.append("depth")
        else:
            no.append(Evidence("light_reaches"))
    elif cause == "needs_pretreatment":
        if crop.pretreatment in ("", "none"):
            no.append(Evidence("no_pretreatment_needed"))
        elif batch.pretreatment is None:
            lacks.append("pretreatment")
        else:
            left_out = case.sowing.pretreatment_share < 1.0
            (yes if left_out else no).append(Evidence("untreated" if left_out else "treated", {"wanted": crop.pretreatment}))
    elif cause == "coarse_or_crusted_mix":
        kind = batch.mix.kind if batch.mix else None
        if kind == "garden_soil":
            yes.append(Evidence("mix_kind", {"kind": kind}))
        elif kind is None:
            lacks.append("mix")
        elif kind in ("seed_mix", "coir"):
            no.append(Evidence("mix_kind", {"kind": kind}))
    return yes, no, lacks


def _whole(causes: Sequence[ArguedCause]) -> tuple[ArguedCause, ...]:
    """Shares that add to 1 after the smallest were left out."""
    total = sum(c.share for c in causes)
    return tuple(replace(c, share=c.share / total) for c in causes) if total > 0 else tuple(causes)


# -- what to do --------------------------------------------------------------------------------------------------------------

#: Deeds against each cause, in order. Source: growers_rule.
DEEDS = {
    "cold_soil": ("warm_soil",),
    "hot_soil": ("cool_soil",),
    "dry_spell": ("water_below", "keep_covered"),
    "waterlogged": ("let_drain",),
    "weak_seed": ("sow_more", "test_packet"),
    "sown_deep": ("wait", "sow_shallower"),
    "needs_light": ("uncover_seed",),
    "needs_pretreatment": ("sow_treated",),
    "coarse_or_crusted_mix": ("break_crust",),
    "unexplained": ("dig_and_see", "sow_more"),
}
#: Causes from this share on get a remedy of their own.
MENDED_FROM = 0.15


def remedies_for(
    case: SlowCase, effects: SlowEffects, causes: Sequence[ArguedCause], state: str, journal: Journal, events: Sequence[Event]
) -> tuple[Remedy, ...]:
    """What to do now, in order of the causes' shares, each with the days it should gain where the model tells."""
    out: list[Remedy] = []
    tray = tray_of(case.batch, events, case.at_s)
    here = room_at(journal, events, case.at_s).trays.get(tray or "")
    today = case.at_s + 0.5 * DAY_S
    for c in causes:
        if c.share < MENDED_FROM and not (c.cause in ("cold_soil", "hot_soil") and c.cells >= 1):
            continue
        for deed in DEEDS.get(c.cause, ()):
            if any(r.deed == deed for r in out):
                continue
            gain = None
            figures: dict[str, float | str | None] = {"tray": tray}
            if deed in ("warm_soil", "cool_soil"):
                if not case.soil.n_readings:
                    continue
                gain = _gain_days(case, effects)
                figures |= {"from_c": case.soil.recent_c, "to_c": case.crop.target_soil_c, "mat": here.mat if here else None,
                            "low_c": case.crop.soil_ideal_low_c, "high_c": case.crop.soil_ideal_high_c}  # fmt: skip
                if mat_without_lift(journal, case.batch, events, case.at_s, case.soil.recent_c) is not None:
                    out.append(Remedy("check_plug", c.cause, gain, figures, today))
                    continue
            if deed in ("sow_more", "sow_shallower"):
                figures |= {"alive": case.seed.mean, "depth_mm": case.crop.depth_mm}
            out.append(Remedy(deed, c.cause, gain, figures, today if deed != "wait" else None))
    if state == "cannot_tell" and not case.soil.n_readings:
        out.insert(0, Remedy("measure_soil", "cold_soil", None, {"tray": tray}, today))
    return tuple(out)


def _gain_days(case: SlowCase, effects: SlowEffects) -> Interval[float] | None:
    """Days by which the middle seed comes sooner with the soil at target from now on; None when it is past that."""
    left = 1.0 - effects.progress
    now = float(case.crop.response.rate_per_day(case.soil.pattern_c).mean())
    then = float(case.crop.response.rate_per_day(case.crop.target_soil_c))
    if left <= 0:
        return None
    spread = 1.2816 * (0.3 if case.crop.estimated else 0.2)
    days = left / max(now, 1.0 / 120) - left / then
    return Interval(days / (1 + spread), days, days * (1 + spread)) if days > 0.2 else None
