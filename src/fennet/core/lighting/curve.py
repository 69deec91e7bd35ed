"""How bright a lamp is at a distance: its curve, learned from the readings that were taken under it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from fennet.core.history import Stay, place_stays, tray_stays
from fennet.core.kept import shared
from fennet.core.light import (
    DAY_S,
    FACE_DEPTH_MM,
    FALL_OFF,
    FALL_OFF_SD,
    LampState,
    from_lumens_umol,
    lamp_at,
    lamp_states,
    lit_at,
)
from fennet.core.records import Event, FloatArray, Journal, Lamp, Place, Tray
from fennet.core.room import canopy_mm, leaf_distance_mm
from fennet.core.room_here import NEVER_S, Usual
from fennet.core.working import Input, Interval, Working

#: Distance at which a curve's level is told, mm.
AT_MM = 150.0
#: Log sd of one reading: the meter, and holding it where the leaf is. Source: starting_estimate.
METER_SD, AIM_SD = 0.05, 0.04
#: Log sd of one reading said of a whole place, and of how one tray stands against the middle of the light. Source:
#: starting_estimate.
SOMEWHERE_SD, TRAY_SD = 0.20, 0.20
#: Log sd of a level judged from lumens (about 40 %), and of one that nothing is known of. Source: starting_estimate.
LUMENS_SD, UNKNOWN_SD, UNKNOWN_UMOL = 0.4, 1.2, 150.0
#: How the fall-off itself grows with distance, from under one close by towards two far off: by each e-fold of (d + d₀).
#: Source: starting_estimate.
BEND, BEND_SD = 0.5, 0.4
#: A reading so many times over (under) what all the others say was not taken at the leaf. Source: starting_estimate.
FAR_OFF = 1.9
#: Why a reading is doubted: taken at the lamp's own height, or in somebody's shade.
DOUBTED = ("read_at_lamp", "shaded")
#: Nearer to the lamp's face than this no leaf is read, mm. Source: growers_rule.
LEAST_GAP_MM = 5.0
#: Readings older than this say little of a lamp that ages, and no more than so many are used. Source: growers_rule.
OLDEST_D, MOST_READINGS = 150.0, 60
_P90 = 1.2816
#: What hangs a lamp, and says where leaves are under it.
TELLS_OF_LIGHT = frozenset(("lamp", "placed", "potted_up", "moved", "height"))


@dataclass(frozen=True)
class LightPoint:
    """One reading under a lamp: when, in which tray (None: somewhere on the place), how far from the lamp's face, how bright.

    `ppfd_umol` is this lamp's part at full power; `why` says why it was left out ("": it was used).
    """

    at_s: float
    tray: str | None
    distance_mm: float
    ppfd_umol: float
    share: float = 1.0
    why: str = ""


@dataclass(frozen=True)
class LampCurve:
    """PPFD = level · ((150 + d₀)/(d + d₀))^n at full power, n growing with distance, for every tray under one lamp; log-normal.

    `mean` and `covariance` of (ln level, n at 150 mm, its growth, then ln of each tray against the middle). `basis` measured,
    earlier (read in seasons past), lumens or none; `rests_on` months of earlier readings that its level began from.
    """

    lamp: str
    d0_mm: float
    mean: FloatArray
    covariance: FloatArray
    trays: tuple[str, ...]
    points: tuple[LightPoint, ...]
    left_out: tuple[LightPoint, ...]
    basis: str
    rests_on: int = 0

    @property
    def exponent(self) -> float:
        return float(self.mean[1])

    @property
    def measured_mm(self) -> tuple[float, float] | None:
        """The nearest and farthest distance that was read at."""
        at = [p.distance_mm for p in self.points]
        return (min(at), max(at)) if at else None

    def row(self, distance_mm: float, tray: str | None) -> FloatArray:
        out = np.zeros(len(self.mean))
        out[:SHARED] = _row(distance_mm, self.d0_mm)
        if tray in self.trays:
            out[SHARED + self.trays.index(tray)] = 1.0
        return out

    def log_at(self, distance_mm: float, tray: str | None = None) -> tuple[float, float]:
        """Mean and sd of ln PPFD at a distance from the lamp's face."""
        row = self.row(distance_mm, tray)
        extra = 0.0 if tray in self.trays else TRAY_SD**2
        return float(row @ self.mean), math.sqrt(max(0.0, float(row @ self.covariance @ row)) + extra)

    def middle_log(self, distances_mm: FloatArray, tray: str | None = None) -> FloatArray:
        """The mean of ln PPFD at several distances."""
        x = np.log((np.maximum(distances_mm, 1.0) + self.d0_mm) / (AT_MM + self.d0_mm))
        own = float(self.mean[SHARED + self.trays.index(tray)]) if tray in self.trays else 0.0
        return np.asarray(self.mean[0] - self.mean[1] * x - 0.5 * self.mean[2] * x * x + own)

    def ppfd(self, distance_mm: float, tray: str | None = None, dim: float = 1.0) -> Interval[float]:
        """Brightness at a distance from the lamp's face, µmol m⁻² s⁻¹, with its 80 % range. Range: 10–1500 mm."""
        middle, sd = self.log_at(distance_mm, tray)
        p50 = math.exp(middle) * dim
        return Interval(p50 * math.exp(-_P90 * sd), p50, p50 * math.exp(_P90 * sd))

    def carried_umol(self, ppfd_umol: float, from_mm: float, to_mm: float) -> float:
        """What a reading at one distance from the lamp's face says for another. Range: 10–1500 mm."""
        return ppfd_umol * math.exp(float((self.row(to_mm, None) - self.row(from_mm, None)) @ self.mean))

    def working(self) -> Working:
        sd = np.sqrt(np.diag(self.covariance))
        told = {
            "measured": f"{len(self.points)} readings", "earlier": f"readings of {self.rests_on} months before, and its age",
            "lumens": "the lamp’s lumens, ± 40 %", "none": "nothing",
        }[self.basis]  # fmt: skip
        return Working(
            "brightness by distance",
            (
                Input(
                    "level at 150 mm",
                    round(math.exp(float(self.mean[0])), 1),
                    "µmol m⁻² s⁻¹",
                    told,
                    self.basis in ("lumens", "none"),
                ),
                Input("fall-off n", round(self.exponent, 2), "", f"± {sd[1]:.2f}", len(self.points) < 2),
                Input("growth of n by each e-fold of distance", round(float(self.mean[2]), 2), "", f"± {sd[2]:.2f}", True),
                Input("depth of the lamp behind its face d₀", self.d0_mm, "mm", "starting_estimate", True),
                Input("error of one reading", 100 * METER_SD, "%", "starting_estimate", True),
            ),
            "level × ((150 + d₀) / (distance + d₀))^n, n growing with distance, by least squares in logs with n about 1.2 ± 0.4",
            ("starting_estimate", "arithmetic"),
            "10–1500 mm from the lamp’s face, best between the distances that were read at",
        )


