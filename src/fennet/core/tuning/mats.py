"""What to set a heat mat to: the set-point with its range, what it gains in days, and what to do where the mat is at its
limit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from fennet.core.crop import LEARNED_HERE, Crop
from fennet.core.exposure import APART_C, HOUR_S, soil_series
from fennet.core.history import effective_events
from fennet.core.records import Event, FloatArray, Journal, Mat
from fennet.core.room import MatState, room_at
from fennet.core.tuning.mat_fit import LEAST_HOURS
from fennet.core.tuning.on_mat import CEILING_C, MOST_DAYS, OnMat, tray_on
from fennet.core.tuning.probes import NO_SOIL_C, SHOWN_AFTER_H, probe_faults
from fennet.core.working import Input, Interval, Working

__all__ = ["CAP_C", "CEILING_C", "LEAST_SETPOINT_C", "SHORT_BY_C", "Instead", "MatSetting", "tune_mat", "tune_mats"]

#: Set-points a thermostat for seed trays offers, °C; the highest is the hard cap. Source: growers_rule.
LEAST_SETPOINT_C, CAP_C, STEP_C = 10.0, 38.0, 0.5
#: A set-point is refused when this chance or more says soil would pass the ceiling. Source: starting_estimate.
MAY_PASS = 0.05
#: A mat cannot reach a band when its best falls so far short of the middle, °C. Source: growers_rule.
SHORT_BY_C = 0.7
#: It is said from this chance of falling short on. Source: starting_estimate.
MAY_FALL_SHORT = 0.2
#: What would lift a mat at its limit further, °C, and its order of ease. Source: starting_estimate.
INSTEAD_C = {"cover_on": 3.0, "insulate": 1.5, "fewer_trays": 2.0, "draught_off": 1.5, "warmer_spot": 3.0}
#: A tray whose leaving would spare the others so many days more than it loses should leave. Source: starting_estimate.
LEAVES_FROM_D = 1.5


#: Bands that share less than this do not meet: no thermostat holds an edge, °C. Source: growers_rule.
SHARED_C = 1.0
#: A mat is seen to run flat out where its soil stays so far under its set-point for so long, h, within the last days. Source:
#: growers_rule.
WELL_UNDER_C, SEEN_FOR_H, SEEN_WITHIN_H = 1.5, 6.0, 96.0


@dataclass(frozen=True)
class Instead:
    """Something to do beside or instead of a set-point; `lift_c` what it may add."""

    action: str
    tray: str | None = None
    lift_c: float | None = None
    days: float | None = None


@dataclass(frozen=True)
class MatSetting:
    """What a mat should be set to. `setpoint_c` None: nothing waits on it, or it has no thermostat.

    `range_c` set-points that keep the middle of what is expected inside the ideal band. `why_not` says in a key why nothing is
    proposed.
    """

    mat: Mat
    now: MatState
    trays: tuple[OnMat, ...]
    setpoint_c: float | None
    range_c: tuple[float, float] | None
    expect_soil_c: Interval[float] | None
    middle_c: float | None
    flat_out: bool
    gain_days: float
    instead: tuple[Instead, ...]
    loss_days: Mapping[str, float] = field(default_factory=dict)
    why_not: str = ""
    workings: Mapping[str, Working] = field(default_factory=dict)

    @property
    def changes(self) -> bool:
        """Whether it asks for another set-point than the mat has."""
        return self.setpoint_c is not None and (
            self.now.setpoint_c is None or abs(self.setpoint_c - self.now.setpoint_c) >= STEP_C
        )


def tune_mats(journal: Journal, crops: Mapping[str, Crop], at_s: float) -> list[MatSetting]:
    """A setting for every mat in use at a moment (seconds UTC); nothing later is used. `crops` by the names the journal's
    batches use.

    Source: growers_rule for the band and the ceiling; each tray's fit names its own.
    """
    events = effective_events(journal.events, at_s)
    state = room_at(journal, events, at_s)
    gone = {m.id for m in journal.mats if m.until is not None and m.until.timestamp() <= at_s}
    return [tune_mat(journal, crops, m, events, at_s) for m in journal.mats if m.id not in gone and state.mats[m.id].trays]


def tune_mat(journal: Journal, crops: Mapping[str, Crop], mat: Mat, events: Sequence[Event], at_s: float) -> MatSetting:
    """What one mat should be set to for the trays that lie on it. `events` are effective events. Source: growers_rule."""
    state = room_at(journal, events, at_s)
    now = state.mats[mat.id]
    trays = tuple(tray_on(journal, crops, mat, state.trays[t], events, at_s) for t in now.trays)
    busy = tuple(t for t in trays if t.waiting)
    nothing = MatSetting(mat, now, trays, None, None, None, None, False, 0.0, ())
    if not busy:
        off = tuple(Instead("take_off", t.tray) for t in trays)
        return replace(nothing, instead=off, why_not="nothing_waits")
    # What no soil reaches is asked about below: a slip of °F, or a probe on the mat.
    hot = tuple(
        Instead("too_hot", t.tray, t.last_c) for t in busy if t.last_c is not None and t.ceiling_c() < t.last_c <= NO_SOIL_C
    )
    if hot:
        # Whatever the fit says, nothing is set while something is burning hot: the probe first.
        return replace(nothing, instead=hot, middle_c=_middle(busy), why_not="too_hot")
    faults = probe_faults(journal, replace(now, trays=tuple(t.tray for t in busy)), events, at_s)
    if faults:
        # Nothing is set by a thermometer that tells nothing of the soil: plug and probe first.
        look = tuple(Instead(f"probe_{f.reason}", f.tray, f.last_c) for f in faults)
        return replace(nothing, instead=look, middle_c=_middle(busy), why_not="check_plug_and_probe")
    if mat.control in ("timer", "always") and now.setpoint_c is None:
        return _timer(nothing, busy)
    grid = np.arange(LEAST_SETPOINT_C, CAP_C + 0.01, STEP_C)
    courses = {t.tray: [t.soil_c(s) for s in grid] for t in busy}
    means = np.array([np.median([c.mean(axis=1) for c in courses[t.tray]], axis=1) for t in busy]).T
    passes = np.array([[_passes(c, t.ceiling_c()) for c in courses[t.tray]] for t in busy]).T
    safe = np.asarray(((passes < MAY_PASS) & (means <= _stands_c(busy))).all(axis=1))
    if not safe.any():
        safe[0] = True
    middle_c = _middle(busy)
    best = _best(busy, grid, courses, means, safe, middle_c)
    chosen_c = float(grid[best])
    expected = np.concatenate([courses[t.tray][best].mean(axis=1) for t in busy])
    p10, p50, p90 = (float(q) for q in np.percentile(expected, (10, 50, 90)))
    top = int(np.flatnonzero(safe)[-1])
    short = np.array(
        [(courses[t.tray][top].mean(axis=1) < m - SHORT_BY_C).mean() for t, m in zip(busy, _bands(busy)[:, 2], strict=True)]
    )
    saturated = means[top] - means[max(0, top - 6)] < 2.0
    # Where neither its soil nor its air was ever read, nothing can be said of a limit.
    known = np.array([t.fit.hours >= LEAST_HOURS or t.air_known for t in busy])
    at_limit = (short >= MAY_FALL_SHORT) & saturated & known
    seen = np.array([ran_flat(journal, mat, now.setpoint_c, t.tray, events, at_s) for t in busy])
    flat_out = bool((at_limit & seen).any())
    inside = safe & ((means >= _bands(busy)[:, 0]) & (means <= _bands(busy)[:, 1])).all(axis=1)
    range_c = (float(grid[inside][0]), float(grid[inside][-1])) if inside.any() else (chosen_c, chosen_c)
    if not range_c[0] <= chosen_c <= range_c[1]:
        range_c = (min(range_c[0], chosen_c), max(range_c[1], chosen_c))
    gain = sum(_gain(t, np.median(courses[t.tray][best], axis=0)) for t in busy)
    losses = {t.tray: _loss(t, np.median(courses[t.tray][best], axis=0)) for t in busy}
    instead = [Instead("take_off", t.tray) for t in trays if not t.waiting]
    if flat_out:
        instead += _instead(mat, now, busy, journal)
    elif at_limit.any():
        # By what mats usually lift it may not get there; nobody has seen it run flat out: the next two days will show.
        instead += [Instead("two_days_show", t.tray, p50) for t, limit in zip(busy, at_limit, strict=True) if limit]
    instead += _leaving(busy, grid, courses, safe, losses) or _parting(busy)
    instead += [Instead("no_soil_reading", t.tray) for t in busy if not len(t.record) and t.now_c is None]
    instead += [
        Instead("one_in_air" if t.one_in_air else "probes_apart", t.tray, t.apart_c)
        for t in busy
        if t.apart_c is not None and t.apart_c >= APART_C
    ]
    if now.setpoint_c is None:
        instead.append(Instead("log_setpoint"))
    return MatSetting(
        mat,
        now,
        trays,
        chosen_c,
        range_c,
        Interval(p10, p50, p90),
        middle_c,
        flat_out,
        max(0.0, gain) if gain > 0.05 else 0.0,
        tuple(instead),
        losses,
        workings={"setpoint": _working(busy[0], chosen_c, p50, middle_c)},
    )


def ran_flat(journal: Journal, mat: Mat, setpoint_c: float | None, tray: str, events: Sequence[Event], at_s: float) -> bool:
    """Whether a mat was seen to run flat out under a tray: its soil well under the set-point for hours, long after it was set.

    Source: growers_rule.
    """
    if setpoint_c is None:
        return False
    set_s = max((e.at_s for e in events if e.kind == "mat" and e.fields["mat"] == mat.id and e.at_s <= at_s), default=at_s)
    from_s = max(set_s + SHOWN_AFTER_H * HOUR_S, at_s - SEEN_WITHIN_H * HOUR_S)
    read = [s.only(s.at_s >= from_s) for s in soil_series(journal, tray, events, at_s)]
    at = np.concatenate([s.at_s for s in read]) if read else np.zeros(0)
    soil_c = np.concatenate([s.value for s in read]) if read else np.zeros(0)
    if len(at) < 2 or float(np.ptp(at)) < SEEN_FOR_H * HOUR_S:
        return False
    return float(np.median(soil_c)) <= setpoint_c - WELL_UNDER_C


# -- choosing -------------------------------------------------------------------------------------------------------------------


def _bands(busy: Sequence[OnMat]) -> FloatArray:
    """For each tray: ideal low, ideal high, middle, over the batches that wait in it; where they share nothing, between them."""
    out = []
    for t in busy:
        low = max(w.crop.soil_ideal_low_c for w in t.waiting)
        high = min(w.crop.soil_ideal_high_c for w in t.waiting)
        out.append((min(low, high), max(low, high), (low + high) / 2))
    return np.array(out)


def _stands_c(busy: Sequence[OnMat]) -> float:
    """The warmest soil that every kind on a mat stands day in, day out, °C: the high end of the least heat-loving one's band."""
    return float(min(w.crop.soil_high_c for t in busy for w in t.waiting))


