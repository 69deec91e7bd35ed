"""What became of plants once they were out: when they went and where, what was lost, first flowers, what was picked and how it
tasted; and when the first of it is to be expected."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from fennet.core.crop import Crop
from fennet.core.history import PlantedOut, life_events, planted_out
from fennet.core.planning.climate import Climate
from fennet.core.records import Batch, Event, Garden, Journal
from fennet.core.working import Input, Interval, Working

DAY_S = 86_400.0
#: What is looked at of plants outside, as a `check` says it: the first flower, and health from well to poor.
FIRST_FLOWER, HEALTH = "first_flower", "health"
HEALTHY = ("well", "middling", "poor")
#: Days to the first pick are for air as warm as this; growth follows the degrees over its base, between these bounds. Source:
#: starting_estimate.
USUAL_OUTDOORS_C, SLOWEST, FASTEST = 16.0, 0.3, 1.4
#: Where no record tells how warm it gets, the range is wider by this. Source: starting_estimate.
WIDER = 1.15
#: How far this garden may be from the table, and one planting from the next, as the logarithm of the days. Source:
#: starting_estimate.
GARDEN_SD, PLANTING_SD = 0.2, 0.2
MOST_D = 1200


@dataclass(frozen=True)
class FirstExpected:
    """When the first pick or flower of a planting is to be expected (seconds UTC, an 80 % range), and what it rests on."""

    at_s: Interval[float]
    working: Working


@dataclass(frozen=True)
class After:
    """A planted batch: when (seconds UTC), how many went where and how many are left in pots, plants lost since and to what, the
    first flower, the first picking, what was picked in all (grams and pieces, None where nobody weighed or counted), the mean of
    its marks, its health as last said, and when the first is expected."""

    batch: Batch
    planted_s: float
    planted: int | None
    left: int
    places: tuple[str, ...]
    lost: int
    lost_to: Mapping[str, int]
    first_flower_s: float | None
    first_harvest_s: float | None
    grams: float | None
    pieces: int | None
    taste: float | None
    health: str

    def first_s(self, gives: str) -> float | None:
        """When the first of what the kind gives came: a flower or a pick; a flower that was cut is one."""
        flowers = (t for t in (self.first_flower_s, self.first_harvest_s) if t is not None)
        return min(flowers, default=None) if gives == "flower" else self.first_harvest_s

    @property
    def days_to_first(self) -> float | None:
        """Days from planting to the first picking."""
        return None if self.first_harvest_s is None else (self.first_harvest_s - self.planted_s) / DAY_S


def after_of(batch: Batch, events: Sequence[Event], at_s: float) -> After | None:
    """What became of a batch by a moment; None for one that was never planted. `events` are effective events. Source: arithmetic.

    >>> day = lambda n: datetime(2026, 5, n, tzinfo=UTC)
    >>> told = [Event(kind="planted", at=day(1), id="p", fields={"batch": "b", "count": 9}),
    ...         Event(kind="harvest", at=day(21), id="h", fields={"batch": "b", "grams": 300.0})]
    >>> b = Batch(id="b", crop="leek", sown_at=day(1), cells=9)
    >>> a = after_of(b, told, day(30).timestamp())
    >>> a.grams, a.days_to_first, a.left
    (300.0, 20.0, 0)
    """
    gone: PlantedOut | None = planted_out(batch, events, at_s)
    if gone is None:
        return None
    known = [e for e in events if e.at_s <= at_s]
    planted = life_events(batch, known, "planted")
    picked = life_events(batch, known, "harvest")
    first = [e for e in picked if e.fields.get("first") is True] or picked
    grams = [float(e.fields["grams"]) for e in picked if e.fields.get("grams") is not None]
    pieces = [int(e.fields["pieces"]) for e in picked if e.fields.get("pieces") is not None]
    marks = [float(e.fields["mark"]) for e in life_events(batch, known, "taste")]
    lost_to: dict[str, int] = {}
    for e in life_events(batch, known, "lost"):
        if e.at_s >= planted[0].at_s:
            why = str(e.fields.get("why") or "")
            lost_to[why] = lost_to.get(why, 0) + int(e.fields.get("cells") or len(e.fields.get("cell_list") or []))
    looks = life_events(batch, known, "check")
    flowers = [e.at_s for e in looks if e.fields.get("what") == FIRST_FLOWER]
    health = [str(e.fields.get("result") or "") for e in looks if e.fields.get("what") == HEALTH]
    places = dict.fromkeys(str(e.fields["place"]) for e in planted if e.fields.get("place"))
    return After(
        batch, planted[0].at_s, gone.planted, gone.left, tuple(places), sum(lost_to.values()), lost_to,
        flowers[0] if flowers else None, first[0].at_s if first else None, sum(grams) if grams else None,
        sum(pieces) if pieces else None, sum(marks) / len(marks) if marks else None, health[-1] if health else "",
    )  # fmt: skip


def first_expected(
    crop: Crop, planted_s: float, garden: Garden, climate: Climate | None, before: Iterable[float] = ()
) -> FirstExpected:
    """When the first pick, or flower, of what was planted at a moment (seconds UTC) is to be expected.

    The kind's days, run at the warmth of the ordinary year here; `before` are ratios of days taken to days expected of earlier
    plantings of the kind in this garden, which move it and narrow it. Source: bed_estimate, starting_estimate.

    >>> from fennet.crops import shipped
    >>> may = datetime(2026, 5, 20, tzinfo=UTC).timestamp()
    >>> told = first_expected(shipped().get("pak_choi"), may, Garden(), None)
    >>> round((told.at_s.p50 - may) / 86_400)
    35
    """
    bed = crop.bed
    seen = [math.log(r) for r in before if r > 0]
    weight = 1 / GARDEN_SD**2
    post = sum(seen) / PLANTING_SD**2 / (weight + len(seen) / PLANTING_SD**2) if seen else 0.0
    narrower = math.sqrt(1 / (weight + len(seen) / PLANTING_SD**2) + PLANTING_SD**2) / math.sqrt(GARDEN_SD**2 + PLANTING_SD**2)
    spread = narrower * (1.0 if climate is not None else WIDER)
    middle_d = bed.first_days * math.exp(post)
    low_d = middle_d * (bed.first_least_days / bed.first_days) ** spread
    high_d = middle_d * (bed.first_most_days / bed.first_days) ** spread
    day = garden.day_of(datetime.fromtimestamp(planted_s, UTC))
    p10, p50, p90 = (planted_s + _days_at(crop, d, day, climate) * DAY_S for d in (low_d, middle_d, high_d))
    working = Working(
        "the first of it",
        (
            *(i for i in bed.figures() if i.name.startswith("first_")),
            Input("plantings of this kind here before", len(seen), "", "log"),
            Input("this garden against the table", round(math.exp(post), 2), "times", "log"),
            Input("warmth", "the ordinary year's" if climate is not None else "not known", "", "record of nights"),
        ),
        "the kind's days, at the pace of the degrees over its base against 16 °C; earlier plantings here move and narrow them"
        + ("" if climate is not None else "; wider by a seventh, for want of a record of nights"),
        (bed.source, "starting_estimate"),
        "a season that is not cut short by frost or heat",
        round((p50 - planted_s) / DAY_S, 1),
        "d",
    )
    return FirstExpected(Interval(p10, p50, p90), working)


def _days_at(crop: Crop, days: float, first: date, climate: Climate | None) -> float:
    """So many days at the usual warmth, in days of the ordinary year from a day on."""
    if climate is None:
        return days
    base = crop.planting.grow_base_c
    done = 0.0
    for n in range(MOST_D):
        warm_c = climate.mean_c(first + timedelta(days=n))
        pace = min(FASTEST, max(SLOWEST, (warm_c - base) / max(USUAL_OUTDOORS_C - base, 2.0)))
        if done + pace >= days:
            return n + (days - done) / pace
        done += pace
    return float(MOST_D)


def ratios_before(
    journal: Journal, crops: Mapping[str, Crop], crop: Crop, events: Sequence[Event], climate: Climate | None, at_s: float
) -> list[float]:
    """Of the plantings of a kind whose first pick or flower is known by a moment: days taken over days the table expects."""
    out = []
    for b in journal.batches:
        if b.crop not in crops or crops[b.crop].id != crop.id:
            continue
        a = after_of(b, events, at_s)
        first_s = a.first_s(crop.bed.gives) if a is not None else None
        if a is None or first_s is None or first_s <= a.planted_s:
            continue
        expected_s = first_expected(crop, a.planted_s, journal.garden, climate).at_s.p50
        out.append((first_s - a.planted_s) / (expected_s - a.planted_s))
    return out
