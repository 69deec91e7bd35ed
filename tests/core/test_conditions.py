"""How a batch stands in its four quantities."""

from __future__ import annotations

import unittest
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.conditions import Conditions, conditions, next_last_frost_s, planting_day_length_h
from fennet.core.records import Batch, Event, Garden, Journal, Lamp, Place, Series, Tray
from fennet.crops import shipped
from tests.building import SOWN, counts, event, on, soil

ZONE = ZoneInfo("UTC")
LAMP = [event("placed", -1, tray="A", place="p"), event("lamp", -1, lamp="l", height_mm=240.0, on="06:00", off="21:00")]


def point(quantity: str, day: float, value: float, place: str = "A") -> Series:
    return Series(place, quantity, "by-hand", np.array([on(day).timestamp()]), np.array([value]), np.array([False]))


def stands(series: list[Series], events: list[Event], day: float, crop: str = "tomato", **more: Any) -> Conditions:
    batch = Batch(id="b1", crop=crop, sown_at=SOWN, tray="A", cells=12, practice=more.pop("practice", {}))
    journal = Journal(
        garden=Garden(timezone="UTC", latitude=52.0, longitude=4.6, last_frost="05-05"),
        places=[Place(id="p", kind="shelf", width_mm=1200, depth_mm=450)],
        lamps=[Lamp(id="l", place="p", kind="white_led")],
        trays=[Tray(id="A", height_mm=60)],
        batches=[batch],
        series=series,
    )
    found = sorted(events, key=lambda e: e.at)
    return conditions(journal, shipped().get(crop), batch, found, on(day).timestamp(), ZONE, **more)


class Soil(unittest.TestCase):
    def test_held_against_the_band_of_its_stage_and_of_its_night(self) -> None:
        cold = stands([soil(18, 9)], LAMP, 8).channels["soil_temperature"]
        self.assertEqual((cold.value, cold.miss, cold.out), (18.0, -6.0, True))
        up = counts((5, 12))
        # Sown at eight in the morning: half a day later is lamps-on still, sixteen hours later is night.
        self.assertEqual(stands([soil(18, 9)], [*LAMP, *up], 8.2).channels["soil_temperature"].miss, -2.0)
        self.assertEqual(stands([soil(18, 9)], [*LAMP, *up], 8.7).channels["soil_temperature"].miss, 0.0)

    def test_a_miss_within_the_thermometers_error_is_none_and_an_old_reading_says_nothing(self) -> None:
        edge = stands([soil(23.7, 9)], LAMP, 8).channels["soil_temperature"]
        self.assertEqual((round(edge.miss, 1), edge.out), (-0.3, False))
        old = stands([soil(18, 2)], LAMP, 8).channels["soil_temperature"]
        self.assertEqual((old.value, old.out, old.at_s), (None, False, on(2).timestamp()))
        air = stands([soil(18, 9, quantity="air_temperature")], LAMP, 8)
        self.assertTrue(air.soil_is_air)
        beside = stands([soil(18, 2), soil(21, 9, place="p")], LAMP, 8).channels["soil_temperature"]
        self.assertEqual(beside.value, 21.0, "a silent probe leaves the word to its place's")

    def test_time_in_band_counts_each_stage_by_its_own_band(self) -> None:
        held = stands([soil(22, 10)], [*LAMP, *counts((5, 12))], 10).channels["soil_temperature"].held
        assert held is not None and held.share is not None
        # Five days too cold for seed (24 and more), then days right and nights too warm for seedlings.
        self.assertAlmostEqual(held.under_h, 120, delta=2)
        self.assertAlmostEqual(held.over_h, 60, delta=3)
        self.assertAlmostEqual(held.share, 0.25, delta=0.03)


class Light(unittest.TestCase):
    UP = counts((5, 12))

    def test_today_is_told_whole_and_moves_with_the_lamp(self) -> None:
        read = point("light", 6.2, 200.0)
        before = stands([read], [*LAMP, *self.UP], 8)
        self.assertAlmostEqual(before.channels["daily_light"].value or 0, 0.0036 * 200 * 15, places=3)
        self.assertAlmostEqual(before.channels["light_hours"].value or 0, 15.0)
        self.assertFalse(before.channels["daily_light"].estimated)
        lowered = stands([read], [*LAMP, *self.UP, event("lamp", 7.0, lamp="l", height_mm=140.0)], 8)
        after = lowered.channels["daily_light"]
        self.assertAlmostEqual(after.value or 0, 0.0036 * 200 * (240 / 140) ** 1.2 * 15, delta=1.0)
        self.assertTrue(after.estimated)

    def test_an_unlit_tray_is_out_of_both_and_an_unmeasured_one_is_not_judged(self) -> None:
        dark = stands([], [LAMP[0], *self.UP, event("lamp", 0, lamp="l", on=False)], 8).channels
        self.assertEqual((dark["light_hours"].value, dark["daily_light"].value), (0.0, 0.0))
        self.assertTrue(dark["light_hours"].out and dark["daily_light"].out)
        unread = stands([], [*LAMP, *self.UP], 8).channels
        self.assertEqual((unread["daily_light"].value, unread["daily_light"].out), (None, False))
        self.assertFalse(unread["light_hours"].out)

    def test_seed_in_the_dark_wants_no_light(self) -> None:
        sown = stands([], LAMP, 3).channels
        self.assertIsNone(sown["daily_light"].band)
        self.assertFalse(sown["light_hours"].out)

    def test_the_past_does_not_know_what_was_read_later(self) -> None:
        light = stands([point("light", 6.2, 200.0), point("light", 8.1, 900.0)], [*LAMP, *self.UP], 8).channels["daily_light"]
        self.assertAlmostEqual(light.value or 0, 0.0036 * 200 * 15, places=3)

    def test_eighteen_hours_hold_for_the_first_week_alone(self) -> None:
        journal_practice = {"light_hours": "18_first_week"}
        c = stands([], [*LAMP, *self.UP], 14, crop="cabbage", practice=journal_practice)
        bands = [(round(s.from_s - SOWN.timestamp()) // 86_400, b["light_hours"].low) for s, b in c.bands if "light_hours" in b]
        self.assertEqual(bands, [(5, 17.5), (12, 12.0)])


class Moisture(unittest.TestCase):
    def test_dry_wet_and_just_soaked(self) -> None:
        up = counts((5, 12))
        dry = stands([point("moisture", 7.9, 30.0)], [*LAMP, *up], 8).channels["moisture"]
        self.assertTrue(dry.out and dry.miss < 0)
        soaked = event("watered", 7.9, tray="A", how="below")
        self.assertFalse(stands([point("moisture", 7.8, 30.0)], [*LAMP, *up, soaked], 8).channels["moisture"].out)
        sodden = stands([point("moisture", 7.9, 110.0)], [*LAMP, *up], 8).channels["moisture"]
        self.assertTrue(sodden.out and sodden.miss > 0)
        self.assertIsNone(stands([point("moisture", 2.0, 60.0)], [*LAMP, *up], 8).channels["moisture"].value)


class Dates(unittest.TestCase):
    def test_days_at_planting_and_the_next_frost(self) -> None:
        garden = Garden(latitude=52.0, longitude=4.6, last_frost="05-05")
        self.assertAlmostEqual(planting_day_length_h(garden, 2026) or 0, 15.1, delta=0.3)
        for said in (None, "02-30", "spring"):
            self.assertIsNone(planting_day_length_h(Garden(latitude=52.0, longitude=4.6, last_frost=said), 2026))
            self.assertIsNone(next_last_frost_s(Garden(last_frost=said), 0.0, ZONE))