def _parting(busy: Sequence[OnMat]) -> list[Instead]:
    """Kinds whose bands do not meet are parted and not averaged: the tray that stands the least heat goes off; in one tray, the
    kind."""
    bands = [(w.crop.soil_low_c, w.crop.soil_high_c, t.tray) for t in busy for w in t.waiting]
    if max(low for low, _, _ in bands) + SHARED_C <= min(high for _, high, _ in bands):
        return []
    coolest = min(bands, key=lambda b: b[1])[2]
    return [Instead("leave" if len(busy) > 1 else "part", coolest)]


def _middle(busy: Sequence[OnMat]) -> float:
    return float(_bands(busy)[:, 2].mean())


def _passes(course_c: FloatArray, ceiling_c: float) -> float:
    """Chance that the day's warmest hour passes the ceiling."""
    return float((course_c.max(axis=1) > ceiling_c).mean())


def _loss(t: OnMat, soil_c: FloatArray) -> float:
    """Days that the batches of a tray lose against the middle of their own bands."""
    return float(sum(w.days(soil_c) - w.days(np.full(1, w.crop.target_soil_c)) for w in t.waiting))


def _gain(t: OnMat, soil_c: FloatArray) -> float:
    """Days that the batches of a tray come sooner, the middle seed of each, against going on as now."""
    if t.now_c is None:
        return 0.0
    pairs = [(w.days(t.now_c), w.days(soil_c)) for w in t.waiting]
    # What would hardly ever come tells no number of days: the cap of the model is no gain.
    return float(sum(now - then for now, then in pairs if now < MOST_DAYS))


