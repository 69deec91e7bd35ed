"""Lamps by distance, the shelf's map, light against warmth, and what a lamp should be set to."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import datetime
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from fennet.cli.score_lamps import score_lamps
from fennet.core.light import LampState, least_mm, lit_at
from fennet.core.lighting.compared import area_in_band
from fennet.core.lighting.curve import LightPoint, fit_curve, light_points
from fennet.core.lighting.energy import cost_of_lamp, light_cost
from fennet.core.lighting.photothermal import photothermal
from fennet.core.lighting.shelf_map import ShelfMap, TrayOnMap, surface
from fennet.core.records import Batch, Event, Garden, Journal, Lamp, Place, Series, Tray
from fennet.core.tray_light import light_at_tray
from fennet.core.tuning.lamps import LampSetting, tune_lamps
from fennet.crops import shipped
from fennet.journal.reader import read_journal
from tests.building import event, on

LED = Lamp(id="l", place="p", kind="white_led", min_distance_mm=50.0)
UTC = ZoneInfo("UTC")


def point(distance_mm: float, ppfd: float, tray: str | None = "A", day: float = 0.0) -> LightPoint:
    return LightPoint(on(day).timestamp(), tray, distance_mm, ppfd)


class Curve(unittest.TestCase):
    @given(st.floats(30, 600), st.floats(0.6, 1.8), st.lists(st.floats(40, 500), min_size=4, max_size=8, unique=True))
    @settings(max_examples=40)
    def test_clean_readings_of_a_power_law_are_found_again_between_them(self, level: float, n: float, at: list[float]) -> None:
        at = sorted(at)
        near = [(a, b) for a, b in pairwise(at) if b - a <= 150]
        assume(at[-1] - at[0] > 120 and near)
        true = {d: level * (210 / (d + 60)) ** n for d in at}
        curve = fit_curve(LED, [point(d, p) for d, p in true.items()])
        for a, b in near:
            middle = (a + b) / 2
            self.assertAlmostEqual(curve.ppfd(middle, "A").p50 / (level * (210 / (middle + 60)) ** n), 1.0, delta=0.1)

    def test_more_readings_say_more_and_one_already_says_something(self) -> None:
        def width(n: int) -> float:
            found = fit_curve(LED, [point(d, 200 * (210 / (d + 60)) ** 1.2) for d in (150, 100, 250, 200)[:n]]).ppfd(120, "A")
            return found.p90 / found.p10

        widths = [width(n) for n in (0, 1, 2, 4)]
        self.assertEqual(widths, sorted(widths, reverse=True))
        self.assertLess(widths[1], 1.5)

    def test_a_reading_taken_at_the_lamp_is_left_out_and_told(self) -> None:
        good = [point(d, 200 * (210 / (d + 60)) ** 1.2) for d in (150, 200, 250)]
        curve = fit_curve(LED, [*good, point(240, 900.0)])
        self.assertEqual([(p.ppfd_umol, p.why) for p in curve.left_out], [(900.0, "read_at_lamp")])
        self.assertAlmostEqual(curve.ppfd(150, "A").p50, 200, delta=8)

    @given(st.floats(1, 2000), st.floats(20, 1000), st.floats(20, 1000))
    def test_carried_nearer_is_brighter_and_back_again_is_the_same(self, umol: float, here_mm: float, there_mm: float) -> None:
        assume(here_mm == there_mm or abs(here_mm - there_mm) > 1e-3)
        curve = fit_curve(LED, [point(150, 200.0)])
        moved = curve.carried_umol(umol, here_mm, there_mm)
        self.assertEqual(moved >= umol, there_mm <= here_mm)
        self.assertAlmostEqual(curve.carried_umol(moved, there_mm, here_mm), umol, delta=1e-6 * umol)

    def test_without_a_meter_lumens_speak_roughly(self) -> None:
        found = fit_curve(LED, [], rough_umol=100.0).ppfd(150.0, None)
        self.assertAlmostEqual(found.p50, 100.0, delta=1)
        self.assertGreater(found.p90 / found.p50, 1.5)

    def test_readings_find_their_distance_and_the_sky_is_not_the_lamps(self) -> None:
        at = np.array([on(1.1).timestamp(), on(1.2).timestamp()])
        mixed = Series("A", "light", None, at, np.array([150.0, 80.0]), np.zeros(2, bool), np.array([False, True]))
        high = Series("p", "light", None, at[:1], np.array([700.0]), np.zeros(1, bool), spot_mm=(100.0, None, 230.0))
        lamp = event("lamp", 1, lamp="l", height_mm=240.0, on="06:00", off="20:00")
        events = [event("placed", 0, tray="A", place="p", x_mm=0.0), lamp, event("height", 1.0, batch="b1", mm=40)]
        journal = shelf([mixed, high])
        used, out = light_points(journal, journal.lamps[0], events, on(3).timestamp())
        self.assertEqual([(round(p.distance_mm), p.ppfd_umol, p.tray) for p in used], [(140, 150.0, "A"), (10, 700.0, "A")])
        self.assertEqual(out, [])
        unhung = [events[0], event("lamp", 1, lamp="l", on="06:00", off="20:00")]
        self.assertEqual(
            [p.why for p in light_points(journal, journal.lamps[0], unhung, on(3).timestamp())[1]], ["no_height"] * 2
        )


class AtTheLeaf(unittest.TestCase):
    """What a reading says of a tray's daily light, wherever the meter was held."""

    def brightness(self, series: list[Series], *more: Event, day: float = 20.0) -> list[tuple[str, int]]:
        events = sorted([*hung(height=300.0, canopy=40.0), *more], key=lambda e: e.at)
        journal = shelf(series)
        light = light_at_tray(journal, journal.trays[0], journal.batches, events, UTC, on(15.2).timestamp(), on(day).timestamp())
        return [(b.basis, round(b.ppfd_umol)) for b in light.brightness]

    def spot(self, z_mm: float, umol: float, day: float = 16.0) -> Series:
        at = np.array([on(day).timestamp()])
        return Series("p", "light", "m", at, np.array([umol]), np.zeros(1, bool), spot_mm=(100.0, None, z_mm))

    def test_a_meter_held_at_the_lamp_says_nothing_of_the_leaves(self) -> None:
        self.assertEqual(self.brightness([self.spot(300.0, 900.0)]), [])

    def test_a_meter_laid_on_the_shelf_is_carried_up_to_the_leaves(self) -> None:
        ((basis, umol),) = self.brightness([self.spot(0.0, 100.0)])
        self.assertEqual(basis, "moved")
        self.assertGreater(umol, 120)

    def test_a_lamp_put_back_where_it_was_read_gives_what_was_read(self) -> None:
        there, back = event("lamp", 17, id="m1", lamp="l", height_mm=200.0), event("lamp", 18, id="m2", lamp="l", height_mm=300.0)
        found = self.brightness([read((16, 100.0))], there, back)
        self.assertEqual([found[0], found[2]], [("measured", 100)] * 2)
        self.assertGreater(found[1][1], 140)

    def test_leaves_measured_taller_have_more_light(self) -> None:
        found = self.brightness([read((16, 100.0))], event("height", 18, id="h2", batch="b1", mm=100))
        self.assertEqual([basis for basis, _ in found], ["measured", "moved"])
        self.assertGreater(found[1][1], 115)

    def test_a_dimmed_lamp_dims_what_was_read(self) -> None:
        found = self.brightness([read((16, 100.0))], event("lamp", 17, id="m1", lamp="l", dim_pct=50.0))
        self.assertEqual(found, [("measured", 100), ("moved", 50)])

    def test_a_reading_that_all_others_contradict_does_not_stand(self) -> None:
        found = self.brightness([read((16, 100.0), (16.1, 104.0), (16.2, 97.0), (17, 700.0))])
        self.assertNotIn(700, [umol for _, umol in found])
        self.assertEqual(len(found), 3)


