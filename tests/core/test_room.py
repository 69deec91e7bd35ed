"""The room over time, and what cannot be."""

from __future__ import annotations

import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.records import Batch, Event, Fan, Journal, Lamp, Mat, Outlet, Place, Tray
from fennet.core.room import canopy_mm, in_trays, leaf_distance_mm, outlet_loads, room_at, room_problems, tray_of, trays_at
from tests.building import SOWN, event, on

JOURNAL = Journal(
    places=[Place(id="p", width_mm=1000, depth_mm=400), Place(id="q", width_mm=250, depth_mm=400)],
    trays=[Tray(id="A", width_mm=300, depth_mm=200, height_mm=60), Tray(id="B", width_mm=300, depth_mm=200, height_mm=60)],
    mats=[Mat(id="m", trays_max=1, watts=20, outlet="wall")],
    lamps=[Lamp(id="l", place="p", min_distance_mm=50, watts=80, outlet="wall")],
    fans=[Fan(id="f", outlet="wall")],
    outlets=[Outlet(id="wall", limit_w=120)],
)


def found(*events: Event, canopy: float | None = None) -> dict[str, str]:
    state = room_at(JOURNAL, list(events), on(50).timestamp())
    return {t.what: t.mend for t in room_problems(JOURNAL, state, {"A": canopy, "B": canopy})}


class OverTime(unittest.TestCase):
    def test_last_tuesday_can_be_asked(self) -> None:
        events = [
            event("placed", 0, tray="A", place="p", x_mm=100.0),
            event("mat", 1, mat="m", tray="A", setpoint_c=24.0),
            event("cover", 1, tray="A", on=True),
            event("cover", 3, tray="A", on="vented"),
            event("placed", 4, tray="A", place="p", turned=True),
            event("mat", 5, mat="m", setpoint_c=26.0),
            event("placed", 6, tray="A", place="q"),
            event("mat", 7, mat="m", tray="A", on=False),
        ]

        def then(day: float) -> tuple:
            r = room_at(JOURNAL, events, on(day).timestamp())
            a = r.trays["A"]
            return a.place, a.x_mm, a.turned_deg, a.cover, a.mat, r.mats["m"].setpoint_c

        self.assertEqual(then(-1), (None, None, 0.0, "off", None, None))
        self.assertEqual(then(2), ("p", 100.0, 0.0, "on", "m", 24.0))
        self.assertEqual(then(4.5), ("p", 100.0, 180.0, "vented", "m", 24.0))
        self.assertEqual(then(8), ("q", None, 180.0, "vented", None, 26.0))

    @given(st.lists(st.tuples(st.sampled_from("xyz"), st.integers(-3, 20), st.sampled_from(["A", "B", None])), max_size=8),
           st.floats(-4, 24))  # fmt: skip
    def test_all_batches_are_where_each_is(self, moves: list[tuple[str, int, str | None]], day: float) -> None:
        x = Batch(id="x", crop="leek", sown_at=SOWN, tray="A", cells=4)
        batches = [x, replace(x, id="y", tray=None), replace(x, id="z", tray="B", from_batch="x")]
        events = [event("potted_up", d, batch=b, tray=tray) for b, d, tray in sorted(moves, key=lambda m: m[1])]
        events += [event("moved", 6, batch="x", to_batch="z", count=2)]
        events, at_s = sorted(events, key=lambda e: e.at), on(day).timestamp()
        one_by_one = {b.id: tray_of(b, events, at_s) for b in batches}
        self.assertEqual(trays_at(batches, events, at_s), one_by_one)
        inside = {tray: [b.id for b in there] for tray, there in in_trays(batches, events, at_s).items()}
        self.assertEqual({b: t for t, there in inside.items() for b in there}, {b: t for b, t in one_by_one.items() if t})

    def test_the_distance_to_the_leaf(self) -> None:
        batch = Batch(id="b1", crop="leek", sown_at=SOWN, tray="A", cells=4)
        events = [event("height", 3, batch="b1", mm=30.0), event("height", 6, batch="b1", mm=45.0)]
        self.assertEqual(leaf_distance_mm(200, JOURNAL.trays[0], canopy_mm([batch], events, on(4).timestamp())), 110)
        self.assertIsNone(leaf_distance_mm(None, JOURNAL.trays[0], None))


class Troubles(unittest.TestCase):
    def test_two_trays_in_one_spot(self) -> None:
        here = event("placed", 0, tray="A", place="p", x_mm=0.0)
        self.assertEqual(
            found(here, event("placed", 1, tray="B", place="p", x_mm=200.0))["one_spot"], "Free from 500 mm: B to p x 500."
        )
        self.assertNotIn("one_spot", found(here, event("placed", 1, tray="B", place="p", x_mm=300.0)))
        self.assertNotIn("one_spot", found(here, event("placed", 1, tray="B", place="p")), "nobody said where")

    def test_a_mat_under_two_places_and_too_many(self) -> None:
        apart = [event("placed", 0, tray="A", place="p"), event("placed", 0, tray="B", place="q")]
        mats = [event("mat", 1, mat="m", tray=t) for t in ("A", "B")]
        self.assertLessEqual({"mat_apart", "mat_full"}, set(found(*apart, *mats)))

    def test_a_tray_too_big_and_turned_to_fit(self) -> None:
        self.assertIn("tray_too_big", found(event("placed", 0, tray="A", place="q")))
        self.assertNotIn("tray_too_big", found(event("placed", 0, tray="A", place="q", turned=90)))

    def test_a_lamp_nearer_than_its_maker_allows_says_how_high(self) -> None:
        low = [event("placed", 0, tray="A", place="p"), event("lamp", 1, lamp="l", height_mm=120.0)]
        self.assertNotIn("lamp_near", found(*low))
        self.assertEqual(found(*low, canopy=40.0)["lamp_near"], "Raise it: l at 150mm.")

    def test_watts_by_outlet(self) -> None:
        load = outlet_loads(JOURNAL)[0]
        self.assertEqual((load.watts, load.allowed_w, load.unknown), (100, 96.0, ("f",)))
        self.assertIn("outlet_load", found())