def _best(
    busy: Sequence[OnMat],
    grid: FloatArray,
    courses: Mapping[str, list[FloatArray]],
    means: FloatArray,
    safe: NDArray[np.bool_],
    middle_c: float,
) -> int:
    """The index of the set-point: nearest the middle of the band where the trays agree, else the least loss in days together."""
    bands = _bands(busy)
    allowed = np.flatnonzero(safe)
    if bands[:, 1].min() >= bands[:, 0].max():
        miss = np.abs(means - bands[:, 2]).max(axis=1)
        # The lowest of those that come to the same: a mat flat out gains nothing from a higher dial.
        least = miss[allowed].min()
        return int(next(i for i in allowed if miss[i] <= least + 0.05))
    total = [sum(_loss(t, np.median(courses[t.tray][i], axis=0)) for t in busy) for i in allowed]
    return int(allowed[int(np.argmin(total))])


def _leaving(
    busy: Sequence[OnMat],
    grid: FloatArray,
    courses: Mapping[str, list[FloatArray]],
    safe: NDArray[np.bool_],
    losses: Mapping[str, float],
) -> list[Instead]:
    """Trays that should leave a shared mat: what the others gain is more than what they lose without it."""
    out: list[Instead] = []
    if len(busy) < 2:
        return out
    for t in busy:
        rest = [o for o in busy if o is not t]
        alone = min(
            sum(_loss(o, np.median(courses[o.tray][i], axis=0)) for o in rest) for i in range(len(grid))
            if all(_passes(courses[o.tray][i], o.ceiling_c()) < MAY_PASS for o in rest)
        )  # fmt: skip
        unheated = _loss(t, t.air_c)
        spared = sum(losses.values()) - (alone + unheated)
        if spared >= LEAVES_FROM_D:
            out.append(Instead("leave", t.tray, None, spared))
    return sorted(out, key=lambda x: -(x.days or 0.0))[:1]


