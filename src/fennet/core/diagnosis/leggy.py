"""Why seedlings are long and thin: what light, warmth, cover and company did to their growth, each drawn within what is known.

Every draw is one way it may have been: how strongly each condition acts, what the unmeasured days were like, how tall the variety
is by nature. A draw is weighed by the height that was measured, and its main cause is the one without which the seedlings would
be most nearly as short as they should be.
"""

from __future__ import annotations

from collections.abc import Mapping
from copy import copy
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fennet.core.attribution import shapley
from fennet.core.diagnosis.engine import NOTHING, Complaint, Suppositions
from fennet.core.diagnosis.leggy_case import LeggyCase
from fennet.core.records import FloatArray

CAUSES = ("weak_light", "lamp_too_far", "short_hours", "late_to_light", "too_warm", "covered_too_long", "crowded")
#: Effects on elongation: daily light under the foot of its band by these parts, by so much; each degree over the band; a cover;
#: company in a cell.
#: Source: growers_rule.
SHORT_PARTS, SHORT_GAIN = (0.0, 0.5, 0.9, 1.0), (0.0, 0.75, 1.35, 1.5)
PER_DEGREE, COVER_GAIN = 0.13, 0.35
COMPANY, CROWD_GAIN = (1.0, 2.0, 3.0, 5.0, 8.0), (0.0, 0.15, 0.5, 0.8, 1.0)
#: Seedlings feel their neighbours from this age on, d. Source: starting_estimate.
CROWDS_FROM_D = 5.0
#: Fixed draws, their seed, and how far each effect may be off (log sd). Source: starting_estimate.
N_DRAWS, N_FOR_PARTS, SEED, EFFECT_SD = 300, 24, 23, 0.35
#: How varieties of a kind differ in height, and the ruler, log sd. Source: starting_estimate.
VARIETY_SD, VARIETY_SD_PER_D, RULER_SD = 0.17, 0.005, 0.08
#: Something else makes plants tall in so many of a hundred, by this factor (log mean, sd). Source: starting_estimate.
ELSE_PRIOR, ELSE_LOG, ELSE_SD = 0.08, 0.45, 0.35
#: Stretch at which it counts as leggy half the time, and how sharply. Source: growers_rule (1.25 to watch, 1.5 leggy).
LEGGY_AT, LEGGY_STEP = 1.41, 0.055
#: What a kind's expected height may be off, log sd: all are estimates. Whoever saw long thin stems is believed as far as that
#: goes. Source: growth_estimate.
KIND_SD = 0.30
#: Under this part (ln) a known cause is no likelier to be the main one than something that nobody recorded.
ELSE_LEAST = 0.02
#: A cause must have lengthened the plants so much to count as acting; how sharply the largest one is the main one.
ACTS_FROM, SHARPNESS = 0.06, 2.2
#: A cause whose part is under this (ln) has none.
LEAST_PART = 0.015
#: A day with less than this was spent in the dark, mol.
DARK_MOL = 0.5
#: Where light was never read: how short it may be, as ln of (had / wanted). Source: starting_estimate.
UNREAD_LOG, UNREAD_SD = -0.1, 0.4


@dataclass(frozen=True)
class LeggyEffects:
    """What came of the draws: suppositions for the engine, expected stretch, each cause's part of it (they multiply)."""

    suppositions: Suppositions
    expected: float
    parts: Mapping[str, float]
    measured: float | None


