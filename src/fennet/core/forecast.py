"""Is it late, and why: one batch's emergence forecast with everything that a page or a file tells of it.

Two questions are kept apart. *Is it late?* holds the count against the same seed at target conditions. *Is it as its own
temperatures lead one to expect?* holds it against the recorded conditions. Verdicts are those of docs/formats.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import UTC, datetime

import numpy as np
from scipy.special import bdtr

from fennet.core import emergence as em
from fennet.core.blame import shapley
from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, SoilRecord, moisture_record, soil_record
from fennet.core.history import Counts, counts_of, ended_s, standing
from fennet.core.records import Batch, FloatArray, Journal
from fennet.core.seed import SeedState, fresh_state, seed_state
from fennet.core.sowing import SowingEffect, sowing_effect
from fennet.core.working import Input, Interval, Working

CAUSES = ("cold_soil", "hot_soil", "dry_spell", "weak_seed", "sown_deep")
#: Under this chance of any more a batch is finished; the call-it day is the first such day. Source: handbook_rule.
CALL_IT_UNDER = 0.10
#: A count outside the middle 90 % of what the seed would show at target is late or early. Source: formats.
TAIL = 0.05
PREDICTIVE_N = 400
CURVE_POINTS = 72


@dataclass(frozen=True)
class Curve:
    """Number expected up over time: seconds UTC, and low, middle, high of an 80 % range."""

    at_s: FloatArray
    p10: FloatArray
    p50: FloatArray
    p90: FloatArray


@dataclass(frozen=True)
class Forecast:
    """What can be said of one batch at one moment. Times are seconds UTC; None where nothing can be said."""

    batch: Batch
    crop: Crop
    at_s: float
    verdict: str
    counts: Counts
    soil: SoilRecord
    reason: str = ""
    half_up: Interval[float] | None = None
    first_up: Interval[float] | None = None
    final_count: Interval[float] | None = None
    days_at_target: float | None = None
    delay_days: dict[str, float] = field(default_factory=dict)
    call_it_s: float | None = None
    chance_of_more: float | None = None
    as_recorded: str = ""
    expected_now: Interval[float] | None = None
    at_target_now: Interval[float] | None = None
    rest_days_at_target: float | None = None
    estimated: bool = False
    expected: Curve | None = None
    at_target: Curve | None = None
    workings: dict[str, Working] = field(default_factory=dict)

    @property
    def delay_total_days(self) -> float | None:
        """Days by which half-up runs behind the same sowing at target; None where either is unknown."""
        if self.half_up is None or self.days_at_target is None:
            return None
        return (self.half_up.p50 - self.batch.sown_at.timestamp()) / DAY_S - self.days_at_target


def forecast(journal: Journal, crop: Crop, batch: Batch, at_s: float, curves: bool = False) -> Forecast:
    """The emergence forecast of one batch from what was known at `at_s` (seconds UTC).

    `journal` may be the whole record or the part that concerns the batch; anything in it later than `at_s` is not used.
    `curves` adds the expected course for a chart. Raises ValueError for a batch sown after `at_s`.
    Source: handbook_rule; the models it rests on name their own.
    """
    if batch.sown_at.timestamp() > at_s:
        raise ValueError(f"batch {batch.id} is sown after the moment asked about")
    events = standing(journal.events, at_s)
    counts = counts_of(batch, events)
    over_s = ended_s(batch, events)
    soil = soil_record(journal, batch, events, at_s)
    all_up = counts.up >= counts.of
    if soil.trouble:
        done = over_s is not None or all_up
        happened = _happened(counts, math.ceil(counts.up / 2)) if done else None
        return Forecast(
            batch, crop, at_s, "finished" if done else "cannot_tell", counts, soil, reason=soil.trouble,
            half_up=happened, first_up=_happened(counts, 1) if counts.up else None,
            final_count=Interval(counts.up, counts.up, counts.up) if done else None,
            estimated=crop.estimated, chance_of_more=0.0 if done else None,
        )  # fmt: skip
    moisture_pct, _ = moisture_record(journal, batch, events, soil.grid_s, at_s)
    lot = next((s for s in journal.seed_lots if s.id == batch.seed_lot), None)
    model = _Model(batch, crop, soil, moisture_pct, counts, seed_state(crop, lot, batch.sown_at.date()), fresh_state(crop, lot, batch.sown_at),
                   sowing_effect(crop, batch), at_s)  # fmt: skip
    return model.answer(over_s, all_up, curves)


def _happened(counts: Counts, n: int) -> Interval[float] | None:
    """When the n-th was first seen up, as a range of no width."""
    at_s = counts.reached(n) if n else None
    return Interval(at_s, at_s, at_s) if at_s is not None else None


class _Model:
    """One batch's models set up once, and the questions put to them."""

    def __init__(self, batch: Batch, crop: Crop, soil: SoilRecord, moisture_pct: FloatArray, counts: Counts,
                 seed: SeedState, fresh: SeedState, sowing: SowingEffect, at_s: float) -> None:  # fmt: skip
        self.batch, self.crop, self.soil, self.moisture_pct, self.counts = batch, crop, soil, moisture_pct, counts
        self.seed, self.fresh, self.sowing, self.at_s = seed, fresh, sowing, at_s
        self.response = crop.response
        self.sown_s = batch.sown_at.timestamp()
        self.n_seeds = batch.n_seeds_per_cell if counts.unit == "cells" else 1
        self.towel = em_towel_wait(sowing)
        self.k_log_sd = math.hypot(em.K_CV_ESTIMATED if crop.estimated else em.K_CV, self._thermometer_log_sd())
        speed = seed.speed / sowing.wait
        self.courses = [self._progress(soil.soil_c, moisture_pct, soil.pattern_c, speed, float(z)) for z in em.NODES]
        self.course = self.courses[1]
        self.d_now = float(self.course.at(at_s))
        self.share = self.course.share * sowing.deep_share * sowing.other_share
        self.target_c = crop.target_soil_c
        self.target_rate = float(self.response.rate_per_day(self.target_c)) * seed.speed / self.towel
        target_share = float(self.response.share(self.target_c))
        d_counts = self.course.at(np.array(counts.at_s)) if counts.at_s else np.zeros(0)
        self.belief = self._belief(seed, self.share, self.k_log_sd, counts, d_counts, self.d_now)
        self.prior = self._belief(seed, self.share, self.k_log_sd)
        # The seed at target, as it is and as it was when packed: the same belief where its age is not known.
        k_log_sd = em.K_CV_ESTIMATED if crop.estimated else em.K_CV
        self.target_prior = self._belief(seed, target_share, k_log_sd)
        same = (fresh.a, fresh.b) == (seed.a, seed.b)
        self.fresh_prior = self.target_prior if same else self._belief(fresh, target_share, k_log_sd)
        self.fresh_half_d = self._median_half_d(self.fresh_prior)
        d_end = float(self.course.at(at_s + em.HORIZON_D * DAY_S))
        self.more = em.MoreToCome(self.belief, self.d_now, d_end, self.n_seeds, counts.of - counts.up)
        self.futures = em.futures(self.belief, self.courses, self.d_now, self.n_seeds, counts.of - counts.up)

    def _belief(self, seed: SeedState, share: float, k_log_sd: float, counts: Counts | None = None,
                d_counts: FloatArray | None = None, d_now: float = 0.0) -> em.Belief:  # fmt: skip
        """What is believed after counts; without them, what sound seed would be expected to do."""
        nothing = Counts(self.counts.unit, self.counts.of, (), ())
        return em.prior_and_posterior(seed, share, self.crop.wait_sigma, k_log_sd, self.n_seeds, counts or nothing,
                                      np.zeros(0) if d_counts is None else d_counts, d_now, may_fail=counts is not None)  # fmt: skip

    def _progress(self, soil_c: FloatArray, moisture_pct: FloatArray, pattern_c: FloatArray, speed: float = 1.0, z: float = 0.0) -> em.Progress:
        return em.progress(self.response, self.soil.grid_s, soil_c, moisture_pct, pattern_c, speed, z)

    def _thermometer_log_sd(self) -> float:
        """What a constant error of the record's size would do to progress, as a log sd."""
        warm, cool = (float(self.response.rate_per_day(self.soil.soil_c + s * self.soil.sd_c).sum()) for s in (1.0, -1.0))
        return min(0.6, 0.5 * abs(math.log(max(warm, 1e-9) / max(cool, 1e-9))))

    # -- the answer ------------------------------------------------------------------------------------------------

    def answer(self, over_s: float | None, all_up: bool, curves: bool) -> Forecast:
        counts, of = self.counts, self.counts.of
        chance = 0.0 if over_s is not None else self.chance(self.at_s)
        over = over_s is not None or all_up or chance < CALL_IT_UNDER
        half_s = np.full(1, np.nan) if over_s is not None and not counts.up else self.half_times()
        half_up = _happened(counts, math.ceil(counts.up / 2)) if over and counts.up else self._range(half_s)
        first_s = np.where(self.futures.more > 0, self.futures.come_s[:, 0], np.nan)
        first_up = _happened(counts, 1) if counts.up else (None if over else self._range(first_s))
        final = counts.up + (self.futures.more if over_s is None else np.zeros(1))
        low, mid, high = (float(np.percentile(final, q, method="nearest")) for q in (10, 50, 90))
        at_target, recorded = self.held_against(self.target_prior, self.d_target(self.at_s)), self.held_against(self.prior, self.d_now)
        verdict = "finished" if over else _verdict(at_target, counts.up)
        days_at_target = self.days_at_target()
        delay = self.delay(half_up, days_at_target) if half_up is not None and days_at_target is not None else {}
        call_it_s = None if over_s is not None else self.call_it(chance)
        result = Forecast(
            self.batch, self.crop, self.at_s, verdict, counts, self.soil,
            half_up=half_up, first_up=first_up, final_count=Interval(low, mid, high), days_at_target=days_at_target,
            delay_days=delay, call_it_s=call_it_s, chance_of_more=chance, as_recorded=_as_recorded(recorded, counts.up),
            expected_now=self.count_range(self.prior, self.d_now), at_target_now=self.count_range(self.target_prior, self.d_target(self.at_s)),
            rest_days_at_target=None if over or of == counts.up else self.rest_at_target(),
            estimated=self.crop.estimated or self.soil.basis != "soil",
            expected=self.expected_curve() if curves else None, at_target=self.target_curve() if curves else None,
        )  # fmt: skip
        object.__setattr__(result, "workings", _workings(self, result))
        return result

    def _range(self, times_s: FloatArray) -> Interval[float] | None:
        """Middle and 80 % range of times over the futures in which any come; None where most see none (NaN)."""
        known = times_s[~np.isnan(times_s)]
        if 2 * len(known) < len(times_s) or not len(known):
            return None
        p10, p50, p90 = (float(q) for q in np.percentile(known, (10, 50, 90)))
        return Interval(p10, p50, p90)

    def half_times(self) -> FloatArray:
        """In each future, when half of all that will come are up; NaN where none ever come."""
        total = self.counts.up + self.futures.more
        need = np.ceil(total / 2).astype(int)
        past = np.array([self.counts.reached(n) or np.nan for n in range(1, self.counts.up + 1)] or [np.nan])
        times = self.futures.come_s
        ahead = np.clip(need - self.counts.up - 1, 0, times.shape[1] - 1)
        out = np.where(need > self.counts.up, times[np.arange(len(need)), ahead], past[np.clip(need - 1, 0, len(past) - 1)])
        out = np.where(total == 0, np.nan, out)
        done = need <= self.counts.up
        # What most futures agree has happened has happened: one date, not a range.
        return np.full(1, np.median(out[done])) if self.counts.up and np.mean(done[total > 0]) > 0.5 else out

    def chance(self, from_s: float) -> float:
        """Chance that at least one more shows after `from_s`, none having shown since now."""
        return self.more.after(float(self.course.at(from_s)))

    def call_it(self, chance_now: float) -> float | None:
        """The first day on which the chance of more is under a tenth; None if not within a year."""
        if chance_now < CALL_IT_UNDER:
            return self.at_s
        low, high = 0, int(em.HORIZON_D)
        if self.chance(self.at_s + high * DAY_S) >= CALL_IT_UNDER:
            return None
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (low, middle) if self.chance(self.at_s + middle * DAY_S) < CALL_IT_UNDER else (middle, high)
        return self.at_s + high * DAY_S

    # -- at target --------------------------------------------------------------------------------------------------

    def d_target(self, at_s: float) -> float:
        """Progress by `at_s` of the same seed at target conditions throughout."""
        return (at_s - self.sown_s) / DAY_S * self.target_rate

    def held_against(self, belief: em.Belief, d: float) -> tuple[float, float]:
        """Chances of fewer than the count, and of as many or fewer, under a belief at progress `d`."""
        belief = em.draw(belief, 2 * PREDICTIVE_N)
        p = np.clip(em.cell_cdf(np.asarray(d), belief.k, belief.g, belief.sigma, self.n_seeds), 0.0, 1.0)
        up, of = self.counts.up, self.counts.of
        fewer = belief.mean(bdtr(up - 1, of, p)) if up else 0.0
        return fewer, belief.mean(bdtr(up, of, p))

    def count_range(self, belief: em.Belief, d: float) -> Interval[float]:
        """The number up that a belief expects at progress `d`: 80 % range."""
        drawn = em.draw(belief, PREDICTIVE_N)
        p = np.clip(em.cell_cdf(np.asarray(d), drawn.k, drawn.g, drawn.sigma, self.n_seeds), 0.0, 1.0)
        cdf = bdtr(np.arange(self.counts.of + 1)[:, None], self.counts.of, p[None, :]).mean(axis=1)
        return Interval(*(float(np.argmax(cdf >= q)) for q in (0.1, 0.5, 0.9)))

    def _median_half_d(self, belief: em.Belief) -> float:
        """Progress at which half of those that come are up, in the middle future, from sowing."""
        draws = em.futures(belief, [_Identity()] * 3, 0.0, self.n_seeds, min(self.counts.of, 60), PREDICTIVE_N)
        need = np.ceil(draws.more / 2).astype(int)
        d = draws.come_s[np.arange(len(need)), np.maximum(need - 1, 0)]
        return float(np.median(d[draws.more > 0])) if (draws.more > 0).any() else math.inf

    def days_at_target(self) -> float | None:
        """Days to half up for sound seed, sown right, at the middle of the ideal band."""
        rate = float(self.response.rate_per_day(self.target_c)) / self.towel
        days = self.fresh_half_d / rate if rate > 0 else math.inf
        return days if math.isfinite(days) else None

    def rest_at_target(self) -> float | None:
        """Days in which nine in ten of what will still come would show, were the soil at target from now on."""
        rate = self.target_rate / self.sowing.deep_wait
        course = em.Progress(np.array([self.at_s, self.at_s + DAY_S]), np.array([self.d_now, self.d_now + rate]), rate, 1.0)
        ahead = em.futures(self.belief, [course] * 3, self.d_now, self.n_seeds, self.counts.of - self.counts.up, PREDICTIVE_N)
        some = ahead.more > 0
        if not some.any():
            return None
        index = np.maximum(np.ceil(0.9 * ahead.more).astype(int) - 1, 0)
        return float((np.median(ahead.come_s[np.arange(len(index)), index][some]) - self.at_s) / DAY_S)

    # -- the delay shared out ----------------------------------------------------------------------------------------

    def delay(self, half_up: Interval[float], days_at_target: float) -> dict[str, float]:
        """Days that each cause costs, adding up to half-up minus half-up at target."""
        all_moist = np.full(len(self.moisture_pct), np.nan)
        t_hi_c = self.response.t_hi_c

        def temperature(values_c: FloatArray, cold: bool, hot: bool) -> FloatArray:
            out = values_c if cold else np.where(values_c <= t_hi_c, self.target_c, values_c)
            return out if hot else np.where(values_c > t_hi_c, self.target_c, out)

        weak_half_d = self.fresh_half_d if self.target_prior is self.fresh_prior else self._median_half_d(self.target_prior)
        sets = [(weak, deep) for weak in (False, True) for deep in (False, True)]
        wanted_d = np.array([
            (weak_half_d / self.seed.speed if weak else self.fresh_half_d / self.fresh.speed) * self.towel * (self.sowing.deep_wait if deep else 1.0)
            for weak, deep in sets
        ])
        reached: dict[tuple[bool, bool, bool], FloatArray] = {}

        def days(in_force: frozenset[str]) -> float:
            key = ("cold_soil" in in_force, "hot_soil" in in_force, "dry_spell" in in_force)
            if key not in reached:
                course = self._progress(
                    temperature(self.soil.soil_c, *key[:2]), self.moisture_pct if key[2] else all_moist, temperature(self.soil.pattern_c, *key[:2])
                )
                reached[key] = np.minimum((course.when(wanted_d) - self.sown_s) / DAY_S, em.HORIZON_D)
            return float(reached[key][sets.index(("weak_seed" in in_force, "sown_deep" in in_force))])

        parts = shapley(CAUSES, days)
        total = (half_up.p50 - self.sown_s) / DAY_S - days_at_target
        kept = {cause: part for cause, part in parts.items() if abs(part) >= 0.005}
        return {**kept, "unexplained": total - sum(kept.values())}

    # -- courses for a chart -----------------------------------------------------------------------------------------

    def expected_curve(self) -> Curve:
        """What this belief expects from sowing to the day nearly all are up: the number up, as cells come."""
        end_s = self._curve_end()
        at_s = np.linspace(self.sown_s, end_s, CURVE_POINTS)
        return self._curve(self.belief, at_s, self.course.at(at_s))

    def target_curve(self) -> Curve:
        at_s = np.linspace(self.sown_s, self._curve_end(), CURVE_POINTS)
        return self._curve(self.target_prior, at_s, (at_s - self.sown_s) / DAY_S * self.target_rate)

    def _curve_end(self) -> float:
        nearly = float(self.course.when(np.asarray(1.6)))
        latest = self.at_s + 40 * DAY_S
        return max(self.at_s + 2 * DAY_S, min(nearly, latest))

    def _curve(self, belief: em.Belief, at_s: FloatArray, d: FloatArray) -> Curve:
        drawn = em.draw(belief, 200)
        p = em.cell_cdf(d[None, :], drawn.k[:, None], drawn.g[:, None], drawn.sigma[:, None], self.n_seeds)
        luck = np.random.default_rng(7).standard_normal((len(drawn.k), 1))
        n = self.counts.of
        number = np.clip(n * p + luck * np.sqrt(n * p * (1 - p)), 0, n)
        p10, p50, p90 = np.percentile(number, (10, 50, 90), axis=0)
        return Curve(at_s, p10, p50, p90)