def _instead(mat: Mat, now: MatState, busy: Sequence[OnMat], journal: Journal) -> list[Instead]:
    """What helps a mat at its limit, the easiest first."""
    out = [Instead("cover_on", t.tray, INSTEAD_C["cover_on"]) for t in busy if t.state.cover != "on"]
    if not now.insulated:
        out.append(Instead("insulate", None, INSTEAD_C["insulate"]))
    if len(now.trays) > 1:
        out.append(Instead("fewer_trays", None, INSTEAD_C["fewer_trays"]))
    out += [Instead("draught_off", None, INSTEAD_C["draught_off"]), Instead("warmer_spot", None, INSTEAD_C["warmer_spot"])]
    return out


def _timer(nothing: MatSetting, busy: Sequence[OnMat]) -> MatSetting:
    """A mat without a thermostat: what its day and night swing costs, and that a thermostat would mend it."""
    instead = []
    for t in busy:
        lift_c = float(t.fit.mean[3])
        on = np.array([_runs(nothing.now.periods, h) for h in range(24)], dtype=float)
        soil_c = t.now_c if t.now_c is not None else t.air_c + lift_c * on
        even = np.full(24, float(soil_c.mean()))
        cost = sum(w.days(soil_c) - min(w.days(even), w.days(np.full(1, w.crop.target_soil_c))) for w in t.waiting)
        instead.append(Instead("thermostat", t.tray, None, max(0.0, cost)))
    return MatSetting(
        nothing.mat,
        nothing.now,
        nothing.trays,
        None,
        None,
        None,
        _middle(busy),
        False,
        0.0,
        tuple(instead),
        why_not="no_thermostat",
    )


def _runs(periods: object, hour: int) -> bool:
    """Whether a timer's periods (pairs of "HH:MM") cover the middle of an hour; without periods it always runs."""
    if not isinstance(periods, list | tuple) or not periods:
        return True
    now = f"{hour:02}:30"
    return any((a <= now < b) if a <= b else (now >= a or now < b) for a, b in periods)


def _working(t: OnMat, chosen_c: float, expected_c: float, middle_c: float) -> Working:
    fit = t.fit
    offset, slope, air, lift = (float(x) for x in fit.mean[:4])
    sd = np.sqrt(np.diag(fit.covariance))
    guessed = fit.hours < 6
    air_from = "read" if t.air_known else "supposed"
    return Working(
        "soil on the mat",
        (
            Input("α", round(fit.alpha_c, 2), "°C", f"{fit.hours} settled hours", guessed),
            Input("what soil stands over a set-point of 24 °C", round(offset, 2), "°C", f"± {sd[0]:.2f}", guessed),
            Input("β, by each degree of the set-point", round(slope, 3), "", f"± {sd[1]:.2f}", guessed),
            Input("γ, by each degree of air over 18 °C", round(air, 3), "", f"± {sd[2]:.2f}", guessed),
            Input("lift flat out", round(lift, 1), "°C", f"± {sd[3]:.1f}", fit.at_limit_share == 0.0),
            Input("begun from", fit.rests_on, "months", "what mats and trays showed here before"),
            Input(
                "mean air of the last days",
                round(float(t.air_c.mean()), 1),
                "°C",
                air_from,
                not t.air_known,
            ),
        ),
        "the lower of α + β × set-point + γ × (air − 18) and air + lift; the set-point whose soil comes nearest the middle "
        "of the band",
        ("starting_estimate", LEARNED_HERE, "growers_rule") if fit.rests_on else ("starting_estimate", "growers_rule"),
        "the tray as it stands and is covered now; no set-point that could take soil over the ceiling",
        round(chosen_c, 1),
        "°C",
        (f"expected soil {expected_c:.1f} °C, middle of the band {middle_c:.1f} °C",),
    )