class _Draws:
    """Everything drawn for one case: arrays (draws, days) or (draws, 1)."""

    def __init__(self, case: LeggyCase, supposed: Mapping[str, float]) -> None:
        rng = np.random.default_rng(SEED)
        n, days = N_DRAWS, len(case.mol)
        z = rng.standard_normal((n, 12))
        self.case = case
        self.gain = np.exp(EFFECT_SD * z[:, :4])
        aim = case.light.low
        unread = np.exp(UNREAD_LOG + UNREAD_SD * z[:, 4:5]) * aim
        noise = np.exp(case.light_sd[None, :] * z[:, 5:6])
        self.mol = np.where(np.isnan(case.mol)[None, :], unread, np.nan_to_num(case.mol)[None, :] * noise)
        dark_days = np.where(np.isnan(case.mol), np.nan_to_num(case.lit_h, nan=9.0) < 0.5, np.nan_to_num(case.mol) <= DARK_MOL)
        # Days before its light was first read were no darker than those after, if the lamp was lit over it.
        if (np.nan_to_num(case.mol) > DARK_MOL).any():
            unread_lit = (np.isnan(case.mol) & ~np.isnan(case.lit_h))[None, :]
            self.mol = np.where(unread_lit, _filled(case.mol, case.lit_h)[None, :] * noise, self.mol)
        # Hours that nobody logged may be short with the chance that is supposed.
        short = rng.random((n, 1)) < supposed.get("short_hours", 0.0)
        wanted = (case.hours.low + case.hours.high) / 2
        drawn = np.where(short, rng.uniform(6.0, 10.0, (n, 1)), wanted)
        self.lit = np.where(np.isnan(case.lit_h)[None, :], drawn, np.nan_to_num(case.lit_h)[None, :])
        far = rng.random((n, 1)) < supposed.get("lamp_too_far", 0.0)
        guess = np.where(far, rng.uniform(1.6, 3.5, (n, 1)), rng.uniform(1.0, 1.25, (n, 1)))
        self.reach = guess if case.reach is None else case.reach * np.exp(case.reach_sd * z[:, 6:7])
        if case.lamp is None:
            self.reach = np.ones((n, 1))
        # Not read: most rooms are no warmer than seedlings like, a few are.
        warm = case.high_c - 3.0 + 2.5 * z[:, 7:8]
        self.temp = np.where(np.isnan(case.temp_c)[None, :], warm, np.nan_to_num(case.temp_c)[None, :] + 0.4 * z[:, 8:9])
        cover = case.covered
        if not case.cover_known:
            # How long a cover may have stayed on that nobody wrote of.
            stays = np.where(rng.random(n) < supposed.get("covered_too_long", 0.0), rng.uniform(4, 14, n), 0.0)
            cover = (case.day_s - case.day_s[0])[None, :] / 86_400.0 < stays[:, None]
        self.covered = np.broadcast_to(cover, (n, days)).astype(float)
        company = np.full((n, 1), case.plants_a_cell)
        if case.batch.seeds_per_cell is None and case.batch.set_up != "crowd":
            company = np.where(rng.random((n, 1)) < supposed.get("crowded", 0.0), rng.uniform(3, 8, (n, 1)), company)
        self.company = company
        # Dark until it came under the light; a dark day later on is a short day.
        first_lit = int(np.argmin(dark_days)) if not dark_days.all() else days
        self.late = np.broadcast_to(np.arange(days) < first_lit, (n, days))
        if np.isnan(case.mol).all() and np.isnan(case.lit_h).all():
            ages = (case.day_s - case.day_s[0])[None, :] / 86_400.0
            self.late = (rng.random((n, 1)) < supposed.get("late_to_light", 0.0)) & (ages < rng.uniform(1.5, 5.0, (n, 1)))
        self.mol = np.where(self.late, np.minimum(self.mol, 0.2), self.mol)
        self.lit = np.where(self.late, 0.0, self.lit)
        self.other = (rng.random(n) < ELSE_PRIOR) * np.maximum(0.0, ELSE_LOG + ELSE_SD * z[:, 9])

        self.usual, self.usual_h = self._usual()

    def _usual(self) -> tuple[FloatArray, FloatArray]:
        """What dark days would have had under the light, an hour and in hours: as on the lit days, else what is wanted."""
        hours = (self.case.hours.low + self.case.hours.high) / 2
        lit = np.where(self.lit <= 0.1, hours, self.lit)
        dark = self.late | self.case.unlit[None, :]
        n = (~dark).sum(axis=1, keepdims=True)
        some = np.maximum(n, 1)
        per_hour = np.where(dark, 0.0, self.mol / np.maximum(lit, 0.5)).sum(axis=1, keepdims=True) / some
        later = np.where(dark, 0.0, lit).sum(axis=1, keepdims=True) / some
        return np.where(n > 0, per_hour, self.case.light.low / hours), np.where(n > 0, later, hours)

    def only(self, rows: NDArray[np.intp]) -> _Draws:
        """Some of the draws."""
        out = copy(self)
        for name in ("gain", "mol", "lit", "reach", "temp", "covered", "company", "late", "other", "usual", "usual_h"):
            whole = getattr(self, name)
            setattr(out, name, whole if len(whole) != N_DRAWS else whole[rows])
        return out

    def stretch(self, mended: frozenset[str]) -> FloatArray:
        """Stretch by these causes with some of them mended, for every draw."""
        c = self.case
        aim, hours_aim = c.light.low, (c.hours.low + c.hours.high) / 2
        late = self.late
        lit = np.where(self.lit <= 0.1, hours_aim, self.lit)
        # Where it is dark for want of a lamp the whole of the light is weak; for being late it is late; under a lamp that did not
        # burn the hours are short.
        per_hour = self.mol / np.maximum(lit, 0.5)
        unlit = c.unlit[None, :] & ~late
        per_hour, lit = np.where(unlit, self.usual, per_hour), np.where(unlit, 0.0, lit)
        if "late_to_light" in mended:
            per_hour, lit = np.where(late, self.usual, per_hour), np.where(late, self.usual_h, lit)
            late = np.zeros_like(late)
        need = aim / hours_aim
        lack = np.maximum(1.0, need / np.maximum(per_hour, 1e-3))
        by_far = np.minimum(lack, np.maximum(1.0, self.reach))
        by_weak = lack / by_far
        if "lamp_too_far" in mended:
            per_hour = np.where(late, per_hour, per_hour * by_far)
        if "weak_light" in mended:
            per_hour = np.where(late, per_hour, per_hour * by_weak)
        if "short_hours" in mended:
            lit = np.where(late, lit, np.maximum(lit, c.hours.low))
        mol = np.where(late, self.mol, per_hour * lit)
        short = np.clip(1.0 - mol / aim, 0.0, 1.0)
        rate = 1.0 + self.gain[:, 0:1] * np.interp(short, SHORT_PARTS, SHORT_GAIN)
        if "too_warm" not in mended:
            rate = rate * (1.0 + self.gain[:, 1:2] * PER_DEGREE * np.clip(self.temp - c.high_c, 0.0, 12.0))
        if "covered_too_long" not in mended:
            rate = rate * (1.0 + self.gain[:, 2:3] * COVER_GAIN * self.covered)
        if "crowded" not in mended:
            felt = np.clip((c.age_d - CROWDS_FROM_D) / 4.0, 0.0, 1.0)
            crowd = np.interp(self.company, COMPANY, CROWD_GAIN)
            rate = rate * (1.0 + self.gain[:, 3:4] * crowd * felt[None, :])
        total = max(float(c.grown.sum()), 1e-6)
        return np.asarray((rate * c.grown[None, :]).sum(axis=1) / total)