def shelf(series: list[Series], crop: str = "tomato", trays: str = "A", lamp: Lamp = LED, **garden: Any) -> Journal:
    place = Place(id="p", kind="shelf", width_mm=1200.0, depth_mm=450.0)
    return Journal(
        garden=Garden(timezone="UTC", **garden), places=[place], lamps=[lamp],
        trays=[Tray(id=t, height_mm=60, width_mm=380, depth_mm=240) for t in trays], series=series,
        batches=[Batch(id=f"b{i + 1}", crop=crop, sown_at=on(0), tray=t, cells=12) for i, t in enumerate(trays)],
    )  # fmt: skip


def hung(height: float = 300.0, trays: str = "A", canopy: float = 40.0, hours: int = 14, **lamp: Any) -> list[Event]:
    out = [event("lamp", 0.5, lamp="l", height_mm=height, on="06:00", off=f"{6 + hours:02}:00", **lamp)]
    for i, t in enumerate(trays):
        batch = f"b{i + 1}"
        out.append(event("placed", 0, id=f"p{t}", tray=t, place="p", x_mm=400.0 * i))
        out.append(event("count", 6, id=f"c{t}", batch=batch, cells_up=12))
        out.append(event("height", 15, id=f"h{t}", batch=batch, mm=canopy, true_leaves=1))
    return sorted(out, key=lambda e: e.at)


