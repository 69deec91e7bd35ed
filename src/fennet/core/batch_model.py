"""One batch's models set up once, and the questions put to them: when, how many, is it late, and whose fault."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property, lru_cache

import numpy as np
from scipy.special import bdtr

from fennet.core import emergence as em
from fennet.core.answer import Curve, Forecast, happened
from fennet.core.attribution import shapley
from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, SoilRecord
from fennet.core.history import Counts
from fennet.core.moisture import advance
from fennet.core.records import Batch, FloatArray
from fennet.core.seed import SeedState
from fennet.core.sowing import SowingEffect
from fennet.core.working import Interval

CAUSES = ("cold_soil", "hot_soil", "dry_spell", "weak_seed", "sown_deep")
#: Under this chance of any more a batch is finished; the call-it day is the first such day. Source: growers_rule.
CALL_IT_UNDER = 0.10
#: A count outside the middle 90 % of what the seed would show at target is late or early. Source: formats.
TAIL = 0.05
#: How far a kind's base temperature may lie off the table's, °C: it matters the more the nearer the soil is to it.
#: Source: starting_estimate.
SD_BASE_C = 0.8
#: Where depth, light or heat leave a share of the live seed, that share is doubtful by this part of itself times what it leaves
#: out. Source: starting_estimate.
SHARE_DOUBT = 0.75
#: Where dry mix holds seed up, by how much the pace is doubtful, as a log sd for all of it held up. Source: starting_estimate.
DRY_DOUBT = 0.5
PREDICTIVE_N = 400
CURVE_POINTS = 72


class BatchModel:
    """One batch's models set up once, and the questions put to them."""

    def __init__(
        self,
        batch: Batch,
        crop: Crop,
        soil: SoilRecord,
        moisture_pct: FloatArray,
        counts: Counts,
        seed: SeedState,
        fresh: SeedState,
        sowing: SowingEffect,
        at_s: float,
    ) -> None:
        self.batch, self.crop, self.soil, self.moisture_pct, self.counts = batch, crop, soil, moisture_pct, counts
        self.seed, self.fresh, self.sowing, self.at_s = seed, fresh, sowing, at_s
        self.response = crop.response
        self.sown_s = batch.sown_at.timestamp()
        self.n_seeds = batch.n_seeds_per_cell if counts.unit == "cells" else 1
        self.towel = towel_wait(sowing)
        held_up = 1.0 - float(advance(moisture_pct).mean())
        self.dry_log_sd = DRY_DOUBT * held_up
        self.warmth_log_sd = self._thermometer_log_sd()
        off, left_log_sd = em.warmth_here(crop, soil.basis, self.warmth_log_sd)
        self.k_log_sd = math.hypot(em.pace_log_sd(crop), left_log_sd, self.dry_log_sd)
        self._speed = seed.speed / sowing.wait * math.exp(off)
        self.course = self._progress(soil.soil_c, moisture_pct, soil.pattern_c, self._speed)
        self.d_now = float(self.course.at(at_s))
        self.share = self.course.share * sowing.deep_share * sowing.other_share
        self.target_c = crop.target_soil_c
        self.target_rate = float(self.response.rate_per_day(self.target_c)) * seed.speed / self.towel
        waited = self.course.reached(np.array([*counts.at_s, at_s]))
        self.now: em.Waited = waited[-1]
        self.sound = doubtful(seed, self.share)
        self.belief = em.prior_and_posterior(
            self.sound, 1.0, crop.wait_sigma, self.k_log_sd, self.n_seeds, counts, waited, em.spread_log_sd(crop)
        )

    @cached_property
    def courses(self) -> list[em.Progress]:
        """The three courses that the days ahead may take."""
        low, _, high = em.NODES
        soil = self.soil
        beside = [self._progress(soil.soil_c, self.moisture_pct, soil.pattern_c, self._speed, float(z)) for z in (low, high)]
        return [beside[0], self.course, beside[1]]

    @cached_property
    def prior(self) -> em.Belief:
        """What sound seed would do in this record, before anything was counted."""
        return em.unseen(*self._sound(self.seed, self.share, self.k_log_sd))

    @cached_property
    def _at_target(self) -> tuple[float, float, float, float, int, float]:
        # The seed at target, as it is and as it was when packed: the same belief where its age is not known.
        return self._sound(self.seed, float(self.response.share(self.target_c)), em.pace_log_sd(self.crop))

    @cached_property
    def target_prior(self) -> em.Belief:
        return em.unseen(*self._at_target)

    @cached_property
    def weak_half_d(self) -> float:
        return half_up_d(*self._at_target, self.counts.of)

    @cached_property
    def fresh_half_d(self) -> float:
        share = float(self.response.share(self.target_c))
        return half_up_d(*self._sound(self.fresh, share, em.pace_log_sd(self.crop)), self.counts.of)

    @cached_property
    def more(self) -> em.MoreToCome:
        end = self.course.reached(self.at_s + em.HORIZON_D * DAY_S)
        return em.MoreToCome(self.belief, self.now, end, self.n_seeds, self.counts.of - self.counts.up)

    @cached_property
    def futures(self) -> em.Futures:
        waiting = self.counts.of - self.counts.up
        return em.futures(self.belief, self.courses, self.now, self.n_seeds, waiting, from_s=self.at_s)

    def _sound(self, seed: SeedState, share: float, k_log_sd: float) -> tuple[float, float, float, float, int, float]:
        """All that says what sound seed would be expected to do before anything was counted."""
        drawn = doubtful(seed, share)
        return drawn.a, drawn.b, self.crop.wait_sigma, k_log_sd, self.n_seeds, em.spread_log_sd(self.crop)

    def _progress(
        self, soil_c: FloatArray, moisture_pct: FloatArray, pattern_c: FloatArray, speed: float = 1.0, z: float = 0.0
    ) -> em.Progress:
        return em.progress(self.response, self.soil.grid_s, soil_c, moisture_pct, pattern_c, speed, z, self.soil.wander_c)

    def _thermometer_log_sd(self) -> float:
        """What a constant error of the record's size, and of the kind's own base where the soil is under the plateau, would do to
        progress, as a log sd."""
        base_c = np.where(self.soil.soil_c < self.response.t_lo_c, SD_BASE_C, 0.0)
        off_c = np.hypot(self.soil.sd_c, base_c)
        warm, cool = (float(self.response.rate_per_day(self.soil.soil_c + s * off_c).sum()) for s in (1.0, -1.0))
        return min(0.6, 0.5 * abs(math.log(max(warm, 1e-9) / max(cool, 1e-9))))

    # -- the answer ------------------------------------------------------------------------------------------------

    def answer(self, over_s: float | None, all_up: bool, curves: bool) -> Forecast:
        counts, of = self.counts, self.counts.of
        chance = 0.0 if over_s is not None else self.chance(self.at_s)
        over = over_s is not None or all_up or chance < CALL_IT_UNDER
        half_s = np.full(1, np.nan) if over_s is not None and not counts.up else self.half_times()
        half_up = happened(counts, math.ceil(counts.up / 2)) if over and counts.up else self._range(half_s)
        first_s = np.where(self.futures.more > 0, self.futures.come_s[:, 0], np.nan)
        first_up = happened(counts, 1) if counts.up else (None if over else self._range(first_s))
        final = counts.up + (self.futures.more if over_s is None else np.zeros(1))
        low, mid, high = (float(np.percentile(final, q, method="nearest")) for q in (10, 50, 90))
        at_target, recorded = (
            self.held_against(self.target_prior, np.asarray(self.d_target(self.at_s))),
            self.held_against(self.prior, self.now),
        )
        verdict = "finished" if over else _verdict(at_target, counts.up)
        days_at_target = self.days_at_target()
        delay = self.delay(half_up, days_at_target) if half_up is not None and days_at_target is not None else {}
        call_it_s = None if over_s is not None else self.call_it(chance)
        return Forecast(
            self.batch,
            self.crop,
            self.at_s,
            verdict,
            counts,
            self.soil,
            half_up=half_up,
            first_up=first_up,
            final_count=Interval(low, mid, high),
            days_at_target=days_at_target,
            delay_days=delay,
            call_it_s=call_it_s,
            chance_of_more=chance,
            as_recorded=_as_recorded(recorded, counts.up),
            expected_now=self.count_range(self.prior, self.now),
            at_target_now=self.count_range(self.target_prior, np.asarray(self.d_target(self.at_s))),
            rest_days_at_target=None if over or of == counts.up else self.rest_at_target(),
            estimated=self.crop.estimated or self.soil.basis != "soil",
            expected=self.expected_curve() if curves else None,
            at_target=self.target_curve() if curves else None,
        )

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
        return self.more.after(self.course.reached(from_s))

    def call_it(self, chance_now: float) -> float | None:
        """The first day on which the chance of more is under a tenth; None if not within a year."""
        if chance_now < CALL_IT_UNDER:
            return self.at_s
        low, high = 0, 16
        while self.chance(self.at_s + high * DAY_S) >= CALL_IT_UNDER:
            low, high = high, high * 2
            if low >= em.HORIZON_D:
                return None
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (low, middle) if self.chance(self.at_s + middle * DAY_S) < CALL_IT_UNDER else (middle, high)
        return self.at_s + high * DAY_S

    # -- at target --------------------------------------------------------------------------------------------------

    def d_target(self, at_s: float) -> float:
        """Progress by `at_s` of the same seed at target conditions throughout."""
        return (at_s - self.sown_s) / DAY_S * self.target_rate

    def held_against(self, belief: em.Belief, d: em.Waited) -> tuple[float, float]:
        """Chances of fewer than the count, and of as many or fewer, under a belief at progress `d`."""
        belief = em.draw(belief, PREDICTIVE_N)
        p = np.clip(em.cell_cdf(d, belief.k, belief.g, belief.sigma, self.n_seeds), 0.0, 1.0)
        up, of = self.counts.up, self.counts.of
        fewer = belief.mean(bdtr(up - 1, of, p)) if up else 0.0
        return fewer, belief.mean(bdtr(up, of, p))

    def count_range(self, belief: em.Belief, d: em.Waited) -> Interval[float]:
        """The number up that a belief expects at progress `d`: 80 % range."""
        drawn = em.draw(belief, PREDICTIVE_N)
        p = np.clip(em.cell_cdf(d, drawn.k, drawn.g, drawn.sigma, self.n_seeds), 0.0, 1.0)
        number = np.random.default_rng(11).binomial(self.counts.of, p)
        p10, p50, p90 = (float(q) for q in np.percentile(number, (10, 50, 90), method="nearest"))
        return Interval(p10, p50, p90)

    def days_at_target(self) -> float | None:
        """Days to half up for sound seed, sown right, at the middle of the ideal band."""
        rate = float(self.response.rate_per_day(self.target_c)) / self.towel
        days = self.fresh_half_d / rate if rate > 0 else math.inf
        return days if math.isfinite(days) else None

    def rest_at_target(self) -> float | None:
        """Days in which nine in ten of what will still come would show, were the soil at target from now on."""
        rate = self.target_rate / self.sowing.deep_wait
        days = np.array([self.at_s, self.at_s + DAY_S])
        sleep = self.now.sleep if isinstance(self.now, em.Reached) else None
        if isinstance(self.now, em.Reached) and sleep is not None:
            sleep = replace(sleep, d=self.now.slept_d + np.array([0.0, rate]), d_per_day=rate)
        course = em.Progress(days, self.d_now + np.array([0.0, rate]), rate, 1.0, sleep)
        waiting = self.counts.of - self.counts.up
        ahead = em.futures(self.belief, [course] * 3, self.now, self.n_seeds, waiting, PREDICTIVE_N, self.at_s)
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

        sets = [(weak, deep) for weak in (False, True) for deep in (False, True)]
        wanted_d = np.array(
            [
                (self.weak_half_d / self.seed.speed if weak else self.fresh_half_d / self.fresh.speed)
                * self.towel
                * (self.sowing.deep_wait if deep else 1.0)
                for weak, deep in sets
            ]
        )
        reached: dict[tuple[bool, bool, bool], FloatArray] = {}
        # A cause that never acted costs nothing and changes no other's part.
        acted = {
            "cold_soil": True,
            "hot_soil": bool((self.soil.soil_c > t_hi_c).any() or (self.soil.pattern_c > t_hi_c).any()),
            "dry_spell": not np.isnan(self.moisture_pct).all(),
            "weak_seed": self.weak_half_d / self.seed.speed != self.fresh_half_d / self.fresh.speed,
            "sown_deep": self.sowing.deep_wait != 1.0,
        }

        def days(in_force: frozenset[str]) -> float:
            key = ("cold_soil" in in_force, "hot_soil" in in_force, "dry_spell" in in_force)
            if key not in reached:
                course = self._progress(
                    temperature(self.soil.soil_c, *key[:2]),
                    self.moisture_pct if key[2] else all_moist,
                    temperature(self.soil.pattern_c, *key[:2]),
                )
                when_s = course.typically(wanted_d, self.crop.wait_sigma)
                reached[key] = np.minimum((when_s - self.sown_s) / DAY_S, em.HORIZON_D)
            return float(reached[key][sets.index(("weak_seed" in in_force, "sown_deep" in in_force))])

        parts = shapley([cause for cause in CAUSES if acted[cause]], days)
        total = (half_up.p50 - self.sown_s) / DAY_S - days_at_target
        kept = {cause: part for cause, part in parts.items() if abs(part) >= 0.005}
        return {**kept, "unexplained": total - sum(kept.values())}

    # -- courses for a chart -----------------------------------------------------------------------------------------

    def expected_curve(self) -> Curve:
        """What this belief expects from sowing to the day nearly all are up: the number up, as cells come."""
        end_s = self._curve_end()
        at_s = np.linspace(self.sown_s, end_s, CURVE_POINTS)
        return self._curve(self.belief, at_s, self.course.reached(at_s[None, :]))

    def target_curve(self) -> Curve:
        at_s = np.linspace(self.sown_s, self._curve_end(), CURVE_POINTS)
        return self._curve(self.target_prior, at_s, (at_s - self.sown_s)[None, :] / DAY_S * self.target_rate)

    def _curve_end(self) -> float:
        nearly = float(self.course.when(np.asarray(1.6)))
        latest = self.at_s + 40 * DAY_S
        return max(self.at_s + 2 * DAY_S, min(nearly, latest))

    def _curve(self, belief: em.Belief, at_s: FloatArray, d: em.Waited) -> Curve:
        drawn = em.draw(belief, 200)
        p = em.cell_cdf(d, drawn.k[:, None], drawn.g[:, None], drawn.sigma[:, None], self.n_seeds)
        luck = np.random.default_rng(7).standard_normal((len(drawn.k), 1))
        n = self.counts.of
        number = np.clip(n * p + luck * np.sqrt(n * p * (1 - p)), 0, n)
        p10, p50, p90 = np.percentile(number, (10, 50, 90), axis=0)
        return Curve(at_s, p10, p50, p90)


