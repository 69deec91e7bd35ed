"""When seedlings come up: progress over a real record, belief about the seed, and the futures that follow.

A seed comes up when progress D, counted in median waits, passes its own wait; waits are log-normal about 1/k with spread
sigma; a share G of the seed lives. A cell with n seeds shows when its first seed does. Beliefs about (k, G, sigma) are a
grid; answers are read off a fixed number of simulated futures drawn from it with fixed random numbers, so that the same
record always gives the same answer and, under one belief, a warmer record never gives a later one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.special import betaln, expit, ndtr, ndtri

from fennet.core.crop import Crop
from fennet.core.exposure import DAY_S, SD_AHEAD_MOST_C, SD_AHEAD_PER_ROOT_DAY_C, STEP_S, STEPS_A_DAY
from fennet.core.history import Counts
from fennet.core.moisture import LOGGED_PCT, MOIST_PCT, advance, heat_survival, survival
from fennet.core.records import FloatArray
from fennet.core.response import Response
from fennet.core.seed import SeedState

#: Prior spread of the rate multiplier k: with trials, and for an estimated response. A spread of 0.30 for the latter held 83 % of
#: simulated outcomes where 80 % were promised: wider than need be. Sources: growers_rule, starting_estimate.
K_CV, K_CV_ESTIMATED = 0.24, 0.25
#: One batch in twenty is out of the ordinary (a probe in a warm corner, a hard coat): its k may lie twice as far off.
#: Source: starting_estimate.
K_ODD_WEIGHT, K_ODD_SPREAD = 0.05, 2.0
#: How far the crop's spread of waits may be off, as a log sd. Source: starting_estimate.
SIGMA_LOG_SD = 0.25
N_K, N_G, N_SIGMA = 31, 24, 5
#: How much of what a record's warmth may be off stays the same in one garden from batch to batch (its thermometer, its house), as
#: a part of the variance. Source: starting_estimate.
WARMTH_STAYS = 0.5
#: One sowing in fifty fails in part or whole for reasons no record shows (rot, mice, dead seed): its share alive is
#: Beta(0.5, 1.5) instead. Without it a silent tray would be believed slow for ever. Source: starting_estimate.
FAILED_WEIGHT, FAILED_A, FAILED_B = 0.02, 0.5, 1.5
LEAST_LOGIT = -6.0
#: Parts of the belief lighter than this, against its heaviest, change no answer.
NEGLIGIBLE = 1e-4
#: Futures drawn for an answer, and how many waits may be drawn in all (speed).
N_FUTURES, MOST_WAITS = 800, 60_000
#: The record is carried forward this far step by step, then by whole days. Nobody waits longer than the last.
AHEAD_D, HORIZON_D = 20, 365.0
#: Three-point rule for a normal deviate: nodes and weights.
NODES, NODE_WEIGHTS = np.array([-np.sqrt(3.0), 0.0, np.sqrt(3.0)]), np.array([1 / 6, 2 / 3, 1 / 6])


#: Seed wetted too hot (or too cold) sleeps: where no more than a tenth does, it is left out instead. Sleepers wake in hours in
#: which so much more
#: of the live seed comes than in the first wait. Source: starting_estimate.
WIDE_AWAKE, WAKES_FROM = 0.9, 0.1
#: Asleep for longer than so many days, this part of them dies a day. Source: growers_rule, starting_estimate.
SLEEP_SAFE_D, SLEEP_LOSS_PER_DAY = 10.0, 0.05


def pace_log_sd(crop: Crop) -> float:
    """How far a batch's pace may lie off the crop's, as a log sd: by the table, or as this garden has learned it."""
    here = crop.here
    return here.pace.sd if here is not None and here.pace is not None else K_CV_ESTIMATED if crop.estimated else K_CV


def spread_log_sd(crop: Crop) -> float:
    """How far a batch's spread of waits may lie off the crop's, as a log sd."""
    here = crop.here
    return here.spread.sd if here is not None and here.spread is not None else SIGMA_LOG_SD


def warmth_here(crop: Crop, basis: str, log_sd: float) -> tuple[float, float]:
    """How far the record's warmth is off here, as a log of the pace, and what is left in doubt: of an error of `log_sd` a part
    stays the same in one garden, and is learned by what the record is of (`basis`).

    >>> from fennet.crops import shipped
    >>> warmth_here(shipped().get("leek"), "soil", 0.1)
    (0.0, 0.1)
    """
    known = crop.here.warmth.get(basis) if crop.here is not None else None
    if known is None:
        return 0.0, log_sd
    return known.off * log_sd, log_sd * float(np.sqrt(1.0 - WARMTH_STAYS + known.sd**2))


@dataclass(frozen=True)
class Sleep:
    """The part of the live seed that comes at these temperatures, the part that sleeps and lives, and the progress of the latter
    on the course's times, then by the day."""

    awake: float
    sleeping: float
    d: FloatArray
    d_per_day: float