#: Parameters that all trays share: ln level, n, its growth.
SHARED = 3


def _row(distance_mm: float, d0_mm: float) -> tuple[float, float, float]:
    """What multiplies ln level, n and its growth in ln PPFD at a distance."""
    x = math.log((max(distance_mm, 1.0) + d0_mm) / (AT_MM + d0_mm))
    return 1.0, -x, -0.5 * x * x


def fit_curve(
    lamp: Lamp,
    points: Sequence[LightPoint],
    rough_umol: float | None = None,
    trays: Sequence[str] = (),
    usual: Usual | None = None,
) -> LampCurve:
    """A lamp's curve from readings at known distances; with none, from its lumens or from nothing at all.

    `rough_umol` the mean over the lit area by lumens; `usual` what this garden has learned the lamp gives against that, or
    against a lamp of which nothing is known. Readings so far off the others that they cannot have been taken at the leaf are left
    out and told. Source: starting_estimate (n 1.2 ± 0.4, d₀ by kind, meter 5 %), learned_here, arithmetic.

    >>> one = [LightPoint(0.0, "A", 150.0, 200.0)]
    >>> c = fit_curve(Lamp(id="l", kind="white_led"), one)
    >>> round(c.ppfd(150.0, "A").p50), round(c.ppfd(80.0, "A").p50)
    (200, 312)
    """
    d0 = FACE_DEPTH_MM.get(lamp.kind or "", 60.0)
    used = list(points)[-MOST_READINGS:]
    out: list[LightPoint] = []
    known = tuple(dict.fromkeys([*trays, *(p.tray for p in used if p.tray)]))
    while True:
        fitted = _solve(lamp, used, rough_umol, known, d0, usual)
        worst = _worst(fitted, used)
        if worst is None:
            return replace(fitted, left_out=tuple(out))
        point, times = worst
        used.remove(point)
        out.append(replace(point, why="read_at_lamp" if times > 1 else "shaded"))


