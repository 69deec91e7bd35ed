"""Findings for pages: argued once for what bears on a batch, kept for a while in each server process."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import replace

from fennet.core.diagnosis.finding import Finding
from fennet.core.diagnosis.findings import findings
from fennet.core.exposure import STEP_S
from fennet.core.history import forebears, place_stays, tray_stays
from fennet.core.light import lamp_states
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import tray_of
from fennet.crops.complaints import shipped_complaints
from fennet.web import answers, asking, parts, record
from fennet.web.bands import corrections
from fennet.web.keeping import Kept

#: What is done in one tray and says nothing of another.
STAYS_AT_HOME = frozenset(("watered", "fed", "cover", "washed", "topped", "thinned", "note", "check", "taste", "harvest", "set"))
_kept: Kept[list[Finding]] = Kept(400)


def found(journal: Journal, batch: Batch, events: list[Event], at_s: float) -> list[Finding]:
    """The findings on a batch. Neighbours bear on them, but not all that is done to them."""
    part, bearing, own_s, mark = _bearing(journal, batch, events, at_s)
    table = answers.table_for(journal)

    def argued() -> list[Finding]:
        crops = {b.crop: table.get(b.crop) for b in journal.batches}
        return findings(part, crops, shipped_complaints(), batch, own_s, bearing)

    key = (*asking.identity(), record.shape(), batch.id, mark)
    return parts.part(f"what is wrong with {batch.id}", lambda: _kept.get(key, argued), [], batch.id)


def _bearing(journal: Journal, batch: Batch, events: list[Event], at_s: float) -> tuple[Journal, list[Event], float, Hashable]:
    """The part of a record that bears on a batch, the moment it is argued for, and a mark of both: its own tray and tray mates,
    what it came from, what stands and hangs on its shelf, and of the others what can tell of its seed or of a case near it."""
    moves = [e for e in events if e.kind in ("potted_up", "moved", "placed")]
    in_tray = {b.id: tray_of(b, moves, at_s) for b in journal.batches}
    mine = [batch, *forebears(journal, batch)]
    home = {s.where for b in mine for s in tray_stays(b, moves)}
    mates = {b.id for b in journal.batches if in_tray[b.id] in home or b in mine}
    stays = {t.id: place_stays(t.id, moves) for t in journal.trays}
    shelves = {s.where for t in home for s in stays.get(t, ())}
    near = home | {t for t, found in stays.items() if found and found[-1].where in shelves}
    far = {t.id for t in journal.trays} - near
    far_batches = {b for b, t in in_tray.items() if t in far and b not in mates}
    hung = [e for e in events if e.kind == "lamp"]
    lamps = {x.id for x in journal.lamps if any(s.place in shelves for s in lamp_states(x, hung))}

    def bears(e: Event) -> bool:
        of, tray = e.fields.get("batch"), e.fields.get("tray")
        if e.kind in STAYS_AT_HOME:
            return of in mates or (of is None and tray in home)
        if e.kind == "height":
            return of not in far_batches
        return e.kind != "lamp" or e.fields.get("lamp") in lamps

    bearing = [e for e in events if bears(e)]
    away = far | far_batches | {x.id for x in journal.lamps if x.id not in lamps}
    others = {t.id for t in journal.trays} - home
    series = [s for s in journal.series if s.place not in away and (s.quantity != "moisture" or s.place not in others)]
    # "Now" moves in steps, but never before the last thing that bears on this batch.
    last_s = max((e.at.timestamp() for e in bearing if e.at.timestamp() <= at_s), default=0.0)
    read_s = max((float(s.at_s[-1]) for s in series if len(s.at_s) and s.at_s[-1] <= at_s), default=0.0)
    own_s = max(at_s // STEP_S * STEP_S, min(at_s, max(last_s, read_s)))
    read = tuple(
        (s.place, s.quantity, s.source, len(s.at_s), float(s.at_s[-1]), float(s.value.sum())) for s in series if len(s.at_s)
    )
    mark = (tuple(e.id for e in bearing), corrections(journal), read, own_s)
    return replace(journal, series=series), bearing, own_s, mark


def forget() -> None:
    """Empty the shelf of kept findings."""
    _kept.forget()