#: Times at which a course with sleepers is read backwards: every so many half hours of the record, and so many days after it.
SLEEP_STRIDE = 24
SLEEP_AHEAD_D = np.concatenate([np.arange(1.0, 20.0), np.geomspace(20.0, HORIZON_D, 16)])


@dataclass(frozen=True)
class Reached:
    """Progress at some moments: of seed that comes at these temperatures, and of the sleepers; with the parts of both."""

    d: FloatArray
    slept_d: FloatArray
    sleep: Sleep

    def __getitem__(self, index: Any) -> Reached:
        return Reached(self.d[index], self.slept_d[index], self.sleep)


#: Progress where nothing sleeps is an array; where some do, both courses.
Waited = FloatArray | Reached


def came(waited: Waited, k: FloatArray, sigma: FloatArray) -> FloatArray:
    """Part of the live seed that has come at a progress (broadcast together). Source: bradford_1990.

    >>> float(came(np.array(1.0), np.array(1.0), np.array(0.2)))
    0.5
    """

    def part(d: FloatArray) -> FloatArray:
        with np.errstate(divide="ignore"):
            return np.asarray(ndtr(np.log(np.maximum(k * d, 1e-12)) / sigma))

    if not isinstance(waited, Reached):
        return part(waited)
    return waited.sleep.awake * part(waited.d) + waited.sleep.sleeping * part(waited.slept_d)


class Course(Protocol):
    """Anything that says when progress reaches given values."""

    def when(self, d: FloatArray) -> FloatArray: ...


@dataclass(frozen=True)
class Progress:
    """Progress in median waits over time: `at_s` seconds, `d` at each, then `d_per_day` on and on; `share` of live seed that
    drying, waterlogging and killing heat let through, judged over the first median wait; `sleep` where heat or cold lets a
    part of it sleep, whose own progress is `slept_d`, then `slept_d_per_day`."""

    at_s: FloatArray
    d: FloatArray
    d_per_day: float
    share: float
    sleep: Sleep | None = None

    @cached_property
    def _rising(self) -> tuple[FloatArray, FloatArray]:
        """The course without its standstills, so that it can be read backwards."""
        rising = np.concatenate([[True], np.diff(self.d) > 0])
        return self.d[rising], self.at_s[rising]

    def at(self, t_s: FloatArray | float) -> FloatArray:
        """Progress at given times (seconds), any shape."""
        t = np.asarray(t_s, dtype=float)
        beyond = np.maximum(0.0, t - self.at_s[-1]) / DAY_S * self.d_per_day
        return np.asarray(np.interp(t, self.at_s, self.d) + beyond)

    def reached(self, t_s: FloatArray | float) -> Waited:
        """Progress at given times (seconds), with that of the sleepers where there are any."""
        if self.sleep is None:
            return self.at(t_s)
        t = np.asarray(t_s, dtype=float)
        beyond = np.maximum(0.0, t - self.at_s[-1]) / DAY_S * self.sleep.d_per_day
        return Reached(self.at(t), np.asarray(np.interp(t, self.at_s, self.sleep.d) + beyond), self.sleep)

    def shown(self, part: FloatArray, k: FloatArray, sigma: FloatArray, from_s: float) -> FloatArray:
        """When given parts of the live seed have come, after `from_s`: rows of `part` under each (k, sigma); inf for never."""
        assert self.sleep is not None
        ahead_s = self.at_s[-1] + SLEEP_AHEAD_D * DAY_S
        t_s = np.concatenate([self.at_s[::SLEEP_STRIDE], self.at_s[-1:], ahead_s])
        t_s = np.concatenate([[from_s], t_s[t_s > from_s]])
        share = came(self.reached(t_s), k, sigma)
        # Read backwards where it rises: what stands still is passed over.
        share = np.maximum.accumulate(share, axis=1) + np.linspace(0.0, 1e-9, len(t_s))
        rows = [np.interp(p, s, t_s, right=np.inf) for p, s in zip(part, share, strict=True)]
        return np.asarray(rows)

    def typically(self, d: FloatArray, sigma: float) -> FloatArray:
        """When the middle of what comes has had so much progress, counting sleepers with the rest."""
        if self.sleep is None:
            return self.when(d)
        k, spread = np.ones((1, 1)), np.full((1, 1), sigma)
        end = float(came(self.reached(np.array([[self.at_s[0] + HORIZON_D * DAY_S]])), k, spread)[0, 0])
        part = np.asarray(ndtr(np.log(np.maximum(d, 1e-9)) / sigma) * end)
        return np.asarray(self.shown(part[None, :], k, spread, float(self.at_s[0]))[0])

    def when(self, d: FloatArray | float) -> FloatArray:
        """When progress first reaches given values; infinite where it does not within the horizon."""
        want = np.asarray(d, dtype=float)
        if self.d_per_day > 0:
            with np.errstate(invalid="ignore"):
                beyond = self.at_s[-1] + (want - self.d[-1]) / self.d_per_day * DAY_S
        else:
            beyond = np.full(want.shape, np.inf)
        d, at_s = self._rising
        inside = np.interp(want, d, at_s)
        t = np.where(want <= self.d[-1], inside, beyond)
        return np.where(t - self.at_s[0] > HORIZON_D * DAY_S + (self.at_s[-1] - self.at_s[0]), np.inf, t)


