"""Forecasts for pages: worked out once for the same record, kept for a while in each server process."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from threading import Lock

from fennet.core.forecast import Forecast, forecast
from fennet.core.records import Batch, Journal
from fennet.crops import CropTable, shipped

#: "Now" moves in steps, so that pages seconds apart share an answer; what was just logged is always inside it.
STEP_S = 600.0
KEPT = 400
_kept: OrderedDict[Hashable, Forecast] = OrderedDict()
_lock = Lock()


def table_for(journal: Journal) -> CropTable:
    """The crop table with the garden's own kinds."""
    return shipped().with_own(journal.crops) if journal.crops else shipped()


def moment(journal: Journal, now_s: float) -> float:
    """The moment to answer for: now, to the step, but never before what is already logged."""
    latest = max(
        [e.at.timestamp() for e in journal.events]
        + [float(s.at_s[-1]) for s in journal.series if len(s.at_s)]
        + [b.sown_at.timestamp() for b in journal.batches],
        default=0.0,
    )
    return max(now_s // STEP_S * STEP_S, min(latest, now_s))


def answer(journal: Journal, batch: Batch, at_s: float, garden_id: int, curves: bool = False) -> Forecast | None:
    """The forecast of a batch, or None while it is not sown yet."""
    if batch.sown_at.timestamp() > at_s:
        return None
    lot = next((s for s in journal.seed_lots if s.id == batch.seed_lot), None)
    record = tuple((s.place, s.quantity, s.source, len(s.at_s), float(s.at_s[-1]), float(s.value.sum())) for s in journal.series)
    key = (
        garden_id,
        repr(batch),
        repr(lot),
        at_s,
        curves,
        len(journal.events),
        tuple(e.id for e in journal.events[-3:]),
        record,
        repr(journal.crops),
    )
    with _lock:
        if key in _kept:
            _kept.move_to_end(key)
            return _kept[key]
    made = forecast(journal, table_for(journal).get(batch.crop), batch, at_s, curves)
    with _lock:
        _kept[key] = made
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return made


def forget() -> None:
    """Empty the shelf of kept answers."""
    with _lock:
        _kept.clear()
