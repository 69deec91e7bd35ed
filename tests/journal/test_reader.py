"""The journal: everything of the format read and written unchanged, every fault told and nothing else lost."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import copy
import json
import math
import unittest
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core.kinds import EVENT_KINDS, SIGNS, UNITS_OF
from fennet.journal.reader import Read, open_journal, read_journal
from fennet.journal.rejected import FormatError
from fennet.journal.writer import write_journal
from tests.journal.whole import at, whole_journal

KEYS = ["id", "crop", "at", "kind", "cells", "value", "tray"]


def written(read: Read) -> dict[str, Any]:
    return dict(json.loads("".join(write_journal(read.journal, read.groups))))


def by_time(entries: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return sorted(entries, key=lambda e: json.dumps(e, sort_keys=True))


class Whole(unittest.TestCase):
    def test_every_key_comes_back_as_it_was(self) -> None:
        given_ = whole_journal()
        read = read_journal(copy.deepcopy(given_))
        self.assertEqual([str(a) for a in read.rejected], [])
        self.assertEqual(read.notes, [])
        back = written(read)
        for section, entries in given_.items():
            if section == "readings":
                self.assertEqual(by_time(back[section]), by_time(entries))
            else:
                self.assertEqual(back[section], entries, section)

    def test_the_whole_journal_uses_every_kind_of_event_and_quantity(self) -> None:
        used = whole_journal()
        self.assertEqual({e["kind"] for e in used["events"]}, set(EVENT_KINDS))
        self.assertEqual({r["quantity"] for r in used["readings"]}, set(UNITS_OF))

    def test_unknown_keys_are_told_once_and_left_out(self) -> None:
        data = whole_journal()
        for reading in data["readings"]:
            reading["battery"] = 3.1
        data["trays"][0]["colour"] = "green"
        data["moon"] = []
        read = read_journal(data)
        self.assertEqual([n.split("'")[1] for n in read.notes], ["moon", "readings.battery", "trays.colour"])
        self.assertEqual(len(read.rejected), 0)

    def test_one_bad_record_of_each_sort_is_set_aside_and_the_rest_stays(self) -> None:
        data = whole_journal()
        n = len(data["events"])
        data["places"].append({"id": "shelf 2"})
        data["trays"].append({"id": "landing"})
        data["lamps"].append({"id": "lamp-2", "kind": "candle"})
        data["seed_lots"].append({"id": "s2", "crop": "leek", "rate": 1.4})
        data["batches"].append({"id": "b9", "crop": "leeck", "cells": 2, "sown_at": at(0)})
        data["batches"].append({"id": "b10", "crop": "leek", "sown_at": at(0)})
        data["batches"].append({"id": "b11", "crop": "leek", "cell_list": ["r9c9"], "tray": "A", "sown_at": at(0)})
        data["batches"].append({"id": "b12", "crop": "leek", "cell_list": ["r1c2"], "tray": "A", "sown_at": at(1)})
        data["events"] += [
            {"kind": "watred", "at": at(1)},
            {"kind": "sign", "at": at(1), "batch": "b1", "sign": "sad"},
            {"kind": "count", "at": at(3), "batch": "b1"},
            {"kind": "count", "at": at(9), "batch": "b1", "cells_up": 3},
            {"kind": "count", "at": at(9), "batch": "b1", "cells_up": 0},
            {"kind": "placed", "at": at(1), "tray": "Z", "place": "shelf-1"},
            {"kind": "note", "at": "yesterday", "text": "x"},
            {"kind": "note", "at": at(1), "text": "about one set aside", "batch": "b12"},
            "not an object",
            {"kind": "count", "at": at(9), "batch": "b1", "cells_up": float("nan")},
            {"kind": "height", "at": at(9), "batch": "b1", "mm": 1e6},
        ]
        read = read_journal(data)
        told = [f"{a.where} {a.field}" for a in read.rejected]
        for where in ("places[2] id", "trays[3] id", "lamps[1] kind", "seed_lots[1] rate", "batches[4] crop", "batches[5] cells",
                      "batches[6] cell_list", "batches[7] cell_list", f"events[{n}] kind", f"events[{n + 1}] sign", f"events[{n + 2}] cells_up",
                      f"events[{n + 5}] tray", f"events[{n + 6}] at", f"events[{n + 8}] ",
                      f"events[{n + 9}] cells_up", f"events[{n + 10}] mm"):  # fmt: skip
            self.assertIn(where, told)
        self.assertTrue(all(a.reason for a in read.rejected))
        self.assertEqual(len(read.journal.events), n)
        self.assertEqual([b.id for b in read.journal.batches], ["b1", "b2", "b3", "b4"])
        nearest = next(a for a in read.rejected if a.where == "batches[4]")
        self.assertIn("leek", nearest.reason)

    def test_what_is_no_journal_is_refused_in_one_line(self) -> None:
        for text, said in (
            ("", "line 1"), ("[1]", "one JSON object"), ('{"format": "x"}', "fennet-journal"),
            ('{"format": "fennet-journal", "version": 2}', "newer"), ('{"format": "fennet-journal", "version": 1', "column"),
            (b"\xff\xfe\x00", "UTF-8"), ("[" * 100_000, "line 1"),
        ):  # fmt: skip
            with self.assertRaises(FormatError) as caught:
                open_journal(text)
            self.assertIn(said, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))

    @settings(max_examples=60, deadline=None)
    @given(
        st.dictionaries(
            st.sampled_from(list(whole_journal())),
            st.recursive(
                st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
                lambda inner: (
                    st.lists(inner, max_size=4)
                    | st.dictionaries(st.sampled_from(["id", "crop", "at", "kind", "cells", "value", "tray"]), inner, max_size=5)
                ),
                max_leaves=12,
            ),
        )
    )
    def test_rubbish_never_breaks_the_reader(self, sections: dict[str, Any]) -> None:
        read = read_journal(whole_journal() | sections)
        for entry in read.rejected:
            self.assertTrue(entry.reason, entry)
        json.loads("".join(write_journal(read.journal, read.groups)))

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(
            st.fixed_dictionaries(
                {
                    "kind": st.sampled_from(["sign", "note", "watered"]),
                    "day": st.integers(0, 20),
                    "sign": st.sampled_from(SIGNS),
                    "text": st.text(min_size=1, max_size=30),
                    "ml": st.floats(0, 5000, allow_nan=False),
                }
            ),
            max_size=12,
        )
    )
    def test_written_and_read_again_nothing_changes(self, drawn: list[dict[str, Any]]) -> None:
        data = whole_journal()
        about = {"sign": ("sign", "batch", "b1"), "note": ("text", "batch", "b1"), "watered": ("ml", "tray", "A")}
        data["events"] = [
            {
                "kind": d["kind"],
                "at": at(d["day"]),
                about[d["kind"]][0]: d[about[d["kind"]][0]],
                about[d["kind"]][1]: about[d["kind"]][2],
            }
            for d in drawn
        ]
        first = written(read_journal(data))
        self.assertEqual(written(read_journal(first)), first)


class Times(unittest.TestCase):
    def journal(self, *times: str, zone: str = "Europe/Tallinn") -> Read:
        readings = [{"at": t, "place": "A", "quantity": "soil_temperature", "value": 18, "unit": "degC"} for t in times]
        return read_journal({"garden": {"timezone": zone}, "trays": [{"id": "A"}], "readings": readings})

    def test_a_naive_time_is_the_gardens(self) -> None:
        read = self.journal("2026-02-03T10:00", "2026-02-03 12:00:00")
        self.assertEqual([r["at"] for r in written(read)["readings"]], ["2026-02-03T10:00:00+02:00", "2026-02-03T12:00:00+02:00"])

    def test_the_hour_that_does_not_exist_and_the_one_that_exists_twice(self) -> None:
        read = self.journal("2026-03-29T03:30:00", "2026-10-25T03:30:00", "2026-10-25T03:30:00+03:00")
        self.assertEqual(
            [("does not exist" in a.reason, "exists twice" in a.reason) for a in read.rejected], [(True, False), (False, True)]
        )
        self.assertEqual(sum(len(g.at_s) for g in read.groups), 1)

    def test_an_unknown_zone_is_told_and_utc_used(self) -> None:
        read = self.journal("2026-02-03T10:00", zone="Europe/Atlantis")
        self.assertEqual((read.rejected[0].field, read.journal.garden.timezone), ("timezone", "UTC"))


class Readings(unittest.TestCase):
    def test_twice_is_once_and_a_contradiction_is_set_aside(self) -> None:
        one = {"at": at(1), "place": "A", "quantity": "soil_temperature", "value": 18, "unit": "degC"}
        read = read_journal({"trays": [{"id": "A"}], "readings": [one, dict(one), one | {"value": 19}, one | {"unit": "degF"}]})
        self.assertEqual((sum(len(g.at_s) for g in read.groups), read.repeated, len(read.rejected)), (1, 1, 2))

    def test_what_cannot_be_is_set_aside_with_what_can(self) -> None:
        bad = [("soil_temperature", 900, "degC"), ("light", -5, "lux"), ("light", 3e6, "lux"), ("moisture", 140, "percent"), ("moisture", 7, "feel"),
               ("lamp_on", 0.5, "0|1"), ("photoperiod", 25, "h"), ("humidity", 101, "percent"), ("soil_temperature", "warm", "degC"),
               ("soil_temperature", True, "degC"), ("heat", 1, "degC"), ("light", 5, "degC")]  # fmt: skip
        readings = [{"at": at(1), "place": "A", "quantity": q, "value": v, "unit": u, "under": "daylight"} for q, v, u in bad]
        read = read_journal({"trays": [{"id": "A"}], "readings": readings})
        self.assertEqual(sorted(int(a.where[9:-1]) for a in read.rejected), list(range(len(bad))))
        self.assertTrue(all("accepted" in a.reason for a in read.rejected))

    def test_lux_without_a_lamp_are_turned_by_what_hung_there_at_the_time(self) -> None:
        def ppfd(where: str, day: int, **more: Any) -> float:
            data = {
                "places": [{"id": "shelf", "kind": "shelf"}, {"id": "sill", "kind": "sill"}, {"id": "floor", "kind": "floor"}],
                "trays": [{"id": "A"}],
                "lamps": [{"id": "led", "kind": "white_led", "place": "floor"}, {"id": "rb", "kind": "red_blue_led"}],
                "events": [{"at": at(1), "kind": "placed", "tray": "A", "place": "shelf"},
                           {"at": at(3), "kind": "lamp", "lamp": "led", "place": "shelf", "on": "06:00", "off": "20:00"},
                           {"at": at(5), "kind": "placed", "tray": "A", "place": "sill"},
                           {"at": at(7), "kind": "lamp", "lamp": "rb", "place": "sill", "on": "06:00", "off": "20:00"}],
                "readings": [{"at": at(day, 12), "place": where, "quantity": "light", "value": 5400, "unit": "lux", **more}],
            }  # fmt: skip
            return float(read_journal(data).groups[0].canonical[0])

        self.assertTrue(math.isnan(ppfd("A", 2)), "no lamp hung there yet")
        self.assertAlmostEqual(ppfd("A", 4), 5400 / 67)
        self.assertAlmostEqual(ppfd("shelf", 4), 5400 / 67)
        self.assertEqual(ppfd("A", 6), 100.0, "on a sill without a lamp it is the sky")
        self.assertTrue(math.isnan(ppfd("A", 8)), "lux do not measure red and blue")
        self.assertEqual(ppfd("A", 8, under="daylight"), 100.0, "what was said holds")

    def test_lux_of_red_and_blue_lamps_are_refused_with_the_reason(self) -> None:
        data = {"trays": [{"id": "A"}], "lamps": [{"id": "rb", "kind": "red_blue_led"}],
                "readings": [{"at": at(1), "place": "A", "quantity": "light", "value": 900, "unit": "lux", "under": "rb"}]}  # fmt: skip
        self.assertIn("quantum sensor", read_journal(data).rejected[0].reason)
