"""The working of every number in a forecast: inputs, formula in words, sources, range."""

from __future__ import annotations

from fennet.core.answer import Forecast
from fennet.core.batch_model import BatchModel
from fennet.core.working import Input, Working


def workings(model: BatchModel, f: Forecast) -> dict[str, Working]:
    """The working of every number told."""
    crop, soil, seed = model.crop, model.soil, model.seed
    estimated = crop.estimated
    source = crop.sources.get("r_max_per_day", "")
    response = tuple(i for i in crop.figures() if i.name in ("t_base_c", "t_lo_c", "t_hi_c", "t_ceil_c", "r_max_per_day"))
    temperature = (
        Input(
            "mean soil since sowing",
            round(soil.mean_c, 1),
            "°C",
            f"{soil.n_readings} points of the {soil.level}'s record",
            soil.basis != "soil",
        ),
        Input("mean carried forward", round(soil.recent_c, 1), "°C", "last 72 h"),
    )
    belief = (
        Input("rate against the table, believed", round(model.belief.mean(model.belief.k), 2), "×", "counts and prior"),
        Input("share that will come, believed", round(model.belief.mean(model.belief.g), 2), "share", "counts and seed"),
        Input("spread of waits", crop.wait_sigma, "ln d", crop.sources.get("wait_sigma", ""), "wait_sigma" in crop.estimates),
    )
    up = Input(
        "up",
        f.counts.up,
        f"of {f.counts.of} {f.counts.unit}",
        "last count" if f.counts.at_s else "nothing marked is read as nothing up",
    )
    rate_source = (source, "garcia_huidobro_1982", "bradford_1990")
    notes = ("The crop's response is estimated: there are no trials of it.",) if estimated else ()
    progress_words = "progress adds up the rate at each half hour's soil temperature and moisture; 1 is a median wait"
    holds = "soil from base to ceiling; gaps up to three days"
    return {
        "progress": Working(
            "progress",
            (*response, *temperature),
            progress_words,
            rate_source,
            holds,
            round(model.d_now, 2),
            "median waits",
            notes,
        ),
        "half_up": Working(
            "half up",
            (*temperature, *belief, up),
            "in each of many futures drawn from the belief, when half of all that come are up; the middle and the middle 80 %",
            (*rate_source, "starting_estimate"),
            holds,
            f.half_up.p50 if f.half_up else None,
            "time",
            notes,
        ),
        "final_count": Working(
            "final count",
            (up, *belief),
            "up now and those still to come in each future; middle and middle 80 %",
            ("growers_rule",),
            "present conditions going on",
            f.final_count.p50 if f.final_count else None,
            f.counts.unit,
        ),
        "chance_of_more": Working(
            "chance of more",
            (up, *belief),
            "chance that at least one more cell's seed lives and has its wait still ahead",
            ("growers_rule",),
            "within a year, present conditions going on",
            f.chance_of_more,
            "share",
        ),
        "days_at_target": Working(
            "days at target",
            (Input("target soil", model.target_c, "°C", crop.sources.get("soil_ideal_low_c", "")), *response),
            "days to half up for sound seed, sown right, at the middle of the ideal band",
            rate_source,
            holds,
            f.days_at_target,
            "d",
            notes,
        ),
        "delay_days": Working(
            "delay",
            (
                *temperature,
                Input("days at target", _round(f.days_at_target), "d"),
                Input("seed speed", round(seed.speed, 2), "×", "ellis_roberts_1980"),
                Input("wait by depth", round(model.sowing.deep_wait, 2), "×", "starting_estimate", True),
            ),
            "each set of causes is put to target in turn; a cause's days are its average part over all orders (Shapley)",
            ("growers_rule",),
            "parts add up to the whole; gains are negative",
            _round(f.delay_total_days),
            "d",
        ),
        "seed": seed.working,
    }


def _round(value: float | None) -> float | None:
    return None if value is None else round(value, 1)