def _variety_sd(case: LeggyCase) -> float:
    """How far one variety may stand from its kind, log sd: more as they grow."""
    older_d = case.stretch.age_d - 14.0 if case.stretch is not None else 0.0
    return VARIETY_SD + VARIETY_SD_PER_D * max(0.0, older_d)


def _filled(mol: FloatArray, lit_h: FloatArray) -> FloatArray:
    """Daily light with unread days filled from the brightness of the read ones and their own hours."""
    known = ~np.isnan(mol) & (mol > DARK_MOL)
    if not known.any():
        return np.nan_to_num(mol)
    per_hour = float(np.median(mol[known] / np.maximum(np.nan_to_num(lit_h[known], nan=14.0), 0.5)))
    return np.where(np.isnan(mol), per_hour * np.nan_to_num(lit_h, nan=14.0), mol)


def leggy_effects(case: LeggyCase, complaint: Complaint, supposed: Mapping[str, float], seen_long: bool = False) -> LeggyEffects:
    """Suppositions over the causes of stretch. `supposed` chances of causes that nothing recorded speaks of; `seen_long` where
    somebody saw long thin stems: then the expected height counts as the estimate it is.

    Source: starting_estimate for the effects' spread, growers_rule for their size, shapley for the parts.
    """
    draws = _Draws(case, supposed)
    full = draws.stretch(frozenset())
    causes = [c for c in CAUSES if c in complaint.causes]
    gains = np.array([np.log(full / draws.stretch(frozenset({c}))) for c in causes])
    gains = np.vstack([np.maximum(gains, 0.0), np.maximum(draws.other, ELSE_LEAST)])
    whole = full * np.exp(draws.other)
    weight = np.full(N_DRAWS, 1.0 / N_DRAWS)
    measured = case.stretch.ratio if case.stretch is not None else None
    if measured is not None:
        off = (np.log(measured) - np.log(whole)) / np.hypot(np.hypot(_variety_sd(case), RULER_SD), KIND_SD if seen_long else 0.0)
        weight = np.exp(-0.5 * np.minimum(off**2, 60.0)) + 1e-12
        weight /= weight.sum()
    # What is measured is what stands there; the draws say how much of it is more than the variety's own.
    tall = whole if measured is None else np.sqrt(whole * measured)
    material = 1.0 / (1.0 + np.exp(-(tall - LEGGY_AT) / (KIND_SD if seen_long else LEGGY_STEP)))
    strength = np.maximum(gains, 1e-4) ** SHARPNESS
    strength /= strength.sum(axis=0)
    names = [*causes, "unexplained"]
    mains = (weight * material * strength).T
    nothing = (weight * (1 - material))[:, None]
    acting = tuple(
        frozenset(c for j, c in enumerate(names) if gains[j, i] > ACTS_FROM and whole[i] > LEGGY_AT - 0.15)
        for i in range(N_DRAWS)
    )
    mass = np.concatenate([mains, nothing], axis=1)
    expected = float(np.exp((weight * np.log(whole)).sum()))
    return LeggyEffects(
        Suppositions(acting, (*names, NOTHING), mass / mass.sum()), expected, _parts(draws, causes, weight), measured
    )


def _parts(draws: _Draws, causes: list[str], weight: FloatArray) -> dict[str, float]:
    """Each cause's factor on the height, shared out by Shapley values of its logarithm: they multiply to the whole."""
    known: dict[frozenset[str], float] = {}
    # The likeliest draws tell a mean as well as all of them, for a fraction of the work.
    few = np.argsort(-weight, kind="stable")[:N_FOR_PARTS]
    draws, weight = draws.only(few), weight[few] / weight[few].sum()

    def worth(acting: frozenset[str]) -> float:
        mended = frozenset(causes) - acting
        if mended not in known:
            known[mended] = float((weight * np.log(draws.stretch(mended))).sum())
        return known[mended]

    # Causes that do nothing by themselves and nothing among the rest need no share: it halves the sets to look at.
    everything = frozenset(causes)
    live = [c for c in causes if worth(everything) - worth(everything - {c}) > LEAST_PART or worth(frozenset({c})) > LEAST_PART]
    if not live:
        return {}
    return {c: float(np.exp(v)) for c, v in shapley(live, lambda s: worth(frozenset(s))).items()}
