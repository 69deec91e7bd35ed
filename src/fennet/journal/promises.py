"""Promises as a journal keeps them, and as the core holds them against the record."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core.scoring import KINDS, OF_EVENTS, OF_TIMES, OUTING, WARNING, Promise
from fennet.journal.times import format_instant


def promise_of(entry: Mapping[str, Any]) -> Promise:
    """One promise of a journal. Raises ValueError, naming the key, where it says too little to be marked.

    >>> said = {"id": "p", "kind": "mat_soil", "subject": "A", "made_at": "2026-03-01T08:00:00Z", "low": 20, "middle": 21}
    >>> promise_of({**said, "high": 22, "due_from": "2026-03-02T08:00:00Z", "due_at": "2026-03-03T08:00:00Z"}).high
    22.0
    """
    kind = str(entry.get("kind"))
    if kind not in KINDS:
        raise ValueError(f"kind: nobody marks {kind}; accepted: {', '.join(KINDS)}")
    try:
        if kind in OF_TIMES:
            low, middle, high = (_seconds(entry[q]) for q in ("p10", "p50", "p90"))
        elif kind in OF_EVENTS:
            low = middle = high = 0.0
        else:
            low, middle, high = (float(entry[q]) for q in ("low", "middle", "high"))
        due = {"due_s": _seconds(entry["due_at"])} if kind not in (*OF_TIMES, WARNING) else {}
        if entry.get("due_from") is not None or kind in ("mat_soil", OUTING):
            due["due_from_s"] = _seconds(entry["due_from"])
        made_s = _seconds(entry["made_at"])
    except (KeyError, TypeError) as e:
        raise ValueError(f"{e} is missing, or cannot be read") from None
    thing, event = (str(entry[k]) if entry.get(k) else None for k in ("thing", "event"))
    level = entry.get("level")
    known = float(level) if isinstance(level, int | float) and not isinstance(level, bool) else None
    return Promise(
        str(entry.get("id")), kind, str(entry.get("subject")), made_s, low, middle, high, thing, event, **due, level=known
    )


def read_promises(entries: Iterable[Mapping[str, Any]]) -> list[Promise]:
    """The promises that can be marked; what says too little is passed over."""
    out = []
    for entry in entries:
        try:
            out.append(promise_of(entry))
        except ValueError:
            continue
    return out


def entry_of(p: Promise, zone: ZoneInfo, digits: int = 0, **more: Any) -> dict[str, Any]:
    """A promise as a journal keeps it; figures to so many digits, with what else is to stand there."""
    names: tuple[str, ...] = ("p10", "p50", "p90") if p.kind in OF_TIMES else ("low", "middle", "high")
    told = [format_instant(round(v), zone) if p.kind in OF_TIMES else round(v, digits) for v in (p.low, p.middle, p.high)]
    if p.kind in OF_EVENTS:
        names = ()
    due = {"due_from": p.due_from_s, "due_at": p.due_s} if p.kind not in (*OF_TIMES, WARNING) else {}
    entry = {
        "id": p.id, "kind": p.kind, "subject": p.subject, "thing": p.thing, "event": p.event,
        "made_at": format_instant(p.made_s, zone), **{k: format_instant(v, zone) for k, v in due.items()},
        **dict(zip(names, told, strict=bool(names))), "level": None if p.level is None else round(p.level, 1), **more,
    }  # fmt: skip
    return {k: v for k, v in entry.items() if v is not None}


def _seconds(value: Any) -> float:
    at = datetime.fromisoformat(str(value))
    if at.tzinfo is None:
        raise ValueError(f"{value} has no offset")
    return at.timestamp()
