"""The verdict of a batch in one sentence or two, with what would help."""

from __future__ import annotations

from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.records import Batch
from fennet.presentation.formatter import Formatter

CAUSE_WORDS = {
    "cold_soil": "cold soil",
    "hot_soil": "hot soil",
    "dry_spell": "a dry spell",
    "weak_seed": "old or weak seed",
    "sown_deep": "deep sowing",
    "unexplained": "unexplained",
}
VERDICT_WORDS = {
    "cannot_tell": "cannot tell",
    "finished": "finished",
    "late": "late",
    "early": "early",
    "not_yet": "not due yet",
    "on_time": "on time",
}
#: A count older than this is worth a word.
STALE_COUNT_D = 2.0


def counted(f: Forecast) -> str:
    if f.counts.unit == "cells" and f.batch.by_seed:
        return "seeds"
    return {"cells": "cells", "seedlings": "seedlings", "rooted": "seeds"}[f.counts.unit]


def counted_word(batch: Batch) -> str:
    """What a batch is counted in, where no count says otherwise."""
    return "seeds" if batch.set_up == "towel" else "seedlings" if batch.by_seed else "cells"


def verdict_sentence(f: Forecast, fmt: Formatter) -> str:
    """One true sentence about a batch."""
    words = {
        "cannot_tell": _cannot_tell,
        "finished": _finished,
        "late": _late,
        "early": _early,
        "not_yet": _not_yet,
        "on_time": _on_time,
    }[f.verdict](f, fmt)
    return words[0].upper() + words[1:]


def growing_sentence(stage: str, out: list[str], within: list[str], unknown: list[str]) -> str:
    """How a batch past emergence stands, in a sentence: what is out of its band, what is inside, what nobody measured."""
    parts = []
    if out:
        parts.append(", ".join(out))
    if within:
        parts.append(f"{_listed(within)} {'are' if len(within) > 1 else 'is'} in band")
    if unknown:
        parts.append(f"{_listed(unknown)} not measured")
    words = f"{stage}: {'; '.join(parts)}." if parts else f"{stage}."
    return words[0].upper() + words[1:]


def _listed(words: list[str]) -> str:
    return " and ".join(filter(None, [", ".join(words[:-1]), words[-1]]))


def _at_soil(f: Forecast, fmt: Formatter) -> str:
    basis = {"soil": "your record shows", "guess": "you guessed", "air": "judged from the air", "house": "of an ordinary house"}[
        f.soil.basis
    ]
    return f"the {fmt.temperature(f.soil.recent_c)} {basis}"


def _cannot_tell(f: Forecast, fmt: Formatter) -> str:
    if f.supposed and f.half_up is not None:
        return _in_a_house(f, fmt)
    if f.reason == "no_readings":
        return "cannot tell yet: nothing measures the soil here. Log a soil temperature, or say about how warm it is."
    if f.reason == "not_counted":
        return "cannot tell: plants are up, and nobody has counted them. Log how many are up."
    first, last = fmt.day(f.soil.gap_from_s), fmt.day(f.soil.gap_to_s)
    return f"cannot tell: no temperature from {first} to {last}. Log one, or say about how warm it was then."


def _in_a_house(f: Forecast, fmt: Formatter) -> str:
    """What a house as people live in it lets one expect, where nobody reads a thermometer: when to look, when half are up, when
    to worry and when to give up."""
    assert f.half_up is not None
    up = f" {_so_many(f, fmt)[0].upper()}{_so_many(f, fmt)[1:]} are up." if f.counts.up else ""
    if f.half_up.settled:
        return f"{_so_many(f, fmt)} are up{_half_clause(f, fmt)}; nobody has read how warm it is."
    look = f", look from {fmt.day(f.first_up.p10)}" if f.first_up is not None and not f.counts.up else ""
    give_up = f", give up on {fmt.day(f.call_it_s)}" if f.call_it_s is not None else ""
    return (
        f"half should be up {fmt.day_range(f.half_up)}, in a house at about {fmt.temperature(f.soil.recent_c, 0)}{look}; "
        f"worry after {fmt.day(f.half_up.p90)}{give_up}.{up}"
    )


#: A range is worth a reading where that takes so many days off it.
WORTH_D = 1.0