def doubtful(seed: SeedState, share: float) -> SeedState:
    """The seed with the share of it that depth, light and heat let through, and the doubt of that. Source: starting_estimate.

    >>> from fennet.core.working import Working
    >>> fresh = SeedState(17.0, 3.0, 1.0, Working("seed alive", (), "", (), ""))
    >>> half = doubtful(fresh, 0.5)
    >>> round(half.mean, 3), half.a + half.b < 10
    (0.425, True)
    """
    n = seed.a + seed.b
    variance = seed.mean * (1.0 - seed.mean) / (n + 1.0)
    doubt = (SHARE_DOUBT * share * (1.0 - share)) ** 2
    mean = min(max(seed.mean * share, 0.003), 0.997)
    spread = share**2 * variance + seed.mean**2 * doubt + variance * doubt
    weight = max(1.2, mean * (1.0 - mean) / max(spread, 1e-6) - 1.0)
    return replace(seed, a=mean * weight, b=(1.0 - mean) * weight)


class _Identity:
    """A course on which time is progress itself."""

    def when(self, d: FloatArray) -> FloatArray:
        return d


@lru_cache(maxsize=256)
def half_up_d(a: float, b: float, wait_sigma: float, k_log_sd: float, n_seeds: int, sigma_log_sd: float, of: int) -> float:
    """Progress at which half of those that come are up, in the middle future, from sowing: of sound seed as `unseen` has it."""
    draws = em.futures(
        em.unseen(a, b, wait_sigma, k_log_sd, n_seeds, sigma_log_sd),
        [_Identity()] * 3,
        np.zeros(()),
        n_seeds,
        min(of, 60),
        PREDICTIVE_N,
    )
    need = np.ceil(draws.more / 2).astype(int)
    d = draws.come_s[np.arange(len(need)), np.maximum(need - 1, 0)]
    return float(np.median(d[draws.more > 0])) if (draws.more > 0).any() else math.inf


def towel_wait(sowing: SowingEffect) -> float:
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