def _solve(
    lamp: Lamp, points: Sequence[LightPoint], rough: float | None, trays: tuple[str, ...], d0: float, usual: Usual | None = None
) -> LampCurve:
    """Linear least squares in logs with priors: one line, a level for each tray against the middle."""
    n = SHARED + len(trays)
    level, level_sd = (math.log(rough), LUMENS_SD) if rough else (math.log(UNKNOWN_UMOL), UNKNOWN_SD)
    if usual is not None:
        level, level_sd = level + usual.off, max(usual.sd, 1e-3)
    mean = np.array([level, FALL_OFF, BEND, *[0.0] * len(trays)])
    precision = np.diag([1 / level_sd**2, 1 / FALL_OFF_SD**2, 1 / BEND_SD**2, *[1 / TRAY_SD**2] * len(trays)])
    pull = precision @ mean
    if points:
        column = {tray: SHARED + i for i, tray in enumerate(trays)}
        rows = np.zeros((len(points), n))
        for i, p in enumerate(points):
            rows[i, :SHARED] = _row(p.distance_mm, d0)
            if p.tray in column:
                rows[i, column[p.tray]] = 1.0
        weighted = rows * np.array([1.0 / _sd(p) ** 2 for p in points])[:, None]
        precision = precision + weighted.T @ rows
        pull = pull + weighted.T @ np.array([math.log(max(p.ppfd_umol, 0.1)) for p in points])
    covariance = np.linalg.inv(precision)
    rests_on = usual.rests_on if usual is not None else 0
    basis = "measured" if points else "earlier" if rests_on else "lumens" if rough else "none"
    return LampCurve(lamp.id, d0, covariance @ pull, covariance, trays, tuple(points), (), basis, rests_on)


def _sd(p: LightPoint) -> float:
    # Where several lamps shine together, how much was this one's is itself a guess.
    return math.sqrt(METER_SD**2 + AIM_SD**2 + (0.0 if p.tray else SOMEWHERE_SD**2) + (0.3 * (1 - p.share)) ** 2)


def _worst(fitted: LampCurve, points: Sequence[LightPoint]) -> tuple[LightPoint, float] | None:
    """The reading that all the others contradict most, if it is beyond belief, and how many times over them it is.

    What the others say without it follows from the whole fit: least squares lose one reading in closed form. Source: arithmetic.
    """
    if len(points) < 3:
        return None
    found: tuple[LightPoint, float] | None = None
    for p in points:
        row = fitted.row(p.distance_mm, p.tray)
        leans = float(row @ fitted.covariance @ row)
        free = max(1e-9, 1.0 - leans / _sd(p) ** 2)
        off = (math.log(max(p.ppfd_umol, 0.1)) - float(row @ fitted.mean)) / free
        sd = math.sqrt(leans / free + (0.0 if p.tray in fitted.trays else TRAY_SD**2))
        beyond = abs(off) > math.log(FAR_OFF) and abs(off) > 3.0 * math.hypot(sd, _sd(p))
        if beyond and (found is None or abs(off) > abs(math.log(found[1]))):
            found = (p, math.exp(off))
    return found


