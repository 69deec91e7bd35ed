"""Outings begun and ended: one press takes plants out, another brings them in, and the hours are the time between."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from fennet.core.hardening.outings import still_out
from fennet.core.history import effective_events
from fennet.core.kinds import SEEN
from fennet.core.records import Event
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import check_action, correct
from fennet.operations.logging import batch_and_events, checked_time, write_events


def put_out(
    w: WriteContext, batches: Sequence[str], at: datetime, shade_share: float | None = None, sheltered: bool = False,
    night: bool = False,
) -> list[Event]:  # fmt: skip
    """Note that batches went out. Raises Refusal for one that is out already."""
    checked_time(at, w.now)
    entries = []
    for name in batches:
        if _out(w, name, at) is not None:
            raise Refusal(f"{name} is out already: say when it comes in.", "batch", name)
        fields: dict[str, object] = {"batch": name, "out_at": at.isoformat()}
        if shade_share is not None:
            fields["shade_share"] = shade_share
        fields |= {k: True for k, given in (("sheltered", sheltered), ("night", night)) if given}
        check_action(w, "outing", fields, at)
        entries.append(("outing", fields, at))
    return write_events(w, entries)


def bring_in(w: WriteContext, batches: Sequence[str], at: datetime, seen: str | None = None) -> list[Event]:
    """Note that batches came in, and what was seen on them; their hours are those since they went out. Raises Refusal for one
    that was not out."""
    checked_time(at, w.now)
    if seen is not None and seen not in SEEN:
        raise Refusal(f"{seen} is nothing that is seen on plants; accepted: {', '.join(SEEN)}.", "seen", seen)
    made = []
    for name in batches:
        outing = _out(w, name, at)
        if outing is None:
            raise Refusal(f"{name} is not out: log its outing whole, like {name} out 2h.", "batch", name)
        fields = {**outing.fields, "in_at": at.isoformat()} | ({"seen": seen} if seen is not None else {})
        made.append(correct(w, outing.id, fields, outing.at))
    return made


def _out(w: WriteContext, name: str, at: datetime) -> Event | None:
    """The outing of a batch that is under way."""
    batch, events = batch_and_events(w, name)
    return still_out(batch, effective_events(events, at.timestamp()), at.timestamp())