def progress(
    response: Response,
    grid_s: FloatArray,
    soil_c: FloatArray,
    moisture_pct: FloatArray,
    pattern_c: FloatArray,
    speed: float = 1.0,
    ahead_sd: float = 0.0,
    wander_c: float = SD_AHEAD_PER_ROOT_DAY_C,
) -> Progress:
    """Progress over a record and on into the same days repeated.

    `grid_s` even half hours, `soil_c` °C and `moisture_pct` (NaN: not recorded) on it, `pattern_c` the 48 half hours that
    are carried forward; `speed` multiplies the rate (old seed, depth); `ahead_sd` shifts the days ahead by that many sd of
    how daily means wander, `wander_c` per root day. Trapezoid rule. Source: garcia_huidobro_1982, gummerson_1986, bradford_1990.
    """
    steps = AHEAD_D * STEPS_A_DAY
    days_ahead = np.arange(1, steps + 1) / STEPS_A_DAY
    most_c = SD_AHEAD_MOST_C * wander_c / SD_AHEAD_PER_ROOT_DAY_C
    off_c = np.minimum(most_c, wander_c * np.sqrt(days_ahead))
    temp_c = np.concatenate([soil_c, np.tile(pattern_c, AHEAD_D) + ahead_sd * off_c])
    at_s = np.concatenate([grid_s, grid_s[-1] + STEP_S * np.arange(1, steps + 1)])
    # A moisture that was being recorded stays as it last was; one that was not stays unknown. Who read the mix dry, or standing
    # in water, does something about it: so it stays for a day, and for more only if the record goes on to say so.
    ahead_pct = np.full(steps, moisture_pct[-1])
    if not MOIST_PCT <= moisture_pct[-1] <= LOGGED_PCT:
        ahead_pct[STEPS_A_DAY:] = np.nan
    m_pct = np.concatenate([moisture_pct, ahead_pct])
    rate = response.rate_per_day(temp_c) * advance(m_pct) * speed
    mid = (rate[1:] + rate[:-1]) / 2
    d = np.concatenate([[0.0], np.cumsum(mid) * (STEP_S / DAY_S)])
    first_wait = np.concatenate([mid, rate[-1:]]) * (d <= 1.0)
    awake, sleep = asleep(response.share(temp_c), rate, first_wait, len(grid_s))
    share = awake * heat_survival(soil_c, d[: len(grid_s)], STEP_S / DAY_S)
    known = ~np.isnan(moisture_pct)
    if known.any():
        alive = survival(m_pct[: len(grid_s)], temp_c[: len(grid_s)], d[: len(grid_s)], STEP_S / DAY_S)
        waiting = d[: len(grid_s)] <= 1.0
        share *= float(alive[waiting][-1])
    return Progress(at_s, d, float(rate[-STEPS_A_DAY:].mean()), share, sleep)