def light_points(
    journal: Journal, lamp: Lamp, events: Sequence[Event], at_s: float, since_s: float = NEVER_S
) -> tuple[list[LightPoint], list[LightPoint]]:
    """The readings that tell of one lamp up to a moment, and after another (seconds UTC), at the distance it hung then: those to
    use, and those that cannot be used with the reason (read_at_lamp: taken at the lamp's own height; no_height: nobody logged how
    it hung; lux_unknown: lux under a lamp whose colours they do not measure).

    `events` are effective events. Readings of the sky are not the lamp's. Where several hang over a place each has its share
    by lumens or watts. Source: arithmetic.
    """
    used: list[LightPoint] = []
    out: list[LightPoint] = []
    zone = journal.garden.zone
    # Of the whole record only these bear on where a tray is, how a lamp hung, where a batch is, and how tall.
    hung = [e for e in events if e.kind == "lamp"]
    placed = [e for e in events if e.kind == "placed"]
    states = [s for s in lamp_states(lamp, hung) if s.from_s <= at_s]
    trays = {t.id: t for t in journal.trays}
    stays = {t: place_stays(t, placed) for t in trays}
    heights: dict[tuple[str, float], float | None] = {}
    moves = [e for e in events if e.kind in ("potted_up", "moved")]
    grown = [e for e in events if e.kind in ("height", "moved")]
    stood = {b.id: tray_stays(b, moves) for b in journal.batches}
    others_hung = {x.id: lamp_states(x, hung) for x in journal.lamps if x.id != lamp.id}
    for series in journal.series:
        if series.quantity != "light" or len(series.at_s) == 0:
            continue
        recent = (series.at_s <= at_s) & (series.at_s > max(since_s, at_s - OLDEST_D * DAY_S))
        for i in np.flatnonzero(recent & ((series.value > 0.5) | np.isnan(series.value))):
            t = float(series.at_s[i])
            if series.daylight is not None and bool(series.daylight[i]):
                continue
            state = next((s for s in reversed(states) if s.from_s <= t), None)
            batch = next((b for b in journal.batches if b.id == series.place), None)
            tray = trays.get(_where(stood[batch.id], t) or "" if batch else series.place)
            place = series.place if tray is None else _where(stays[tray.id], t)
            if state is None or state.place is None or state.place != place or state.periods == ():
                continue
            spot = series.spot_mm or (None, None, None)
            if tray is None:
                tray = _tray_at(journal, placed, place, spot[0], t)
            others = [x for x in journal.lamps if x.id != lamp.id and _hangs(others_hung[x.id], t) == place]
            if others:
                # Lamps on different timers are not all lit at once: a reading is of those that were.
                others = [x for x in others if lit_at(others_hung[x.id], zone, t)]
                if others and not lit_at(states, zone, t):
                    continue
            share = _share(lamp, others)
            # Gone by long ago or by a logger every few minutes: one figure an hour is enough.
            dim = (state.dim_pct if state.dim_pct is not None else 100.0) / 100
            if dim <= 0:
                continue
            point = LightPoint(t, tray.id if tray else None, 0.0, float(series.value[i]) * share / dim, share)
            if np.isnan(series.value[i]):
                out.append(replace(point, ppfd_umol=0.0, why="lux_unknown"))
                continue
            if state.height_mm is None:
                out.append(replace(point, why="no_height"))
                continue
            if spot[2] is not None:
                distance: float | None = state.height_mm - spot[2]
            else:
                key = (tray.id if tray else "", t)
                if key not in heights:
                    inside = [b for b in journal.batches if tray is not None and _where(stood[b.id], t) == tray.id]
                    heights[key] = canopy_mm(inside, grown, t, journal.series)
                distance = leaf_distance_mm(state.height_mm, tray or Tray(id="somewhere"), heights[key])
            if distance is None or distance < LEAST_GAP_MM:
                out.append(replace(point, why="read_at_lamp"))
                continue
            used.append(replace(point, distance_mm=distance))
    return _by_the_hour(used), out


