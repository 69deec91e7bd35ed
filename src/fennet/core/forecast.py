"""Is it late, and why: one batch's emergence forecast with everything that a page or a file tells of it.

Two questions are kept apart. *Is it late?* holds the count against the same seed at target conditions. *Is it as its own
temperatures lead one to expect?* holds it against the recorded conditions. Verdicts are those of docs/formats.md.
"""

from __future__ import annotations

import math
from dataclasses import replace

from fennet.core.answer import Curve, Forecast, happened
from fennet.core.batch_model import CAUSES, BatchModel
from fennet.core.crop import Crop
from fennet.core.emerged import seen_uncounted_s
from fennet.core.exposure import DAY_S, SD_METER_C, moisture_record, soil_record
from fennet.core.forecast_workings import workings
from fennet.core.history import counts_of, effective_events, ended_s, forgotten_s
from fennet.core.house import house_soil, once_read
from fennet.core.records import Batch, Journal
from fennet.core.scoring import settled_s
from fennet.core.seed import SeedState, fresh_seed, rooted, sown_seed
from fennet.core.sowing import SowingEffect, rooted_sowing, sowing_effect
from fennet.core.targets import practice_of
from fennet.core.working import Interval

__all__ = ["CAUSES", "Curve", "Forecast", "forecast"]


def forecast(journal: Journal, crop: Crop, batch: Batch, at_s: float, curves: bool = False) -> Forecast:
    """The emergence forecast of one batch from what was known at `at_s` (seconds UTC).

    `journal` may be the whole record or the part that concerns the batch; anything in it later than `at_s` is not used.
    `curves` adds the expected course for a chart. Raises ValueError for a batch sown after `at_s`.
    Source: growers_rule; the models it rests on name their own.
    """
    if batch.sown_at.timestamp() > at_s:
        raise ValueError(f"batch {batch.id} is sown after the moment asked about")
    events = effective_events(journal.events, at_s)
    counts = counts_of(batch, events)
    over_s = ended_s(batch, events)
    if over_s is not None:
        # From when nothing more was waited for its thermometer may have gone elsewhere.
        sown_s = batch.sown_at.timestamp()
        at_s = max(min(at_s, settled_s(counts, sown_s, over_s, over_s) or over_s), sown_s)
    elif (forgotten := forgotten_s(batch, events, at_s)) is not None:
        # Nobody waits any more: what could be said is what could be said then.
        over_s = at_s = forgotten
    soil = soil_record(journal, batch, events, at_s)
    all_up = counts.up >= counts.of
    uncounted = seen_uncounted_s(batch, events) is not None and over_s is None
    supposed = soil.gap_reason == "no_readings" and not uncounted and batch.from_seed and over_s is None and not all_up
    if supposed:
        soil = house_soil(journal, batch, events, at_s)
    elif soil.gap_reason or uncounted or not batch.from_seed:
        done = over_s is not None or all_up
        half_up = happened(counts, math.ceil(counts.up / 2)) if done else None
        return Forecast(
            batch,
            crop,
            at_s,
            "finished" if done else "cannot_tell",
            counts,
            soil,
            reason="not_counted" if uncounted else soil.gap_reason,
            half_up=half_up,
            first_up=happened(counts, 1) if counts.up else None,
            final_count=Interval(counts.up, counts.up, counts.up) if done else None,
            estimated=crop.estimated,
            chance_of_more=0.0 if done else None,
        )
    moisture_pct, _ = moisture_record(journal, batch, events, soil.grid_s, at_s)
    seed, fresh, sowing = _sown(journal, crop, batch)
    model = BatchModel(batch, crop, soil, moisture_pct, counts, seed, fresh, sowing, at_s)
    answer = model.answer(over_s, all_up, curves)
    if supposed:
        # The record carries no answer on whether it is late; when it likely comes, a house as people live in it says.
        verdict = answer.verdict if answer.verdict == "finished" else "cannot_tell"
        answer = replace(answer, verdict=verdict, reason="no_readings", delay_days={}, rest_days_at_target=None)
    practice = practice_of(journal.garden, batch)
    if practice["patience"] == "days" and "patience_d" in practice and answer.call_it_s is not None:
        # The grower's own patience outranks the odds.
        answer = replace(answer, call_it_s=batch.sown_at.timestamp() + float(practice["patience_d"]) * DAY_S)
    return replace(answer, workings=workings(model, answer))


def _sown(journal: Journal, crop: Crop, batch: Batch) -> tuple[SeedState, SeedState, SowingEffect]:
    """A batch's seed as it was sown and as it was when packed, and what its sowing does to it; seed that rooted in a towel before
    is known to be alive."""
    seed, fresh, sowing = sown_seed(journal, crop, batch), fresh_seed(journal, crop, batch), sowing_effect(crop, batch)
    mother = next((b for b in journal.batches if b.id == batch.from_batch), None)
    if mother is not None and mother.set_up == "towel":
        return rooted(seed), rooted(fresh), rooted_sowing(sowing)
    return seed, fresh, sowing


def narrower_d(journal: Journal, crop: Crop, batch: Batch, at_s: float) -> tuple[float, float] | None:
    """How wide the range of half up is, and how wide it would be with one thermometer in the mix, days; None where something
    measures it, or nothing is waited for. Source: the models themselves.
    """
    told = forecast(journal, crop, batch, at_s)
    if told.half_up is None or told.half_up.settled or told.soil.basis not in ("house", "guess", "air"):
        return None
    events = effective_events(journal.events, at_s)
    moisture_pct, _ = moisture_record(journal, batch, events, told.soil.grid_s, at_s)
    seed, fresh, sowing = _sown(journal, crop, batch)
    read = once_read(told.soil, SD_METER_C)
    then = BatchModel(batch, crop, read, moisture_pct, told.counts, seed, fresh, sowing, at_s).answer(None, False, False).half_up
    now_d = (told.half_up.p90 - told.half_up.p10) / DAY_S
    return None if then is None else (now_d, min(now_d, (then.p90 - then.p10) / DAY_S))
