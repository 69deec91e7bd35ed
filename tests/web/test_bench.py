"""The bench drawing: to scale, nothing on top of another, whatever the record leaves out."""

from __future__ import annotations

import unittest
from itertools import pairwise
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.records import Journal, Lamp, Place, Room, Tray
from fennet.core.room import room_at
from fennet.presentation.formatter import Formatter
from fennet.web.today.bench import bench
from fennet.web.today.drawn import ROOMLESS, Bench, DrawnPlace, TrayNow
from tests.building import event, on

SAY = Formatter(ZoneInfo("UTC"))


def drawn(
    places: list[Place], trays: list[tuple[str, str, float | None]], lamps: dict[str, float] | None = None, room: str = "r"
) -> Bench:
    """A room with empty trays (id, place, x) and lamps over the first place at some heights."""
    journal = Journal(
        rooms=[Room(id="r")], places=places, trays=[Tray(id=i, width_mm=300, depth_mm=200, height_mm=60) for i, _, _ in trays],
        lamps=[Lamp(id=i, place=places[0].id, length_mm=900) for i in lamps or {}],
    )  # fmt: skip
    events = [event("placed", 0, tray=i, place=p, **({} if x is None else {"x_mm": x})) for i, p, x in trays]
    events += [event("lamp", 0, lamp=i, height_mm=h, on="18:00", off="08:00") for i, h in (lamps or {}).items()]
    state = room_at(journal, events, on(1).timestamp())
    now = {t.id: TrayNow(t, [], ()) for t in journal.trays}
    return bench(journal, state, now, {}, room, events, on(1).timestamp(), SAY)


def shelf(id: str, z_mm: float | None, x_mm: float = 0.0, width_mm: float | None = 1200.0, room: str | None = "r") -> Place:
    return Place(id=id, room=room, kind="shelf", width_mm=width_mm, z_mm=z_mm, x_mm=x_mm)


class Drawing(unittest.TestCase):
    def test_shelves_over_one_another_are_a_column_and_a_sill_stands_beside(self) -> None:
        b = drawn([shelf("low", 350), shelf("high", 1480), shelf("mid", 900), shelf("sill", 900, 1500)], [])
        self.assertEqual([[p.id for p in column] for column in b.columns], [["high", "mid", "low"], ["sill"]])
        tops = [(p.top, p.y, p.bottom) for p in b.columns[0]]
        self.assertTrue(all(a[2] <= c[0] < c[1] for a, c in pairwise(tops)), "no shelf hangs into the next")

    def test_a_lamp_hangs_at_its_height_and_trays_stand_on_the_board(self) -> None:
        place: DrawnPlace = drawn([shelf("s", 900)], [("A", "s", 100.0)], {"l": 240.0}).places[0]
        self.assertEqual(place.y - place.lamps[0].y, 240.0)
        self.assertEqual((place.trays[0].x - place.x, place.trays[0].y + 60), (100.0, place.y))
        self.assertIn("18:00–08:00", place.lamps[0].words)
        self.assertIn("240 mm over the shelf", place.lamps[0].told)

    @given(st.lists(st.none() | st.floats(0, 400), min_size=1, max_size=4, unique=True), st.sampled_from([None, 1200.0]))
    def test_trays_nobody_placed_stand_clear_of_all_others(self, spots: list[float | None], width_mm: float | None) -> None:
        # At most one tray keeps the spot it was given; the rest are laid out.
        given_x = next((x for x in spots if x is not None), None)
        trays = [("T0", "s", given_x), *((f"T{i}", "s", None) for i in range(1, len(spots)))]
        edges = sorted((t.x, t.x + t.width) for t in drawn([shelf("s", 900, width_mm=width_mm)], trays).places[0].trays)
        self.assertEqual(len(edges), len(spots))
        self.assertTrue(all(a[1] <= b[0] for a, b in pairwise(edges)))

    def test_a_bare_record_is_drawn_all_the_same_with_its_twin(self) -> None:
        b = drawn([shelf("s", None, width_mm=None, room=None)], [("A", "s", None)], room=ROOMLESS)
        self.assertEqual([(r.place, r.tray, r.crop) for r in b.rows], [("s", "A", "empty")])
        self.assertTrue(b.places[0].trays[0].label.startswith("A empty"))
        self.assertEqual(drawn([shelf("s", 900)], [("A", "s", None)], room="another").places, [])
