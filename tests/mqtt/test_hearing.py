"""A broker is heard: what topics say is kept once, whatever breaks off; what has no time is not believed; devices are driven."""

from __future__ import annotations

import json
import re
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest import mock

from paho.mqtt.client import Client
from sqlalchemy import text

from fennet.journal.logger_csv import Use
from fennet.journal.mqtt import Message, TopicMapping
from fennet.mqtt import service
from fennet.mqtt.service import Service
from fennet.operations import brokers, device_api
from fennet.operations.acting import Actor, Refusal, in_turn
from fennet.operations.brokers import BrokerAddress
from fennet.storage import brokers as stored
from fennet.storage import queries
from tests.broker import NAME, PASSWORD, Broker
from tests.web.site import SiteCase

SOIL = Use("soil", "A", "soil_temperature", "degC")
WAIT_S = 30.0


def ann(case: SiteCase) -> Actor:
    """The demo's person, who keeps this Fennet."""
    with case.engine.connect() as c:
        person = c.execute(text("select id from person where keeper")).scalar_one()
        return Actor("demo", queries.gardens(c, person, "canal-house")[0], person)


class Hearing(SiteCase):
    def setUp(self) -> None:
        super().setUp()
        for name in ("LOOK_S", "BATCH_S"):
            quick = mock.patch.object(service, name, 0.3)
            quick.start()
            self.addCleanup(quick.stop)
        self.ref = ann(self).ref
        with self.engine.begin() as c:
            c.execute(text("delete from broker; delete from device where topic is not null"))
        self.broker = Broker()
        self.addCleanup(self.broker.end)
        self.sensor: Client = self.broker.client("sensor")
        self.addCleanup(self.sensor.loop_stop)

    def do(self, operation: Any, *given: Any) -> Any:
        return in_turn(self.engine, ann(self), datetime.now(UTC), lambda w: operation(w, *given))

    def address(self, **other: Any) -> BrokerAddress:
        return BrokerAddress(**({"host": "localhost", "port": self.broker.port, "tls": True, "ca": self.broker.ca,
                                 "username": NAME, "password": PASSWORD} | other))  # fmt: skip

    def hear(self) -> Callable[[], None]:
        """The process, as a thread of this one; what it returns stops it."""
        stop = threading.Event()
        thread = threading.Thread(target=Service(self.engine, "test").run, args=(stop,), daemon=True)
        thread.start()

        def end() -> None:
            stop.set()
            thread.join(20)
            self.assertFalse(thread.is_alive())

        self.addCleanup(end)
        self.until(lambda: self.state().state == "connected")
        return end

    def state(self) -> stored.Broker:
        with self.engine.connect() as c:
            return stored.brokers(c, self.ref.id)[0]

    def topic(self, name: str) -> stored.Topic | None:
        with self.engine.connect() as c:
            return next((x for x in stored.topics(c, self.ref.id) if x.topic == name), None)

    def until(self, holds: Callable[[], Any]) -> None:
        began = time.monotonic()
        while not holds():
            if time.monotonic() - began > WAIT_S:
                raise AssertionError(f"not within {WAIT_S:.0f} s: {self.state()}")
            time.sleep(0.05)

    def kept(self, source: str) -> list[tuple[datetime, float]]:
        asked = "select r.at, r.value from reading r join series s on s.id = r.series_id where s.source = :source order by r.at"
        with self.engine.connect() as c:
            return [(at, value) for at, value in c.execute(text(asked), {"source": source})]

    def say(self, topic: str, body: Any, qos: int = 1, retain: bool = False) -> None:
        payload = body if isinstance(body, str | bytes) else json.dumps(body)
        self.sensor.publish(topic, payload, qos, retain).wait_for_publish(10)

    def test_what_was_sent_while_nobody_listened_comes_again_and_is_kept_once(self) -> None:
        self.do(brokers.set_broker, self.address())
        self.do(brokers.map_topic, TopicMapping("home/a", (SOIL,), "at"))
        start = datetime.now(UTC).replace(microsecond=0) - timedelta(hours=3)
        sent = [(start + timedelta(minutes=n), 18 + n / 100) for n in range(120)]
        end = self.hear()
        for at, value in sent[:40]:
            self.say("home/a", {"at": at.isoformat(), "soil": value})
            if value == 18.2:
                self.say("home/a", {"at": at.isoformat(), "soil": value})
        self.until(lambda: len(self.kept("mqtt-home-a")) == 40)
        end()
        for at, value in sent[40:80]:
            self.say("home/a", {"at": at.isoformat(), "soil": value})
        again = self.hear()
        self.until(lambda: len(self.kept("mqtt-home-a")) == 80)
        self.broker.stop()
        self.until(lambda: self.state().state == "away")
        self.broker.start()
        self.until(lambda: self.state().state == "connected" and self.sensor.is_connected())
        for at, value in sent[80:]:
            self.say("home/a", {"at": at.timestamp() * 1000, "soil": f"{value:.2f} °C"})
        self.until(lambda: len(self.kept("mqtt-home-a")) == 120)
        again()
        self.assertEqual(self.kept("mqtt-home-a"), [(at, round(value, 2)) for at, value in sent])

    def test_what_has_no_time_is_of_the_moment_it_is_heard_and_never_of_one_nobody_knows(self) -> None:
        self.say("home/old", "19.0", retain=True)
        self.do(brokers.set_broker, self.address())
        for topic in ("home/old", "home/b", "home/dated"):
            uses = (Use("", "A", "soil_temperature", "degC"),) if topic != "home/dated" else (SOIL,)
            self.do(brokers.map_topic, TopicMapping(topic, uses, "at" if topic == "home/dated" else ""))
        self.hear()
        before = datetime.now(UTC)
        for body in ("20.5", b"\xff\xfe", "LO", "", "{broken", "[" * 5_000, "9" * 5_000, "nan", "1e400", b"7" * 300_000):
            self.say("home/b", body)
        self.say("home/dated", {"at": (before + timedelta(hours=1)).isoformat(), "soil": 20})
        self.say("home/dated", {"at": "2000-01-01T00:00:00Z", "soil": 20})
        self.say("home/dated", {"soil": 20})
        self.say("home/dated", {"at": (before - timedelta(days=1)).isoformat(), "soil": 20.25})
        self.until(lambda: self.kept("mqtt-home-dated") and self.kept("mqtt-home-b") and self.topic("home/old").n)
        self.assertEqual([v for _, v in self.kept("mqtt-home-dated")], [20.25])
        ((at, value),) = self.kept("mqtt-home-b")
        self.assertEqual(value, 20.5)
        self.assertLess(abs((at - before).total_seconds()), 20)
        self.assertEqual(self.kept("mqtt-home-old"), [])
        # The longest the broker did not pass on; of the others one was a figure.
        self.until(lambda: self.topic("home/b").n == 9)
        self.assertEqual(self.topic("home/b").kept, 1)
        self.assertIn("nobody knows when", self.topic("home/old").trouble)

    def test_what_is_only_listened_to_is_shown_and_not_kept(self) -> None:
        self.do(brokers.set_broker, self.address())
        self.do(brokers.listen, "home/#")
        self.hear()
        body = {"temperature": 20.5, "humidity": 60, "battery": 90, "nul": "a\u0000b", "huge": 10**400, "nan": float("nan")}

        def heard() -> bool:
            self.say("home/landing/air", body)
            return self.topic("home/landing/air") is not None

        self.until(heard)
        topic = self.topic("home/landing/air")
        self.assertEqual((topic.leaves["temperature"], topic.leaves["nul"], topic.uses), (20.5, "ab", None))
        self.assertEqual(self.kept("mqtt-home-landing-air"), [])
        # Another filter, asked for while the first is still listened to, is the one that counts.
        self.do(brokers.listen, "attic/+")

        def heard_there() -> bool:
            self.say("attic/probe", "18.5")
            return self.topic("attic/probe") is not None

        self.until(heard_there)
        # What is kept and listened to at once is kept once.
        self.do(brokers.listen, "home/#")
        use = Use("temperature", "A", "air_temperature", "degC")
        self.do(brokers.map_topic, TopicMapping("home/landing/air", (use,)))
        time.sleep(1.0)
        self.say("home/landing/air", {"temperature": 21.25}, qos=0)
        self.until(lambda: self.kept("mqtt-home-landing-air"))
        time.sleep(1.0)
        self.assertEqual([value for _, value in self.kept("mqtt-home-landing-air")], [21.25])

    def test_a_thermostat_is_told_by_the_same_guards_as_at_the_other_door(self) -> None:
        self.do(brokers.set_broker, self.address())
        self.do(brokers.drive_by_topic, "thermostat", "mat-1", "home/mat")
        told: list[tuple[dict[str, Any], bool]] = []
        self.sensor.on_message = lambda _, __, m: told.append((json.loads(m.payload), m.retain))
        self.sensor.subscribe("home/mat/set", 1)
        self.hear()
        for report in ({"probe_c": 19.5}, {"probe_c": 41}, {}, "garbage", b"\xff", {"probe_c": True}):
            n = len(told)
            self.say("home/mat/report", report)
            self.until(lambda n=n: len(told) > n)
        self.sensor.publish("home/mat/report", "{}", 1, retain=True).wait_for_publish(10)
        self.until(lambda: len(told) == 7)
        with self.engine.connect() as c:
            report = c.execute(text("select report from device where topic = 'home/mat'")).scalar_one()
        answers = [(a["heat"], a["why"]) for a, _ in told]
        self.assertFalse(any(kept for _, kept in told))
        self.assertEqual({a["format"] for a, _ in told}, {"fennet-thermostat"})
        self.assertEqual(answers, [(True, ""), (False, "too hot"), *[(False, "probe silent")] * 5])
        self.assertIsNone(report["probe_c"])
        # Taken back, it is told nothing any more, and goes off by itself.
        with self.engine.connect() as c:
            key = c.execute(text("select token_hash from device where topic = 'home/mat'")).scalar_one()
        self.do(device_api.revoke_token, key)
        time.sleep(1.0)
        n = len(told)
        self.say("home/mat/report", {"probe_c": 19.5})
        time.sleep(1.0)
        self.assertEqual(len(told), n)

    def test_a_wrong_password_or_certificate_is_told_and_mended(self) -> None:
        self.do(brokers.set_broker, self.address(password="another"))
        stop = threading.Event()
        thread = threading.Thread(target=Service(self.engine, "test").run, args=(stop,), daemon=True)
        thread.start()
        self.addCleanup(thread.join, 20)
        self.addCleanup(stop.set)
        self.until(lambda: "refuses the name or the password" in self.state().trouble)
        self.do(brokers.set_broker, self.address(ca=None))
        self.until(lambda: "certificate" in self.state().trouble)
        self.do(brokers.set_broker, self.address())
        self.until(lambda: self.state().state == "connected" and not self.state().trouble)
        self.do(brokers.forget_broker)
        thread.join(20)
        self.assertFalse(thread.is_alive(), "it goes by itself where there is nothing to hear")


