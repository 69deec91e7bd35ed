"""The log line: what a grower's shorthand says, and what is told when it says nothing."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import contextlib
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.kinds import EVENT_KINDS, SIGNS, UNITS_OF
from fennet.core.light import LampState
from fennet.core.records import Batch, Tray
from fennet.core.room import MatState, RoomState, TrayState
from fennet.journal.log_line import Action, Measured, Misread, Scene, suggest, understand

NOW = datetime(2026, 3, 3, 9, 30, tzinfo=UTC)
SOWN = NOW - timedelta(days=13)
SCENE = Scene(
    ZoneInfo("Europe/Tallinn"),
    NOW,
    kinds={
        "A": "tray", "B": "tray", "D": "tray", "E": "tray", "lamp-1": "lamp", "mat-1": "mat", "fan-1": "fan", "box-top": "place",
        "landing": "room", "leek-1": "batch", "pak-1": "batch", "statice-1": "batch", "parsley-1": "batch",
    },
    in_tray={"A": ("leek-1",), "B": ("parsley-1",), "D": ("pak-1", "statice-1")},
    batches={
        "leek-1": Batch(id="leek-1", crop="leek", sown_at=SOWN, tray="A", cell_list=["r1c1", "r1c2", "r2c1", "r2c2"]),
        "parsley-1": Batch(id="parsley-1", crop="parsley", sown_at=SOWN, tray="B", cells=12),
        "pak-1": Batch(id="pak-1", crop="pak_choi", sown_at=SOWN, tray="D", cells=6),
        "statice-1": Batch(id="statice-1", crop="statice", sown_at=SOWN, tray="D", cells=6),
    },
    trays={"A": Tray(id="A", rows=2, columns=2)},
    up={"leek-1": ("cells", 1, 4), "parsley-1": ("cells", 3, 12), "pak-1": ("cells", 6, 6), "statice-1": ("cells", 0, 6)},
    state=RoomState(
        NOW.timestamp(),
        {"A": TrayState("A", "box-top", mat="mat-1"), "B": TrayState("B", "landing")},
        {"lamp-1": LampState("lamp-1", 0.0, float("inf"), "box-top", 200.0, ((390, 1260),))},
        {"mat-1": MatState("mat-1")},
    ),
)  # fmt: skip


def told(line: str, scene: Scene = SCENE) -> list[Any]:
    """What a line says, as (kind, fields) and (place, quantity, value, unit, under)."""
    return [
        (p.kind, p.fields) if isinstance(p, Action) else (p.place, p.quantity, p.value, p.unit, p.under)
        for p in understand(line, scene).parts
    ]


class Understood(unittest.TestCase):
    def test_the_shorthand_of_the_guide(self) -> None:
        up = ("count", {"batch": "leek-1", "cells_up": 3})
        cases: dict[str, list[Any]] = {
            "A 3 up": [up],
            "a 3 up": [up],
            "leek-1 +2 up": [("count_more", {"batch": "leek-1", "more": 2})],
            "leek-1 +2 seedlings": [("count_more", {"batch": "leek-1", "more": 2, "field": "seedlings_up"})],
            "A r1c1-r2c1 up": [("mark", {"batch": "leek-1", "cell_list": ["r1c1", "r2c1"]})],
            "A 8 seedlings": [("count", {"batch": "leek-1", "seedlings_up": 8})],
            "A soil 21,5 moist 60": [("A", "soil_temperature", 21.5, "degC", None), ("A", "moisture", 60.0, "percent", None)],
            "A soil 70F": [("A", "soil_temperature", 70.0, "degF", None)],
            "A 60%": [("A", "moisture", 60.0, "percent", None)],
            "A B feel 3": [("A", "moisture", 3.0, "feel", None), ("B", "moisture", 3.0, "feel", None)],
            "A 850g": [("A", "moisture", 850.0, "g", None)],
            "B weighs 2lb": [("B", "moisture", 907.185, "g", None)],
            "A light 180": [("A", "light", 180.0, "umol/m2/s", "lamp-1")],
            "B light 12 klux sky": [("B", "light", 12.0, "klux", "daylight")],
            "A light 9800lux under lamp-1": [("A", "light", 9800.0, "lux", "lamp-1")],
            "A hours 14.5h": [("A", "photoperiod", 14.5, "h", None)],
            "landing air 18 humid 55": [("landing", "air_temperature", 18.0, "degC", None), ("landing", "humidity", 55.0, "percent", None)],
            "B watered below 300ml": [("watered", {"tray": "B", "how": "below", "ml": 300.0})],
            "A watered 1/4 cup 20 min": [("watered", {"tray": "A", "ml": 59.1, "minutes": 20.0})],
            "A misted": [("watered", {"tray": "A", "how": "mist"})],
            "A cover vent; B cover off": [("cover", {"tray": "A", "on": "vented"}), ("cover", {"tray": "B", "on": False})],
            "A mat off": [("mat", {"mat": "mat-1", "tray": "A", "on": False})],
            "B on mat-1": [("mat", {"mat": "mat-1", "tray": "B", "on": True})],
            "mat-1 set 24": [("mat", {"mat": "mat-1", "setpoint_c": 24.0})],
            "mat-1 set 75f": [("mat", {"mat": "mat-1", "setpoint_c": 23.89})],
            "lamp-1 at 120mm 14.5h": [("lamp", {"lamp": "lamp-1", "height_mm": 120.0, "on": "06:30", "off": "21:00"})],
            "lamp-1 at 20": [("lamp", {"lamp": "lamp-1", "height_mm": 20.0})],
            "lamp-1 12": [("lamp", {"lamp": "lamp-1", "on": "06:30", "off": "18:30"})],
            "lamp-1 5in": [("lamp", {"lamp": "lamp-1", "height_mm": 127.0})],
            "lamp-1 18:00-8:00": [("lamp", {"lamp": "lamp-1", "on": "18:00", "off": "08:00"})],
            "lamp-1 off": [("lamp-1", "lamp_on", 0.0, "0|1", None)],
            "fan-1 12h": [("fan", {"fan": "fan-1", "hours_per_day": 12.0})],
            "B to box-top x 40cm": [("placed", {"tray": "B", "place": "box-top", "x_mm": 400.0})],
            "A to light": [("moved_to_light", {"batch": "leek-1"})],
            "A turned": [("placed", {"tray": "A", "place": "box-top", "turned": True})],
            "pak-1 tall 45mm 2 leaves": [("height", {"batch": "pak-1", "mm": 45.0, "true_leaves": 2})],
            "A long thin": [("sign", {"sign": "long_thin", "tray": "A"})],
            "leek-1 saw coat_stuck 2": [("sign", {"sign": "coat_stuck", "cells": 2, "batch": "leek-1"})],
            "A lost 2 fell over": [("lost", {"batch": "leek-1", "cells": 2, "why": "fell over"})],
            "A fed tomato feed 50mg": [("fed", {"tray": "A", "feed": "tomato feed", "n_mg_per_l": 50.0})],
            "A note up; slow, left": [("note", {"text": "up; slow, left", "place": "A"})],
            "A gave up": [("gave_up", {"batch": "leek-1"})],
            "A planted 8": [("planted", {"batch": "leek-1", "count": 8})],
            "A potted to B buried": [("potted_up", {"batch": "leek-1", "tray": "B", "buried": True})],
            "A watered 300ml for 20 min": [("watered", {"tray": "A", "ml": 300.0, "minutes": 20.0})],
            "A fed": [("fed", {"tray": "A"})],
            "A fed 1tbsp": [("fed", {"tray": "A", "feed": "1tbsp"})],
            "A fed fish feed 2 tsp in 4l": [("fed", {"tray": "A", "feed": "fish feed 2 tsp in 4l"})],
            "A fed bloom 1/2tsp per gal": [("fed", {"tray": "A", "feed": "bloom 1/2tsp per gal"})],
            "A turned 180": [("placed", {"tray": "A", "place": "box-top", "turned": 180.0})],
            "lamp-1 to landing": [("lamp", {"lamp": "lamp-1", "place": "landing"})],
            "lamp-1 dim 80%": [("lamp", {"lamp": "lamp-1", "dim_pct": 80.0})],
            "lamp-1 80%": [("lamp", {"lamp": "lamp-1", "dim_pct": 80.0})],
            "lamp-1 at 120mm 6:30-21:00": [("lamp", {"lamp": "lamp-1", "height_mm": 120.0, "on": "06:30", "off": "21:00"})],
            "pak-1 thinned to 6": [("thinned", {"batch": "pak-1", "left": 6})],
            "pak-1 thinned": [("thinned", {"batch": "pak-1"})],
            "A pinched": [("topped", {"batch": "leek-1"})],
            "A r1c1 r1c2 lost damping off": [("lost", {"batch": "leek-1", "cell_list": ["r1c1", "r1c2"], "why": "damping off"})],
            "A r1c1 long_thin": [("sign", {"batch": "leek-1", "sign": "long_thin", "cell_list": ["r1c1"]})],
            "A out 2h stress": [("outing", {"batch": "leek-1", "hours": 2.0, "stress": True})],
            "A out 90min shade 50%": [("outing", {"batch": "leek-1", "hours": 1.5, "shade_share": 0.5})],
        }  # fmt: skip
        for line, wanted in cases.items():
            with self.subTest(line):
                wanted = [
                    (k, {n: v for n, v in f.items() if v is not None}) if len(w) == 2 else w
                    for w in wanted
                    for k, f in [(w[0], w[1]) if len(w) == 2 else (None, {})]
                ]
                self.assertEqual(told(line), wanted)

    def test_earlier_times(self) -> None:
        for when, wanted in (
            ("8:10", "2026-03-03T08:10"), ("12:00", "2026-03-02T12:00"), ("yesterday 19", "2026-03-02T19:00"), ("2h ago", "2026-03-03T09:30"),
            ("mon 8:10", "2026-03-02T08:10"), ("12 feb 8.10", "2026-02-12T08:10"), ("feb 12", "2026-02-12T11:30"), ("2026-03-01 7:00", "2026-03-01T07:00"),
        ):  # fmt: skip
            said = understand(f"A 3 up @ {when}", SCENE)
            self.assertEqual(said.at.astimezone(SCENE.zone).strftime("%Y-%m-%dT%H:%M"), wanted, when)
            self.assertTrue(said.dated)
        self.assertEqual(understand("A 3 up", SCENE).at, NOW)

    def test_fahrenheit_readers_mean_fahrenheit(self) -> None:
        self.assertEqual(told("A soil 70", replace(SCENE, temperature_unit="degF"))[0][3], "degF")

    def test_all_it_can_say_can_be_kept(self) -> None:
        for line in (
            "A 3 up",
            "A watered",
            "A cover on",
            "lamp-1 120mm",
            "A to box-top",
            "A tall 4cm",
            "A out 1h",
            "A washed",
            "A topped",
        ):
            for part in understand(line, SCENE).parts:
                if isinstance(part, Action):
                    schema = EVENT_KINDS[part.kind]
                    self.assertLessEqual(set(part.fields), {*schema.required, *schema.optional}, line)
                else:
                    self.assertIn(part.unit, UNITS_OF[part.quantity])


class NotUnderstood(unittest.TestCase):
    def test_each_fault_says_where_and_how_it_would_read(self) -> None:
        cases: dict[str, tuple[str, str, str | None]] = {
            "F 3 up": ("Nothing here is called 'F'", "F", None),
            "leak-1 3 up": ("Nothing here is called", "leak-1", "leek-1 3 up"),
            "A waterd 250ml": ("not something that can be logged here", "waterd", "A watered 250ml"),
            "D 3 up": ("D holds pak-1 and statice-1: say which", "D", "pak-1 3 up"),
            "E 3 up": ("Nothing grows in E now", "E", None),
            "A 5 up": ("has 4 cells; 5 cannot be up", "5", "A 4 up"),
            "A 21.5": ("21.5 of what?", "21.5", "A 21.5 up"),
            "A soil warm": ("Temperature needs a number", "warm", None),
            "A feel 7": ("five steps", "7", None),
            "A moist 60C": ("in percent", "60C", None),
            "A cover half": ("on, off or vented", "half", "A cover off"),
            "lamp-1 24h": ("Plants need a night", "24h", None),
            "lamp-1 6:00-6:00": ("Plants need a night", "6:00-6:00", None),
            "A to nowhere": ("Where to?", "nowhere", None),
            "A r9c9 up": ("no cell r9c9", "r9c9", None),
            "A saw long_thing": ("Saw what?", "long_thing", "A saw long_thin"),
            "A 3 up @ tomorrow": ("is not a time", "tomorrow", "A 3 up"),
            "A 3 up @ 2027-01-01": ("future", "2027-01-01", "A 3 up"),
            "A watered 90l": ("not a watering of a tray", "90l", None),
            "A fed 5mm": ("is not a strength", "5mm", None),
            "D turned": ("stands nowhere yet", "turned", None),
            "pak-1 thinned to 2.5": ("is not a count", "2.5", None),
            "A potted to Z": ("Into which tray?", "Z", None),
            "A out 3days": ("is not a time outside", "3days", None),
            "A note": ("A note of what?", "", None),
            "A soil 20mm": ("does not measure temperature", "20mm", None),
            "A weighs 3mm": ("is not a weight", "3mm", None),
            "A light 5mm": ("does not measure light", "5mm", None),
            "A light on": ("A lamp is set", "on", None),
            "A light 100 under mat-1": ("Under which lamp?", "mat-1", None),
            "A hours 12mm": ("given in hours", "12mm", None),
            "A tall 3kg": ("is not a length", "3kg", None),
            "A -1 up": ("is not a count", "-1", None),
            "B r1c1 up": ("has no cell plan", "r1c1", None),
            "A r1c1 dances": ("What about these cells?", "dances", None),
            "lamp-1 at": ("At what height?", "", None),
            "lamp-1 25:00-26:00": ("are not times", "25:00-26:00", None),
            "lamp-1 at -50mm": ("under the shelf", "-50mm", None),
            "lamp-1 3kg": ("of a lamp?", "3kg", None),
            "fan-1 30h": ("are not hours a day", "30h", None),
            "B mat off": ("is not on a mat", "mat", None),
            "mat-1 feel 3": ("is not for a mat", "feel", None),
            "A": ("What about A?", "", None),
            "": ("Nothing is said", "", None),
        }  # fmt: skip
        for line, (reason, stood, mend) in cases.items():
            with self.subTest(line), self.assertRaises(Misread) as caught:
                understand(line, SCENE)
            e = caught.exception
            self.assertIn(reason, e.reason, line)
            self.assertEqual(e.given, stood, line)
            self.assertEqual(line[e.start : e.start + len(stood)], stood, line)
            self.assertTrue(e.accepted, line)
            if mend is not None:
                self.assertEqual(e.mend, mend, line)

    @given(st.lists(st.sampled_from(["A", "D", "lamp-1", "mat-1", "3", "+2", "up", "soil", "21.5", "r1c1", "to", "cover", "off", "@", ";", "8:10",
                                     "watered", "300ml", "note", "lost", "14h", "6-20", "under", "sky", "x", "%", "µ", "1/0", *SIGNS[:3]]), max_size=8))  # fmt: skip
    def test_nonsense_is_told_never_thrown(self, words: list[str]) -> None:
        line = " ".join(words)
        try:
            said = understand(line, SCENE)
        except Misread as e:
            self.assertTrue(e.reason and e.accepted)
            self.assertTrue(0 <= e.start <= len(line) + 1)
        else:
            self.assertTrue(said.parts)
            self.assertTrue(all(isinstance(p, Action | Measured) for p in said.parts))

    @given(st.text(max_size=40))
    def test_any_text_is_told(self, line: str) -> None:
        with contextlib.suppress(Misread):
            understand(line, SCENE)
        suggest(line, SCENE)


class Suggested(unittest.TestCase):
    def lines(self, typed: str) -> list[str]:
        return [s.line for s in suggest(typed, SCENE)]

    def test_how_a_line_may_go_on(self) -> None:
        self.assertEqual(self.lines("le"), ["leek-1 "])
        self.assertEqual(self.lines("A cov"), ["A cover off"])
        self.assertIn("A saw long_thin", self.lines("A saw long"))
        self.assertEqual(self.lines("A 3 up; lam"), ["A 3 up; lamp-1 "])
        self.assertEqual(self.lines("A to "), ["A to box-top", "A to light"])
        self.assertTrue(self.lines(""))

    def test_what_is_suggested_whole_is_understood(self) -> None:
        for typed in ("A ", "lamp-1 ", "mat-1 ", "fan-1 ", "box-top "):
            for line in self.lines(typed):
                if (
                    line[-1] != " "
                    and line.split()[0] in SCENE.kinds
                    and len(line.split()) > 1
                    and line.split()[1] not in SCENE.kinds
                ):
                    with self.subTest(line):
                        understand(line, SCENE)
