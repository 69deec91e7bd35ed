"""Mat places, when fewer than trays: which tray next, when each place comes free, and what an exchange would gain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.crop import Crop
from fennet.core.records import Event, Journal
from fennet.core.room import room_at
from fennet.core.tuning.mats import MatSetting
from fennet.core.tuning.on_mat import OnMat, tray_on

#: An exchange is worth the handling from so many days on. Source: starting_estimate.
WORTH_D = 0.75
USUAL_PLACES = 1


@dataclass(frozen=True)
class Exchange:
    """A tray onto a mat, for another or into a free place: days gained together, the middle seed of each batch."""

    mat: str
    tray: str
    instead_of: str | None
    gain_days: float


@dataclass(frozen=True)
class Place:
    """One place on a mat: who lies there, and days until the middle seed of the slowest batch in it is up (0: can go)."""

    mat: str
    tray: str | None
    free_in_days: float


def places(settings: Sequence[MatSetting]) -> list[Place]:
    """Every mat place with when it comes free. Source: arithmetic."""
    out = []
    for s in settings:
        for t in s.trays:
            soil_c = t.now_c if t.now_c is not None else t.air_c
            out.append(Place(s.mat.id, t.tray, max((w.days(soil_c) for w in t.waiting), default=0.0)))
        free = (s.mat.trays_max or max(USUAL_PLACES, len(s.trays))) - len(s.trays)
        out += [Place(s.mat.id, None, 0.0)] * max(0, free)
    return out


def exchanges(
    journal: Journal, crops: Mapping[str, Crop], settings: Sequence[MatSetting], events: Sequence[Event], at_s: float
) -> list[Exchange]:
    """What each tray that waits in the cold would gain from a place, free or another's; the best first, those worth it only.

    A tray moved onto a mat is taken to have the soil of those there, or the middle of its own band as far as the mat lifts;
    one moved
    off has the air of where it stood. `events` are effective events. Source: growers_rule.
    """
    state = room_at(journal, events, at_s)
    on_mat = {t.tray for s in settings for t in s.trays}
    idle = [
        m for m in journal.mats if m.id not in {s.mat.id for s in settings} and (m.until is None or m.until.timestamp() > at_s)
    ]
    waiting = []
    for tray in journal.trays:
        if tray.id not in on_mat and state.trays[tray.id].place is not None:
            there = tray_on(journal, crops, None, state.trays[tray.id], events, at_s)
            if there.waiting:
                waiting.append(there)
    out = []
    for t in waiting:
        cold = t.now_c if t.now_c is not None else t.air_c
        for m in idle:
            out.append(Exchange(m.id, t.tray, None, _days(t, cold) - _days(t, _warm(t))))
        for s in settings:
            heat = _heat(s, t)
            gain = _days(t, cold) - _days(t, heat)
            if len(s.trays) < (s.mat.trays_max or 0):
                out.append(Exchange(s.mat.id, t.tray, None, gain))
                continue
            for o in s.trays:
                mine = o.now_c if o.now_c is not None else _heat(s, o)
                out.append(Exchange(s.mat.id, t.tray, o.tray, gain - (_days(o, o.air_c) - _days(o, mine))))
    best: dict[str, Exchange] = {}
    for e in out:
        if e.gain_days >= WORTH_D and (e.tray not in best or e.gain_days > best[e.tray].gain_days):
            best[e.tray] = e
    return sorted(best.values(), key=lambda e: -e.gain_days)


def _days(t: OnMat, soil_c: np.ndarray) -> float:
    return sum(w.days(soil_c) for w in t.waiting)


def _warm(t: OnMat) -> np.ndarray:
    """Soil that a mat of its own would bring: the middle of its band, as far as a mat lifts."""
    target_c = max(w.crop.target_soil_c for w in t.waiting)
    return np.minimum(np.maximum(t.air_c, target_c), t.air_c + float(t.fit.mean[3]))


def _heat(s: MatSetting, t: OnMat) -> np.ndarray:
    """Soil that a tray would have on a mat as it is set now."""
    for o in s.trays:
        if o.now_c is not None:
            return o.now_c
    return _warm(t) if t.waiting else t.air_c
