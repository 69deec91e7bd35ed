"""Why nothing is up: what each cause would have done to the count, by the models of emergence.

Measured temperature, moisture, seed and sowing enter as they are; what was not measured is supposed, in the forms of the
complaint's data. Under every supposition the counts have a likelihood, and each cause an effect: how many more would be up by
now without it, and how many fewer with it alone. The cause with the largest effect is the main one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

import numpy as np
from scipy.special import bdtr, betaincinv, ndtr

from fennet.core import emergence as em
from fennet.core.batch_model import towel_wait
from fennet.core.crop import Crop
from fennet.core.diagnosis.engine import NOTHING, Complaint, Suppositions
from fennet.core.exposure import DAY_S, SD_FILLED_C, STEP_S, SoilRecord
from fennet.core.history import Counts
from fennet.core.moisture import DRY_PCT, LOGGED_PCT, advance, heat_survival, survival
from fennet.core.records import Batch, FloatArray
from fennet.core.seed import SeedState
from fennet.core.sowing import DARK_UNDER_SHARE, SowingEffect

#: Causes that act through the record of temperature and moisture, in this order.
COURSE_CAUSES = ("cold_soil", "hot_soil", "dry_spell", "waterlogged")
#: Soil temperatures supposed where none was read, and how likely each is in a house, °C. Source: starting_estimate.
SUPPOSED_SOIL_C = np.array([8.0, 11.0, 14.0, 17.0, 20.0, 23.0, 26.0])
SUPPOSED_MEAN_C, SUPPOSED_SD_C = 17.0, 4.5
#: What may be wrong by a constant where the record has a gap of days, °C. Source: starting_estimate.
SD_GAP_C = 3.0
#: What a thermometer and the kind's base or ceiling may be off together, where the soil is well under or over the plateau, °C:
#: the
#: models miss at the ends. Source: starting_estimate.
SD_ENDS_C, UNDER_PLATEAU_C = 1.8, 3.0
#: How varieties of a kind differ in pace: wide, since a slow variety is no fault. Source: growers_rule.
PACE_CV, PACE_CV_ESTIMATED = 0.20, 0.30
#: Suppositions less likely than this, after the counts, are dropped: no witness could bring them back.
NEGLIGIBLE = 1.5e-3
#: Share alive in a lot that is worse than its label, as Beta(a, b). Source: starting_estimate.
POOR_A, POOR_B = 1.0, 3.0
N_K, N_G = 9, 8
#: Counts at more moments than this are thinned out: the likelihood hardly changes.
MOST_COUNTS = 7
#: A look may miss a seedling or count one twice: no step of the count is less likely than this. Source: starting_estimate.
LEAST_STEP = 1e-4
#: A cause acts when it changes the expected share up by this much; how much weight its effect alone has beside its removal;
#: and how sharply the largest effect counts as the main one. Sources: starting_estimate.
ACTS_FROM, ALONE_WEIGHT, SHARPNESS = 0.04, 0.25, 4.0
#: Where mending one cause brings this part of what is missing, its effect alone need not be asked.
ONE_ENOUGH = 0.7


@dataclass(frozen=True)
class SlowCase:
    """What slow germination is argued from. `moisture_pct` on the soil's grid, NaN where unknown.

    `supposed`: probability that a cause acts that nothing measured, by cause; `share_known` the share of the wait with a measured
    moisture; `unseen` true where neither readings nor looks exist, `uncounted` where plants were seen that nobody counted.
    """

    batch: Batch
    crop: Crop
    counts: Counts
    soil: SoilRecord
    moisture_pct: FloatArray
    seed: SeedState
    fresh: SeedState
    sowing: SowingEffect
    at_s: float
    supposed: Mapping[str, float] = field(default_factory=dict)
    unseen: bool = False
    uncounted: bool = False


@dataclass(frozen=True)
class SlowEffects:
    """What the argument rests on: expected share up now as it is, by cause without it, and of sound seed at target."""

    suppositions: Suppositions
    expected: float
    at_target: float
    chance_of_so_few: float
    gained_without: Mapping[str, float]
    progress: float


@dataclass(frozen=True)
class _Soil:
    """One possible course of soil temperature with its probability."""

    weight: float
    soil_c: FloatArray


def _soils(soil: SoilRecord, crop: Crop) -> list[_Soil]:
    """The courses the soil may have taken: as recorded, shifted where much was filled in, or supposed where nothing was read."""
    n = len(soil.grid_s)
    if not soil.n_readings:
        weight = np.exp(-0.5 * ((SUPPOSED_SOIL_C - SUPPOSED_MEAN_C) / SUPPOSED_SD_C) ** 2)
        return [_Soil(float(w), np.full(n, c)) for w, c in zip(weight / weight.sum(), SUPPOSED_SOIL_C, strict=True)]
    sd_c = soil.sd_c
    if soil.gap_reason == "gap":
        inside = (soil.grid_s > soil.gap_from_s) & (soil.grid_s < soil.gap_to_s)
        sd_c = np.where(inside, SD_GAP_C, sd_c)
    ends = (soil.soil_c < crop.t_lo_c - UNDER_PLATEAU_C) | (soil.soil_c > crop.t_hi_c)
    doubtful = np.where(sd_c >= SD_FILLED_C, sd_c, np.where(ends, SD_ENDS_C, 0.0))
    if float((doubtful > 0).mean()) < 0.1:
        return [_Soil(1.0, soil.soil_c)]
    return [_Soil(float(w), soil.soil_c + z * doubtful) for z, w in zip(em.NODES, em.NODE_WEIGHTS, strict=True)]


@dataclass(frozen=True)
class _Course:
    """Progress at the counts and now (moments, soils), of sleepers too; the shares awake, asleep and let through (soils,)."""

    d: FloatArray
    slept_d: FloatArray
    awake: FloatArray
    sleeping: FloatArray
    share: FloatArray


class _Courses:
    """Progress with any of the four course causes acting or mended; worked out once each."""

    def __init__(self, case: SlowCase, moments_s: FloatArray) -> None:
        self.case, self.moments_s = case, moments_s
        self.soils = _soils(case.soil, case.crop)
        self.weights = np.array([s.weight for s in self.soils])
        self.kept: dict[frozenset[str], _Course] = {}
        self.heats: dict[tuple[int, bool, bool], tuple[FloatArray, FloatArray, FloatArray]] = {}
        self.wets: dict[tuple[bool, bool], tuple[FloatArray, FloatArray, bool]] = {}
        target_c, m = case.crop.target_soil_c, case.moisture_pct
        # A cause that never left its mark on the record makes no second course.
        marks = {
            "cold_soil": any(bool((s.soil_c < target_c).any()) for s in self.soils),
            "hot_soil": any(bool((s.soil_c > target_c).any()) for s in self.soils),
            "dry_spell": bool((m < 60.0).any()),
            "waterlogged": bool((m > 90.0).any()),
        }
        self.acts = frozenset(c for c, is_so in marks.items() if is_so)
        self.measured = bool((~np.isnan(case.moisture_pct)).any())

    def of(self, acting: frozenset[str]) -> _Course:
        acting &= self.acts
        if acting not in self.kept:
            found = [self._one(i, acting) for i in range(len(self.soils))]
            d, slept_d, awake, sleeping, share = (np.array(part) for part in zip(*found, strict=True))
            self.kept[acting] = _Course(d.T, slept_d.T, awake, sleeping, share)
        return self.kept[acting]

    def _one(self, i: int, acting: frozenset[str]) -> tuple[FloatArray, FloatArray, float, float, float]:
        """Progress at the moments, that of sleepers, and the shares awake, asleep and let through, for one possible soil."""
        soil_c, rate, heat = self._heat(i, "cold_soil" in acting, "hot_soil" in acting)
        moist, wet, harms = self._wet("dry_spell" in acting, "waterlogged" in acting)
        rate = rate * wet
        mid = (rate[1:] + rate[:-1]) / 2
        d = np.concatenate([[0.0], np.cumsum(mid) * (STEP_S / DAY_S)])
        waiting = int(np.searchsorted(d, 1.0, side="right"))
        weight = np.append(mid, rate[-1])
        weight[waiting:] = 0.0
        awake, sleep = em.asleep(heat, rate, weight, len(d))
        share = awake * heat_survival(soil_c, d, STEP_S / DAY_S)
        if harms:
            share *= float(survival(moist, soil_c, d, STEP_S / DAY_S)[waiting - 1])
        at_moments = np.interp(self.moments_s, self.case.soil.grid_s, d)
        if sleep is None:
            return at_moments, at_moments, 1.0, 0.0, share
        return at_moments, np.interp(self.moments_s, self.case.soil.grid_s, sleep.d), sleep.awake, sleep.sleeping, share

    def _heat(self, i: int, cold: bool, hot: bool) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Soil temperature with cold and heat acting or mended, its rate, and the share it lets through."""
        key = (i, cold, hot)
        if key not in self.heats:
            crop, soil_c = self.case.crop, self.soils[i].soil_c
            soil_c = soil_c if cold else np.maximum(soil_c, crop.target_soil_c)
            soil_c = soil_c if hot else np.minimum(soil_c, crop.target_soil_c)
            self.heats[key] = (soil_c, crop.response.rate_per_day(soil_c), crop.response.share(soil_c))
        return self.heats[key]

    def _wet(self, dry: bool, wet: bool) -> tuple[FloatArray, FloatArray, bool]:
        """Moisture with dry and wet spells acting or mended, its factor on the rate, and whether it can kill anything."""
        if (dry, wet) not in self.wets:
            m = self.case.moisture_pct
            m = m if dry else np.where(m < 60.0, 60.0, m)
            m = m if wet else np.where(m > 90.0, 90.0, m)
            harms = bool(((m < DRY_PCT) | (m > LOGGED_PCT)).any())
            self.wets[dry, wet] = (m, advance(m), harms)
        return self.wets[dry, wet]


