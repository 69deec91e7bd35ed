"""Forecasts for pages: worked out once for the same record, kept for a while in each server process."""

from __future__ import annotations

from fennet.core.forecast import Forecast, forecast
from fennet.core.history import forebears
from fennet.core.records import Batch, Event, Journal, Series
from fennet.crops import CropTable, shipped
from fennet.web import asking
from fennet.web.keeping import Kept
from fennet.web.parts import part

#: "Now" moves in the half hours of the forecast's grid, so that pages minutes apart share an answer; what was just
#: logged is always inside it.
STEP_S = 1800.0
#: What is written of a garden without bearing on when seed comes up.
BESIDE = ("note", "lamp", "fan", "set")
_kept: Kept[Forecast] = Kept(400)


def table_for(journal: Journal) -> CropTable:
    """The crop table with the garden's own kinds."""
    return shipped().with_own(journal.crops) if journal.crops else shipped()


def _own(journal: Journal, batch: Batch) -> tuple[list[Event], list[Series]]:
    """The events and series that can bear on a batch: its own, and those of what it was parted from."""
    mine = [batch, *forebears(journal, batch)]
    ids, trays = {b.id for b in mine}, {b.tray for b in mine}
    events = [
        e
        for e in journal.events
        if e.kind not in BESIDE
        and e.fields.get("batch", batch.id) in ids
        and (e.fields.get("batch") or e.fields.get("tray", batch.tray) in trays)
    ]
    others = ({t.id for t in journal.trays} | {b.id for b in journal.batches}) - ids - trays
    return events, [s for s in journal.series if s.place not in others]


def answer(journal: Journal, batch: Batch, now_s: float, curves: bool = False) -> Forecast | None:
    """The forecast of a batch, or None while it is not sown yet."""
    if batch.sown_at.timestamp() > now_s:
        return None
    events, series = _own(journal, batch)
    latest = max(
        [e.at.timestamp() for e in events] + [float(s.at_s[-1]) for s in series if len(s.at_s)] + [batch.sown_at.timestamp()]
    )
    at_s = max(now_s // STEP_S * STEP_S, min(latest, now_s))
    lot = next((s for s in journal.seed_lots if s.id == batch.seed_lot), None)
    record = tuple(
        (s.place, s.quantity, s.source, len(s.at_s), float(s.at_s[-1]), float(s.value.sum())) for s in series if len(s.at_s)
    )
    key = (*asking.identity(), repr(batch), repr(lot), at_s, curves, tuple(e.id for e in events), record, repr(journal.crops))
    return part(
        f"the forecast of {batch.id}",
        lambda: _kept.get(key, lambda: forecast(journal, table_for(journal).get(batch.crop), batch, at_s, curves)),
        None,
        batch.id,
    )


def forget() -> None:
    """Empty the shelf of kept answers."""
    _kept.forget()