def read(*pairs: tuple[float, float], place: str = "A") -> Series:
    at = np.array([on(d).timestamp() for d, _ in pairs])
    return Series(place, "light", "m", at, np.array([v for _, v in pairs]), np.zeros(len(pairs), bool))


def tuned(journal: Journal, events: list[Event], day: float = 16.0) -> LampSetting:
    crops = {b.crop: shipped().get(b.crop) for b in journal.batches}
    return tune_lamps(replace(journal, events=events), crops, on(day).timestamp(), UTC)[0]


class Setting(unittest.TestCase):
    @given(st.floats(60, 900), st.floats(20, 140), st.integers(220, 500), st.sampled_from(["tomato", "leek", "cosmos", "pepper"]))
    @settings(max_examples=25, deadline=None)
    def test_no_proposal_is_nearer_than_is_safe_or_leaves_no_night(
        self, ppfd: float, canopy: float, height: int, crop: str
    ) -> None:
        s = tuned(shelf([read((15.1, ppfd))], crop), hung(float(height), canopy=canopy))
        assert s.distance_mm is not None and s.hours is not None
        self.assertGreaterEqual(s.distance_mm, least_mm(LED) - 1e-6)
        self.assertLessEqual(s.hours, 18.0)
        self.assertTrue(all(e.ppfd.p50 <= e.ceiling_umol * 1.02 for e in s.expected) or s.height_mm == 900.0)
        if s.reaches:
            self.assertTrue(all(e.low <= e.dli.p50 <= e.high for e in s.expected))

    def test_a_weak_lamp_says_so_and_what_would_help(self) -> None:
        s = tuned(shelf([read((15.1, 40.0))]), hung(250.0))
        self.assertFalse(s.reaches)
        self.assertEqual(s.distance_mm, 50.0)
        self.assertIn("another_lamp", [i.action for i in s.instead])

    def test_kinds_whose_hours_do_not_agree_are_told_apart(self) -> None:
        journal = shelf([read((15.1, 200.0))], trays="AB")
        journal.batches[1] = replace(journal.batches[1], crop="onion")
        s = tuned(journal, hung(trays="AB"))
        self.assertIn("move", [i.action for i in s.instead])
        self.assertFalse(s.reaches)

    def test_the_tallest_tray_keeps_the_safe_distance(self) -> None:
        events = [*hung(trays="AB", canopy=30.0), event("height", 15.5, id="tall", batch="b2", mm=150.0)]
        s = tuned(shelf([read((15.1, 100.0)), read((15.1, 100.0), place="B")], trays="AB"), events)
        assert s.height_mm is not None
        self.assertGreaterEqual(s.height_mm - 60 - 150, 50.0 - 1e-6)

    def test_growth_raises_the_lamp_in_time(self) -> None:
        s = tuned(shelf([read((15.1, 250.0))]), hung(220.0, canopy=45.0))
        self.assertTrue(s.raise_at)
        self.assertEqual([h for _, h in s.raise_at], sorted(h for _, h in s.raise_at))
        self.assertGreater(s.raise_at[0][0], on(16).timestamp())

    def test_nothing_known_is_asked_and_not_guessed_at(self) -> None:
        s = tuned(shelf([]), hung())
        self.assertEqual((s.height_mm, s.why_not, [i.action for i in s.instead]), (None, "not_known", ["read_light"]))

    def test_before_anything_is_up_the_lamp_is_set_for_what_will_be(self) -> None:
        s = tuned(shelf([read((1, 200.0))]), hung(), 3.0)
        self.assertTrue(s.case.ahead)
        self.assertTrue(s.reaches)
        self.assertEqual((s.distance_mm, s.raise_at), ((s.height_mm or 0.0) - 60.0, ()))
        self.assertFalse(tuned(shelf([read((1, 200.0))]), hung(), 16.0).case.ahead)

    def test_what_has_ended_wants_no_light(self) -> None:
        given_up = [*hung(), event("gave_up", 15.5, batch="b1")]
        self.assertEqual(tuned(shelf([read((1, 200.0))]), given_up).why_not, "nothing_lit")

    def test_lux_that_say_nothing_of_a_lamp_are_named_as_the_reason(self) -> None:
        blind = replace(read((15.1, 1.0)), value=np.array([np.nan]))
        s = tuned(shelf([blind], lamp=replace(LED, kind="red_blue_led")), hung())
        self.assertEqual([i.action for i in s.instead], ["lux_unknown", "read_light"])

    def test_later_readings_are_not_used(self) -> None:
        early = tuned(shelf([read((15.1, 120.0))]), hung())
        late = tuned(shelf([read((15.1, 120.0), (17.0, 400.0))]), hung())
        self.assertEqual((early.height_mm, early.hours), (late.height_mm, late.hours))

    def test_the_practice_of_nearly_touching_leaves_only_hours(self) -> None:
        s = tuned(shelf([read((15.1, 200.0))], practice={"lamp": "nearly_touching"}), hung(canopy=40.0))
        self.assertEqual(s.distance_mm, 50.0)

    def test_it_is_not_asked_to_be_raised_every_day(self) -> None:
        # Hung as near as is safe: growth alone would ask for a few millimetres each morning.
        s = tuned(shelf([read((15.1, 60.0), (15.2, 62.0))]), hung(height=150.0, canopy=40.0))
        self.assertEqual(s.distance_mm, 50.0)
        days = [t / 86_400 for t, _ in s.raise_at]
        self.assertGreater(len(days), 1)
        self.assertGreaterEqual(min(b - a for a, b in pairwise(days)), 1.0)

    def test_one_step_brings_the_light_near_its_aim_in_drawn_shelves(self) -> None:
        two, four = score_lamps(40, 2, held=True), score_lamps(40, 4, held=True)
        self.assertGreaterEqual(two.near / two.reachable, 0.78)
        self.assertGreaterEqual(four.near / four.reachable, 0.82)


