"""Light as it is had: windows, tubes lit one by one, a shield, and the tallest neighbour."""

from __future__ import annotations

import unittest
from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.light import from_lumens_umol
from fennet.core.lighting.window import window_light
from fennet.core.records import Garden, Lamp, Place
from fennet.journal.log_line.scene import Scene
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import instead_words
from tests.building import event
from tests.core.test_lighting import LED, hung, read, shelf, tuned
from tests.core.test_worklist import ZONE

SAY = Formatter(ZONE)


def light(latitude: float, facing: float | None, day: date = date(2026, 3, 10)) -> float:
    found = window_light(Garden(latitude=latitude), Place(id="s", kind="sill", facing_deg=facing), day)
    assert found is not None
    return found.mol


class Windows(unittest.TestCase):
    @given(st.floats(-89, 89), st.floats(0, 360), st.integers(0, 364))
    def test_it_is_never_less_than_nothing_nor_more_than_a_room_has(self, latitude: float, facing: float, day: int) -> None:
        found = window_light(
            Garden(latitude=latitude), Place(id="s", kind="sill", facing_deg=facing), date(2026, 1, 1) + timedelta(day)
        )
        assert found is not None
        self.assertTrue(0.0 <= found.dim_mol <= found.mol + 1e-9 < 16.0)
        self.assertTrue(0.0 <= found.dim_week_costs_d() <= 7.0)

    @given(st.floats(25, 65), st.integers(0, 364))
    def test_the_halves_of_the_earth_are_alike_half_a_year_apart(self, latitude: float, day: int) -> None:
        on = date(2026, 1, 1) + timedelta(day)
        then = on + timedelta(days=182)
        self.assertAlmostEqual(
            light(latitude, 180.0, on), light(-latitude, 0.0, then), delta=0.35 + 0.06 * light(latitude, 180.0, on)
        )

    def test_side_season_and_latitude_tell(self) -> None:
        self.assertGreater(light(52, 180.0), light(52, 90.0))
        self.assertGreater(light(52, 90.0), light(52, 0.0))
        self.assertGreater(light(40, 180.0, date(2026, 1, 15)), 1.8 * light(52, 180.0, date(2026, 1, 15)))
        self.assertGreater(light(52, 180.0, date(2026, 4, 15)), 3 * light(52, 180.0, date(2026, 1, 15)))
        self.assertTrue(light(52, 0.0) < light(52, None) < light(52, 180.0), "of unknown side it lies between")
        self.assertTrue(2.0 < light(52, 180.0) < 5.0, "a third of what most want, in early spring")
        self.assertIsNone(window_light(Garden(), Place(id="s", kind="sill"), date(2026, 3, 1)))

    def test_a_dim_week_costs_days(self) -> None:
        found = window_light(Garden(latitude=52.0), Place(id="s", kind="sill", facing_deg=180.0), date(2026, 3, 10))
        assert found is not None
        self.assertTrue(1.0 < found.dim_week_costs_d() < 5.0)


class Lamps(unittest.TestCase):
    def test_a_shield_keeps_light_in_and_is_not_advised_twice(self) -> None:
        place = Place(id="p", kind="shelf", width_mm=1200.0, depth_mm=450.0)
        plain, shielded = (
            from_lumens_umol(Lamp(id="l", kind="white_led", lumens=3600.0, shield=x), place) or 0.0 for x in (None, True)
        )
        self.assertAlmostEqual(shielded / plain, 4 / 3, places=6)
        for shield, told in ((None, True), (True, False)):
            lamp = Lamp(id="l", kind="white_led", place="p", min_distance_mm=60.0, length_mm=900.0, shield=shield)
            s = tuned(shelf([read((15.1, 40.0))], lamp=lamp), hung(400.0))
            self.assertEqual("reflect" in [i.action for i in s.instead], told)

    def test_the_tallest_tray_is_named_where_it_keeps_the_lamp_up_for_all(self) -> None:
        events = hung(420.0, trays="AB")
        tall = [*events, event("height", 15.2, id="tall", batch="b2", mm=260.0, true_leaves=4)]
        s = tuned(shelf([read((15.1, 60.0)), read((15.1, 60.0), place="B")], trays="AB"), sorted(tall, key=lambda e: e.at))
        (found,) = [i for i in s.instead if i.action == "tallest"]
        self.assertEqual(found.tray, "B")
        self.assertRegex(
            instead_words(found, s, SAY), "Move B, the tallest.*could hang .* lower and give the rest .* times the light"
        )
        level = tuned(shelf([read((15.1, 60.0)), read((15.1, 60.0), place="B")], trays="AB"), events)
        self.assertNotIn("tallest", [i.action for i in level.instead])

    def test_tubes_are_lit_one_by_one(self) -> None:
        self.assertEqual(Scene(ZONE, event("note", 0.0).at).tubes, {})
        lamp = Lamp(id="l", kind="white_led", place="p", min_distance_mm=60.0, tubes=4)
        s = tuned(shelf([read((15.1, 2500.0))], lamp=lamp), hung(1450.0))
        fewer = [i for i in s.instead if i.action == "fewer_tubes"]
        self.assertTrue(
            fewer and instead_words(fewer[0], s, SAY).startswith("Light fewer tubes of l"), [i.action for i in s.instead]
        )
        self.assertIsNone(LED.tubes)
