"""What shone on a place where a light reading does not say: one kind of lamp, the sky, or nothing that can be named."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from fennet.core.history import place_stays, tray_stays
from fennet.core.light import lamp_states
from fennet.core.records import Event, FloatArray, Journal
from fennet.core.units import LUX_PER_PPFD, lux_factor

#: Places that have the sky for their light where no lamp hangs.
UNDER_SKY = ("sill", "porch", "outdoors")


class ShoneOn:
    """The lamps and the sky of a record, to be asked what a reading in lux was taken under. `events` are effective events."""

    def __init__(self, journal: Journal, events: Sequence[Event]) -> None:
        self._journal = journal
        self._events = events
        self._lamps = {lamp.id: lamp_states(lamp, events) for lamp in journal.lamps}
        self._by_id = {lamp.id: lamp for lamp in journal.lamps}
        self._kinds = {p.id: p.kind for p in journal.places}
        moves = [e.at_s for e in events if e.kind in ("placed", "lamp", "potted_up", "moved")]
        self._edges_s = np.array(sorted(set(moves)))

    def lux_per_ppfd(self, where: str, at_s: FloatArray) -> FloatArray:
        """Lux per µmol m⁻² s⁻¹ at a place, tray or batch at each time (seconds UTC); NaN where lux cannot be turned.

        Where several lamps hang over it they must be alike. Source: thimijan_heins_1983.
        """
        segment: NDArray[np.intp] = np.searchsorted(self._edges_s, at_s, side="right")
        out = np.full(len(at_s), np.nan)
        for s in np.unique(segment):
            inside = segment == s
            found = self._factor(where, float(at_s[inside][0]))
            if found is not None:
                out[inside] = found
        return out

    def _factor(self, where: str, t: float) -> float | None:
        place = self._place_of(where, t)
        if place is None:
            return None
        over = set()
        for id, states in self._lamps.items():
            state = next((s for s in reversed(states) if s.from_s <= t), None)
            if state is not None and state.place == place and state.periods != ():
                over.add(lux_factor(self._by_id[id]))
        if not over and self._kinds.get(place) in UNDER_SKY:
            return LUX_PER_PPFD["daylight"]
        return over.pop() if len(over) == 1 else None

    def _place_of(self, where: str, t: float) -> str | None:
        """The place that a reading's place, tray or batch stood on."""
        if where in self._kinds:
            return where
        batch = next((b for b in self._journal.batches if b.id == where), None)
        if batch is not None:
            trays = [s.where for s in tray_stays(batch, self._events) if s.from_s <= t < s.to_s]
            if not trays:
                return None
            where = trays[-1]
        return next((s.where for s in place_stays(where, self._events) if s.from_s <= t < s.to_s), None)