class Instead(unittest.TestCase):
    """What is told beside a setting, or in place of one."""

    def actions(self, series: list[Series], events: list[Event], journal: Journal | None = None, **more: Any) -> list[str]:
        return [i.action for i in tuned(journal or shelf(series, **more), events).instead]

    def test_a_dimmed_lamp_is_turned_up_before_another_is_bought(self) -> None:
        actions = self.actions([read((15.1, 30.0))], hung(250.0, dim_pct=50.0))
        self.assertEqual(actions[0], "undim")
        self.assertLess(actions.index("undim"), actions.index("another_lamp"))
        self.assertNotIn("undim", self.actions([read((15.1, 30.0))], hung(250.0)))

    def test_a_lamp_too_bright_at_its_highest_is_dimmed_and_one_beside_tall_plants_makes_room(self) -> None:
        self.assertIn("dim", self.actions([read((15.1, 1900.0))], hung(900.0, canopy=40.0), crop="leek"))
        short_and_tall = [*hung(trays="AB", canopy=30.0), event("height", 15.5, id="tall", batch="b2", mm=220.0)]
        found = tuned(shelf([read((15.1, 130.0)), read((15.1, 400.0), place="B")], trays="AB"), short_and_tall)
        self.assertEqual({i.tray for i in found.instead if i.action == "lift"}, {"A"})
        lift = next(i for i in found.instead if i.action == "lift")
        assert lift.lift_mm is not None and found.distance_mm is not None
        self.assertGreater(lift.lift_mm, 0)

    def test_a_place_no_lamp_can_light_long_enough_asks_for_a_longer_day(self) -> None:
        actions = self.actions([read((15.1, 60.0))], hung(250.0, hours=12), practice={"light_hours": "12_on_12_off"})
        self.assertTrue({"longer_day", "reflect", "another_lamp"} <= set(actions), actions)

    def test_what_was_never_logged_is_asked_for(self) -> None:
        unhung = [e for e in hung() if e.kind != "lamp"]
        bulb = replace(LED, lumens=4000.0)
        actions = self.actions([], unhung, journal=shelf([], lamp=bulb))
        self.assertTrue({"log_height", "log_timer", "read_light"} <= set(actions), actions)
        read_unhung = self.actions([read((15.1, 100.0))], unhung, journal=shelf([read((15.1, 100.0))], lamp=bulb))
        self.assertIn("no_height", read_unhung)

    def test_a_second_reading_at_another_height_or_tray_is_asked_for_once(self) -> None:
        self.assertIn("read_another_height", self.actions([read((15.1, 150.0))], hung()))
        moved = [*hung(height=300.0), event("lamp", 15.5, id="m", lamp="l", height_mm=200.0)]
        self.assertNotIn(
            "read_another_height", self.actions([read((15.1, 150.0), (15.6, 260.0))], sorted(moved, key=lambda e: e.at))
        )
        self.assertIn("one_reading", self.actions([read((15.1, 150.0))], hung(trays="AB"), trays="AB"))

    def test_light_of_another_lamp_over_the_shelf_is_counted_in(self) -> None:
        alone = tuned(shelf([read((15.1, 60.0))]), hung(300.0))
        journal = shelf([read((15.1, 60.0))])
        second = replace(LED, id="m", lumens=6000.0)
        lit = [*hung(300.0), event("lamp", 0.5, id="m1", lamp="m", height_mm=300.0, on="06:00", off="20:00")]
        both = tuned(replace(journal, lamps=[LED, second]), sorted(lit, key=lambda e: e.at))
        self.assertEqual(alone.case.trays[0].other_mol, 0.0)
        self.assertGreater(both.case.trays[0].other_mol, 1.0)
        self.assertGreater(both.now[0].dli.p50, alone.now[0].dli.p50)

    def test_a_shelf_above_ends_how_high_it_can_hang(self) -> None:
        low = Place(id="p", kind="shelf", room="r", width_mm=1200.0, depth_mm=450.0, x_mm=0.0, z_mm=500.0)
        journal = shelf([read((15.1, 900.0))], "leek")
        under = replace(journal, places=[low, replace(low, id="q", z_mm=900.0)])
        beside = replace(journal, places=[low, replace(low, id="q", z_mm=900.0, x_mm=1300.0)])
        self.assertEqual(tuned(under, hung(300.0)).case.headroom_mm, 340.0)
        self.assertEqual(tuned(beside, hung(300.0)).case.headroom_mm, 900.0)

    @given(st.floats(60, 700), st.floats(20, 120), st.sampled_from(["tomato", "leek", "cosmos"]))
    @settings(max_examples=20, deadline=None)
    def test_each_raise_keeps_leaves_safe_until_the_next_and_never_lowers(self, ppfd: float, canopy: float, crop: str) -> None:
        s = tuned(shelf([read((15.1, ppfd))], crop), hung(280.0, canopy=canopy))
        assert s.height_mm is not None
        heights = [s.height_mm, *(mm for _, mm in s.raise_at)]
        self.assertEqual(heights, sorted(heights))
        tray = s.case.trays[0]
        start_s = on(16).timestamp()
        for (at_s, _), before_mm in zip(s.raise_at, heights, strict=False):
            day = np.array([(at_s - start_s) / 86_400 - 0.25])
            grown = max(float(b.height_ahead(day)[0] - b.height_ahead(np.zeros(1))[0]) for b in tray.batches)
            # A quarter of a day before it is raised the leaves still had their distance.
            self.assertGreaterEqual(before_mm - tray.leaf_mm - grown, least_mm(LED) - 1e-6)