def asleep(comes: FloatArray, rate: FloatArray, first_wait: FloatArray, n_recorded: int) -> tuple[float, Sleep | None]:
    """The share that heat and cold leave, and which part of it sleeps and how that gets on when they end; None where few do.

    `comes` the share that comes at each half hour's temperature, `rate` the rate (1/day), `first_wait` the weight
    of each half hour in the first median wait, `n_recorded` half hours of record: what is only foreseen kills nothing.
    Sleepers get on only in hours in which clearly more come than in that wait. Source: growers_rule, starting_estimate.
    """
    total = first_wait.sum()
    awake = float((comes * first_wait).sum() / total) if total > 0 else float(comes[-STEPS_A_DAY:].mean())
    if awake > WIDE_AWAKE:
        return awake, None
    wakes = np.clip((comes - awake - WAKES_FROM) / max(1.0 - awake - WAKES_FROM, WAKES_FROM), 0.0, 1.0)
    pace = rate * wakes
    slept_d = np.concatenate([[0.0], np.cumsum((pace[1:] + pace[:-1]) / 2) * (STEP_S / DAY_S)])
    lay_d = float((wakes[:n_recorded] <= 0.0).sum()) * (STEP_S / DAY_S) if n_recorded else 0.0
    alive = float(np.exp(-SLEEP_LOSS_PER_DAY * max(0.0, lay_d - SLEEP_SAFE_D)))
    return 1.0, Sleep(awake, (1.0 - awake) * alive, slept_d, float(pace[-STEPS_A_DAY:].mean()))


@dataclass(frozen=True)
class Belief:
    """Weighted draws of (k, G, sigma): arrays of one length; `k` multiplies progress."""

    k: FloatArray
    g: FloatArray
    sigma: FloatArray
    weight: FloatArray

    def mean(self, values: FloatArray) -> float:
        return float((values * self.weight).sum())


def cell_cdf(d: Waited, k: FloatArray, g: FloatArray, sigma: FloatArray, n_seeds: int) -> FloatArray:
    """Chance that a cell with `n_seeds` shows by progress `d` (broadcast together). Source: bradford_1990.

    >>> float(cell_cdf(np.array(1.0), np.array(1.0), np.array(0.8), np.array(0.2), 1))
    0.4
    """
    return np.asarray(1.0 - (1.0 - g * came(d, k, sigma)) ** n_seeds)


def prior_and_posterior(
    seed: SeedState,
    share: float,
    wait_sigma: float,
    k_log_sd: float,
    n_seeds: int,
    counts: Counts,
    waited: Waited | None,
    sigma_log_sd: float = SIGMA_LOG_SD,
) -> Belief:
    """Belief about a batch after its counts: interval-censored multinomial on a grid, refined once about where it lies.

    `share` multiplies the share alive (depth, light, heat…); `waited` progress at each count and at the moment of
    asking: what is not marked by then counts as not up. Without it this is the prior.
    Failed sowings and odd batches are admitted; what sound seed *would* show is asked without them (`unseen`).
    Source: growers_rule.
    """
    return _belief(seed.a, seed.b, share, wait_sigma, k_log_sd, n_seeds, counts, waited, True, sigma_log_sd)


