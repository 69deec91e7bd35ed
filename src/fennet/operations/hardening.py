"""Outings begun and ended: one press takes plants out, another brings them in, and the hours are the time between."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from fennet.core.hardening.outings import still_out
from fennet.core.history import effective_events
from fennet.core.kinds import SEEN
from fennet.core.records import Batch, Event
from fennet.core.room import tray_of
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import check_action, correct
from fennet.operations.logging import batch_and_events, checked_time, write_events
from fennet.storage import queries


def put_out(
    w: WriteContext, batches: Sequence[str], at: datetime, shade_share: float | None = None, sheltered: bool = False,
    night: bool = False, place: str | None = None,
) -> list[Event]:  # fmt: skip
    """Note that batches went out, or into a `place` with a roof, where their trays stand then. Raises Refusal for one that is out
    already."""
    checked_time(at, w.now)
    entries: list[tuple[str, dict[str, object], datetime]] = []
    for name in batches:
        if _out(w, name, at) is not None:
            raise Refusal(f"{name} is out already: say when it comes in.", "batch", name)
        fields: dict[str, object] = {"batch": name, "out_at": at.isoformat()}
        if shade_share is not None:
            fields["shade_share"] = shade_share
        if place is not None:
            fields |= {"place": place, "shade_share": fields.get("shade_share", 1.0), "sheltered": True}
        fields |= {k: True for k, given in (("sheltered", sheltered), ("night", night)) if given}
        check_action(w, "outing", fields, at)
        entries.append(("outing", fields, at))
    for tray in _trays(w, batches, at) if place is not None else ():
        moved: dict[str, object] = {"tray": tray, "place": place}
        check_action(w, "placed", moved, at)
        entries.append(("placed", moved, at))
    return write_events(w, entries)


def bring_in(w: WriteContext, batches: Sequence[str], at: datetime, seen: str | None = None) -> list[Event]:
    """Note that batches came in, and what was seen on them; their hours are those since they went out. Raises Refusal for one
    that was not out."""
    checked_time(at, w.now)
    if seen is not None and seen not in SEEN:
        raise Refusal(f"{seen} is not one of the things to see on plants; accepted: {', '.join(SEEN)}.", "seen", seen)
    made = []
    for name in batches:
        outing = _out(w, name, at)
        if outing is None:
            raise Refusal(f"{name} is not out: log its outing whole, like {name} out 2h.", "batch", name)
        fields = {**outing.fields, "in_at": at.isoformat()} | ({"seen": seen} if seen is not None else {})
        made.append(correct(w, outing.id, fields, outing.at))
        if outing.fields.get("place") is not None:
            made += write_events(w, [("placed", back, at) for back in _back(w, name, outing, at)])
    return made


def _trays(w: WriteContext, batches: Sequence[str], at: datetime) -> list[str]:
    """The trays that batches stand in, once each."""
    found = (tray_of(*_stood(w, name, at), at.timestamp()) for name in batches)
    return list(dict.fromkeys(tray for tray in found if tray is not None))


def _back(w: WriteContext, name: str, outing: Event, at: datetime) -> list[dict[str, object]]:
    """Where a batch's tray stood before an outing under a roof, unless it stands there again."""
    batch, stood = _stood(w, name, at)
    tray = tray_of(batch, stood, at.timestamp())
    if tray is None:
        return []
    about = effective_events(queries.events_about(w.c, w.garden_id, [tray], []), at.timestamp())
    placed = [e for e in about if e.kind == "placed" and e.fields["tray"] == tray]
    before = [e for e in placed if e.at_s <= outing.at_s and e.fields["place"] != outing.fields["place"]]
    if not before or placed[-1].fields["place"] != outing.fields["place"]:
        return []
    return [{k: v for k, v in before[-1].fields.items() if k in ("tray", "place", "x_mm", "y_mm")}]


def _stood(w: WriteContext, name: str, at: datetime) -> tuple[Batch, list[Event]]:
    batch, events = batch_and_events(w, name)
    return batch, effective_events(events, at.timestamp())


def _out(w: WriteContext, name: str, at: datetime) -> Event | None:
    """The outing of a batch that is under way."""
    return still_out(*_stood(w, name, at), at.timestamp())