def pace_cv(crop: Crop) -> float:
    """How far the pace of one batch may lie off its crop's, as a log sd; less where this garden has learned it."""
    usual = PACE_CV_ESTIMATED if crop.estimated else PACE_CV
    return usual if crop.here is None or crop.here.pace is None else min(usual, crop.here.pace.sd)


@dataclass(frozen=True)
class _Form:
    """One supposed form of one cause: its probability against its absence, and what it does."""

    cause: str
    odds: float
    wait: float
    share: float


def _forms(case: SlowCase, complaint: Complaint) -> list[_Form]:
    """Every form a cause may have taken unseen."""
    out = []
    for cause, figures in complaint.causes.items():
        p = min(0.95, case.supposed.get(cause, figures.prior))
        if p > 0:
            # What a kind gives untreated stands in the crop table.
            left = case.crop.untreated_share if cause == "needs_pretreatment" else None
            out += [_Form(cause, p / (1 - p) * weight, wait, left or share) for weight, wait, share in figures.forms]
    return out


def slow_effects(case: SlowCase, complaint: Complaint) -> SlowEffects:
    """Suppositions for slow germination with their probability given the counts, and the effect of each cause.

    Two unseen causes at most are supposed at once. Range: counted batches in mix or towel. Source: bradford_1990, gummerson_1986
    for what is measured; starting_estimate for what is supposed.
    """
    return _Argument(case, complaint).answer()


