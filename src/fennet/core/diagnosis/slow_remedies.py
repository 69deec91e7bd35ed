"""What to do about slow germination: the deeds against each cause, with the days they should gain where a model tells."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fennet.core.diagnosis.finding import ArguedCause, Remedy
from fennet.core.diagnosis.slow_germination import SlowCase, SlowEffects, pace_cv
from fennet.core.exposure import DAY_S
from fennet.core.heat_mat import mat_without_lift
from fennet.core.records import Event, Journal
from fennet.core.room import room_at, tray_of
from fennet.core.seed_advice import gives_up
from fennet.core.working import Interval

#: Deeds against each cause, in order. Source: growers_rule.
ACTIONS = {
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
#: Soil this near the middle of its band is neither warmed nor cooled, °C. Source: growers_rule.
NEAR_C = 1.0
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
        for action in ACTIONS.get(c.cause, ()):
            if any(r.action == action for r in out):
                continue
            remedy = Remedy(action, c.cause, None, today if action != "wait" else None, tray)
            if action in ("warm_soil", "cool_soil"):
                warmer_c = case.soil.recent_c - case.crop.target_soil_c
                if not case.soil.n_readings or (warmer_c > -NEAR_C if action == "warm_soil" else warmer_c < NEAR_C):
                    # Soil that is warm, or cool, as it should be now is left alone, whatever it was.
                    continue
                remedy = replace(
                    remedy, gain_days=_gain_days(case, effects), mat=here.mat if here else None, to_c=case.crop.target_soil_c,
                    low_c=case.crop.soil_ideal_low_c, high_c=case.crop.soil_ideal_high_c,
                )  # fmt: skip
                if mat_without_lift(journal, case.batch, events, case.at_s, case.soil.recent_c) is not None:
                    out.append(replace(remedy, action="check_plug"))
                    continue
            if action in ("sow_more", "test_packet") and gives_up(case.seed):
                # Nobody sows more of what the seed box gives up.
                action = "sow_other_seed"
                if any(r.action == action for r in out):
                    continue
                remedy = replace(remedy, action=action)
            if action in ("sow_more", "sow_shallower"):
                remedy = replace(remedy, alive=case.seed.mean, depth_mm=case.crop.depth_mm)
            out.append(remedy)
    if state == "cannot_tell" and not case.soil.n_readings:
        out.insert(0, Remedy("measure_soil", "cold_soil", None, today, tray))
    return tuple(out)


def _gain_days(case: SlowCase, effects: SlowEffects) -> Interval[float] | None:
    """Days by which the middle seed comes sooner with the soil at target from now on; None when it is past that."""
    left = 1.0 - effects.progress
    now = float(case.crop.response.rate_per_day(case.soil.pattern_c).mean())
    then = float(case.crop.response.rate_per_day(case.crop.target_soil_c))
    if left <= 0:
        return None
    spread = 1.2816 * pace_cv(case.crop)
    days = left / max(now, 1.0 / 120) - left / then
    return Interval(days / (1 + spread), days, days * (1 + spread)) if days > 0.2 else None
