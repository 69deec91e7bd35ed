"""One garden's connection to its broker.

Topics whose payload says when are heard at quality 1 in a session that the broker keeps, and a message is acknowledged only once
its readings are in the database: what was sent while Fennet was away, or killed, comes again. Topics without a time of their own
are heard as they are sent and not kept for later: an hour later nobody could tell when they were measured. What is only listened
to goes over a connection of its own that leaves nothing behind.
"""

from __future__ import annotations

import json
import ssl
from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from threading import Lock
from typing import Any

from paho.mqtt.client import Client, ConnectFlags, DisconnectFlags, MQTTMessage
from paho.mqtt.enums import CallbackAPIVersion, MQTTProtocolVersion
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties
from paho.mqtt.reasoncodes import ReasonCode
from paho.mqtt.subscribeoptions import SubscribeOptions

from fennet.journal.mqtt import MOST_PAYLOAD, Message, TopicMapping, mapping_of
from fennet.storage.brokers import Broker, Topic
from fennet.storage.queries import Device

#: The broker keeps what comes for us for three days.
KEPT_S = 3 * 86_400
KEEPALIVE_S = 30
#: How soon a broker that is away is tried again, seconds: at first, at most.
SOON_S, LATEST_S = 1, 60
#: Messages that wait for the database, of those that are not acknowledged to the broker.
MOST_PENDING = 20_000
REFUSED = {134: "it refuses the name or the password", 135: "it refuses the name or the password", 132: "it speaks no MQTT 5"}


@dataclass(frozen=True)
class ConnectionSettings:
    """What a connection is to be: the broker, how its topics are read, what is driven by which topic."""

    broker: Broker
    mappings: Mapping[str, TopicMapping]
    driven: Mapping[str, Device]

    @property
    def address(self) -> tuple[object, ...]:
        """What a connection cannot change under way."""
        b = self.broker
        return b.host, b.port, b.tls, b.ca, b.username, b.password

    @property
    def subjects(self) -> tuple[object, ...]:
        """What it hears and whom it answers."""
        return self.mappings, {topic: device.token_hash for topic, device in self.driven.items()}

    @staticmethod
    def of(broker: Broker, topics: Sequence[Topic], driven: Mapping[str, Device]) -> ConnectionSettings:
        mapped = {x.topic: mapping_of(x.topic, x.time_path, x.uses or ()) for x in topics}
        return ConnectionSettings(broker, mapped, driven)

    def subscriptions(self) -> list[tuple[str, SubscribeOptions]]:
        """Every topic that is kept, and every one that is driven."""
        # 1: what the broker holds of a topic comes when it is first asked for, and not at every reconnection.
        kept = [(m.topic, SubscribeOptions(qos=1 if m.time_path else 0, retainHandling=1)) for m in self.mappings.values()]
        return [*kept, *((topic, SubscribeOptions(qos=0, retainHandling=2)) for topic in self.driven)]


@dataclass(frozen=True)
class Pending:
    """A message that waits to be kept: its number and quality at the broker; overheard where it came by listening alone."""

    message: Message
    mid: int
    qos: int
    overheard: bool = False


