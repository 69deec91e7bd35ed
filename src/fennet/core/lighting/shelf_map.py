"""A shelf's light from readings at known spots: the surface between them, how even it is, and what each tray has of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import RBFInterpolator

from fennet.core.light import DAY_S, lamp_states
from fennet.core.records import Event, FloatArray, Journal, Place
from fennet.core.room import RoomState, footprint_mm

#: Fewer spots than this make no map.
LEAST_SPOTS = 4
#: Points of the drawn surface along the longer side.
FINE = 48
#: A map is of one time: readings of a spot are taken from so long at most before the last of all. Source: growers_rule.
ONE_TIME_D = 14.0
#: A tray's ends that differ so many times are worth turning; a rim so much under the middle is a lamp too narrow. Source:
#: starting_estimate.
TURN_FROM, NARROW_UNDER, UNEVEN_UNDER = 1.3, 0.6, 0.7


@dataclass(frozen=True)
class TrayOnMap:
    """A tray on the map: where it stands (mm from the place's left and front), and PPFD over it, `umol[row, column]`."""

    tray: str
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float
    umol: FloatArray

    @property
    def mean_umol(self) -> float:
        return float(self.umol.mean())

    @property
    def least_umol(self) -> float:
        return float(self.umol.min())

    @property
    def most_umol(self) -> float:
        return float(self.umol.max())

    @property
    def ends_umol(self) -> tuple[float, float]:
        """The means of its left and of its right half."""
        half = self.umol.shape[1] // 2
        return float(self.umol[:, :half].mean()), float(self.umol[:, half:].mean())

    def share_in(self, low_umol: float, high_umol: float) -> float:
        """The part of the tray, 0–1, whose PPFD lies from one figure to another."""
        return float(((self.umol >= low_umol) & (self.umol <= high_umol)).mean())


@dataclass(frozen=True)
class ShelfMap:
    """PPFD over a shelf: `umol[j, i]` at (x_mm[i], y_mm[j]), the spots it rests on, and the trays on it."""

    place: str
    x_mm: FloatArray
    y_mm: FloatArray
    umol: FloatArray
    spots: tuple[tuple[float, float, float], ...]
    trays: tuple[TrayOnMap, ...]

    @property
    def mean_umol(self) -> float:
        return float(self.umol.mean())

    @property
    def evenness(self) -> float:
        """Least over mean, 0–1."""
        return float(self.umol.min() / self.umol.mean())

    def advice(self) -> list[tuple[str, str]]:
        """Pairs of (deed, tray): turn a tray whose ends differ, swap_ends where the middle of the shelf is brighter than its
        ends, narrow where the rim has little. Source: starting_estimate."""
        out = [("turn", t.tray) for t in self.trays if max(t.ends_umol) >= TURN_FROM * min(t.ends_umol)]
        if len(self.trays) > 1:
            means = sorted(self.trays, key=lambda t: t.mean_umol)
            if means[-1].mean_umol >= TURN_FROM * means[0].mean_umol:
                out.append(("swap", means[0].tray))
        depth = self.umol[[0, -1]].mean() / self.umol[self.umol.shape[0] // 2].mean() if self.umol.shape[0] > 2 else 1.0
        if depth < NARROW_UNDER:
            out.append(("narrow", ""))
        elif self.evenness < UNEVEN_UNDER and not out:
            out.append(("uneven", ""))
        return out


def surface(spots: Sequence[tuple[float, float, float]], x_mm: FloatArray, y_mm: FloatArray) -> FloatArray:
    """PPFD between spots (x mm, y mm, PPFD), on a grid: exact at the spots, never under the least or over the most of them
    by more than a tenth. Raises ValueError for fewer than four spots. Source: arithmetic (radial basis functions).

    >>> flat = [(0, 0, 100.0), (100, 0, 100.0), (0, 100, 100.0), (100, 100, 100.0)]
    >>> surface(flat, np.array([50.0]), np.array([50.0])).round(3).tolist()
    [[100.0]]
    """
    if len(spots) < LEAST_SPOTS:
        raise ValueError(f"{len(spots)} spots; a map needs {LEAST_SPOTS} or more")
    at = np.array([s[:2] for s in spots], dtype=float)
    value = np.array([s[2] for s in spots], dtype=float)
    gx, gy = np.meshgrid(x_mm, y_mm)
    between = RBFInterpolator(at, value, kernel="linear", degree=0)(np.column_stack([gx.ravel(), gy.ravel()]))
    return np.asarray(np.clip(between, 0.9 * value.min(), 1.1 * value.max()).reshape(gx.shape))


def shelf_map(
    journal: Journal, place: Place, state: RoomState, events: Sequence[Event], at_s: float
) -> ShelfMap | None:  # fmt: skip
    """The light map of a place from the spots read there since its lamps last moved; None with fewer than four spots or no
    measures. Source: arithmetic."""
    if not place.width_mm or not place.depth_mm:
        return None
    moved = max(
        (s.from_s for x in journal.lamps for s in lamp_states(x, events) if s.place == place.id and s.from_s <= at_s),
        default=-np.inf,
    )
    found: dict[tuple[float, float], tuple[float, float]] = {}
    for s in journal.series:
        if s.quantity != "light" or s.place != place.id or s.spot_mm is None or s.spot_mm[0] is None:
            continue
        known = s.only((s.at_s <= at_s) & (s.at_s >= moved) & (s.value > 0))
        if len(known.at_s):
            found[(s.spot_mm[0], s.spot_mm[1] if s.spot_mm[1] is not None else place.depth_mm / 2)] = (
                float(known.at_s[-1]), float(known.value[-1]),
            )  # fmt: skip
    last = max((t for t, _ in found.values()), default=0.0)
    spots = [(x, y, v) for (x, y), (t, v) in sorted(found.items()) if last - t <= ONE_TIME_D * DAY_S]
    if len(spots) < LEAST_SPOTS:
        return None
    longer = max(place.width_mm, place.depth_mm)
    x_mm = np.linspace(0, place.width_mm, max(6, round(FINE * place.width_mm / longer)))
    y_mm = np.linspace(0, place.depth_mm, max(6, round(FINE * place.depth_mm / longer)))
    return ShelfMap(
        place.id, x_mm, y_mm, surface(spots, x_mm, y_mm), tuple(spots),
        tuple(_trays(journal, place, state, spots)),
    )  # fmt: skip


def _trays(journal: Journal, place: Place, state: RoomState, spots: Sequence[tuple[float, float, float]]) -> list[TrayOnMap]:
    out = []
    for tray in journal.trays:
        here = state.trays[tray.id]
        size = footprint_mm(tray, here.turned_deg)
        if here.place != place.id or here.x_mm is None or size is None:
            continue
        x, (width, depth) = here.x_mm, size
        y = here.y_mm if here.y_mm is not None else max(0.0, ((place.depth_mm or 0.0) - depth) / 2)
        over = surface(spots, np.linspace(x, x + width, 16), np.linspace(y, y + depth, 12))
        out.append(TrayOnMap(tray.id, x, y, width, depth, over))
    return out
