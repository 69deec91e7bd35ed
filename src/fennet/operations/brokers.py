"""A garden's broker: how it is reached, what its topics mean, and the messages that come, kept in one transaction a batch.

Fennet calls the broker from the home's own network, so that only who keeps this Fennet says which one it calls. What is kept is
what an owner mapped; a topic heard while listening is shown and not kept.
"""

from __future__ import annotations

import ssl
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime, timedelta
from secrets import token_urlsafe
from typing import Any

from sqlalchemy import Connection, Engine, delete, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from fennet.journal.mqtt import Message, TopicMapping, checked_filter, checked_mapping, checked_topic, figures_of, leaves_of
from fennet.journal.mqtt import source_of as source_of
from fennet.journal.rejected import FormatError
from fennet.journal.times import format_instant, zone_of
from fennet.operations import device_api, readings
from fennet.operations.acting import Actor, Refusal, WriteContext, for_owners, in_turn
from fennet.operations.tokens import hashed
from fennet.storage import brokers as stored
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of
from fennet.storage.queries import GardenRef

#: Topics that are listened to show for so long; more than so many are not shown, or not mapped.
LISTENS_FOR = timedelta(minutes=10)
MOST_HEARD, MOST_MAPPED = 300, 200
LONGEST_CA = 40_000


@dataclass(frozen=True)
class BrokerAddress:
    """Where a broker is and how it is opened; `password` None leaves the one that is kept."""

    host: str
    port: int
    tls: bool
    ca: str | None = None
    username: str | None = None
    password: str | None = field(default=None, repr=False)


@for_owners
def set_broker(w: WriteContext, address: BrokerAddress) -> None:
    """Call this broker from now on. Raises Refusal."""
    _check_keeper(w)
    if not 1 <= address.port <= 65_535:
        raise Refusal("A port is 1 to 65535; brokers listen at 1883, with TLS at 8883.", "port", str(address.port))
    if not address.host or any(c.isspace() or c in "/@:?#" for c in address.host.strip("[]").replace(":", "")):
        raise Refusal("That is no name of a machine; like broker.home or 192.168.1.20, without mqtt:// before it.", "host")
    if address.ca:
        _check_ca(address)
    b = table_of(t.BrokerRow)
    values = asdict(address) | {"ca": address.ca or None, "username": address.username or None}
    if address.password is None:
        del values["password"]
    fresh = {"state": "", "trouble": ""}
    kept = upsert(b).values(garden_id=w.garden_id, **values)
    w.c.execute(kept.on_conflict_do_update(index_elements=["garden_id"], set_=values | fresh))


def _check_ca(address: BrokerAddress) -> None:
    if not address.tls:
        raise Refusal("A certificate is of use with TLS alone; tick Use TLS, or leave the certificate out.", "ca")
    try:
        if len(address.ca or "") > LONGEST_CA:
            raise ValueError
        ssl.create_default_context(cadata=address.ca)
    except (ValueError, ssl.SSLError):
        raise Refusal("That is no certificate; accepted: text from BEGIN CERTIFICATE to END CERTIFICATE.", "ca") from None


@for_owners
def forget_broker(w: WriteContext) -> None:
    """Call it no more: its address, its password and what its topics meant are forgotten; the readings stay."""
    b, d = table_of(t.BrokerRow), table_of(t.DeviceRow)
    w.c.execute(delete(b).where(b.c.garden_id == w.garden_id))
    w.c.execute(delete(d).where(d.c.garden_id == w.garden_id, d.c.topic.is_not(None)))


@for_owners
def listen(w: WriteContext, topics: str) -> None:
    """Listen for a while to what sensors say, so that it can be mapped. Raises Refusal for what is no topic."""
    _check_keeper(w)
    try:
        asked = checked_filter(topics or "#")
    except ValueError as e:
        raise Refusal(f"{topics} {e}.", "listens", topics) from None
    b, x = table_of(t.BrokerRow), table_of(t.BrokerTopicRow)
    until = w.now + LISTENS_FOR
    done = w.c.execute(update(b).where(b.c.garden_id == w.garden_id).values(listens=asked, listen_until=until))
    if not done.rowcount:
        raise Refusal("First say where the broker is.", "host")
    w.c.execute(delete(x).where(x.c.garden_id == w.garden_id, x.c.uses.is_(None)))


