"""What is due after emergence, and what is worked out from the readings around a tray."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.core.due import due_after_emergence
from fennet.core.history import Counts
from fennet.core.kinds import PRACTICES
from fennet.core.light import constant_dli_mol, from_lumens_umol, mean_ppfd_umol
from fennet.core.records import Batch, Journal, Lamp, Place, Room, Series, Tray
from fennet.core.room import TrayState, room_at
from fennet.core.surroundings import surroundings
from tests.building import SOWN, event, on

USUAL = {"cover_off": "half", "mat_off": "half"}
COVERED = TrayState("A", cover="on", mat="m")


def counts(*totals: int, of: int = 10) -> Counts:
    return Counts("cells", of, tuple(86_400.0 * (i + 1) for i in range(len(totals))), totals)


def due(totals: Counts, day: float = 3.0, tray: TrayState = COVERED, stage: str = "emerging", **practice: str) -> list[str]:
    return [d.action for d in due_after_emergence(stage, tray, totals, {**USUAL, **practice}, day * 86_400)]


class Due(unittest.TestCase):
    def test_the_usual_waits_for_half(self) -> None:
        self.assertEqual(due(counts(4)), [])
        self.assertEqual(due(counts(5)), ["cover_off", "mat_off"])
        self.assertEqual(due(counts(5), tray=TrayState("A")), [], "what is off is not asked off")
        self.assertEqual(due(counts(5), tray=TrayState("A", cover="vented")), ["cover_off"])

    def test_the_other_schools(self) -> None:
        self.assertEqual(due(counts(1), cover_off="first_seedling", mat_off="each_seedling"), ["cover_off", "mat_off"])
        self.assertEqual(due(counts(1), cover_off="vented_early"), ["cover_vent"])
        self.assertEqual(due(counts(6), cover_off="vented_early", mat_off="two_days_after"), ["cover_off"])
        self.assertEqual(due(counts(8), day=2.9, mat_off="two_days_after"), ["cover_off"])
        self.assertEqual(due(counts(8), day=3.0, mat_off="two_days_after"), ["cover_off", "mat_off"])

    @given(
        st.integers(0, 10), st.sampled_from(["sown", "growing_on", "hardening", "out"]), st.sampled_from(PRACTICES["cover_off"]),
        st.sampled_from(PRACTICES["mat_off"]),
    )  # fmt: skip
    def test_nothing_is_due_before_the_first_or_long_after(self, up: int, stage: str, cover: str, mat: str) -> None:
        self.assertEqual(due(counts(up), stage=stage, cover_off=cover, mat_off=mat), [])
        self.assertEqual(due(counts(0), cover_off=cover, mat_off=mat), [])

    @given(st.integers(1, 10), st.sampled_from(PRACTICES["cover_off"]), st.sampled_from(PRACTICES["mat_off"]), st.floats(0, 30))
    def test_more_seedlings_never_make_less_due(self, up: int, cover: str, mat: str, day: float) -> None:
        few, all_up = (due(counts(n), day, cover_off=cover, mat_off=mat) for n in (up, 10))
        self.assertLessEqual({d.replace("vent", "off") for d in few}, set(all_up))


class Brightness(unittest.TestCase):
    @given(st.floats(1, 2000), st.floats(0.5, 24))
    def test_the_mean_is_the_sums_way_back(self, ppfd_umol: float, hours: float) -> None:
        found = mean_ppfd_umol(constant_dli_mol(ppfd_umol, hours), hours)
        assert found is not None
        self.assertAlmostEqual(found, ppfd_umol, delta=1e-4 * ppfd_umol)

    def test_lumens_say_nothing_of_red_and_blue_or_of_a_place_without_measures(self) -> None:
        shelf = Place(id="p", width_mm=1200, depth_mm=450)
        self.assertIsNone(from_lumens_umol(Lamp(id="l", kind="red_blue_led", lumens=900), shelf))
        self.assertIsNone(from_lumens_umol(Lamp(id="l", kind="white_led", lumens=900), Place(id="p")))
        self.assertIsNone(from_lumens_umol(Lamp(id="l", kind="white_led"), shelf))
        self.assertIsNone(mean_ppfd_umol(0.0, 12.0))


class Around(unittest.TestCase):
    def found(self, *series: Series, height_mm: float | None = 60.0) -> dict[str, float]:
        journal = Journal(
            rooms=[Room(id="loft")],
            places=[Place(id="p", room="loft")],
            lamps=[Lamp(id="l", place="p")],
            trays=[Tray(id="A", height_mm=height_mm)],
            series=list(series),
        )
        events = [event("placed", 0, tray="A", place="p"), event("lamp", 0, lamp="l", height_mm=200.0)]
        at_s = on(1).timestamp()
        batch = Batch(id="b1", crop="leek", sown_at=SOWN, tray="A", cells=4)
        derived = surroundings(journal, journal.trays[0], room_at(journal, events, at_s), [batch], events, at_s)
        for d in derived:
            self.assertTrue(d.working.inputs and d.working.sources, d.what)
        return {d.what: round(d.value, 1) for d in derived}

    def read(self, quantity: str, value: float, place: str, day: float = 0.9) -> Series:
        return Series(place, quantity, None, np.array([on(day).timestamp()]), np.array([value]), np.array([False]))

    def test_soil_against_the_nearest_air(self) -> None:
        soil, room_air = self.read("soil_temperature", 21.0, "A"), self.read("air_temperature", 17.5, "loft")
        self.assertEqual(self.found(soil, room_air)["soil_over_air"], 3.5)
        self.assertEqual(self.found(soil, room_air, self.read("air_temperature", 19.0, "p"))["soil_over_air"], 2.0)
        self.assertNotIn("soil_over_air", self.found(soil, self.read("air_temperature", 17.5, "loft", 0.3)), "too long ago")
        self.assertNotIn("soil_over_air", self.found(soil, self.read("air_temperature", 17.5, "loft", 1.3)), "not read yet")

    def test_lamp_to_leaf_and_humidity(self) -> None:
        self.assertEqual(self.found()["lamp_to_leaf"], 140.0)
        self.assertEqual(self.found(self.read("height", 35.0, "b1"))["lamp_to_leaf"], 105.0, "a height read counts as one logged")
        self.assertEqual(self.found(height_mm=None)["lamp_to_leaf"], 140.0)
        self.assertEqual(self.found(self.read("humidity", 62.0, "loft"))["humidity"], 62.0)
