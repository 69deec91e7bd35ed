"""How fast a tray dries, learned from its own cycles, and when it will next want water."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from fennet.core.containers import dries_of
from fennet.core.crop import LEARNED_HERE
from fennet.core.history import place_stays
from fennet.core.kept import last_known_s, shared
from fennet.core.records import Event, FloatArray, Journal, Series, Tray
from fennet.core.room_here import NEVER_S, Usual
from fennet.core.working import Input, Interval, Working

DAY_S, HOUR_S = 86_400.0, 3_600.0
#: What mix loses a day of what it holds: covered, open over seedlings, open under leaves. Source: starting_estimate.
DRIES_COVERED, DRIES_OPEN, DRIES_LEAFY = 0.075, 0.22, 0.45
#: A fan and a mat dry faster, as factors. Source: starting_estimate.
FAN_FACTOR, MAT_FACTOR = 1.25, 1.2
#: What lies over the seed lets the mix dry faster or slower, as factors. Source: growers_rule, starting_estimate.
COVERING_DRIES = {"vermiculite": 0.9, "perlite": 1.1, "none": 1.05}
#: How far one tray may be off these, as a log sd; how much one cycle differs from the next, chosen on simulated trays so that
#: eight in ten of their ranges hold. Source: starting_estimate.
TRAY_LOG_SD, CYCLE_LOG_SD = 0.5, 0.10
#: Error of one moisture figure, % of capacity: by the feel of the mix or typed, by a probe with two points, by a tray's weight.
#: Source: starting_estimate.
READ_SD_PCT, PROBE_SD_PCT, WEIGHT_SD_PCT = 5.0, 3.0, 1.5
#: A stretch between waterings teaches from this length on, and only below standing water.
LEAST_CYCLE_D, MOST_PCT = 0.4, 105.0
#: What is done to a tray and bears on how it dries.
DRIES = frozenset(("watered", "cover", "mat", "placed"))
#: A soak drains within so long, h: until then a tray holds more than it can keep. Source: growers_rule.
DRAINS_H = 6.0
#: Soaked and drained; what a mist adds. Source: starting_estimate.
SOAKED_PCT, MIST_PCT = 95.0, 10.0
#: What was poured longer ago than this tells nothing of today, days.
POURED_LONG_AGO_D = 400
#: Water held at capacity as a share of mix volume. Source: growers_rule.
HELD_SHARE = 0.5
#: A soak has drained within so many hours of it, from and to; it is one that brings the tray so full at least; so many in a row
#: show a creep, from so much on; and what a drained tray holds, % of capacity. Source: growers_rule, starting_estimate.
SOAK_DRAINED_H, SOAKED_LEAST_PCT, SOAKS_LEAST, CREEP_FROM_PCT, FULL_PCT = (3.0, 30.0), 85.0, 3, 4.0, 100.0


@dataclass(frozen=True)
class DryDown:
    """What a tray loses a day of what it holds: the middle, its log sd, from how many cycles it was learned, and how many times
    what is usual for such a tray."""

    per_day: float
    log_sd: float
    cycles: int
    working: Working
    times: float = 1.0

    def after(self, moisture_pct: float, days: float) -> float:
        """Moisture after some days without water, % of capacity."""
        return moisture_pct * math.exp(-self.per_day * days)

    def days_to(self, moisture_pct: float, trigger_pct: float) -> Interval[float]:
        """Days until moisture falls to a trigger, with an 80 % range; 0 when it is there already.

        >>> nothing = Working("", (), "", (), "")
        >>> round(DryDown(0.1, 0.0, 3, nothing).days_to(80.0, 50.0).p50, 2)
        4.7
        """
        if moisture_pct <= trigger_pct:
            return Interval(0.0, 0.0, 0.0)
        middle = math.log(moisture_pct / trigger_pct) / self.per_day
        spread = math.exp(1.2816 * self.log_sd)
        return Interval(middle / spread, middle, middle * spread)


def usual_loss(covered: bool, leafy: bool, fan: bool, mat: bool) -> float:
    """What a tray like this loses a day before anything is learned of it. Source: starting_estimate."""
    k = DRIES_COVERED if covered else DRIES_LEAFY if leafy else DRIES_OPEN
    return k * (FAN_FACTOR if fan and not covered else 1.0) * (MAT_FACTOR if mat else 1.0)


def dry_down(journal: Journal, tray: str, events: Sequence[Event], at_s: float, leafy_s: float | None = None) -> DryDown:
    """How fast a tray dries as it stands now, from what is usual of it and its own cycles between waterings.

    `events` are effective events; `leafy_s` since when leaves drink in it, seconds UTC (None: they do not). Each stretch of two
    readings and more without water is held against what would be usual as the tray was covered then; their ratios make the tray's
    own factor, which begins from what this garden learned of it in months long over (`Journal.here`). Source: starting_estimate
    for what is usual, learned_here, arithmetic.
    """
    told = [e for e in events if e.kind in DRIES and e.fields.get("tray") == tray]
    read = [s for s in journal.series if s.quantity == "moisture" and s.place == tray]
    # It stands until more is known.
    known_s = last_known_s(told, read, at_s)
    leafy_s = None if leafy_s is None or leafy_s > at_s else leafy_s
    return shared("dry_down", journal, told, read, lambda part: _dry_down(part, tray, known_s, leafy_s), tray, known_s, leafy_s)


def _dry_down(journal: Journal, tray: str, at_s: float, leafy_s: float | None) -> DryDown:
    here = journal.here.drying.get(tray) or Usual(0.0, TRAY_LOG_SD)
    loss = UsualLoss(journal, tray, at_s, [] if leafy_s is None else [(leafy_s, float("inf"))])
    now = loss.at(at_s if leafy_s is None else max(at_s, leafy_s))
    mean, precision, n = here.off, 1.0 / max(here.sd, 1e-3) ** 2, 0
    for ratio, weight in [] if here.own else stretches(journal, tray, loss, here.since_s, at_s):
        mean += (ratio - mean) * weight / (precision + weight)
        precision += weight
        n += 1
    log_sd = math.sqrt(1.0 / precision + CYCLE_LOG_SD**2)
    per_day = now * math.exp(mean)
    before = f"{here.rests_on} months of this and other trays here" if here.rests_on else "nothing learned of it before"
    working = Working(
        "loss of water",
        (
            Input("usual for such a tray", round(now, 3), "of what it holds a day", "starting_estimate", True),
            Input("this tray against that, before", round(here.times, 2), "times", "your own figure" if here.own else before),
            Input("this tray against that", round(math.exp(mean), 2), "times", f"{n} stretches between waterings"),
        ),
        "usual loss × the tray’s own factor, weighed between what was known of it before and what its own stretches show",
        ("starting_estimate", "empirical_bayes", LEARNED_HERE) if here.rests_on else ("starting_estimate", "arithmetic"),
        "between waterings, as it is covered now",
        round(per_day, 3),
        "of what it holds a day",
    )
    return DryDown(per_day, log_sd, n, working, math.exp(mean))


class UsualLoss:
    """What a tray like one would lose a day at a moment, by what it is made of, how it was covered and warmed then, and whether
    leaves drank: `leafy` spans of seconds UTC. `journal` holds effective events."""

    def __init__(self, journal: Journal, tray: str, at_s: float, leafy: Sequence[tuple[float, float]]) -> None:
        events = [e for e in journal.events if e.at_s <= at_s]
        self.covers = [(e.at_s, e.fields["on"] is True) for e in events if e.kind == "cover" and e.fields["tray"] == tray]
        self._mats = [
            (e.at_s, e.fields.get("on") is not False) for e in events if e.kind == "mat" and e.fields.get("tray") == tray
        ]
        stays = [s for s in place_stays(tray, events) if s.from_s <= at_s]
        self._fanned = bool(stays) and any(f.place == stays[-1].where for f in journal.fans)
        self._made_of = dries_of(next((t for t in journal.trays if t.id == tray), None))
        sown = sorted((b for b in journal.batches if b.tray == tray and b.sown_at.timestamp() <= at_s), key=lambda b: b.sown_at)
        self._covering = COVERING_DRIES.get(sown[-1].covered_with or "", 1.0) if sown else 1.0
        self._leafy = leafy

    def at(self, t_s: float) -> float:
        """The share of what it holds that it would lose a day."""
        leafy = any(a <= t_s < b for a, b in self._leafy)
        loss = usual_loss(_state(self.covers, t_s), leafy, self._fanned, _state(self._mats, t_s))
        return self._made_of * loss * (1.0 if leafy else self._covering)


def stretches(journal: Journal, tray: str, usual: UsualLoss, from_s: float, at_s: float) -> list[tuple[float, float]]:
    """A tray's own stretches without water that began between two moments (seconds UTC): how its loss stood to what was usual, as
    a logarithm, and the weight of that. `journal` holds effective events. Source: arithmetic."""
    marks = [t for t, _ in usual.covers] + ([from_s] if from_s > NEVER_S else [])
    return [
        (math.log(k / usual.at(start_s)), 1.0 / (CYCLE_LOG_SD**2 + sd**2))
        for start_s, k, sd in _cycles(journal, tray, journal.events, at_s, marks)
        if start_s >= from_s
    ]


def _state(marks: Sequence[tuple[float, bool]], t_s: float) -> bool:
    return next((on for t, on in reversed(marks) if t <= t_s), False)


def _cycles(
    journal: Journal, tray: str, events: Sequence[Event], at_s: float, breaks: Sequence[float]
) -> list[tuple[float, float, float]]:
    """Stretches without water as (start, loss a day, its log sd), from the tray's own moisture readings."""
    waters = [e.at_s for e in events if e.kind == "watered" and e.fields["tray"] == tray]
    out = []
    for whole in journal.series:
        if whole.quantity != "moisture" or whole.place != tray:
            continue
        read = whole.only((whole.at_s <= at_s) & ~np.isnan(whole.value) & (whole.value > 5.0))
        series = anchored(journal, read, [*waters])
        known = series.only(series.value < MOST_PCT)
        marks = np.array(sorted([*waters, *breaks]))
        edges = np.flatnonzero(np.diff(np.searchsorted(marks, known.at_s, side="right"))) + 1
        read_sd_pct = _read_sd_pct(journal, series)
        for at, value in zip(np.split(known.at_s, edges), np.split(known.value, edges), strict=True):
            found = _slope(at, value, read_sd_pct) if len(at) > 1 else None
            if found is not None:
                out.append((float(at[0]), *found))
    return out


