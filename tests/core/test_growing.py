"""How long a crop takes in the planned room, and what the record says the room is like."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core.planning.growing import QUICKEST, SLOWEST, PlannedRoom, emerging, growing, growing_band_c
from fennet.core.planning.room_for import capacity, in_use, planned_room, tray_area_mm2
from fennet.core.records import Batch, Event, Journal, Lamp, Mat, Place, Room, Series, Tray
from fennet.crops import shipped

CROPS = list(shipped())
AT = datetime(2026, 3, 1, 9, tzinfo=UTC)
AT_S = AT.timestamp()


def event(kind: str, days_ago: float, **fields: object) -> Event:
    at = datetime.fromtimestamp(AT_S - days_ago * 86_400, UTC)
    return Event(kind=kind, at=at, id=f"{kind}-{days_ago}-{len(fields)}", fields=fields)


def series(quantity: str, place: str, value: float, days: int = 10, daylight: bool = False) -> Series:
    at_s = AT_S - 86_400.0 * np.arange(days)[::-1]
    return Series(place, quantity, "probe", at_s, np.full(days, value), np.zeros(days, bool), np.full(days, daylight))


class Emerging(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.sampled_from(CROPS), st.floats(2, 34))
    def test_warmer_is_quicker_up_to_the_plateau_and_never_is_none(self, crop: object, soil_c: float) -> None:
        here = emerging(crop, soil_c)  # type: ignore[arg-type]
        warmer = emerging(crop, min(soil_c + 1.0, crop.t_hi_c))  # type: ignore[arg-type, attr-defined]
        if here is None:
            self.assertLess(float(crop.response.rate_per_day(soil_c)), 0.012)  # type: ignore[attr-defined]
        elif soil_c < crop.t_lo_c - 1 and warmer is not None:  # type: ignore[attr-defined]
            self.assertLess(warmer.days.p50, here.days.p50)
            self.assertTrue(here.days.p10 < here.days.p50 < here.days.p90)

    def test_old_seed_and_depth_take_longer(self) -> None:
        onion = shipped().get("onion")
        plain, old = emerging(onion, 18.0), emerging(onion, 18.0, speed=0.7)
        bean = shipped().get("bean_snap")
        shallow, deep = emerging(bean, 22.0), emerging(bean, 22.0, depth_school="three_to_five")
        assert plain and old and shallow and deep
        self.assertAlmostEqual(old.days.p50, plain.days.p50 / 0.7)
        self.assertGreater(deep.days.p50, shallow.days.p50)
        lettuce = emerging(shipped().get("lettuce"), 30.0)
        assert lettuce
        self.assertLess(lettuce.arrives, 0.7, "it comes up fast at 30 °C, but few do")


class Growing(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.sampled_from(CROPS), st.floats(11.5, 26), st.floats(3, 20))
    def test_the_room_stretches_the_days_within_bounds(self, crop: object, air_c: float, dli_mol: float) -> None:
        found = growing(crop, PlannedRoom(air_c=air_c, dli_mol=dli_mol))  # type: ignore[arg-type]
        assert found is not None
        self.assertTrue(QUICKEST <= found.slower <= SLOWEST)
        self.assertLessEqual(found.least_days, found.aim_days)
        self.assertLessEqual(found.aim_days, found.most_days)
        brighter = growing(crop, PlannedRoom(air_c=air_c, dli_mol=dli_mol + 3))  # type: ignore[arg-type]
        warmer = growing(crop, PlannedRoom(air_c=air_c + 1, dli_mol=dli_mol))  # type: ignore[arg-type]
        assert brighter and warmer
        self.assertLessEqual(brighter.aim_days, found.aim_days)
        self.assertLessEqual(warmer.aim_days, found.aim_days)

    def test_at_its_own_band_the_table_holds(self) -> None:
        for crop in CROPS:
            found = growing(crop, PlannedRoom(air_c=growing_band_c(crop)))
            assert found is not None, crop.id
            self.assertAlmostEqual(found.aim_days, crop.planting.grow_days, places=6)

    def test_a_cold_room_grows_nothing_warm(self) -> None:
        self.assertIsNone(growing(shipped().get("pepper"), PlannedRoom(air_c=10.5)))
        self.assertIsNotNone(growing(shipped().get("leek"), PlannedRoom(air_c=10.5)))

    def test_schools_differ_for_tender_crops_alone(self) -> None:
        room = PlannedRoom()
        for name, differ in (("pepper", True), ("leek", False)):
            late, early = (growing(shipped().get(name), room, school) for school in ("late", "early"))
            assert late and early
            self.assertEqual(late.aim_days < early.aim_days, differ)


class FromTheRecord(unittest.TestCase):
    def setUp(self) -> None:
        self.journal = Journal(
            rooms=[Room(id="r"), Room(id="yard")],
            places=[
                Place(id="s", room="r", kind="shelf", width_mm=1000, depth_mm=400),
                Place(id="out", room="yard", kind="outdoors"),
            ],
            lamps=[Lamp(id="l", place="s", kind="white_led", lumens=4000)],
            mats=[Mat(id="m", trays_max=2)],
            trays=[Tray(id="A", rows=2, columns=3, width_mm=180, depth_mm=120), Tray(id="B", rows=2, columns=3)],
        )

    def test_air_is_that_of_the_rooms_indoors(self) -> None:
        journal = replace(self.journal, series=[series("air_temperature", "r", 15.0), series("air_temperature", "yard", 3.0)])
        room = planned_room(journal, [], AT_S)
        self.assertEqual((room.air_c, room.soil_without_mat_c, room.from_record), (15.0, 15.0, {"air_c"}))
        old = replace(journal, series=[replace(s, at_s=s.at_s - 60 * 86_400) for s in journal.series])
        self.assertEqual(planned_room(old, [], AT_S).from_record, frozenset(), "two months ago says nothing of now")

    def test_light_is_measured_under_lamps_else_taken_from_lumens(self) -> None:
        lit = [event("lamp", 5, lamp="l", height_mm=200.0, on="06:00", off="20:00")]
        rough = planned_room(self.journal, lit, AT_S).dli_mol
        measured = replace(self.journal, series=[series("light", "A", 200.0), series("light", "s", 900.0, daylight=True)])
        assert rough is not None
        self.assertEqual(planned_room(measured, lit, AT_S).dli_mol, round(200 * 14 * 0.0036, 1), "the sky is no lamp")
        self.assertTrue(2 < rough < 8)
        self.assertIsNone(planned_room(self.journal, [], AT_S).dli_mol, "a lamp without a timer gives no day")

    def test_live_batches_hold_their_places_until_they_are_planted(self) -> None:
        pepper = {"pepper": shipped().get("pepper")}
        batch = Batch(id="b", crop="pepper", tray="A", cells=6, sown_at=datetime(2026, 2, 26, 9, tzinfo=UTC))
        placed = [event("placed", 3, tray="A", place="s"), event("mat", 3, tray="A", mat="m", on=True)]
        journal = replace(self.journal, batches=[batch])

        def spans(events: list[Event], journal: Journal = journal) -> dict[int, tuple[int, int, float]]:
            found = in_use(journal, pepper, events, PlannedRoom(), AT_S)
            return {r: (a, b, amount) for u in found for r, a, b, amount in u.spans}

        sown = spans(placed)
        self.assertEqual((sown[0][0], sown[0][2], sown[1][2]), (0, 1.0, 180.0 * 120.0))
        self.assertTrue(sown[0][1] <= sown[2][0] + 1, "under the lamp from about when it leaves the mat")
        up = spans([*placed, event("count", 0.5, batch="b", cells_up=5)])
        self.assertNotIn(0, up, "half up, the mat place is given back")
        self.assertEqual(spans([*placed, event("gave_up", 0.2, batch="b")]), {})
        self.assertEqual(spans([event("placed", 3, tray="A", place="out")]), {}, "what stands outdoors takes no shelf")

    def test_sizes_that_are_not_given(self) -> None:
        self.assertEqual(tray_area_mm2(Tray(id="x", rows=2, columns=2)), 4 * 55.0**2)
        self.assertIsNone(tray_area_mm2(Tray(id="x")))
        blind = replace(self.journal, places=[replace(self.journal.places[0], depth_mm=None)])
        have = capacity(blind, AT_S)
        self.assertEqual((have.mat_places, have.shelf_mm2, have.lamp_mm2), (2.0, None, None))
