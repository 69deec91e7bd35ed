"""What seed is raised in, and the caution that stands at an act."""

from __future__ import annotations

import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.cautions import at_tray, caution_at, with_cautions
from fennet.core.containers import CONTAINERS, advice, holds_d
from fennet.core.drying import dry_down
from fennet.core.history import effective_events
from fennet.core.records import Journal, Place, Tray
from fennet.core.room import room_at, room_problems
from fennet.crops import shipped
from fennet.presentation.cautions import CAUTION_WORDS
from fennet.presentation.crops import CONTAINER_ADVICE, container_words
from fennet.presentation.formatter import Formatter
from tests.building import event, on
from tests.core.test_worklist import ZONE, listed, room
from tests.tasks import EACH, task

SAY = Formatter(ZONE)


class Containers(unittest.TestCase):
    def test_open_sides_dry_quicker_and_a_wick_slower(self) -> None:
        def loss(**made: object) -> float:
            journal = Journal(trays=[Tray(id="A", rows=2, columns=3, **made)])  # type: ignore[arg-type]
            return dry_down(journal, "A", [], on(5).timestamp()).per_day

        self.assertGreater(loss(container="egg_box"), loss(container="blocks"))
        self.assertGreater(loss(container="blocks"), loss())
        self.assertGreater(loss(), loss(container="tall"))
        self.assertLess(loss(wick=True), 0.5 * loss())

    @given(st.floats(5, 2000), st.sampled_from(sorted(CONTAINERS)))
    def test_more_mix_holds_longer_whatever_it_is_in(self, ml: float, kind: str) -> None:
        small, large = (Tray(id="A", container=kind, cell_ml=x) for x in (ml, ml * 1.5))  # type: ignore[arg-type]
        self.assertLess(holds_d(small), holds_d(large))

    def test_advice_is_told_where_kind_and_container_do_not_suit_and_only_there(self) -> None:
        egg, tall, cells = (Tray(id="A", container=c, cell_ml=ml) for c, ml in (("egg_box", 20.0), ("tall", 250.0), (None, 60.0)))  # type: ignore[arg-type]
        told = {a for c in shipped() for t in (egg, tall, cells) if (a := advice(c, t))}
        self.assertEqual(told, set(CONTAINER_ADVICE), "each is told of some kind")
        self.assertEqual([advice(shipped().get(c), cells) for c in ("leek", "lettuce", "tomato", "cabbage")], [""] * 4)
        self.assertEqual([advice(shipped().get(c), tall) for c in ("artichoke", "sunflower", "tomato")], [""] * 3)
        self.assertIn("Artichoke goes straight down", container_words(shipped().get("artichoke"), egg, SAY))

    def test_a_cup_taller_than_the_gap_is_a_problem_of_the_room(self) -> None:
        places = [Place(id=i, room="r", kind="shelf", z_mm=z, width_mm=1000.0) for i, z in (("low", 300.0), ("high", 500.0))]
        events = [event("placed", 0.0, tray="A", place="low")]
        for tall, what in ((260.0, ["too_tall"]), (120.0, [])):
            journal = Journal(places=places, trays=[Tray(id="A", height_mm=tall)], events=events)
            state = room_at(journal, events, on(1).timestamp())
            self.assertEqual([p.what for p in room_problems(journal, state, {})], what)


class Cautions(unittest.TestCase):
    def test_every_key_has_its_words_and_every_word_is_used(self) -> None:
        found = {caution_at(f, wired, glass) for f in EACH for wired in (True, False) for glass in (True, False)}
        found |= {
            caution_at(replace(f, how=how), False, False)
            for f in EACH
            if f.kind == "prepare"
            for how in ("hot_water", "nick", "cold_moist")
        }  # type: ignore[type-var]
        found |= {caution_at(replace(f, minutes=600.0), False, False) for f in EACH if f.kind == "water"}  # type: ignore[type-var]
        poles = [replace(f, set_out=replace(f.set_out, bed=shipped().get("tomato").bed)) for f in EACH if f.kind == "plant_out"]  # type: ignore[attr-defined, type-var]
        found |= {caution_at(f, False, False) for f in poles}
        self.assertEqual(found - {""}, set(CAUTION_WORDS))

    def test_it_goes_by_what_stands_at_the_tray(self) -> None:
        journal = room()
        events = effective_events([*journal.events, event("cover", 0.5, "g", tray="A", on=True, how="glass")], on(2).timestamp())
        state = room_at(journal, events, on(2).timestamp())
        self.assertEqual(at_tray("A", state, events), (True, True))
        self.assertEqual(at_tray("nowhere", state, events), (False, False))
        (watered,) = with_cautions([task("water")], state, events)
        self.assertEqual(watered.caution, "water_wired")
        self.assertTrue(all(t.caution in {"", *CAUTION_WORDS} for t in with_cautions(listed(journal, 8.0), state, events)))