class _Identity:
    """A course on which time is progress itself."""

    def when(self, d: FloatArray) -> FloatArray:
        return d


def em_towel_wait(sowing: SowingEffect) -> float:
    """The part of the wait that the set-up, not a fault, changes."""
    return sowing.wait / sowing.deep_wait


def _verdict(chances: tuple[float, float], up: int) -> str:
    fewer, as_many = chances
    if as_many < TAIL:
        return "late"
    if fewer >= 1 - TAIL:
        return "early"
    return "on_time" if up else "not_yet"


def _as_recorded(chances: tuple[float, float], up: int) -> str:
    fewer, as_many = chances
    return "behind" if as_many < TAIL else "ahead" if fewer >= 1 - TAIL else "as_expected"


def _workings(model: _Model, f: Forecast) -> dict[str, Working]:
    """The working of every number told."""
    crop, soil, seed = model.crop, model.soil, model.seed
    estimated = crop.estimated
    source = crop.sources.get("r_max_per_day", "")
    response = tuple(i for i in crop.figures() if i.name in ("t_base_c", "t_lo_c", "t_hi_c", "t_ceil_c", "r_max_per_day"))
    temperature = (
        Input("mean soil since sowing", round(soil.mean_c, 1), "°C", f"{soil.n_readings} readings of the {soil.level}", soil.basis != "soil"),
        Input("mean carried forward", round(soil.recent_c, 1), "°C", "last 72 h"),
    )
    belief = (
        Input("rate against the table, believed", round(model.belief.mean(model.belief.k), 2), "×", "counts and prior"),
        Input("share that will come, believed", round(model.belief.mean(model.belief.g), 2), "share", "counts and seed"),
        Input("spread of waits", crop.wait_sigma, "ln d", crop.sources.get("wait_sigma", ""), "wait_sigma" in crop.estimates),
    )
    up = Input("up", f.counts.up, f"of {f.counts.of} {f.counts.unit}", "last count" if f.counts.at_s else "nothing marked is read as nothing up")
    rate_source = (source, "garcia_huidobro_1982", "bradford_1990")
    notes = ("The crop's response is estimated: no trials stand behind it.",) if estimated else ()
    progress_words = "progress adds up the rate at each half hour's soil temperature and moisture; 1 is a median wait"
    holds = "soil from base to ceiling; gaps up to three days"
    out = {
        "progress": Working("progress", (*response, *temperature), progress_words, rate_source, holds, round(model.d_now, 2), "median waits", notes),
        "half_up": Working("half up", (*temperature, *belief, up),
                           "in each of many futures drawn from the belief, when half of all that come are up; the middle and the middle 80 %",
                           (*rate_source, "handbook_estimate"), holds, f.half_up.p50 if f.half_up else None, "time", notes),
        "final_count": Working("final count", (up, *belief), "up now and those still to come in each future; middle and middle 80 %",
                               ("handbook_rule",), "present conditions going on", f.final_count.p50 if f.final_count else None, f.counts.unit),
        "chance_of_more": Working("chance of more", (up, *belief), "chance that at least one more cell's seed lives and has its wait still ahead",
                                  ("handbook_rule",), "within a year, present conditions going on", f.chance_of_more, "share"),
        "days_at_target": Working("days at target", (Input("target soil", model.target_c, "°C", crop.sources.get("soil_ideal_low_c", "")), *response),
                                  "days to half up for sound seed, sown right, at the middle of the ideal band", rate_source, holds,
                                  f.days_at_target, "d", notes),
        "delay_days": Working("delay", (*temperature, Input("days at target", _round(f.days_at_target), "d"),
                                        Input("seed speed", round(seed.speed, 2), "×", "ellis_roberts_1980"),
                                        Input("wait by depth", round(model.sowing.deep_wait, 2), "×", "handbook_estimate", True)),
                              "each set of causes is put to target in turn; a cause's days are its average part over all orders (Shapley)",
                              ("handbook_rule",), "parts add up to the whole; gains are negative", _round(f.delay_total_days), "d"),
        "seed": seed.working,
    }  # fmt: skip
    return out


def _round(value: float | None) -> float | None:
    return None if value is None else round(value, 1)


def instant(at_s: float) -> datetime:
    """A moment as an aware datetime in UTC."""
    return datetime.fromtimestamp(at_s, UTC)


__all__ = ["CAUSES", "Curve", "Forecast", "forecast", "instant"]
