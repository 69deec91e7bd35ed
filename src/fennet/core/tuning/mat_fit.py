"""How a tray's soil answers to its mat: learned from the tray's own record, set-points already tried, and the air around it.

With power to spare the thermostat drives its own probe to the set-point, and soil at the seed is α + β·set-point + γ·(air − 18),
told here by what it stands over a set-point of 24 °C; flat out it is air + lift. Whichever is lower holds. Estimates begin from
what is usual, or from what this garden has learned of its mats, and move as far as the record carries them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from fennet.core.exposure import DAY_S, HOUR_S, soil_series
from fennet.core.heat_mat import LIFT_BARE_C, LIFT_COVERED_C
from fennet.core.history import place_stays
from fennet.core.records import Event, FloatArray, Journal, Series
from fennet.core.room_here import NEVER_S, Usual

#: What is usual before a record says otherwise: soil over a set-point of 24 °C, β, γ, lift, and their sd (lift by cover). Source:
#: starting_estimate.
USUAL_OFFSET_C, SD_OFFSET_C, SET_AT_C = 0.0, 2.0, 24.0
USUAL_SLOPE, SD_SLOPE = 1.0, 0.06
USUAL_AIR, SD_AIR = 0.0, 0.06
SD_LIFT_C = 2.5
#: A fit on one side of the bend beats the best on the other by so much (log likelihood) where it is clear which holds. Source:
#: convention.
CLEARLY = 2.0
#: Air at which γ adds nothing, °C; and the air supposed where none was read. Source: starting_estimate.
AIR_AT_C, SUPPOSED_AIR_C, SD_SUPPOSED_AIR_C = 18.0, 18.0, 3.0
#: Soil follows within hours: readings this soon after a change say nothing yet, h; and its time constant, h. Source:
#: starting_estimate.
SETTLES_H, TIME_CONSTANT_H = 8.0, 2.5
#: Error of one hour's soil against the model, °C. Hours of one day err together, hence wide. Source: starting_estimate.
SD_HOUR_C = 0.6
#: What a day's mean may still be off: the thermometer, and how the air goes on, °C. Source: starting_estimate.
SD_DAY_C = 0.45
#: Bounds of the four parameters and of air where it was not read.
LEAST, MOST = np.array([-8.0, 0.7, -0.4, 3.0, 0.0]), np.array([8.0, 1.3, 0.4, 25.0, 35.0])
#: So many days of record are used, and so many hours make a fit. Source: growers_rule.
LOOK_BACK_D, LEAST_HOURS, MOST_HOURS = 28.0, 6, 160


@dataclass(frozen=True)
class MatRecord:
    """Hours of one tray on one mat, settled: set-point, soil, air (NaN where unknown), covered; °C, one length."""

    at_s: FloatArray
    setpoint_c: FloatArray
    soil_c: FloatArray
    air_c: FloatArray
    covered: FloatArray

    def __len__(self) -> int:
        return len(self.at_s)

    @staticmethod
    def nothing() -> MatRecord:
        """No hours at all."""
        return MatRecord(*(np.zeros(0) for _ in range(5)))

    def thinned(self, most: int) -> MatRecord:
        """At most so many hours, evenly spread: more teach nothing and cost time."""
        step = -(-len(self) // most)
        return (
            self
            if step <= 1
            else MatRecord(*(x[::step] for x in (self.at_s, self.setpoint_c, self.soil_c, self.air_c, self.covered)))
        )


@dataclass(frozen=True)
class MatFit:
    """What is believed of a tray on its mat: (soil over a set-point of 24 °C, β, γ, lift, air where it was not read) with their
    covariance, from so many hours at so many set-points; `at_limit_share` the share of those hours that the mat ran flat out.
    `clear` where no other reading of the record, flat out for at ease or the other way round, fits nearly as well. `rests_on`
    months of this garden's that it began from."""

    mean: FloatArray
    covariance: FloatArray
    hours: int
    tried: tuple[float, ...]
    at_limit_share: float
    least_soil_c: float = float(MOST[4])
    clear: bool = False
    rests_on: int = 0

    @property
    def alpha_c(self) -> float:
        """α of α + β·set-point + γ·(air − 18)."""
        return float(self.mean[0] - SET_AT_C * (self.mean[1] - 1.0))

    def draws(self, n: int = 240) -> FloatArray:
        """Fixed draws of the parameters, (n, 5)."""
        out = np.random.default_rng(8).multivariate_normal(self.mean, self.covariance, n, method="eigh")
        out = np.clip(out, LEAST, MOST)
        # Air that was never read was no warmer than the coolest soil.
        out[:, 4] = np.minimum(out[:, 4], self.least_soil_c)
        return np.asarray(out)


def soil_by(theta: FloatArray, setpoint_c: FloatArray | float, air_c: FloatArray) -> FloatArray:
    """Soil at the seed for parameters (…, 4 or 5), broadcast over set-point and air, °C. Source: growers_rule.

    >>> soil_by(np.array([-1.0, 1.0, 0.0, 10.0]), np.array([24.0, 32.0]), np.array([18.0, 18.0])).tolist()
    [23.0, 28.0]
    """
    return np.asarray(np.minimum(np.maximum(_held_c(theta, setpoint_c, air_c), air_c), air_c + theta[..., 3]))