def narrower_words(told: tuple[float, float], fmt: Formatter) -> str:
    """What one soil reading would do for the dates; "" where it would hardly narrow them."""
    now_d, then_d = told
    if now_d - then_d < WORTH_D:
        return ""
    return f"One soil reading would narrow this from {fmt.days(now_d)} to {fmt.days(then_d)}."


def verdict_word(f: Forecast) -> str:
    """The verdict in a word or two."""
    return "without a thermometer" if f.supposed and f.verdict == "cannot_tell" else VERDICT_WORDS[f.verdict]


def _finished(f: Forecast, fmt: Formatter) -> str:
    up, of = f.counts.up, f.counts.of
    if up >= of:
        half = f" Half were up by {fmt.day(f.half_up.p50)}." if f.half_up else ""
        return f"finished: all {fmt.small(of)} {counted(f)} are up.{half}"
    if f.chance_of_more:
        chance = fmt.percent(f.chance_of_more)
        return f"finished: {_so_many(f, fmt)} are up and more are unlikely (a chance of {chance}).{_stale(f, fmt)}"
    return f"finished: {_so_many(f, fmt)} came up."


def _so_many(f: Forecast, fmt: Formatter) -> str:
    return f"{fmt.small(f.counts.up)} of {fmt.small(f.counts.of)} {counted(f)}"


def _not_yet(f: Forecast, fmt: Formatter) -> str:
    if f.half_up is None:
        return f"not due yet, but at {_at_soil(f, fmt)} few are expected at all."
    return f"not due yet: half should be up {fmt.day_range(f.half_up)} at {_at_soil(f, fmt)}."


def _on_time(f: Forecast, fmt: Formatter) -> str:
    return f"on time: {_so_many(f, fmt)} are up{_half_clause(f, fmt)}.{_stale(f, fmt)}"


def _early(f: Forecast, fmt: Formatter) -> str:
    return f"early: {_so_many(f, fmt)} are up already{_half_clause(f, fmt)}.{_stale(f, fmt)}"


def _half_clause(f: Forecast, fmt: Formatter) -> str:
    if f.half_up is None:
        return ""
    if f.half_up.settled:
        return f", half of all that will come since {fmt.day(f.half_up.p50)}"
    return f", half should be by {fmt.day_range(f.half_up)}"


def _late(f: Forecast, fmt: Formatter) -> str:
    total = f.delay_total_days
    if f.half_up is None or total is None:
        hope = f" The chance of any more is {fmt.percent(f.chance_of_more)}." if f.chance_of_more is not None else ""
        return f"late: nothing more is expected at {_at_soil(f, fmt)}.{hope}"
    lead = f"late by {fmt.days(total)}" if total >= 0.75 else "late"
    due = f"half were up {fmt.day(f.half_up.p50)}" if f.half_up.settled else f"half are due {fmt.day_range(f.half_up)}"
    return f"{lead}{_why(f, fmt)}: at {fmt.temperature(f.soil.recent_c)} {due}{_mend(f, fmt)}.{_stale(f, fmt)}"


def _why(f: Forecast, fmt: Formatter) -> str:
    """How much of a delay its largest cause takes, in words."""
    total = f.delay_total_days or 0.0
    if total <= 0:
        return ""
    cause, days = max(f.delay_days.items(), key=lambda item: item[1])
    share = days / total
    if cause == "unexplained":
        return ", most of it without a cause in the record" if share > 0.5 else ""
    name = CAUSE_WORDS[cause]
    if share >= 0.85:
        return f", nearly all of it {name}"
    if share >= 0.5:
        return f", most of it {name}"
    return f", {name} the largest part" if share > 0.3 else ""


def _mend(f: Forecast, fmt: Formatter) -> str:
    """What soil at target would do for those still to come, where that is worth a sentence."""
    if f.rest_days_at_target is None or f.delay_days.get("cold_soil", 0) < 1 or f.soil.recent_c >= f.crop.target_soil_c - 1:
        return ""
    rest = "the rest" if f.counts.up else "nearly all"
    return f"; at {fmt.temperature(f.crop.target_soil_c)} {rest} would show within {fmt.days(max(1.0, f.rest_days_at_target))}"


def _stale(f: Forecast, fmt: Formatter) -> str:
    looked = f.counts.looked_s
    if looked is None or f.at_s - looked < STALE_COUNT_D * DAY_S or f.counts.up >= f.counts.of:
        return ""
    return f" Last change logged {fmt.days((f.at_s - looked) / DAY_S)} ago: look again."
