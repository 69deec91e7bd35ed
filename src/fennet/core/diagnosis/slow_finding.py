"""Is a batch slow to come up, and why: the case argued, with what speaks, the one check, and what to do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from fennet.core.batch_model import towel_wait
from fennet.core.crop import Crop
from fennet.core.diagnosis.engine import Argument, Complaint, argue
from fennet.core.diagnosis.finding import ArguedCause, Finding, NextCheck, SlowFigures, checks_of, split_said
from fennet.core.diagnosis.slow_case import not_to_ask, slow_case
from fennet.core.diagnosis.slow_evidence import by_record
from fennet.core.diagnosis.slow_germination import SlowCase, SlowEffects, slow_effects, spell_days
from fennet.core.diagnosis.slow_remedies import remedies_for
from fennet.core.diagnosis.witnesses import heard
from fennet.core.exposure import DAY_S
from fennet.core.learning.garden import crop_of
from fennet.core.records import Batch, Event, Journal
from fennet.core.working import Input, Working

#: How long after a remedy one looks again, d. Source: growers_rule.
LOOK_AGAIN_D = 3.0
#: Plants that were seen but never counted may still be too few: no more than this can be said. Source: starting_estimate.
UNCOUNTED = 0.2


def slow_germination(
    journal: Journal, crops: Mapping[str, Crop], complaint: Complaint, batch: Batch, events: Sequence[Event], at_s: float
) -> Finding:
    """Is a batch slow, and why. `events` are effective events. Source: bradford_1990, gummerson_1986, starting_estimate."""
    case = slow_case(journal, crop_of(crops, batch), batch, events, at_s)
    effects = slow_effects(case, complaint)
    words = heard(journal, crops, batch, events, complaint, at_s)
    told = argue(effects.suppositions, complaint, words, not_to_ask(case))
    present = min(told.present, UNCOUNTED) if case.uncounted else min(told.present, 0.45) if case.unseen else told.present
    state = _state(case, effects, present)
    dry_d, wet_d = spell_days(case.moisture_pct)
    spells = {"dry_d": dry_d, "wet_d": wet_d, "known_share": float((~np.isnan(case.moisture_pct)).mean())}
    every = sorted(complaint.causes, key=lambda c: -told.shares.get(c, 0.0))
    causes = tuple(_argued(c, told.shares.get(c, 0.0), case, effects, told, spells, journal, events, complaint) for c in every)
    checks = checks_of(told)
    check: NextCheck | None
    if case.uncounted:
        # The verdict asks for a count; nothing else would settle more.
        check = None
    elif state == "cannot_tell" and case.soil.basis == "none":
        check = NextCheck("soil_now", next((a.bits for a in told.asked if a.witness == "soil_now"), 0.0))
    else:
        check = checks[0] if checks else None
    response, target_c = case.crop.response, case.crop.target_soil_c
    days_at_target = towel_wait(case.sowing) / float(response.rate_per_day(target_c))
    days = float(int((at_s - batch.sown_at.timestamp()) / DAY_S))
    figures = SlowFigures(days, case.counts.up, case.counts.of, days_at_target, target_c, case.uncounted, batch.set_up == "towel")
    look_s = _look_again(case, effects, state)
    remedies = (
        remedies_for(case, effects, causes, state, journal, events)
        if present >= 0.5 or (state == "cannot_tell" and not case.uncounted)
        else ()
    )
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
        batch, complaint.key, state, present, causes, check, remedies, look_s, figures, {"present": working}, checks
    )  # fmt: skip


def _state(case: SlowCase, effects: SlowEffects, present: float) -> str:
    share = case.counts.up / case.counts.of
    if case.uncounted or (case.unseen and effects.at_target >= 0.3):
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
    speaks_for, against, missing = by_record(cause, case, spells, journal, events)
    heard_for, heard_against = split_said(told.said.get(cause, ()))
    speaks_for, against = [*speaks_for, *heard_for], [*against, *heard_against]
    missing += [w for w in told.missing.get(cause, ()) if w not in missing and w not in not_to_ask(case)]
    cells = effects.gained_without.get(cause, 0.0) * case.counts.of
    return ArguedCause(cause, share, cells, tuple(speaks_for), tuple(against), tuple(missing))