def anchored(journal: Journal, series: Series, watered_s: Sequence[float]) -> Series:
    """A series with the creep of its balance taken off; one that was not weighed as it is. Source: growers_rule."""
    if not _weighed(journal, series):
        return series
    crept = creep_pct(series.at_s, series.value, watered_s)
    return replace(series, value=series.value - crept, revision=None) if crept.any() else series


def _weighed(journal: Journal, series: Series) -> bool:
    source = next((s for s in journal.sources if s.id == series.source), None)
    return source is not None and any(c.quantity == "moisture" and (c.unit or "raw") == "g" for c in source.calibration)


def _read_sd_pct(journal: Journal, series: Series) -> float:
    """How far one figure of a series may be off, by what it was read with."""
    source = next((s for s in journal.sources if s.id == series.source), None)
    units = {c.unit or "raw" for c in source.calibration if c.quantity == "moisture"} if source is not None else set()
    return WEIGHT_SD_PCT if "g" in units else PROBE_SD_PCT if "raw" in units else READ_SD_PCT


def _slope(at_s: FloatArray, value: FloatArray, read_sd_pct: float) -> tuple[float, float] | None:
    """Loss a day of one stretch by least squares in logs, and its log sd; None where it is too short or does not dry."""
    # Mix that was watered without a word begins a new stretch: keep what follows the last rise beyond the error.
    rises = np.flatnonzero(np.diff(value) > 2 * READ_SD_PCT)
    if len(rises):
        at_s, value = at_s[rises[-1] + 1 :], value[rises[-1] + 1 :]
    days = (at_s - at_s[0]) / DAY_S if len(at_s) else np.zeros(0)
    if len(days) < 2 or days[-1] < LEAST_CYCLE_D:
        return None
    spread = float(((days - days.mean()) ** 2).sum())
    k = -float(((days - days.mean()) * np.log(value)).sum()) / spread
    if k <= 0.005:
        return None
    sd = float(read_sd_pct / value.mean() / math.sqrt(spread) / k)
    return k, sd


