"""One batch from packet to plate: when it came, what was lost of it and to what, when it went out and what it gave."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fennet.core.hardening.after import After, after_of
from fennet.core.history import Stay, counts_of, life_events, life_stays, over_s
from fennet.core.kinds import EVENT_KINDS
from fennet.core.records import Batch, Event, Journal
from fennet.core.scoring import settled_s


@dataclass(frozen=True)
class Story:
    """What became of a batch by a moment, times in seconds UTC, None where it has not come to that or nobody wrote it down.

    `up` of `of` cells or seedlings (`unit`), and whether nothing more is waited for (`settled`); `lost` inside by what it was
    lost to; `inside_until_s` when its time inside ended, or the moment asked about; `trays` where it stood; `told` all that was
    written of it, and of its trays while it was there.
    """

    batch: Batch
    first_up_s: float | None
    half_up_s: float | None
    up: int
    of: int
    unit: str
    lost: Mapping[str, int]
    after: After | None
    settled: bool
    ended: str
    inside_until_s: float
    trays: tuple[Stay, ...]
    told: tuple[Event, ...]

    @property
    def over(self) -> bool:
        return bool(self.ended)


def story_of(journal: Journal, batch: Batch, events: Sequence[Event], at_s: float) -> Story:
    """The story of a batch until a moment. `events` are effective events. Source: arithmetic.

    >>> from datetime import UTC, datetime
    >>> day = lambda n: datetime(2026, 3, n, tzinfo=UTC)
    >>> b = Batch(id="b", crop="leek", sown_at=day(1), cells=6, tray="A")
    >>> told = [Event(kind="count", at=day(9), id="c", fields={"batch": "b", "cells_up": 4}),
    ...         Event(kind="lost", at=day(12), id="l", fields={"batch": "b", "cells": 1, "why": "cat"}),
    ...         Event(kind="watered", at=day(12), id="w", fields={"tray": "A"})]
    >>> s = story_of(Journal(batches=[b]), b, told, day(20).timestamp())
    >>> s.up, dict(s.lost), [e.id for e in s.told], s.over
    (4, {'cat': 1}, ['c', 'l', 'w'], False)
    """
    known = [e for e in events if e.at_s <= at_s]
    counts = counts_of(batch, known)
    after = after_of(batch, known, at_s)
    over = over_s(batch, known, at_s)
    until_s = at_s if over is None else over
    lost: Counter[str] = Counter()
    for e in life_events(batch, known, "lost"):
        if after is None or e.at_s < after.planted_s:
            lost[str(e.fields.get("why") or "")] += int(e.fields.get("cells") or len(e.fields.get("cell_list") or []))
    ended = next((e.kind for e in known if over is not None and e.at_s == over and e.fields.get("batch") == batch.id), "")
    stays = tuple(life_stays(journal, batch, known))
    mine = {e.id for e in life_events(batch, known, *EVENT_KINDS)}
    around = {
        e.id for e in known
        if e.fields.get("batch") is None and any(e.fields.get("tray") == s.where and s.from_s <= e.at_s < s.to_s for s in stays)
        and e.at_s <= until_s
    }  # fmt: skip
    return Story(
        batch, counts.reached(1) if counts.up else None, counts.reached(math.ceil(counts.up / 2)) if counts.up else None,
        counts.up, counts.of, counts.unit, dict(lost), after,
        settled_s(counts, batch.sown_at.timestamp(), over, at_s) is not None, ended if over is not None else "", until_s, stays,
        tuple(e for e in known if e.id in mine | around),
    )  # fmt: skip