class Asked(SiteCase):
    """What an owner may say of a broker."""

    def test_what_cannot_be_is_refused_in_words(self) -> None:
        ref = ann(self).ref

        def refused(operation: Any, *given: Any, actor: Actor | None = None) -> str:
            with self.assertRaises(Refusal) as caught:
                in_turn(self.engine, actor or ann(self), datetime.now(UTC), lambda w: operation(w, *given))
            return caught.exception.reason

        good = BrokerAddress("localhost", 8883, True)
        for address, words in (
            (BrokerAddress("mqtt://x", 1883, False), "without mqtt://"), (BrokerAddress("x", 0, False), "1 to 65535"),
            (BrokerAddress("x", 1883, False, ca="x"), "with TLS alone"),
            (BrokerAddress("x", 1883, True, ca="x"), "no certificate"),
        ):  # fmt: skip
            self.assertIn(words, refused(brokers.set_broker, address))
        self.assertIn("First say", refused(brokers.listen, "#"))
        self.assertIn("First say", refused(brokers.map_topic, TopicMapping("home/a", (SOIL,))))
        in_turn(self.engine, ann(self), datetime.now(UTC), lambda w: brokers.set_broker(w, good))
        for asked in ("home/#/x", "a#", "a/+b", "$SYS/#"):
            self.assertIn("accepted", refused(brokers.listen, asked))
        for mapping, words in (
            (TopicMapping("home/+", (SOIL,)), "many topics"), (TopicMapping("home/a", (SOIL, SOIL)), "each once"),
            (TopicMapping("home/a", (Use("x", "A", "soil_temperature", "lux"),)), "accepted"),
            (TopicMapping("home/a", (Use("x", "nowhere", "soil_temperature", "degC"),)), "no nowhere"),
        ):  # fmt: skip
            self.assertIn(words, refused(brokers.map_topic, mapping))
        in_turn(self.engine, ann(self), datetime.now(UTC), lambda w: brokers.map_topic(w, TopicMapping("a b", (SOIL,))))
        self.assertIn("bear the name", refused(brokers.map_topic, TopicMapping("a-b", (SOIL,))))
        self.assertIn("no mat", refused(brokers.drive_by_topic, "thermostat", "mat-9", "home/m"))
        self.assertIn("whoever keeps", refused(brokers.set_broker, good, actor=Actor("somebody", ref, None)))