class Advice(unittest.TestCase):
    """What a map asks for by itself."""

    def drawn(self, rows: list[list[float]], *trays: tuple[str, float, float]) -> ShelfMap:
        found = tuple(TrayOnMap(t, 0.0, 0.0, 300.0, 200.0, np.array([[left, right]] * 4)) for t, left, right in trays)
        over = np.array(rows)
        return ShelfMap("p", np.arange(over.shape[1]) * 100.0, np.arange(over.shape[0]) * 100.0, over, (), found)

    def test_each_unevenness_has_its_own_deed(self) -> None:
        even = [[100.0] * 4] * 3
        self.assertEqual(self.drawn(even, ("A", 100.0, 100.0)).advice(), [])
        self.assertEqual(self.drawn(even, ("A", 70.0, 130.0)).advice(), [("turn", "A")])
        self.assertEqual(self.drawn(even, ("A", 60.0, 60.0), ("B", 120.0, 120.0)).advice(), [("swap", "A")])
        self.assertEqual(self.drawn([[40.0] * 4, [100.0] * 4, [40.0] * 4]).advice(), [("narrow", "")])
        self.assertEqual(self.drawn([[50.0, 100.0, 100.0, 100.0]] * 3).advice(), [("uneven", "")])

    @given(st.floats(0, 400), st.floats(1, 400))
    def test_a_part_in_band_lies_between_none_and_all(self, low: float, more: float) -> None:
        tray = TrayOnMap("A", 0.0, 0.0, 300.0, 200.0, np.linspace(0, 400, 48).reshape(4, 12))
        share = tray.share_in(low, low + more)
        self.assertTrue(0.0 <= share <= 1.0)
        self.assertLessEqual(share, tray.share_in(max(0.0, low - 50), low + more + 50))