class _Argument:
    """The arrays of one argument: axes are suppositions, soils, pace k, share alive."""

    def __init__(self, case: SlowCase, complaint: Complaint) -> None:
        self.case, self.complaint = case, complaint
        counts = case.counts
        keep = _thinned(len(counts.at_s))
        self.moments_s = np.array([*(counts.at_s[i] for i in keep), case.at_s])
        totals = [*(counts.total[i] for i in keep), counts.up]
        self.new = np.diff(np.array([0, *totals]))
        self.n_seeds = case.batch.n_seeds_per_cell if counts.unit == "cells" else 1
        self.courses = _Courses(case, self.moments_s)
        forms = _forms(case, complaint)
        pairs = [(a, b) for a, b in combinations(forms, 2) if a.cause != b.cause]
        self.sets: list[tuple[_Form, ...]] = [(), *((f,) for f in forms), *pairs]
        names = list(complaint.causes)
        self.log_wait, self.log_share = np.zeros((len(self.sets), len(names))), np.zeros((len(self.sets), len(names)))
        for i, chosen in enumerate(self.sets):
            for f in chosen:
                self.log_wait[i, names.index(f.cause)] = np.log(f.wait)
                self.log_share[i, names.index(f.cause)] = np.log(f.share)
        self.poor = np.array([any(f.cause == "weak_seed" for f in s) for s in self.sets])
        self.log_prior = np.array([sum(np.log(f.odds) for f in s) for s in self.sets])
        z = np.linspace(-3.0, 3.0, N_K)
        usual = (1 - em.K_ODD_WEIGHT) * np.exp(-0.5 * z**2)
        odd = em.K_ODD_WEIGHT / em.K_ODD_SPREAD * np.exp(-0.5 * (z / em.K_ODD_SPREAD) ** 2)
        self.k_weight = (usual + odd) / (usual + odd).sum()
        self.k = np.exp(z * pace_cv(case.crop))
        middle = (np.arange(N_G) + 0.5) / N_G
        self.g_seed, self.g_fresh = case.seed.quantiles(middle), case.fresh.quantiles(middle)
        self.g_poor = np.minimum(np.asarray(betaincinv(POOR_A, POOR_B, middle)), self.g_seed)
        self.towel = towel_wait(case.sowing)
        self.base_wait, self.deep_wait = self.towel, case.sowing.deep_wait
        self.known = {
            "sown_deep": case.sowing.deep_share < 1.0 or case.sowing.deep_wait > 1.0,
            "needs_light": case.sowing.light_share < DARK_UNDER_SHARE,
            "needs_pretreatment": case.sowing.pretreatment_share < 1.0,
        }

    # -- the share up, with some causes mended ---------------------------------------------------------------------

    def up(self, moment: int, acting: frozenset[str] | None, sets: bool = True, pace: FloatArray | None = None) -> FloatArray:
        """Share of cells up at a moment with only these causes acting (None: all), shape (sets, soils, k, g)."""
        case = self.case

        def does(cause: str) -> bool:
            return acting is None or cause in acting

        course = self.courses.of(frozenset(c for c in COURSE_CAUSES if does(c)))
        wait = self.base_wait * (self.deep_wait if does("sown_deep") else 1.0)
        share = 1.0
        for cause, factor in (
            ("sown_deep", case.sowing.deep_share),
            ("needs_light", case.sowing.light_share),
            ("needs_pretreatment", case.sowing.pretreatment_share),
        ):
            share *= factor if does(cause) else 1.0
        weak = does("weak_seed")
        speed = case.seed.speed if weak else case.fresh.speed
        # The first set supposes nothing unseen.
        n_sets = len(self.sets) if sets else 1
        in_force = np.array([does(c) for c in self.complaint.causes], dtype=float)
        of_waits = np.exp(self.log_wait[:n_sets] @ in_force)
        of_shares = np.exp(self.log_share[:n_sets] @ in_force)
        poor = self.poor[:n_sets] & weak
        g = np.where(poor[:, None], self.g_poor[None, :], self.g_seed if weak else np.maximum(self.g_fresh, self.g_seed))
        k = self.k if pace is None else pace
        if not does("unexplained"):
            k = np.maximum(k, 1.0)
        pace = speed / (wait * of_waits[:, None, None]) * k[None, None, :]

        def part(d: FloatArray) -> FloatArray:
            return np.asarray(ndtr(np.log(np.maximum(d[moment][None, :, None] * pace, 1e-9)) / self.case.crop.wait_sigma))

        came = part(course.d)
        if course.sleeping.any():
            came = course.awake[None, :, None] * came + course.sleeping[None, :, None] * part(course.slept_d)
        alive = g[:, None, :] * course.share[None, :, None] * share * of_shares[:, None, None]
        seed_up = came[:, :, :, None] * alive[:, :, None, :]
        return _any_of(seed_up, self.n_seeds)

    def posterior(self) -> FloatArray:
        """Probability of every supposition, soil, pace and share alive, given the counts."""
        log_w = np.zeros((len(self.sets), len(self.courses.soils), N_K, N_G))
        before = np.zeros_like(log_w)
        for j, new in enumerate(self.new):
            now = self.up(j, None)
            if new:
                log_w += new * np.log(np.maximum(now - before, LEAST_STEP))
            before = now
        log_w += (self.case.counts.of - self.case.counts.up) * np.log(np.maximum(1.0 - before, LEAST_STEP))
        log_w += self.log_prior[:, None, None, None] + np.log(self.courses.weights)[None, :, None, None]
        log_w += np.log(self.k_weight)[None, None, :, None]
        w = np.exp(log_w - log_w.max())
        return np.asarray(w / w.sum())

    def _dropped(self, w: FloatArray) -> FloatArray:
        """The weights of the suppositions that still matter; the others leave all arrays."""
        keep = w.sum(axis=(1, 2, 3)) > NEGLIGIBLE
        keep[0] = True
        self.sets = [s for s, kept in zip(self.sets, keep, strict=True) if kept]
        self.log_wait, self.log_share, self.poor = self.log_wait[keep], self.log_share[keep], self.poor[keep]
        return np.asarray(w[keep] / w[keep].sum())

    # -- the answer -------------------------------------------------------------------------------------------------

    def candidates(self) -> list[str]:
        """Causes that could have acted, measured or supposed."""
        could = {f.cause for s in self.sets for f in s} | {c for c, is_so in self.known.items() if is_so}
        could |= self.courses.acts | {"weak_seed", "unexplained"}
        return [c for c in self.complaint.causes if c in could]

    def answer(self) -> SlowEffects:
        now = len(self.new) - 1
        w = self._dropped(self.posterior())
        full = self.up(now, None)
        reference = self.up(now, frozenset(), sets=False, pace=np.ones(1))
        at_target = float((reference[0, :, 0, :].mean(axis=-1) * self.courses.weights).sum())
        short = np.clip(at_target - full, 0.0, 1.0)
        # A smooth step: a fifth missing is as good as not, twice that is.
        material = 1.0 / (1.0 + np.exp(-(short - self.complaint.missing_share) / 0.04))
        causes = self.candidates()
        everything = frozenset(self.complaint.causes)
        removed = [np.maximum(self.up(now, everything - {c}) - full, 0.0) for c in causes]
        effect = np.array(removed)
        heavy = w * material
        if float((heavy * effect.max(axis=0)).sum()) < ONE_ENOUGH * float((heavy * short).sum()):
            # Several causes hide behind each other: mending one brings little, so what each does alone counts too.
            none = self.up(now, frozenset())
            effect += ALONE_WEIGHT * np.array([np.maximum(none - self.up(now, frozenset({c})), 0.0) for c in causes])
        strength = np.maximum(effect, 1e-6) ** SHARPNESS
        strength /= strength.sum(axis=0)
        by_main = np.einsum("csikg,sikg->sic", strength, w * material)
        nothing = (w * (1 - material)).sum(axis=(2, 3))
        few = self.chance_of_so_few(now)
        odd = 1.0 / (1.0 + (few / self.complaint.tail) ** 1.5)
        if self.case.unseen:
            odd = min(odd, 0.45)
        kept = by_main.sum()
        nothing = nothing + by_main.sum(axis=2) * (1 - odd)
        by_main = by_main * odd
        acts = np.einsum("csikg,sikg->csi", effect, w) / np.maximum(w.sum(axis=(2, 3)), 1e-300)[None] > ACTS_FROM
        n_soils = len(self.courses.soils)
        acting = []
        for s, forms in enumerate(self.sets):
            for i in range(n_soils):
                acting.append(frozenset({f.cause for f in forms} | {c for j, c in enumerate(causes) if acts[j, s, i]}))
        mass = np.concatenate([by_main.reshape(-1, len(causes)), nothing.reshape(-1, 1)], axis=1)
        if kept <= 0:
            mass[:, -1] = np.maximum(mass[:, -1], 1e-12)
        gained = {c: float((removed[j] * w).sum()) for j, c in enumerate(causes)}
        progress = float((self.courses.of(frozenset(COURSE_CAUSES)).d[now] * self.courses.weights).sum())
        return SlowEffects(
            Suppositions(tuple(acting), (*causes, NOTHING), mass / mass.sum()), float((full * w).sum()), at_target, few, gained,
            progress,
        )  # fmt: skip

    def chance_of_so_few(self, now: int) -> float:
        """Chance of as few as are up, or fewer, from sound seed sown right at target."""
        # The pace keeps the kind's own spread: sound seed may be slow by nature.
        d = float(self.courses.of(frozenset()).d[now, 0]) * self.case.fresh.speed / self.base_wait
        seed = ndtr(np.log(np.maximum(d * self.k, 1e-9)) / self.case.crop.wait_sigma)[:, None] * self.g_fresh[None, :]
        chance = bdtr(self.case.counts.up, self.case.counts.of, np.clip(_any_of(seed, self.n_seeds), 0.0, 1.0))
        return float((chance.mean(axis=1) * self.k_weight).sum())


def _any_of(share: FloatArray, n: int) -> FloatArray:
    """Chance that one of n seeds is up at least. By multiplying: powers are slow."""
    none = down = 1.0 - share
    for _ in range(n - 1):
        none = none * down
    return np.asarray(1.0 - none)


def _thinned(n: int) -> Sequence[int]:
    """Which of n counts are used: all, or evenly spread ones with the last."""
    if n <= MOST_COUNTS:
        return range(n)
    return sorted({round(i * (n - 1) / (MOST_COUNTS - 1)) for i in range(MOST_COUNTS)})


def spell_days(moisture_pct: FloatArray) -> tuple[float, float]:
    """Days of a half-hourly record spent nearly too dry to advance, and over capacity. NaN counts as neither. Source: arithmetic.

    >>> spell_days(np.array([20.0] * 48 + [np.nan] * 48 + [110.0] * 24))
    (1.0, 0.5)
    """
    m = moisture_pct[~np.isnan(moisture_pct)]
    step_d = STEP_S / DAY_S
    return float((m < DRY_PCT + 10.0).sum() * step_d), float((m > LOGGED_PCT).sum() * step_d)
