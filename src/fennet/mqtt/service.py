"""What the process does, over and over: look what is wanted, take what was heard, acknowledge it, answer what is driven."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Sequence
from datetime import UTC, datetime
from threading import Event

from sqlalchemy import Connection, Engine, text
from sqlalchemy.exc import SQLAlchemyError

from fennet.core.history import effective_events
from fennet.core.room import room_at
from fennet.journal.mqtt import Message
from fennet.mqtt.connection import BrokerConnection, ConnectionSettings
from fennet.operations import brokers, device_api
from fennet.operations.acting import Refusal
from fennet.storage import brokers as stored
from fennet.storage import queries

#: How often it looks, seconds: for messages, for what is wanted. A batch waits so long for more, unless many wait: a broker sends
#: a score of messages ahead of their acknowledgement, and then waits itself.
TURN_S, LOOK_S, BATCH_S = 0.1, 2.0, 3.0
ENOUGH, MOST = 15, 500
LONGEST_REPORT = 4_000
#: One process alone hears the brokers of a database: the lock's number.
LOCK = 7_302


class Service:
    """Every garden's connection, and the one thread that writes what they hear."""

    def __init__(self, engine: Engine, instance: str) -> None:
        self._engine, self._instance = engine, instance
        self._brokers: dict[int, BrokerConnection] = {}
        self._since: dict[int, float] = {}
        self._told: dict[int, tuple[str, str]] = {}

    def run(self, stop: Event) -> None:
        """Until told to stop, or no garden has a broker. A database that is away is waited for, and what was heard waits here."""
        try:
            while not stop.is_set():
                try:
                    with self._engine.connect() as alone:
                        if alone.execute(text("select pg_try_advisory_lock(:n)"), {"n": LOCK}).scalar():
                            alone.commit()
                            if not self._turn(alone, stop):
                                return
                        else:
                            # Another process hears them: two of one name would throw each other out for ever.
                            self._hang_up()
                except SQLAlchemyError as e:
                    _say(e)
                stop.wait(LOOK_S)
        finally:
            self._hang_up()

    def _turn(self, alone: Connection, stop: Event) -> bool:
        """Hear and keep until told to stop or the database goes; False where there is nothing to hear any more."""
        looked, wait_s = float("-inf"), TURN_S
        while not stop.is_set():
            if time.monotonic() - looked >= LOOK_S:
                # A lock that went with its connection may be another process's by now.
                alone.execute(text("select 1"))
                alone.commit()
                if not self._look():
                    return False
                looked = time.monotonic()
            failed = False
            for garden_id in list(self._brokers):
                try:
                    self._take(garden_id)
                except (SQLAlchemyError, Refusal) as e:
                    # One garden that is busy keeps no other waiting.
                    _say(e)
                    failed = True
            looked = float("-inf") if failed else looked
            wait_s = min(2 * wait_s, LOOK_S) if failed else TURN_S
            stop.wait(wait_s)
        return True

    def _hang_up(self) -> None:
        for connection in self._brokers.values():
            connection.end(forget=False)
        self._brokers.clear()

    def _look(self) -> bool:
        """Make the connections what they are wanted to be; whether there are any."""
        now = datetime.now(UTC)
        with self._engine.connect() as c:
            wanted = {}
            for b in stored.brokers(c):
                driven = brokers.driven(queries.devices(c, b.garden_id))
                wanted[b.garden_id] = ConnectionSettings.of(b, stored.topics(c, b.garden_id, mapped=True), driven)
        for garden_id, connection in list(self._brokers.items()):
            if garden_id not in wanted:
                connection.end(forget=True)
                del self._brokers[garden_id]
        for garden_id, want in wanted.items():
            self._hold(garden_id, want, now)
        return bool(wanted)

    def _hold(self, garden_id: int, want: ConnectionSettings, now: datetime) -> None:
        connection = self._brokers.get(garden_id)
        if connection is not None and connection.wanted.address != want.address:
            connection.end(forget=True)
            connection = None
        if connection is None:
            connection = self._brokers[garden_id] = BrokerConnection(want, f"fennet-{self._instance}-{garden_id}")
        elif connection.wanted.subjects != want.subjects:
            connection.update(want)
        until = want.broker.listen_until
        connection.listen(want.broker.listens if until is not None and until > now else None)
        trouble = connection.trouble
        if connection.dropped:
            trouble = f"{connection.dropped:,} messages came faster than they could be kept"
        if self._told.get(garden_id) != (connection.state, trouble) or want.broker.state != connection.state:
            with self._engine.begin() as c:
                brokers.record_state(c, garden_id, connection.state, trouble)
            self._told[garden_id] = (connection.state, trouble)

    def _take(self, garden_id: int) -> None:
        """Keep what one connection heard, answer what is driven, and only then acknowledge."""
        connection = self._brokers[garden_id]
        taken = connection.pending(MOST)
        if not taken:
            self._since.pop(garden_id, None)
            return
        since = self._since.setdefault(garden_id, time.monotonic())
        driven = connection.wanted.driven
        hurry = any(x.message.topic in driven for x in taken)
        if len(taken) < ENOUGH and time.monotonic() - since < BATCH_S and not hurry:
            return
        now = datetime.now(UTC)
        with self._engine.connect() as c:
            ref = queries.garden_by_id(c, garden_id, "helper")
        if ref is not None:
            mappings = connection.wanted.mappings
            messages = [x.message for x in taken if not x.overheard]
            kept = [m for m in messages if m.topic in mappings]
            if kept:
                brokers.take_messages(self._engine, ref, mappings, kept, now)
            reports = [m for m in messages if m.topic in driven and not m.retained]
            if reports:
                self._answer(connection, ref, reports, now)
            overheard = [x.message for x in taken if x.overheard]
            if overheard:
                brokers.record_unmapped(self._engine, garden_id, overheard)
            with self._engine.begin() as c:
                brokers.record_state(c, garden_id, connection.state, connection.trouble, now)
        connection.acknowledge(taken)
        self._since.pop(garden_id, None)

    def _answer(self, connection: BrokerConnection, ref: queries.GardenRef, reports: Sequence[Message], now: datetime) -> None:
        """Tell thermostats and timers what to do, by the room as it stands."""
        with self._engine.connect() as c:
            record = queries.things_record(c, ref)
            events = effective_events(queries.events(c, ref.id), now.timestamp())
        room = room_at(record, events, now.timestamp())
        for message in {m.topic: m for m in reports}.values():
            try:
                said = json.loads(message.payload) if len(message.payload) <= LONGEST_REPORT else None
            except (ValueError, RecursionError):
                said = None
            if not isinstance(said, dict):
                # What cannot be read tells of no probe: a thermostat is told to hold nothing.
                said = {}
            device = connection.wanted.driven[message.topic]
            if device.kind == device_api.THERMOSTAT:
                told = device_api.answer_thermostat(room, device.thing, said)
            else:
                told = device_api.answer_timer(room, device.thing, said, now, ref.garden.timezone)
            with self._engine.begin() as c:
                device_api.record_report(c, device.token_hash, told.report, now)
            connection.publish(f"{device.topic}/set", told.answer)


def _say(error: Exception) -> None:
    """Tell the log what was in the way; what was heard is not lost."""
    print(f"fennet: mqtt: {str(error).splitlines()[0]}; tried again", file=sys.stderr, flush=True)
