"""What is told of plants that are out, for one batch or several at once: a look, a picking, a loss, a mark, a word."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from fennet.core.hardening.after import FIRST_FLOWER, HEALTH, HEALTHY
from fennet.core.history import effective_events
from fennet.core.records import Event
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.actions import check_action
from fennet.operations.logging import batch_and_events, checked_time, write_events


def tell_of(w: WriteContext, batches: Sequence[str], deed: str, said: Mapping[str, Any], at: datetime) -> list[Event]:
    """Write one deed of several batches: `first_flower`, a word of health, `taste 4`, `picked` with grams or pieces, `lost` with
    a number and why, `word`. Raises Refusal, also for a batch that was never planted."""
    checked_time(at, w.now)
    if not batches:
        raise Refusal("No batch is ticked.", "batch")
    kind, fields = _event(deed, said)
    entries = []
    for name in batches:
        _, mine = batch_and_events(w, name)
        if not any(e.kind == "planted" for e in effective_events(mine, float("inf"))):
            raise Refusal(f"{name} is not planted: log that first.", "batch", name)
        check_action(w, kind, {"batch": name, **fields}, at)
        entries.append((kind, {"batch": name, **fields}, at))
    return write_events(w, entries)


def _event(deed: str, said: Mapping[str, Any]) -> tuple[str, dict[str, Any]]:
    name, _, mark = deed.partition(" ")
    if name == FIRST_FLOWER:
        return "check", {"what": FIRST_FLOWER, "result": "yes"}
    if name in HEALTHY:
        return "check", {"what": HEALTH, "result": name}
    if name == "taste" and mark.isdigit():
        return "taste", {"mark": int(mark)}
    if name == "picked":
        return "harvest", {k: said[k] for k in ("grams", "pieces") if said.get(k) is not None}
    if name == "lost":
        if said.get("lost") is None:
            raise Refusal("Say how many are lost.", "lost")
        return "lost", {"cells": said["lost"], "why": said.get("why") or "other"}
    if name == "word":
        if not said.get("text"):
            raise Refusal("Write a word first.", "text")
        return "note", {"text": said["text"]}
    raise Refusal("Press what is to be told.", "deed", deed)