def _where(stays: Sequence[Stay], t: float) -> str | None:
    return next((s.where for s in reversed(stays) if s.from_s <= t), None)


def _by_the_hour(points: Sequence[LightPoint]) -> list[LightPoint]:
    """A logger's readings made one an hour and tray: a hundred of one moment are no hundred readings."""
    kept: dict[tuple[str | None, int, int], list[LightPoint]] = {}
    for p in sorted(points, key=lambda p: p.at_s):
        kept.setdefault((p.tray, round(p.distance_mm / 5.0), int(p.at_s // 3600)), []).append(p)
    return [replace(g[-1], ppfd_umol=float(np.median([p.ppfd_umol for p in g]))) for g in kept.values()]


def _hangs(states: Sequence[LampState], t: float) -> str | None:
    state = next((s for s in reversed(states) if s.from_s <= t), None)
    return state.place if state is not None and state.periods != () else None


def _share(lamp: Lamp, others: Sequence[Lamp]) -> float:
    """A lamp's part of the light where several hang over one place: by lumens, else by watts, else alike."""
    for name in ("lumens", "watts"):
        parts = [getattr(x, name) for x in (lamp, *others)]
        if all(parts):
            return float(parts[0] / sum(parts))
    return 1.0 / (1 + len(others))


def _tray_at(journal: Journal, placed: Sequence[Event], place: str | None, x_mm: float | None, t: float) -> Tray | None:
    """The tray that a spot of a place falls into; `placed` the events that say where trays stand."""
    if x_mm is None or place is None:
        return None
    for tray in journal.trays:
        mine = [e for e in placed if e.fields["tray"] == tray.id and e.at_s <= t]
        if not mine or mine[-1].fields["place"] != place or tray.width_mm is None:
            continue
        left = mine[-1].fields.get("x_mm")
        if left is not None and left <= x_mm <= left + tray.width_mm:
            return tray
    return None


def lamp_curve(journal: Journal, lamp: Lamp, events: Sequence[Event], at_s: float, trays: Sequence[str] = ()) -> LampCurve:
    """A lamp's curve as the record knows it at a moment (seconds UTC). `trays` hang under it now and get a level of their own.

    Source: starting_estimate, thimijan_heins_1983 (lumens).
    """
    told = [e for e in events if e.kind in TELLS_OF_LIGHT]
    read = [s for s in journal.series if s.quantity in ("light", "height")]
    usual = journal.here.output.get(lamp.id)
    since_s = usual.since_s if usual is not None else NEVER_S
    found = shared("light_points", journal, told, read, lambda part: light_points(part, lamp, told, at_s, since_s), lamp.id, at_s)
    # Trays that were read under it have a level of their own anyway: the others make another curve.
    others = tuple(sorted(set(trays) - {p.tray for p in found[0][-MOST_READINGS:]}))
    return shared(
        "lamp_curve", journal, told, read, lambda part: _lamp_curve(part, lamp, at_s, others, *found), lamp.id, at_s, others
    )


def rough_umol(journal: Journal, lamp: Lamp, place: Place | None) -> float | None:
    """A rough mean over the lit area by a lamp's lumens, as lamps turned out in this garden; None where these are not known.

    Source: starting_estimate, thimijan_heins_1983, learned_here.
    """
    rough, usual = from_lumens_umol(lamp, place), journal.here.output.get(lamp.id)
    return rough * usual.times if rough and usual is not None else rough


def _lamp_curve(
    journal: Journal, lamp: Lamp, at_s: float, trays: Sequence[str], points: list[LightPoint], unused: list[LightPoint]
) -> LampCurve:
    events = journal.events
    state = lamp_at(lamp, events, at_s)
    place = next((p for p in journal.places if p.id == state.place), None)
    found = fit_curve(lamp, points, from_lumens_umol(lamp, place), trays, journal.here.output.get(lamp.id))
    return replace(found, left_out=(*found.left_out, *unused))