def moisture_by_deeds(
    sown_s: float, at_s: float, events: Sequence[Event], tray: str, factor: float = 1.0, mat: bool = False
) -> tuple[FloatArray, FloatArray]:
    """What the mix would hold going by deeds alone: moist at sowing, drying by its cover, lifted by each watering.

    `factor` multiplies the usual loss. Returns (seconds, % of capacity) each twelve hours. Source: starting_estimate.
    """
    at = np.arange(max(sown_s, at_s - POURED_LONG_AGO_D * DAY_S), at_s + 1.0, 12 * HOUR_S)
    covers = [(e.at_s, e.fields["on"] is True) for e in events if e.kind == "cover" and e.fields["tray"] == tray]
    waters = [(e.at_s, e.fields.get("how") == "mist") for e in events if e.kind == "watered" and e.fields["tray"] == tray]
    out, now = np.empty(len(at)), SOAKED_PCT
    for i, t in enumerate(at):
        if i:
            now *= math.exp(-usual_loss(_state(covers, t), False, False, mat) * factor * (t - at[i - 1]) / DAY_S)
            for w, mist in waters:
                if at[i - 1] < w <= t:
                    now = min(SOAKED_PCT, now + MIST_PCT) if mist else SOAKED_PCT
        out[i] = now
    return at, out