class Page(SiteCase):
    """The page of the broker, from nothing to a kept topic, without one at hand."""

    G = "/g/canal-house/devices/broker"

    def test_from_nothing_to_a_kept_topic_and_back(self) -> None:
        me, ref = self.gardener(), ann(self).ref
        self.assertIn("Until then this is off", me.see(self.G))
        said = me.send(self.G, act="broker", host="mqtt://x", port="70000")
        self.assertEqual(said.status_code, 400)
        self.assertIn("accepted: 1 to 65,535", said.get_data(as_text=True))
        page = me.send(self.G, act="broker", host="broker.home", username="me", password="a secret word").get_data(as_text=True)
        self.assertIn("connects to broker.home within seconds", page)
        self.assertNotIn("a secret word", page)
        me.send(self.G, act="broker", host="broker.home", port="1884", username="me", password="")
        with self.engine.connect() as c:
            (kept,) = stored.brokers(c, ref.id)
        self.assertEqual((kept.port, kept.password), (1884, "a secret word"))
        self.assertNotIn("a secret word", repr(kept))
        self.assertIn("# as the last part", me.send(self.G, act="listen", listens="a/#/b").get_data(as_text=True))
        body = b'{"soil_temperature": 20.5, "<script>": 3, "at": "2026-02-20T09:00Z"}'
        brokers.record_unmapped(self.engine, ref.id, [Message("home/A", body, self.now), Message("home/x", b"5", self.now)])
        page = me.send(self.G, act="listen", listens="home/#").get_data(as_text=True)
        self.assertIn("Listening until", page)
        brokers.record_unmapped(self.engine, ref.id, [Message("home/A", body, self.now), Message("home/x", b"5", self.now)])
        page = me.see(self.G)
        self.assertIn('value="soil_temperature degC" selected', page)
        self.assertIn("&lt;script&gt;", page)
        fields = {"act": "topic", "topic": "home/A", "path-0": "soil_temperature", "use-0": "soil_temperature degC"}
        self.assertIn("choose a place", me.send(self.G, **fields).get_data(as_text=True))
        page = me.send(self.G, **fields, **{"place-0": "A", "time_path": "at"}).get_data(as_text=True)
        self.assertIn("its readings are kept from now on", page)
        self.assertIn("nothing of it is kept", me.send(self.G, act="topic", topic="home/A").get_data(as_text=True))
        page = me.send(self.G, act="drive", thing="timer lamp-1", topic="home/lamp").get_data(as_text=True)
        self.assertIn("lamp-1 by home/lamp", page)
        key = re.search(r'name="device" value="([0-9a-f]{64})"', page)
        assert key
        self.assertIn("goes off by itself", me.send(self.G, act="revoke", device=key[1]).get_data(as_text=True))
        self.assertIn("Until then this is off", me.send(self.G, act="forget").get_data(as_text=True))