class Shelf(unittest.TestCase):
    @given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 4), st.floats(20, 800)), min_size=4, max_size=12,
                    unique_by=lambda s: s[:2]))  # fmt: skip
    @settings(max_examples=40)
    def test_the_surface_is_exact_at_its_spots_and_never_runs_away(self, spots: list[tuple[int, int, float]]) -> None:
        at = [(100.0 * x, 100.0 * y, v) for x, y, v in spots]
        for x, y, v in at:
            self.assertAlmostEqual(float(surface(at, np.array([x]), np.array([y]))[0, 0]), v, delta=1e-3 * v + 1e-6)
        over = surface(at, np.linspace(0, 1200, 20), np.linspace(0, 400, 8))
        values = [v for *_, v in at]
        self.assertTrue(0.9 * min(values) - 1e-9 <= over.min() and over.max() <= 1.1 * max(values) + 1e-9)

    def test_a_map_names_the_tray_to_turn(self) -> None:
        spots = [(50.0, 260.0), (400.0, 90.0), (700.0, 90.0), (1100.0, 85.0)]
        series = [
            Series(
                "p", "light", "m", np.array([on(15.2).timestamp()]), np.array([v]), np.zeros(1, bool), spot_mm=(x, 200.0, None)
            )
            for x, v in spots
        ]
        s = tuned(shelf(series), hung())
        assert s.map is not None
        self.assertIn(("turn", "A"), s.map.advice())
        self.assertIn("turn", [i.action for i in s.instead])
        # 14 h of 260 µmol are 13 mol: the bright end is in a tomato's band of light, the dark end is not.
        self.assertTrue(0.1 < area_in_band(s.case, s.map)["A"] < 0.9)
        dark = replace(s.case, state=replace(s.case.state, periods=()))
        self.assertEqual(area_in_band(dark, s.map), {})