def _held_c(theta: FloatArray, setpoint_c: FloatArray | float, air_c: FloatArray) -> FloatArray:
    """What the thermostat holds the soil at with power to spare."""
    over = theta[..., 0] + (theta[..., 1] - 1.0) * (setpoint_c - SET_AT_C)
    return np.asarray(setpoint_c + over + theta[..., 2] * (air_c - AIR_AT_C))


def air_over(journal: Journal, tray: str, events: Sequence[Event], at_s: FloatArray) -> FloatArray:
    """Air around a tray at given moments as the soil feels it, hours behind, °C; NaN where none was read within six hours."""
    out = np.full(len(at_s), np.nan)
    # What was read later than the last moment asked about is not known yet.
    last_s = float(at_s.max()) if len(at_s) else 0.0
    room_of = {p.id: p.room for p in journal.places}
    for stay in place_stays(tray, events):
        here = (at_s >= stay.from_s) & (at_s < stay.to_s)
        for where in (room_of.get(stay.where), stay.where, tray):
            for whole in journal.series:
                if whole.quantity != "air_temperature" or whole.place != where:
                    continue
                s = whole.until(last_s)
                if len(s.at_s):
                    values = np.interp(at_s - TIME_CONSTANT_H * HOUR_S, s.at_s, s.value)
                    near = _nearest_s(s, at_s) <= 6 * HOUR_S
                    out = np.where(here & near, values, out)
    return out


def _nearest_s(s: Series, at_s: FloatArray) -> FloatArray:
    i = np.searchsorted(s.at_s, at_s)
    before, after = s.at_s[np.maximum(i - 1, 0)], s.at_s[np.minimum(i, len(s.at_s) - 1)]
    return np.asarray(np.minimum(np.abs(at_s - before), np.abs(after - at_s)))


def mat_record(
    journal: Journal, mat: str, tray: str, events: Sequence[Event], at_s: float, from_s: float = NEVER_S
) -> MatRecord:  # fmt: skip
    """Settled hours of a tray on a mat with a known set-point, over the last four weeks, and from a moment on (seconds UTC).
    `events` are effective events."""
    hours = np.arange(at_s - LOOK_BACK_D * DAY_S, at_s + 1.0, HOUR_S)
    mine = [e for e in events if e.kind == "mat" and e.fields["mat"] == mat and e.at_s <= at_s]
    setpoint = _steps(hours, [(e.at_s, float(e.fields["setpoint_c"])) for e in mine if "setpoint_c" in e.fields])
    on = [(e.at_s, float(e.fields.get("on") is not False)) for e in mine if e.fields.get("tray") in (tray, None) and (
        "on" in e.fields or e.fields.get("tray") == tray)]  # fmt: skip
    off_it = [
        (e.at_s, 0.0)
        for e in events
        if e.kind == "mat" and e.fields["mat"] != mat and e.fields.get("tray") == tray and e.fields.get("on") is not False
    ]
    lies = _steps(hours, sorted(on + off_it)) == 1.0
    covers = [(e.at_s, float(e.fields["on"] is True)) for e in events if e.kind == "cover" and e.fields["tray"] == tray]
    covered = np.nan_to_num(_steps(hours, covers))
    changes = sorted([e.at_s for e in mine] + [t for t, _ in covers] + [t for t, _ in off_it])
    since = hours - np.array([-np.inf, *changes])[np.searchsorted(changes, hours, side="right")]
    total, n = np.zeros(len(hours)), np.zeros(len(hours))
    for s in soil_series(journal, tray, events, at_s):
        near = _nearest_s(s, hours) <= 1.5 * HOUR_S
        total += np.where(near, np.interp(hours, s.at_s, s.value), 0.0)
        n += near
    air = air_over(journal, tray, events, hours)
    keep = lies & ~np.isnan(setpoint) & (n > 0) & (since >= SETTLES_H * HOUR_S) & (hours >= from_s)
    return MatRecord(hours[keep], setpoint[keep], (total / np.maximum(n, 1))[keep], air[keep], covered[keep])


def _steps(at_s: FloatArray, marks: Sequence[tuple[float, float]]) -> FloatArray:
    """A stepwise value at given moments; NaN before the first."""
    if not marks:
        return np.full(len(at_s), np.nan)
    times, values = np.array([t for t, _ in marks]), np.array([v for _, v in marks])
    i = np.searchsorted(times, at_s, side="right") - 1
    return np.where(i >= 0, values[np.maximum(i, 0)], np.nan)


def usual_lift_c(covered: bool) -> float:
    """What a mat adds flat out before the record says. Source: starting_estimate."""
    return LIFT_COVERED_C if covered else LIFT_BARE_C