def creep_pct(at_s: FloatArray, moisture_pct: FloatArray, watered_s: Sequence[float]) -> FloatArray:
    """How far weights of a tray have crept over what it holds, at each reading: plants grow, a balance drifts.

    A tray that was soaked and has drained holds its capacity, whatever the balance says: where several soaks in a row stand
    over it the rest is creep, taken between soaks by a line. Arrays of one length in order of time, % of capacity. Zero where
    fewer than three soaks show it. Source: growers_rule.

    >>> day = np.arange(0, 40) * 86_400.0
    >>> weighed = np.where(np.arange(40) % 4 == 1, 100.0, 70.0) + 0.5 * np.arange(40)
    >>> round(float(creep_pct(day, weighed, day[::4].tolist())[-1]))
    16
    """
    soaks: list[tuple[float, float]] = []
    waters = sorted(watered_s)
    for w, following in pairwise([*waters, float("inf")]):
        drained = (at_s >= w + SOAK_DRAINED_H[0] * HOUR_S) & (at_s <= min(w + SOAK_DRAINED_H[1] * HOUR_S, following))
        if drained.any():
            i = int(np.argmax(drained))
            if moisture_pct[i] >= SOAKED_LEAST_PCT:
                soaks.append((float(at_s[i]), float(moisture_pct[i])))
    out = np.zeros(len(at_s))
    if len(soaks) < SOAKS_LEAST:
        return out
    when, over = np.array(soaks).T
    # The middle of three neighbours: one heavy hand is no creep.
    padded = np.concatenate([over[1:2], over, over[-2:-1]])
    middle = np.median(np.array([padded[:-2], padded[1:-1], padded[2:]]), axis=0) - FULL_PCT
    middle = np.maximum(0.0, middle)
    if float(middle.max()) < CREEP_FROM_PCT:
        return out
    return np.asarray(np.interp(at_s, when, middle))


def drained_pct(at_s: FloatArray, moisture_pct: FloatArray, watered_s: Sequence[float]) -> FloatArray:
    """Moisture as it is once a soak has drained: what was read over 100 % within six hours of a watering was read dripping, or
    wet outside. Arrays of one length; `watered_s` seconds UTC in any order. Source: growers_rule.

    >>> drained_pct(np.array([3600.0, 1e6]), np.array([128.0, 120.0]), [0.0]).tolist()
    [100.0, 120.0]
    """
    watered = np.array([float("-inf"), *sorted(watered_s)])
    since = at_s - watered[np.searchsorted(watered, at_s, side="right") - 1]
    return np.asarray(np.where((since <= DRAINS_H * HOUR_S) & (moisture_pct > 100.0), 100.0, moisture_pct))


def refill_ml(tray: Tray, moisture_pct: float, events: Sequence[Event], full_pct: float = SOAKED_PCT) -> float | None:
    """Water that brings a tray back to drained full, to the next 10 ml; what it last had where its cells are not known.

    Source: growers_rule (half of the mix volume is water at capacity).
    """
    if tray.rows and tray.columns and tray.cell_ml:
        held_ml = tray.rows * tray.columns * tray.cell_ml * HELD_SHARE
        return max(10.0, 10.0 * math.ceil((full_pct - moisture_pct) / 100 * held_ml / 10.0))
    last = (
        e.fields["ml"] for e in reversed(events) if e.kind == "watered" and e.fields["tray"] == tray.id and e.fields.get("ml")
    )
    return next(last, None)