@for_owners
def map_topic(w: WriteContext, mapping: TopicMapping) -> None:
    """From now on a topic's figures are kept as readings; with no uses, none is any more. Raises Refusal."""
    try:
        checked_topic(mapping.topic)
        checked_mapping(mapping)
    except (FormatError, ValueError) as e:
        words = str(e) if isinstance(e, FormatError) else f"{mapping.topic} {e}."
        raise Refusal(words, "topic", mapping.topic) from None
    known = queries.things(w.c, w.garden_id)
    for use in mapping.uses:
        if not use.place:
            raise Refusal(f"Say where {mapping.topic} lies: choose a place beside each figure.", "place")
        if use.place not in known:
            raise Refusal(f"There is no {use.place} in this garden.", "place", use.place)
    mapped = {x.topic: x for x in stored.topics(w.c, w.garden_id, mapped=True)}
    if mapping.uses and mapping.topic not in mapped and len(mapped) >= MOST_MAPPED:
        raise Refusal(f"Up to {MOST_MAPPED} topics are kept; leave one out first.")
    same = next((o for o in mapped if o != mapping.topic and source_of(o) == source_of(mapping.topic)), None)
    if mapping.uses and same is not None:
        raise Refusal(f"Its readings would bear the name of those of {same}. Let the sensor send to another topic.", "topic")
    x = table_of(t.BrokerTopicRow)
    values: dict[str, Any] = {
        "time_path": mapping.time_path or None,
        "uses": [asdict(u) for u in mapping.uses] or None,
        "trouble": "",
    }
    if mapping.topic not in mapped:
        values |= {"n": 0, "kept": 0}
    if not stored.brokers(w.c, w.garden_id):
        raise Refusal("First say where the broker is.", "host")
    kept = upsert(x).values(garden_id=w.garden_id, topic=mapping.topic, **values)
    w.c.execute(kept.on_conflict_do_update(index_elements=["garden_id", "topic"], set_=values))


@for_owners
def drive_by_topic(w: WriteContext, kind: str, thing: str, topic: str) -> None:
    """A thermostat or timer that reports to TOPIC/report is told what to do at TOPIC/set, under the guards of the other door.
    Raises Refusal."""
    try:
        checked_topic(topic)
    except ValueError as e:
        raise Refusal(f"{topic} {e}.", "drives", topic) from None
    device_api.check_driven(w, kind, thing)
    d = table_of(t.DeviceRow)
    there = w.c.execute(select(d.c.topic, d.c.kind, d.c.thing).where(d.c.garden_id == w.garden_id)).all()
    if any(r.topic == topic for r in there):
        raise Refusal(f"{topic} controls something already.", "drives", topic)
    if any(r.topic and (r.kind, r.thing) == (kind, thing) for r in there):
        raise Refusal(f"{thing} is controlled by a topic already; revoke that one first.", "drives", topic)
    if len(there) >= device_api.MOST_TOKENS:
        raise Refusal(f"Up to {device_api.MOST_TOKENS} devices are in use; revoke some first.")
    values = {"garden_id": w.garden_id, "kind": kind, "thing": thing, "made_at": w.now, "by": w.actor.name, "topic": topic}
    # A key that opens nothing: its token is told to nobody.
    w.c.execute(insert(d).values(token_hash=hashed(token_urlsafe(24)), **values))


def _check_keeper(w: WriteContext) -> None:
    p = table_of(t.PersonRow)
    keeper = w.c.execute(select(p.c.keeper).where(p.c.id == w.actor.person_id)).scalar()
    if not keeper:
        raise Refusal(
            "Which broker Fennet calls is for whoever keeps this Fennet to say: it is called from their network.", "host"
        )


# -- what comes ---------------------------------------------------------------------------------------------------------------


@dataclass
class MessageOutcome:
    """What became of a batch of messages: how many readings were kept, were there already, were none."""

    accepted: int = 0
    repeated: int = 0
    set_aside: int = 0


