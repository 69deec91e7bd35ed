"""Readings: one by hand, or many from a file or a device."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from sqlalchemy import Engine

from fennet.core.bounds import is_instant, is_plain_text
from fennet.core.doubts import MOST_PCT, scale_of, weighed_pct
from fennet.journal.readings import Collector, Group, Taken
from fennet.journal.rejected import Rejection
from fennet.journal.times import format_instant, zone_of
from fennet.operations.acting import Actor, Refusal, WriteContext, in_turn
from fennet.operations.derived import known_at_hand, known_of
from fennet.operations.logging import CLOCK_SLACK, checked_time
from fennet.storage import queries
from fennet.storage.reading_store import Column, store, take_back

#: The source of what a person measures and types.
BY_HAND = "by-hand"


@dataclass
class Outcome:
    """What became of a lot of readings."""

    accepted: int = 0
    repeated: int = 0
    rejected: list[Rejection] = field(default_factory=list)


def collector_for(engine: Engine, actor: Actor, now: datetime) -> Collector:
    """A collector that knows this garden and its zone; what lies in the future is set aside."""
    known = known_at_hand(engine, actor.ref)
    return Collector(known, zone_of(actor.ref.garden.timezone), (now + CLOCK_SLACK).timestamp())


def as_columns(groups: Sequence[Group]) -> list[Column]:
    return [Column(g.key.series, g.key.unit, g.key.under, g.key.estimated, g.at_s, g.value, g.canonical) for g in groups]


def keep(w: WriteContext, taken: Taken, replace: bool = False) -> Outcome:
    """Write what a collector took, inside a transaction."""
    zone = zone_of(w.actor.ref.garden.timezone)
    stored = store(w.c, w.garden_id, as_columns(taken.groups), replace)
    rejected = [
        Rejection(
            f"{x.place} {format_instant(x.at, zone)}",
            "value",
            f"{x.value:g}",
            f"differs from {x.kept:g}, kept for the same {x.quantity}, source and time; "
            "accepted when you say that it replaces it",
        )
        for x in stored.clashes
    ]
    rejected += [
        Rejection(
            x.place,
            "at",
            f"{x.n} of {x.quantity}",
            f"lie before {format_instant(x.before, zone)[:10]}, up to when minutes were thinned to hours; accepted: later ones",
        )
        for x in stored.late
    ]
    return Outcome(stored.kept, taken.repeated + stored.repeated, [*taken.rejected, *rejected])


def take(w: WriteContext, taken: Taken, replace: bool = False) -> Outcome:
    """Keep what a collector took: one transaction, safe to send again."""
    return keep(w, taken, replace)


@dataclass(frozen=True)
class HandReading:
    """One reading as a person gives it: what, where, how much, in which unit, under which lamp or the sky."""

    place: str
    quantity: str
    value: float
    unit: str
    at: datetime
    source: str = BY_HAND
    under: str | None = None
    estimated: bool = False

    @property
    def token(self) -> str:
        """What an undo needs to find it again."""
        return "|".join((self.place, self.quantity, self.source, self.at.isoformat()))


def write_by_hand(w: WriteContext, given: Sequence[HandReading]) -> None:
    """Keep readings by hand inside a transaction. Raises Refusal, in words a person reads, when one cannot be."""
    if not given:
        return
    zone = zone_of(w.actor.ref.garden.timezone)
    collector = Collector(known_of(w.c, w.actor.ref), zone, (w.now + CLOCK_SLACK).timestamp(), lambda i: given[i].place)
    for i, r in enumerate(given):
        if r.quantity == "moisture" and r.unit == "g":
            _refuse_weight(w, r)
        collector.add(
            i, r.at.isoformat(), r.value, r.place, r.quantity, r.unit, r.source, None, None, None, r.under, r.estimated or None
        )
    taken = collector.close()
    if taken.rejected:
        fault = taken.rejected[0]
        raise Refusal(
            f"{fault.value} {fault.reason}".replace("degC", "°C").replace("degF", "°F") + ".", fault.field, str(fault.value)
        )
    outcome = keep(w, taken)
    if outcome.rejected:
        raise Refusal(f"Another reading by hand is already logged for that minute: {outcome.rejected[0].reason}.", "value")


def log_reading(w: WriteContext, given: HandReading) -> HandReading:
    """One reading by hand; returns it as it was kept. Raises Refusal when it cannot be one."""
    checked_time(given.at, w.now)
    given = on_its_scale(w, given)
    write_by_hand(w, [given])
    return given


def on_its_scale(w: WriteContext, r: HandReading) -> HandReading:
    """A tray's weight by hand is its scale's reading, which knows the tray dry and full; any other reading as it is."""
    if r.quantity != "moisture" or r.unit != "g" or r.source != BY_HAND:
        return r
    scale = scale_of(queries.sources(w.c, w.garden_id), r.place)
    return r if scale is None else replace(r, source=scale.id)


def _refuse_weight(w: WriteContext, r: HandReading) -> None:
    """Raises Refusal for a weight that cannot be: less than the dry tray's, or more than it could hold standing in water."""
    source = next((s for s in queries.sources(w.c, w.garden_id) if s.id == r.source), None)
    points = [x for x in source.calibration if x.quantity == "moisture" and x.unit == "g"] if source is not None else []
    if source is None or not points:
        return
    pct = weighed_pct(source, r.value, r.at.timestamp())
    another = "the scale, the tray or its calibration is another"
    if pct < 0:
        raise Refusal(f"{r.value:g} g is less than the dry tray, {points[-1].dry:g} g: {another}.", "value", f"{r.value:g}")
    if pct > MOST_PCT:
        full = points[-1].capacity
        raise Refusal(f"{r.value:g} g is more than {r.place} can hold, {full:g} g drained: {another}.", "value", f"{r.value:g}")


def withdraw_reading(w: WriteContext, token: str) -> HandReading:
    """Take back a reading by hand: what it was. Raises Refusal when there is none."""
    try:
        place, quantity, source, at = token.split("|")
        moment = datetime.fromisoformat(at)
        if moment.tzinfo is None or not is_instant(moment) or not is_plain_text(token):
            raise ValueError
    except ValueError:
        raise Refusal("There is no such reading.") from None
    gone = take_back(w.c, w.garden_id, (place, quantity, source, None, None, None), moment.timestamp())
    if gone is None:
        raise Refusal("That reading is taken back already.")
    return HandReading(place, quantity, gone[0], gone[1], moment, source)


def rehearse(engine: Engine, actor: Actor, taken: Taken, now: datetime, replace: bool = False) -> Outcome:
    """What `take` would do, without doing it: the same steps, rolled back."""
    done = in_turn(engine, actor, now, lambda w: keep(w, taken, replace), rehearsal=True)
    assert done is not None
    return done