def _belief(
    a: float, b: float, share: float, wait_sigma: float, k_log_sd: float, n_seeds: int, counts: Counts, waited: Waited | None,
    may_fail: bool, sigma_log_sd: float,
) -> Belief:  # fmt: skip
    log_sigma = np.log(wait_sigma) + sigma_log_sd * np.linspace(-2.0, 2.0, N_SIGMA)
    sigma_log_w = -0.5 * np.linspace(-2.0, 2.0, N_SIGMA) ** 2
    new = np.diff(np.concatenate([[0], counts.total, [counts.up]]))
    centre, width = 0.0, 4.5 * k_log_sd
    # The share alive on a logit grid wide enough that a poor stand can pull it far below its label.
    g_top = float(np.log(a / b)) + 5.0 / np.sqrt(max(a * b / (a + b), 1.0))
    g_centre, g_width = (g_top + LEAST_LOGIT) / 2, (g_top - LEAST_LOGIT) / 2
    for _ in range(2):
        log_k = centre + width * np.linspace(-1.0, 1.0, N_K)
        alive = expit(g_centre + g_width * np.linspace(-1.0, 1.0, N_G))
        # Densities over the logit: each Beta times alive · (1 − alive).
        fails = FAILED_WEIGHT if may_fail else 0.0
        sound = (1 - fails) * np.exp(a * np.log(alive) + b * np.log1p(-alive) - betaln(a, b))
        failed = fails * np.exp(FAILED_A * np.log(alive) + FAILED_B * np.log1p(-alive) - betaln(FAILED_A, FAILED_B))
        g_log_w = np.log(np.maximum(sound + failed, 1e-30))
        g = np.clip(alive * share, 1e-5, 1 - 1e-5)
        k3, s3, g3 = np.exp(log_k)[:, None, None], np.exp(log_sigma)[None, :, None], g[None, None, :]
        log_w = (
            _log_prior_k(log_k / k_log_sd, K_ODD_WEIGHT if may_fail else 0.0)[:, None, None]
            + sigma_log_w[None, :, None]
            + g_log_w[None, None, :]
        )
        if waited is not None:
            before = np.zeros_like(log_w)
            for j, new_j in enumerate(new):
                now = cell_cdf(waited[j], k3, g3, s3, n_seeds)
                if new_j:
                    log_w = log_w + new_j * np.log(np.maximum(now - before, 1e-12))
                before = now
            log_w = log_w + (counts.of - counts.up) * np.log(np.maximum(1.0 - before, 1e-12))
        w = np.exp(log_w - log_w.max())
        w /= w.sum()
        by_k = w.sum(axis=(1, 2))
        mean = float((by_k * log_k).sum())
        sd = float(np.sqrt(max((by_k * (log_k - mean) ** 2).sum(), 0.0)))
        by_g = w.sum(axis=(0, 1))
        logit = np.log(alive / (1.0 - alive))
        g_mean = float((by_g * logit).sum())
        g_sd = float(np.sqrt(max((by_g * (logit - g_mean) ** 2).sum(), 0.0)))
        if sd > 0.15 * width and g_sd > 0.12 * g_width:
            break
        # A narrow belief falls between the lines of a wide grid: lay a finer one about it.
        centre, width = mean, max(4.5 * sd, 0.1 * width)
        g_centre, g_width = g_mean, max(4.5 * g_sd, 0.1 * g_width)
    keep = w > NEGLIGIBLE * w.max()
    weight = w[keep] / w[keep].sum()
    k, alive_share, sigma = (np.broadcast_to(axis, w.shape)[keep] for axis in (k3, g3, s3))
    return Belief(k, alive_share, sigma, weight)


@lru_cache(maxsize=128)
def unseen(a: float, b: float, wait_sigma: float, k_log_sd: float, n_seeds: int, sigma_log_sd: float = SIGMA_LOG_SD) -> Belief:
    """What sound seed would be expected to do before anything was counted: its share alive by Beta(a, b). What comes back is
    shared: it hangs on the kind and the lot, not on the day."""
    nothing = Counts("cells", n_seeds, (), ())
    return _belief(a, b, 1.0, wait_sigma, k_log_sd, n_seeds, nothing, None, False, sigma_log_sd)


def _log_prior_k(z: FloatArray, odd_weight: float) -> FloatArray:
    """Log density of ln k in units of its spread: mostly normal, with the tails of an odd batch."""
    usual = (1 - odd_weight) * np.exp(-0.5 * z**2)
    odd = odd_weight / K_ODD_SPREAD * np.exp(-0.5 * (z / K_ODD_SPREAD) ** 2)
    return np.asarray(np.log(usual + odd))