class BrokerConnection:
    """Hears one broker for one garden; messages wait here until they are taken."""

    def __init__(self, wanted: ConnectionSettings, client_id: str) -> None:
        self.wanted = wanted
        self.state, self.trouble = "calling", ""
        self.dropped = 0
        self._pending: deque[Pending] = deque()
        self._lock = Lock()
        self._listening: Client | None = None
        self._listens: str | None = None
        self._client_id = client_id
        self._client = self._new_client(client_id, manual_ack=True)
        self._client.on_message = self._on_message
        self._client.on_connect = self._on_connect
        self._client.on_subscribe = self._on_subscribe
        self._asked: list[str] = []
        self._connect(self._client, KEPT_S)

    def _new_client(self, client_id: str, manual_ack: bool) -> Client:
        b = self.wanted.broker
        made = Client(CallbackAPIVersion.VERSION2, client_id, protocol=MQTTProtocolVersion.MQTTv5, manual_ack=manual_ack)
        if b.username:
            made.username_pw_set(b.username, b.password)
        if b.tls:
            made.tls_set_context(ssl.create_default_context(cadata=b.ca or None))
        made.reconnect_delay_set(SOON_S, LATEST_S)
        made.on_disconnect = self._on_disconnect
        made.on_connect_fail = self._on_connect_fail
        return made

    def _connect(self, client: Client, expiry_s: int) -> None:
        properties = Properties(PacketTypes.CONNECT)  # type: ignore[no-untyped-call]
        properties.SessionExpiryInterval = expiry_s
        properties.MaximumPacketSize = MOST_PAYLOAD + 1_000
        b = self.wanted.broker
        client.connect_async(b.host, b.port, KEEPALIVE_S, clean_start=expiry_s == 0, properties=properties)
        client.loop_start()

    # -- what the broker says; these run in the connection's own thread --------------------------------------------------------

    def _on_connect(self, client: Client, _: Any, __: ConnectFlags, code: ReasonCode, ___: Any) -> None:
        if code.is_failure:
            self.state, self.trouble = "refused", REFUSED.get(code.value, str(code))
            return
        self.state, self.trouble = "connected", ""
        if asked := self.wanted.subscriptions():
            self._asked = [topic for topic, _ in asked]
            client.subscribe(asked)

    def _on_subscribe(self, _: Client, __: Any, ___: int, codes: list[ReasonCode], ____: Any) -> None:
        barred = [topic for topic, code in zip(self._asked, codes, strict=False) if code.is_failure]
        if barred:
            self.trouble = f"it does not let Fennet hear {barred[0]}"

    def _on_disconnect(self, _: Client, __: Any, ___: DisconnectFlags, code: ReasonCode, ____: Any) -> None:
        if self.state == "connected":
            self.state, self.trouble = "away", "" if not code.is_failure else f"it went away: {code}"

    def _on_connect_fail(self, _: Client, __: Any) -> None:
        self.state, self.trouble = "away", "nothing answers there, or its certificate is not the one it should show"

    def _on_message(self, _: Client, __: Any, m: MQTTMessage) -> None:
        self._add(m, overheard=False)

    def _on_overheard(self, _: Client, __: Any, m: MQTTMessage) -> None:
        # What is kept comes over its own connection: heard here too it would be kept twice.
        self._add(m, overheard=True)

    def _add(self, m: MQTTMessage, overheard: bool) -> None:
        message = Message(m.topic, bytes(m.payload), datetime.now(UTC), m.retain)
        with self._lock:
            if (overheard or m.qos == 0) and len(self._pending) >= MOST_PENDING:
                self.dropped += 1
                return
            self._pending.append(Pending(message, m.mid, 0 if overheard else m.qos, overheard))

    # -- what the process asks; these run in its one thread ----------------------------------------------------------------------

    def pending(self, most: int) -> list[Pending]:
        """The oldest messages that were heard; they stay until they are done with."""
        with self._lock:
            return [self._pending[i] for i in range(min(most, len(self._pending)))]

    def acknowledge(self, taken: Sequence[Pending]) -> None:
        """These are in the database: the broker may forget them."""
        with self._lock:
            for _ in taken:
                self._pending.popleft()
        for x in taken:
            if x.qos:
                self._client.ack(x.mid, x.qos)

    def publish(self, topic: str, answer: Mapping[str, Any]) -> None:
        """Publish what a device is to do: heard now or never, and not kept by the broker."""
        self._client.publish(topic, json.dumps(answer), qos=0, retain=False)

    def update(self, wanted: ConnectionSettings) -> None:
        """What is wanted of the same broker is another now: topics no more kept are given back, new ones asked for."""
        before = {topic for topic, _ in self.wanted.subscriptions()}
        self.wanted = wanted
        asked = wanted.subscriptions()
        gone = before - {topic for topic, _ in asked}
        if gone:
            self._client.unsubscribe(sorted(gone))
        if asked and self._client.is_connected():
            self._asked = [topic for topic, _ in asked]
            self._client.subscribe(asked)

    def listen(self, topics: str | None) -> None:
        """Hear whatever is said there, or, with None, no more of it."""
        if topics == self._listens:
            return
        if self._listening is not None:
            self._end(self._listening)
            self._listening = None
        self._listens = topics
        if topics is None:
            return
        made = self._new_client(f"{self._client_id}-l", manual_ack=False)
        made.on_message = self._on_overheard
        made.on_connect = lambda client, *_: client.subscribe([(topics, SubscribeOptions(qos=0))])
        self._connect(made, 0)
        self._listening = made

    def end(self, forget: bool) -> None:
        """Hang up; with `forget` the broker keeps nothing for us."""
        self.listen(None)
        if forget and self._client.is_connected():
            for topic, _ in self.wanted.subscriptions():
                self._client.unsubscribe(topic)
        self._end(self._client, forget)

    @staticmethod
    def _end(client: Client, forget: bool = False) -> None:
        properties = None
        if forget:
            properties = Properties(PacketTypes.DISCONNECT)  # type: ignore[no-untyped-call]
            properties.SessionExpiryInterval = 0
        client.disconnect(properties=properties)
        client.loop_stop()