def take_messages(
    engine: Engine, ref: GardenRef, mappings: Mapping[str, TopicMapping], messages: Sequence[Message], now: datetime
) -> MessageOutcome:
    """Keep what mapped topics said: the readings in one transaction, safe to come again. Raises Refusal where the garden is busy
    for too long."""
    zone = zone_of(ref.garden.timezone)
    actor = Actor(device_api.BROKERS, ref)
    collector = readings.collector_for(engine, actor, now)
    collector.label = str
    aside: dict[str, str] = {}
    n_aside = 0
    # Messages that brought nothing, by their number.
    empty: set[int] = set()
    by_moment: dict[str, str] = {}
    for i, message in enumerate(messages):
        figures, why = figures_of(mappings[message.topic], message, zone)
        n_aside += len(why)
        if not figures:
            empty.add(i)
        # A message that holds is the last word on its topic.
        aside[message.topic] = why[0] if why else ""
        for f in figures:
            source = source_of(message.topic)
            collector.add(i, f.at, f.value, f.use.place, f.use.quantity, f.use.unit, source, None, None, None, None, None)
            by_moment[f"{f.use.place} {format_instant(datetime.fromisoformat(f.at).timestamp(), zone)}"] = message.topic
    taken = collector.close()
    outcome = readings.Outcome(repeated=taken.repeated, rejected=taken.rejected)
    if taken.n:
        done = in_turn(engine, actor, now, lambda w: readings.take(w, taken))
        assert done is not None
        outcome = done
    for r in outcome.rejected:
        numbered = r.where.isascii() and r.where.isdecimal()
        where = messages[int(r.where)].topic if numbered else by_moment.get(r.where)
        if numbered:
            empty.add(int(r.where))
        if where is not None:
            aside[where] = f"{r.value} {r.reason}"
    kept = Counter(m.topic for i, m in enumerate(messages) if i not in empty)
    _note(engine, ref.id, messages, aside, kept)
    return MessageOutcome(outcome.accepted, outcome.repeated, n_aside + len(outcome.rejected))


def record_unmapped(engine: Engine, garden_id: int, messages: Sequence[Message]) -> None:
    """Show what was heard while listening; nothing of it is kept as a reading."""
    x = table_of(t.BrokerTopicRow)
    with engine.begin() as c:
        if not stored.brokers(c, garden_id):
            return
        known = {r[0] for r in c.execute(select(x.c.topic).where(x.c.garden_id == garden_id))}
        last: dict[str, Message] = {}
        for m in messages:
            if m.topic in known or len(known) < MOST_HEARD + MOST_MAPPED:
                known.add(m.topic)
                last[m.topic] = m
        counts = Counter(m.topic for m in messages)
        for topic, m in last.items():
            values = _sample(m)
            fresh = upsert(x).values(garden_id=garden_id, topic=topic, n=counts[topic], **values)
            seen = values | {"n": x.c.n + counts[topic]}
            # What a mapped topic says is noted where it is kept.
            c.execute(fresh.on_conflict_do_update(index_elements=["garden_id", "topic"], set_=seen, where=x.c.uses.is_(None)))


def _sample(m: Message) -> dict[str, Any]:
    try:
        leaves, trouble = leaves_of(m.payload), ""
    except FormatError as e:
        leaves, trouble = {}, str(e)
    return {"leaves": leaves, "heard_at": m.heard_at, "retained": m.retained, "trouble": trouble[:300]}


def _note(engine: Engine, garden_id: int, messages: Sequence[Message], aside: Mapping[str, str], kept: Mapping[str, int]) -> None:
    """What each topic said last, and what was wrong with it: no reading and no deed, so no page is made anew for it."""
    x = table_of(t.BrokerTopicRow)
    of: dict[str, list[Message]] = defaultdict(list)
    for m in messages:
        of[m.topic].append(m)
    with engine.begin() as c:
        for topic, said in of.items():
            values = _sample(said[-1]) | {"trouble": aside.get(topic, "")[:300], "n": x.c.n + len(said),
                                           "kept": x.c.kept + kept.get(topic, 0)}  # fmt: skip
            c.execute(update(x).where(x.c.garden_id == garden_id, x.c.topic == topic).values(**values))


def record_state(c: Connection, garden_id: int, state: str, trouble: str, heard_at: datetime | None = None) -> None:
    """How the connection to a broker stands."""
    b = table_of(t.BrokerRow)
    values = {"state": state, "trouble": trouble[:300], "heard_at": func.coalesce(heard_at, b.c.heard_at)}
    c.execute(update(b).where(b.c.garden_id == garden_id).values(**values))


def driven(devices: Iterable[queries.Device]) -> dict[str, queries.Device]:
    """Devices that a topic reaches, by the topic they report to."""
    return {f"{d.topic}/report": d for d in devices if d.topic}