#: What is usual of a mat of which this garden has learned nothing: how far soil stands over its set-point, what it lifts.
NOTHING_LEARNED = (Usual(USUAL_OFFSET_C, SD_OFFSET_C), Usual(0.0, SD_LIFT_C / LIFT_BARE_C))


def usual_of(journal: Journal, mat: str | None, tray: str) -> tuple[Usual, Usual]:
    """What is usual of a tray on a mat: its soil over the set-point (°C) and its lift (log of a factor), as this garden has
    learned it in months long over, or of one of which nothing is known."""
    here = journal.here
    pair = (mat or "", tray)
    return here.offset.get(pair, NOTHING_LEARNED[0]), here.lift.get(pair, NOTHING_LEARNED[1])


def fit_mat(record: MatRecord, covered: bool, usual: tuple[Usual, Usual] = NOTHING_LEARNED) -> MatFit:
    """The four parameters after a record, by least squares with what is usual as a prior. Source: starting_estimate for the
    prior, or learned_here.

    Where the air was not read it is taken for one unknown, steady figure, found along with the rest. An empty record gives the
    prior.
    """
    thin = record.thinned(MOST_HOURS)
    kept = (thin.at_s, thin.setpoint_c, thin.soil_c, thin.air_c, thin.covered)
    return _fitted(tuple(np.ascontiguousarray(x, dtype=float).tobytes() for x in kept), covered, len(record), usual)


@lru_cache(maxsize=128)
def _fitted(kept: tuple[bytes, ...], covered: bool, hours: int, usual: tuple[Usual, Usual]) -> MatFit:
    """`fit_mat` of a record by its bytes: the same hours are fitted once."""
    record = MatRecord(*(np.frombuffer(x) for x in kept))
    offset, lift = usual
    rests_on = max(offset.rests_on, lift.rests_on)
    lift_c = usual_lift_c(covered) * lift.times
    # Of a mat of which nothing is known a cover changes what it lifts and not how far that may be off.
    lift_sd_c = lift.sd * (lift_c if lift.rests_on or lift.own else LIFT_BARE_C)
    prior = np.clip([offset.off, USUAL_SLOPE, USUAL_AIR, lift_c, SUPPOSED_AIR_C], LEAST + 1e-3, MOST - 1e-3)
    sd = np.array([offset.sd, SD_SLOPE, SD_AIR, max(lift_sd_c, 1e-2), SD_SUPPOSED_AIR_C])
    unread = np.isnan(record.air_c)

    def residuals(theta: FloatArray) -> FloatArray:
        air = np.where(unread, theta[4], record.air_c)
        misses = (record.soil_c - _smooth_soil(theta, record.setpoint_c, air)) / SD_HOUR_C
        return np.concatenate([misses, (theta - prior) / sd])

    tried = tuple(float(x) for x in np.unique(record.setpoint_c))
    if len(record) < LEAST_HOURS:
        return MatFit(prior, np.diag(sd**2), hours, tried, 0.0, rests_on=rests_on)
    # From both sides of the bend: a mat flat out and one at ease may fit a single set-point alike.
    gap = float(np.nanmean(record.soil_c - np.where(unread, SUPPOSED_AIR_C, record.air_c)))
    ease = float(np.mean(record.soil_c - record.setpoint_c))
    starts = np.clip(
        [
            [ease, 1.0, 0.0, max(lift_c, gap + 2.0), SUPPOSED_AIR_C],
            [0.0, 1.0, 0.0, max(4.0, gap), SUPPOSED_AIR_C],
        ],
        LEAST + 1e-3,
        MOST - 1e-3,
    )
    both = sorted((least_squares(residuals, start, bounds=(LEAST, MOST)) for start in starts), key=lambda r: float(r.cost))
    found = both[0]
    jac = found.jac
    covariance = np.linalg.inv(jac.T @ jac)
    limits = [_at_limit(r.x, record, unread) for r in both]
    clear = (limits[0] > 0.5) == (limits[1] > 0.5) or float(both[1].cost - both[0].cost) > CLEARLY
    least_c = float(np.percentile(record.soil_c, 5))
    return MatFit(found.x, covariance, hours, tried, limits[0], least_c, clear, rests_on)


def _at_limit(theta: FloatArray, record: MatRecord, unread: NDArray[np.bool_]) -> float:
    """The share of hours that a mat ran flat out, by some parameters."""
    air = np.where(unread, theta[4], record.air_c)
    return float(np.mean(_held_c(theta, record.setpoint_c, air) > air + theta[3] + 0.3))


def _smooth_soil(theta: FloatArray, setpoint_c: FloatArray, air_c: FloatArray) -> FloatArray:
    """As `soil_by`, with the bends rounded over half a degree, so that a fit can feel its way across."""
    held = _held_c(theta, setpoint_c, air_c)
    held = air_c + 0.25 * np.logaddexp(0.0, (held - air_c) / 0.25)
    most = air_c + theta[3]
    return np.asarray(most - 0.25 * np.logaddexp(0.0, (most - held) / 0.25))
