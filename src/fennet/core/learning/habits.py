"""How the people of a garden go about it: how often they water and look, as their own record says. Waterings and looks that
nobody logged are no habit."""

from __future__ import annotations

import statistics
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from fennet.core.exposure import DAY_S
from fennet.core.history import counts_of
from fennet.core.records import Batch, Event
from fennet.core.working import Input, Interval, Working

#: Steps between two deeds that make a habit; and the longest step that is one: longer, and it was away or over. Source:
#: starting_estimate.
LEAST_STEPS, LONGEST_D = 5, 21.0
#: Deeds of one hour are one: a tray is watered twice over. Source: growers_rule.
ONE_DEED_S = 3600.0


@dataclass(frozen=True)
class Habit:
    """Days from one deed to the next: `what` watered (a tray) or counted (a batch while more may come); the middle and 80 % of
    them, and how many steps it rests on."""

    what: str
    days: Interval[float]
    steps: int
    working: Working


def habits(batches: Sequence[Batch], events: Sequence[Event], from_s: float, at_s: float) -> list[Habit]:
    """The habits that a stretch of the record shows, seconds UTC; those with too few steps are left out. `events` are effective
    events in order of time. Source: arithmetic.

    >>> from datetime import UTC, datetime
    >>> day = lambda n: datetime(2026, 3, n, tzinfo=UTC)
    >>> waters = [Event(kind="watered", at=day(n), id=str(n), fields={"tray": "A"}) for n in (1, 3, 5, 8, 10, 12)]
    >>> [(h.what, h.days.p50, h.steps) for h in habits([], waters, day(1).timestamp(), day(20).timestamp())]
    [('watered', 2.0, 5)]
    """
    inside = [e for e in events if from_s <= e.at_s <= at_s]
    by_tray: dict[str, list[float]] = defaultdict(list)
    for e in inside:
        if e.kind == "watered":
            by_tray[str(e.fields["tray"])].append(e.at_s)
    by_batch: dict[str, list[float]] = defaultdict(list)
    for b in batches:
        mine = [e for e in inside if e.kind == "count" and e.fields["batch"] == b.id]
        if mine and b.from_seed and b.from_batch is None:
            by_batch[b.id] = list(counts_of(b, mine).at_s)
    found = [_habit("watered", by_tray.values()), _habit("counted", by_batch.values())]
    return [h for h in found if h is not None]


def usual_of(habits: Sequence[Habit], what: str) -> Habit | None:
    """The habit of one deed, where the record shows one."""
    return next((h for h in habits if h.what == what), None)


def _habit(what: str, rows: Iterable[Sequence[float]]) -> Habit | None:
    steps: list[float] = []
    for times in rows:
        steps += [(b - a) / DAY_S for a, b in pairwise(times) if ONE_DEED_S < b - a <= LONGEST_D * DAY_S]
    if len(steps) < LEAST_STEPS:
        return None
    cuts = statistics.quantiles(steps, n=10, method="inclusive")
    middle = statistics.median(steps)
    working = Working(
        f"days between {what}", (Input("steps between deeds", len(steps), "", "log"),),
        "the middle of the days from one to the next, and the middle eight in ten; steps over three weeks are left out",
        ("arithmetic",), "what was logged", round(middle, 1), "d",
    )  # fmt: skip
    return Habit(what, Interval(cuts[0], middle, cuts[-1]), len(steps), working)
