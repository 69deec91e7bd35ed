"""Lamps, suns and the sum of a day."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from datetime import UTC, date, datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.core.light import (
    Brightness,
    DayOfLight,
    LampState,
    TrayLight,
    constant_dli_mol,
    days_of_light,
    hours_of,
    lamp_states,
    lit_spans,
    local_days,
    sun_all_day,
    sun_span,
)
from fennet.core.records import Batch, Garden, Journal, Lamp, Place, Series, Tray
from fennet.core.tray_light import light_at_tray
from tests.building import event, on

TALLINN = ZoneInfo("Europe/Tallinn")


def state(*periods: tuple[int, int]) -> LampState:
    return LampState("l", float("-inf"), float("inf"), "p", 200.0, periods)


class Lit(unittest.TestCase):
    @given(st.integers(0, 1439), st.integers(1, 1439))
    def test_a_timer_lights_its_hours_every_day_even_across_midnight(self, on_min: int, length: int) -> None:
        periods = ((on_min, (on_min + length) % 1440),)
        days = local_days(on(0).timestamp(), on(0).timestamp(), ZoneInfo("UTC"))
        start = days[0][1]
        spans = lit_spans([state(*periods)], ZoneInfo("UTC"), start, start + 10 * 86_400)
        self.assertAlmostEqual(sum(b - a for a, b in spans), 10 * length * 60, delta=1)
        self.assertAlmostEqual(hours_of(periods), length / 60)

    def test_clock_changes_keep_the_clock_times(self) -> None:
        start = datetime(2026, 3, 28, tzinfo=TALLINN).timestamp()
        spans = lit_spans([state((360, 1200))], TALLINN, start, start + 3 * 86_400)
        self.assertEqual([datetime.fromtimestamp(a, TALLINN).hour for a, _ in spans], [6, 6, 6])
        self.assertEqual([round((b - a) / 3600) for a, b in spans[:2]], [14, 14])

    def test_switch_readings_are_stronger_than_the_timer_for_a_day(self) -> None:
        start = datetime(2026, 2, 3, tzinfo=UTC).timestamp()
        switch_s = np.array([start + 8 * 3600, start + 10 * 3600])
        spans = lit_spans([state((360, 1200))], ZoneInfo("UTC"), start, start + 3 * 86_400, switch_s, np.array([1.0, 0.0]))
        hours = [(round((a - start) / 3600, 1), round((b - start) / 3600, 1)) for a, b in spans]
        self.assertEqual(hours, [(6, 10), (34, 44), (54, 68)])

    def test_an_event_changes_what_it_names_and_leaves_the_rest(self) -> None:
        events = [
            event("lamp", 0, lamp="l", height_mm=200.0, on="06:00", off="20:00"),
            event("lamp", 2, lamp="l", off="21:00"),
            event("lamp", 3, lamp="l", on=False),
            event("lamp", 4, lamp="other", height_mm=1.0),
        ]
        states = lamp_states(Lamp(id="l", place="p"), events)
        self.assertEqual([s.periods for s in states], [None, ((360, 1200),), ((360, 1260),), ()])
        self.assertEqual({s.height_mm for s in states[1:]}, {200.0})

    def test_the_polar_night_has_no_sun(self) -> None:
        self.assertIsNone(sun_span(date(2026, 12, 21), 78.0, 15.0))


class Daily(unittest.TestCase):
    @given(st.floats(1, 1500), st.integers(60, 1380), st.lists(st.floats(0, 86_400), max_size=5))
    def test_constant_light_adds_up_to_its_integral_however_it_is_read(
        self, ppfd: float, length: int, reads: list[float]
    ) -> None:
        start = datetime(2026, 2, 3, tzinfo=UTC).timestamp()
        lit = lit_spans([state((0, length))], ZoneInfo("UTC"), start, start + 86_400)
        brightness = [Brightness(start + t, ppfd, "measured") for t in sorted({0.0, *reads})]
        day = days_of_light(TrayLight(lit, brightness), ZoneInfo("UTC"), start, start + 86_399.999)[0]
        assert day.mol is not None
        self.assertAlmostEqual(day.mol, constant_dli_mol(ppfd, length / 60), delta=1e-4 * day.mol + 1e-9)
        self.assertAlmostEqual(day.lit_h, length / 60, places=4)

    def test_what_has_no_brightness_is_not_counted_and_told(self) -> None:
        start = datetime(2026, 2, 3, tzinfo=UTC).timestamp()
        lit = [(start, start + 10 * 3600)]
        day = days_of_light(
            TrayLight(lit, [Brightness(start + 4 * 3600, 100.0, "measured")]), ZoneInfo("UTC"), start, start + 86_000
        )[0]
        self.assertAlmostEqual(day.known_h, 6.0)
        self.assertAlmostEqual(day.mol or 0, constant_dli_mol(100, 6))

    def test_a_loggers_own_series_needs_no_timer(self) -> None:
        start = datetime(2026, 2, 3, tzinfo=UTC).timestamp()
        at_s = start + np.arange(0, 86_400, 600.0)
        light = TrayLight([], [], at_s, np.full(len(at_s), 50.0))
        day = days_of_light(light, ZoneInfo("UTC"), start, start + 86_399)[0]
        self.assertAlmostEqual(day.mol or 0, 50 * 86_400e-6, places=2)
        self.assertEqual(day.basis, "logged")


class AtATray(unittest.TestCase):
    def journal(self, series: list[Series], lamp: Lamp | None = None) -> Journal:
        lamps = [lamp or Lamp(id="l", place="p", kind="white_led", lumens=3600.0)]
        place = Place(id="p", kind="shelf", width_mm=1200.0, depth_mm=450.0)
        return Journal(
            garden=Garden(timezone="UTC"), places=[place], lamps=lamps, trays=[Tray(id="A", height_mm=60)], series=series
        )

    def light(self, journal: Journal, events: list, days: float = 4) -> TrayLight:
        batch = Batch(id="b1", crop="leek", sown_at=on(0), tray="A", cells=12)
        return light_at_tray(journal, journal.trays[0], [batch], events, ZoneInfo("UTC"), on(0).timestamp(), on(days).timestamp())

    def reading(self, day: float, value: float, place: str = "A", sky: bool = False) -> Series:
        at_s = np.array([on(day).timestamp()])
        return Series(place, "light", "by-hand", at_s, np.array([value]), np.array([False]), np.array([sky]))

    EVENTS = [
        event("placed", -1, tray="A", place="p"),
        event("lamp", -1, lamp="l", height_mm=240.0, on="06:00", off="20:00"),
    ]

    def test_a_reading_is_carried_to_the_lamps_new_height_and_marked_so(self) -> None:
        light = self.light(self.journal([self.reading(0.5, 100.0)]), [*self.EVENTS, event("lamp", 2, lamp="l", height_mm=150.0)])
        figures = [(round(b.ppfd_umol), b.basis) for b in light.brightness]
        self.assertEqual(figures[1], (100, "measured"))
        # By the lamp's own fall-off: about 1.2 before two heights were read.
        self.assertEqual(figures[2][1], "moved")
        self.assertAlmostEqual(figures[2][0], 100 * (240 / 150) ** 1.2, delta=10)
        self.assertEqual(figures[0][1], "lumens")

    def test_the_trays_own_reading_outranks_its_places(self) -> None:
        light = self.light(self.journal([self.reading(0.5, 100.0), self.reading(0.6, 300.0, "p")]), self.EVENTS)
        self.assertEqual([round(b.ppfd_umol) for b in light.brightness if b.basis == "measured"], [100])

    def test_the_sky_adds_its_own_and_no_more_than_three_hours(self) -> None:
        journal = self.journal([self.reading(0.1, 200.0, sky=True)], Lamp(id="l", place="elsewhere"))
        day = days_of_light(self.light(journal, self.EVENTS[:1]), ZoneInfo("UTC"), on(0).timestamp(), on(0.6).timestamp())[0]
        self.assertAlmostEqual(day.mol or 0, constant_dli_mol(200, 3), places=3)

    def test_a_sill_without_a_lamp_has_the_days_length(self) -> None:
        journal = Journal(
            garden=Garden(timezone="UTC", latitude=52.0, longitude=0.0), places=[Place(id="p", kind="sill")], trays=[Tray(id="A")]
        )
        light = self.light(journal, self.EVENTS[:1])
        days = days_of_light(light, ZoneInfo("UTC"), on(1).timestamp(), on(3).timestamp())
        self.assertAlmostEqual(days[1].lit_h, 9.3, delta=0.3)
        self.assertEqual((days[1].hours_from, days[1].mol), ("day length", None))

    def test_hours_logged_by_hand_take_the_place_of_that_days(self) -> None:
        at_s = np.array([on(1).timestamp()])
        said = Series("A", "photoperiod", "by-hand", at_s, np.array([9.0]), np.array([False]))
        days = days_of_light(self.light(self.journal([said]), self.EVENTS), ZoneInfo("UTC"), on(0).timestamp(), on(3).timestamp())
        self.assertEqual([round(d.lit_h, 2) for d in days[1:3]], [9.0, 14.0])


class WhatNobodyLogged(unittest.TestCase):
    def days(
        self, lamp: dict[str, Any] | None, place: str = "shelf", said: Sequence[Series] = (), **garden: Any
    ) -> list[DayOfLight]:
        tray = Tray(id="A")
        events = [event("placed", 0, tray="A", place="p")]
        if lamp is not None:
            events.append(event("lamp", 0, "l1", lamp="l", **lamp))
        j = Journal(
            garden=Garden(**garden), places=[Place(id="p", room="r", kind=place)], trays=[tray], events=events,
            lamps=[Lamp(id="l", place="p", kind="white_led")] if lamp is not None else [], series=list(said),
        )  # fmt: skip
        zone = ZoneInfo("UTC")
        light = light_at_tray(j, tray, [], events, zone, on(1).timestamp(), on(4).timestamp())
        return days_of_light(light, zone, on(1).timestamp(), on(4).timestamp())

    def test_a_lamp_without_hours_is_not_darkness(self) -> None:
        self.assertEqual(self.days({"height_mm": 200.0}), [])
        self.assertTrue(all(d.lit_h == 14.0 or d.so_far or d.lit_h > 0 for d in self.days({"on": "06:00", "off": "20:00"})))
        off = self.days({"on": False})
        self.assertTrue(off and all(d.lit_h == 0.0 and d.mol == 0.0 for d in off), "said to be off, it is dark")

    def test_hours_said_of_the_place_count_and_those_of_the_room_where_no_nearer_are_known(self) -> None:
        def said(place: str, hours: float) -> Series:
            return Series(place, "photoperiod", "by-hand", np.array([on(2.2).timestamp()]), np.array([hours]), np.array([False]))

        timed, untimed = {"on": "06:00", "off": "20:00"}, {"height_mm": 200.0}
        for lamp, series, wanted_h in (
            (timed, [said("p", 9.0)], 9.0), (timed, [said("r", 9.0)], 14.0), (untimed, [said("r", 9.0)], 9.0),
            (None, [said("r", 9.0)], 9.0), (untimed, [said("p", 10.0), said("r", 9.0)], 10.0),
            (untimed, [said("elsewhere", 9.0)], None), (timed, [said("A", 8.0), said("p", 9.0)], 8.0),
        ):  # fmt: skip
            with self.subTest(lamp=lamp, of=[(s.place, s.value[0]) for s in series]):
                told = [d.lit_h for d in self.days(lamp, said=series) if d.from_s <= on(2.2).timestamp() < d.to_s]
                self.assertEqual(told, [] if wanted_h is None else [wanted_h])

    def test_a_sill_is_lit_by_the_sun_of_its_own_day_in_every_zone(self) -> None:
        for zone, latitude, longitude in (
            ("Pacific/Auckland", -41.0, 174.0), ("Europe/Tallinn", 59.0, 25.0), ("America/Denver", 40.0, -105.0),
            ("Pacific/Apia", -13.8, -171.8), ("Pacific/Kiritimati", 1.9, -157.4),
        ):  # fmt: skip
            garden, tray = Garden(timezone=zone, latitude=latitude, longitude=longitude), Tray(id="A")
            moved = [event("placed", 0, tray="A", place="p")]
            j = Journal(garden=garden, places=[Place(id="p", kind="sill")], trays=[tray], events=moved)
            first = datetime(2026, 2, 10, tzinfo=garden.zone).timestamp()
            light = light_at_tray(j, tray, [], moved, garden.zone, first, first + 86_400)
            with self.subTest(zone=zone):
                ((start, end),) = light.lit
                middle = datetime.fromtimestamp((start + end) / 2, garden.zone)
                self.assertEqual((middle.day, round((end - start) / 3600) in range(9, 16)), (10, True))
                self.assertTrue(11 <= middle.hour <= 14, middle)

    def test_midnight_sun_is_no_night(self) -> None:
        self.assertTrue(sun_all_day(date(2026, 6, 21), 70.0, 23.0))
        self.assertFalse(sun_all_day(date(2026, 12, 21), 70.0, 23.0))
        self.assertTrue(sun_all_day(date(2026, 12, 21), -72.0, 170.0), "the south has its own")
        self.assertFalse(sun_all_day(date(2026, 6, 21), 52.0, 4.5))