class Photothermal(unittest.TestCase):
    def test_a_worked_example(self) -> None:
        # 13 mol a day at 20 °C over tomato's base of 10: 1.3 mol a degree-day.
        tomato = shipped().get("tomato")
        found = photothermal(tomato, 13.0, tomato.planting.grow_base_c + 10.0)
        self.assertAlmostEqual(found.ratio, 1.3)
        self.assertEqual(photothermal(tomato, 3.0, tomato.planting.grow_base_c + 12.0).words, "thin")

    @given(st.floats(0, 30), st.floats(0, 40))
    def test_more_light_or_less_warmth_never_makes_less_of_it(self, mol: float, warm: float) -> None:
        leek = shipped().get("leek")
        self.assertGreaterEqual(photothermal(leek, mol + 1, warm).ratio, photothermal(leek, mol, warm).ratio)
        self.assertGreaterEqual(photothermal(leek, mol, warm).ratio, photothermal(leek, mol, warm + 1).ratio)

    def test_a_lamp_costs_by_the_hours_it_burned_and_tells_those_in_band(self) -> None:
        journal = shelf([read((7.0, 250.0))], lamp=replace(LED, watts=50.0), tariff_per_kwh=0.2)
        s = tuned(journal, hung(), day=16.5)
        cost = cost_of_lamp(journal, s.case, hung(), on(16.5).timestamp(), UTC)
        assert cost is not None
        # Lit from six to twenty since day 0.5: sixteen days of fourteen hours, less the morning of the first.
        self.assertAlmostEqual(cost.lit_h, 16 * 14 + 6, delta=8)
        self.assertAlmostEqual(cost.kwh, cost.lit_h * 0.05, places=3)
        self.assertAlmostEqual(cost.cost or 0, cost.kwh * 0.2, places=6)
        (only,) = cost.in_band
        self.assertTrue(0 < only.in_band_h <= only.lit_h < cost.lit_h)
        off = [*hung()[:-1], event("lamp", 0.6, id="off", lamp="l", periods=[])]
        self.assertIsNone(cost_of_lamp(journal, s.case, sorted(off, key=lambda e: e.at), on(0.61).timestamp(), UTC))

    def test_light_costs_nothing_unknown_without_a_tariff(self) -> None:
        c = light_cost(36, 420, 30, None, 2, 0)
        self.assertEqual((c.kwh, c.cost, c.per_plant), (15.12, None, None))
        self.assertRaises(ValueError, light_cost, -1, 4, 1, 0.3, 1, 1)


class Together(unittest.TestCase):
    def setting(self, lamps: int, ppfd: float) -> list[LampSetting]:
        at = "2026-02-{:02}T10:00:00+00:00".format
        data: dict[str, Any] = {
            "format": "fennet-journal", "version": 1, "garden": {"timezone": "UTC"}, "rooms": [{"id": "r"}],
            "places": [{"id": "s", "room": "r", "kind": "shelf"}],
            "lamps": [{"id": f"l{i}", "place": "s", "kind": "white_led", "watts": 30} for i in range(lamps)],
            "trays": [{"id": "A", "kind": "cells", "rows": 3, "columns": 4}],
            "batches": [{"id": "b", "tray": "A", "crop": "tomato", "sown_at": at(1), "cells": 12}],
            "events": [
                {"at": at(1), "kind": "placed", "tray": "A", "place": "s"},
                {"at": at(8), "kind": "count", "batch": "b", "cells_up": 12},
                {"at": at(16), "kind": "height", "batch": "b", "mm": 40},
                *({"at": at(1), "kind": "lamp", "lamp": f"l{i}", "height_mm": 300, "on": "06:00", "off": "21:00"}
                  for i in range(lamps)),
            ],
            "readings": [
                {"at": at(d), "place": "A", "quantity": "light", "value": ppfd, "unit": "umol/m2/s"} for d in (14, 15, 16)
            ],
        }  # fmt: skip
        read = read_journal(data)
        crops = {"tomato": read.crops.get("tomato")}
        return tune_lamps(read.with_series(), crops, datetime(2026, 2, 16, 12, tzinfo=UTC).timestamp(), ZoneInfo("UTC"))

    def test_lamps_over_one_tray_are_tuned_to_each_other(self) -> None:
        """Each by what the other is to be set to: the light of both together is in band, not twice over it."""
        both = self.setting(2, 120.0)
        self.assertEqual(len(both), 2)
        for s in both:
            e = s.expected[0]
            self.assertTrue(e.low <= e.dli.p50 <= e.low * 1.6, f"{s.case.lamp.id}: {e.dli.p50:.1f} of {e.low}")
            self.assertGreater(s.case.trays[0].other_umol, 0.0)
        self.assertAlmostEqual(both[0].expected[0].dli.p50, both[1].expected[0].dli.p50, delta=2.5)

    def test_what_was_read_while_the_other_was_dark_is_this_ones_alone(self) -> None:
        zone = ZoneInfo("UTC")
        day, night = (
            LampState("a", 0.0, float("inf"), periods=((360, 1200),)),
            LampState("b", 0.0, float("inf"), periods=((1260, 300),)),
        )
        noon, midnight = 12 * 3600.0, 0.5 * 3600.0
        self.assertEqual([lit_at([s], zone, t) for s in (day, night) for t in (noon, midnight)], [True, False, False, True])
