"""What a broker's messages hold: every figure at its path, every oddity in words, every guess one press from right."""

from __future__ import annotations

import json
import unittest
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st
from paho.mqtt.client import topic_matches_sub

from fennet.journal.logger_csv import Use
from fennet.journal.mqtt import (
    DEEPEST,
    MOST_LEAVES,
    Message,
    TopicMapping,
    checked_filter,
    checked_topic,
    figures_of,
    guess,
    leaves_of,
    moment_of,
    number_of,
    source_of,
)
from fennet.journal.rejected import FormatError

ZONE = ZoneInfo("Europe/Amsterdam")
NOW = datetime(2026, 3, 1, 8, tzinfo=UTC)
KNOWN = {"A": "A", "box": "Box-room", "landing": "Landing"}
NAME = st.text("abcxyz_", min_size=1, max_size=5)
LEAF = st.one_of(
    st.integers(-1000, 1000), st.floats(-1e6, 1e6, allow_nan=False), st.booleans(), st.none(), st.text("LO-19. ", max_size=6)
)
TREE = st.recursive(
    LEAF, lambda inner: st.one_of(st.dictionaries(NAME, inner, max_size=4), st.lists(inner, max_size=3)), max_leaves=15
)


def walked(value: Any, path: tuple[str, ...] = ()) -> list[tuple[tuple[str, ...], Any]]:
    """Every leaf of a payload with the way to it."""
    if isinstance(value, dict):
        return [leaf for name, inner in value.items() for leaf in walked(inner, (*path, name))]
    if isinstance(value, list):
        return [leaf for i, inner in enumerate(value) for leaf in walked(inner, (*path, str(i)))]
    return [(path, value)]


class Payloads(unittest.TestCase):
    @given(st.dictionaries(NAME, TREE, max_size=4))
    def test_every_figure_is_found_at_its_path(self, body: dict[str, Any]) -> None:
        found, wanted = leaves_of(json.dumps(body).encode()), walked(body)
        if len(wanted) <= MOST_LEAVES and all(len(path) <= DEEPEST for path, _ in wanted):
            self.assertEqual(found, {".".join(path): value for path, value in wanted})
        for path, value in found.items():
            figure = number_of(value)
            if isinstance(value, int | float) and not isinstance(value, bool):
                self.assertEqual(figure, value, path)

    @given(st.one_of(st.binary(max_size=60), TREE.map(lambda x: json.dumps(x).encode())), st.booleans(), st.booleans())
    def test_anything_at_all_is_a_reading_or_told_in_words(self, payload: bytes, retained: bool, timed: bool) -> None:
        mapping = TopicMapping(
            "a/b", (Use("", "A", "soil_temperature", "degC"), Use("x", "A", "moisture", "percent")), "t" if timed else ""
        )
        figures, why = figures_of(mapping, Message("a/b", payload, NOW, retained), ZONE)
        self.assertTrue(figures or why)
        self.assertFalse(figures and (retained or timed), "of nobody knows when")
        self.assertTrue(all(words and words.isprintable() for words in why))

    def test_times_of_every_kind_are_one_moment(self) -> None:
        for said in ("2026-03-01T08:00:00Z", "2026-03-01 09:00", "2026-03-01T09:00:00+01:00", NOW.timestamp(), 1772352000,
                     "1772352000", NOW.timestamp() * 1000):  # fmt: skip
            self.assertEqual(moment_of(said, ZONE), NOW, said)
        for said in (True, None, 12, "soon", [], "2026-03-29T02:30"):
            with self.assertRaises(ValueError, msg=str(said)):
                moment_of(said, ZONE)

    @given(st.text("ab/+#$ \n", max_size=12))
    def test_a_filter_that_is_let_through_is_one_and_a_topic_has_no_wildcard(self, text: str) -> None:
        try:
            kept = checked_filter(text)
        except ValueError as e:
            self.assertIn("accepted", str(e))
            return
        plain = kept.replace("+", "a").replace("#", "a/b")
        self.assertTrue(topic_matches_sub(kept, plain))
        if any(c in kept for c in "+#"):
            self.assertRaises(ValueError, checked_topic, kept)
        else:
            self.assertEqual(checked_topic(kept), kept)

    def test_names_of_readings_can_be_kept_whatever_the_topic(self) -> None:
        for topic in ("home/box room/soil 2", "/", "ü/ö", "a" * 190):
            self.assertRegex(source_of(topic), r"^mqtt[A-Za-z0-9._-]{0,60}$")


class Guesses(unittest.TestCase):
    def test_what_sensors_send_is_guessed_by_its_own_name_and_its_place_by_the_topic(self) -> None:
        cases: tuple[tuple[str, Any, list[tuple[str, str, str, str]], str], ...] = (
            ("home/landing/air", {"temperature": 17.5, "humidity": 55, "voltage": 3.01, "linkquality": 80, "battery": 90},
             [("temperature", "landing", "air_temperature", "degC"), ("humidity", "landing", "humidity", "percent")], ""),
            ("home/A/plant", {"soil_moisture": 48, "soil_temperature": 21.2, "illuminance_lux": 4000,
                              "last_seen": "2026-03-01T08:00:00Z"},
             [("soil_moisture", "A", "moisture", "percent"), ("soil_temperature", "A", "soil_temperature", "degC"),
              ("illuminance_lux", "A", "light", "lux")], "last_seen"),
            ("house/box-room/probe/temp_f", 71.2, [("", "box", "soil_temperature", "degF")], ""),
            ("tele/hall/SENSOR", {"Time": "2026-03-01T08:00:00", "DS": {"Temperature": 67.1}, "TempUnit": "F"},
             [("DS.Temperature", "", "soil_temperature", "degF")], "Time"),
            ("home/hall/door", "CLOSED", [], ""),
            ("home/A/two", {"temp1": 20.1, "temp2": 20.4}, [("temp1", "A", "soil_temperature", "degC")], ""),
        )  # fmt: skip
        for topic, body, uses, when in cases:
            with self.subTest(topic):
                payload = body if isinstance(body, str) else json.dumps(body)
                found = guess(topic, leaves_of(payload.encode()), KNOWN, ZONE)
                self.assertEqual([(u.column, u.place, u.quantity, u.unit) for u in found.uses], uses)
                self.assertEqual(found.time_path, when)

    def test_a_guess_that_is_taken_reads_what_it_was_guessed_from(self) -> None:
        body = json.dumps({"soil_temperature": "19,5", "ts": (NOW - timedelta(hours=3)).timestamp()}).encode()
        mapping = guess("home/A", leaves_of(body), KNOWN, ZONE)
        (figure,), why = figures_of(mapping, Message("home/A", body, NOW, retained=True), ZONE)
        self.assertEqual((datetime.fromisoformat(figure.at), figure.value, why), (NOW - timedelta(hours=3), 19.5, []))
        with self.assertRaises(FormatError):
            leaves_of(b"[" * 10_000)