@lru_cache(maxsize=64)
def _luck(n_futures: int, n_cells: int) -> tuple[FloatArray, FloatArray, NDArray[np.intp]]:
    """Fixed random numbers: each future's cells, its place in the belief, and its weather ahead."""
    rng = np.random.default_rng(20260303)
    cells = rng.random((n_futures, n_cells))
    place = (rng.permutation(n_futures) + rng.random(n_futures)) / n_futures
    weather = rng.permutation(np.repeat(np.arange(3), np.diff(np.round(np.cumsum([0.0, *NODE_WEIGHTS]) * n_futures).astype(int))))
    return cells, place, weather


@dataclass(frozen=True)
class Futures:
    """Simulated outcomes: for each future the sorted times (seconds) at which the cells not yet up will show, inf for never."""

    come_s: FloatArray

    @property
    def more(self) -> NDArray[np.intp]:
        """How many more come in each future."""
        return np.asarray(np.isfinite(self.come_s).sum(axis=1))


def draw(belief: Belief, n: int) -> Belief:
    """`n` draws from a belief, evenly spread over its weight, in the fixed order of `_luck`."""
    _, place, _ = _luck(n, 1)
    # The grid runs with k outermost: a slow draw stays slow when the record gets warmer.
    index = np.minimum(np.searchsorted(np.cumsum(belief.weight), place), len(belief.weight) - 1)
    return Belief(belief.k[index], belief.g[index], belief.sigma[index], np.full(n, 1.0 / n))


def futures(
    belief: Belief,
    scenarios: Sequence[Course],
    now: Waited,
    n_seeds: int,
    n_waiting: int,
    most: int = N_FUTURES,
    from_s: float = 0.0,
) -> Futures:
    """Draw what the cells not up at progress `now` (at `from_s`) will do, over the three courses the days ahead may take."""
    n_cells = max(1, n_waiting)
    n = int(np.clip(MOST_WAITS // n_cells, 200, most))
    luck, _, weather = _luck(n, n_cells)
    drawn = draw(belief, n)
    k, g, sigma = drawn.k[:, None], drawn.g[:, None], drawn.sigma[:, None]
    waiting = 1.0 - cell_cdf(now, k, g, sigma, n_seeds)
    # Chance of still waiting, run down by luck from where it stands now; below the dead share it never comes.
    left = luck * waiting
    seed_share = (1.0 - left ** (1.0 / n_seeds)) / g
    with np.errstate(invalid="ignore"):
        d = np.where(seed_share < 1.0, np.exp(sigma * ndtri(np.minimum(seed_share, 1 - 1e-12))) / k, np.inf)
    come_s = np.full(d.shape, np.inf)
    for i, scenario in enumerate(scenarios):
        rows = weather == i
        if isinstance(scenario, Progress) and scenario.sleep is not None:
            come_s[rows] = scenario.shown(seed_share[rows], k[rows], sigma[rows], from_s)
        else:
            come_s[rows] = scenario.when(d[rows])
    if n_waiting == 0:
        come_s[:] = np.inf
    return Futures(np.sort(come_s, axis=1))


class MoreToCome:
    """The chance that at least one more cell shows, as it falls while none does.

    `now` and `end` progress now and at the horizon; `n_waiting` cells not up. Source: growers_rule.
    """

    def __init__(self, belief: Belief, now: Waited, end: Waited, n_seeds: int, n_waiting: int) -> None:
        self.belief, self.n_seeds, self.n_waiting = belief, n_seeds, n_waiting
        self.left_now, self.left_end = self._left(now), self._left(end)

    def _left(self, d: Waited) -> FloatArray:
        return 1.0 - cell_cdf(d, self.belief.k, self.belief.g, self.belief.sigma, self.n_seeds)

    def after(self, d: Waited) -> float:
        """Chance that one shows between progress `d` and the end, none having shown from now to `d`; 0 when none wait."""
        if self.n_waiting <= 0:
            return 0.0
        left = self._left(d)
        quiet = (left / np.maximum(self.left_now, 1e-300)) ** self.n_waiting * self.belief.weight
        none_later = np.minimum(1.0, self.left_end / np.maximum(left, 1e-300)) ** self.n_waiting
        return float((quiet * (1.0 - none_later)).sum() / max(quiet.sum(), 1e-300))
