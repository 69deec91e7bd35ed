"""What became of plants once they were out: when they went, what was lost, what was picked and how it tasted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.history import life_events
from fennet.core.records import Batch, Event


@dataclass(frozen=True)
class After:
    """A planted batch: when (seconds UTC) and how many went out, cells lost since, the first picking, what was picked in all
    (grams and pieces, None where nobody weighed or counted), and the mean of its marks."""

    planted_s: float
    planted: int | None
    lost: int
    first_harvest_s: float | None
    grams: float | None
    pieces: int | None
    taste: float | None

    @property
    def days_to_first(self) -> float | None:
        """Days from planting to the first picking."""
        return None if self.first_harvest_s is None else (self.first_harvest_s - self.planted_s) / 86_400.0


def after_of(batch: Batch, events: Sequence[Event], at_s: float) -> After | None:
    """What became of a batch by a moment; None for one that was never planted. `events` are effective events. Source: arithmetic.

    >>> from datetime import UTC, datetime
    >>> day = lambda n: datetime(2026, 5, n, tzinfo=UTC)
    >>> told = [Event(kind="planted", at=day(1), id="p", fields={"batch": "b", "count": 9}),
    ...         Event(kind="harvest", at=day(21), id="h", fields={"batch": "b", "grams": 300.0})]
    >>> b = Batch(id="b", crop="leek", sown_at=day(1), cells=9)
    >>> a = after_of(b, told, day(30).timestamp())
    >>> a.grams, a.days_to_first
    (300.0, 20.0)
    """
    known = [e for e in events if e.at_s <= at_s]
    planted = life_events(batch, known, "planted")
    if not planted:
        return None
    counts = [int(e.fields["count"]) for e in planted if e.fields.get("count") is not None]
    picked = life_events(batch, known, "harvest")
    grams = [float(e.fields["grams"]) for e in picked if e.fields.get("grams") is not None]
    pieces = [int(e.fields["pieces"]) for e in picked if e.fields.get("pieces") is not None]
    marks = [float(e.fields["mark"]) for e in life_events(batch, known, "taste")]
    gone = [e for e in life_events(batch, known, "lost") if e.at_s >= planted[0].at_s]
    return After(
        planted[0].at_s, sum(counts) if counts else None,
        sum(int(e.fields.get("cells") or len(e.fields.get("cell_list") or [])) for e in gone),
        picked[0].at_s if picked else None, sum(grams) if grams else None, sum(pieces) if pieces else None,
        sum(marks) / len(marks) if marks else None,
    )  # fmt: skip
