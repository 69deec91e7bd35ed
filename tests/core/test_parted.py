"""Plants that are pricked out or potted up as a batch of their own keep the life they had."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.care.handling import PotUp, handling_due
from fennet.core.containers import cell_holds_d
from fennet.core.exposure import readings_for
from fennet.core.history import ancestors, counts_of, ended_s, fresh_mix_s, left_of, life_stays, occupancies
from fennet.core.records import Event, Journal, Tray
from fennet.core.room import canopy_mm
from fennet.core.seed import seed_state
from fennet.core.stages import stage_spans
from fennet.core.stretch import measured_heights, thermal_age
from fennet.core.targets import practice_of
from fennet.crops import shipped
from tests.building import SOWN, counts, event, on, record, soil
from tests.tasks import as_a

MOVED_D = 24.0


def split(count: int = 12, then: tuple[Event, ...] = ()) -> Journal:
    """Twelve cells of onion up in tray A on day 9, `count` of them pricked out into tray B on day 24."""
    events = [
        *counts((8, 3), (9, 12)),
        event("height", 20, batch="b1", mm=60.0, true_leaves=1),
        event("moved", MOVED_D, batch="b1", to_batch="b2", count=count),
        *counts((MOVED_D, count), batch="b2"),
        event("height", 30, batch="b1", mm=99.0),
        event("height", 31, batch="b2", mm=110.0),
        *then,
    ]
    whole = record([soil(20.0, 40.0), soil(12.0, 40.0, place="B")], events)
    part = replace(whole.batches[0], id="b2", tray="B", cells=None, cell_list=[f"r1c{i}" for i in range(1, count + 1)],
                   seeds_per_cell=1, from_batch="b1")  # fmt: skip
    return replace(
        whole, trays=[Tray(id="A", rows=3, columns=4), Tray(id="B", rows=3, columns=4)], batches=[*whole.batches, part]
    )


class PartedBatches(TestCase):
    def test_a_part_is_as_old_and_as_far_as_the_plants_it_was_parted_from(self) -> None:
        j = split(6)
        old, new = j.batches
        at_s = on(MOVED_D + 0.05).timestamp()
        crop = shipped().get("onion")
        ages = [thermal_age(j, crop, b, j.events, at_s) for b in (old, new)]
        self.assertEqual(ages[0].up_s, ages[1].up_s)
        self.assertAlmostEqual(ages[0].now_d, ages[1].now_d, delta=0.5)
        self.assertEqual(stage_spans(new, j.events, at_s)[-1].stage, stage_spans(old, j.events, at_s)[-1].stage)

    @given(st.integers(1, 12), st.lists(st.integers(1, 12), min_size=1, max_size=6))
    def test_half_of_any_part_were_up_when_half_of_the_whole_were(self, count: int, found: list[int]) -> None:
        j = split(count)
        seen = counts(*((6 + 0.5 * i, n) for i, n in enumerate(sorted(found))))
        events = [*seen, *(e for e in j.events if e.kind != "count")]
        old, new = (counts_of(b, events) for b in j.batches)
        self.assertEqual(new.reached(-(-new.up // 2)), old.reached(-(-old.up // 2)))

    def test_heights_before_the_move_are_the_parts_and_later_ones_are_each_its_own(self) -> None:
        j = split(6)
        at_s = on(40).timestamp()
        self.assertEqual([mm for _, mm in measured_heights(j, j.batches[1], j.events, at_s)], [60.0, 110.0])
        self.assertEqual([mm for _, mm in measured_heights(j, j.batches[0], j.events, at_s)], [60.0, 99.0])

    def test_the_soil_of_both_trays_is_read_each_for_its_time(self) -> None:
        j = split(6)
        new = j.batches[1]
        self.assertEqual([s.where for s in life_stays(j, new, j.events)], ["A", "B"])
        level, found = readings_for(j, new, j.events, "soil_temperature", on(40).timestamp())
        self.assertEqual(level, "tray")
        for series in found:
            before = series.at_s <= on(MOVED_D).timestamp()
            self.assertTrue(before.all() if series.place == "A" else not before[1:].any())
        self.assertEqual({s.place for s in found}, {"A", "B"})

    def test_cells_are_held_from_the_move_and_a_batch_moved_whole_is_done(self) -> None:
        j = split()
        old, new = j.batches
        moved_s = on(MOVED_D).timestamp()
        self.assertEqual({o.from_s for o in occupancies(new, j.events)}, {moved_s})
        self.assertEqual((left_of(old, j.events), ended_s(old, j.events)), (0, moved_s))
        self.assertEqual(stage_spans(old, j.events, on(30).timestamp())[-1].stage, "moved_on")
        self.assertIsNone(ended_s(new, j.events))
        self.assertIsNone(ended_s(split(11).batches[0], split(11).events))

    def test_a_part_of_a_part_keeps_the_life_of_both(self) -> None:
        j = split(6, (event("moved", 35, batch="b2", to_batch="b3", count=2), event("height", 36, batch="b2", mm=150.0)))
        third = replace(j.batches[1], id="b3", tray="A", cell_list=["r1c1", "r1c2"], from_batch="b2")
        j = replace(j, batches=[*j.batches, third])
        self.assertEqual([b.id for b in ancestors(j, third)], ["b2", "b1"])
        self.assertEqual([mm for _, mm in measured_heights(j, third, j.events, on(40).timestamp())], [60.0, 110.0])
        self.assertEqual([s.where for s in life_stays(j, third, j.events)], ["A", "B", "A"])

    def test_a_journal_whose_batches_came_from_each_other_is_read_all_the_same(self) -> None:
        j = split(6, (event("moved", 35, batch="b2", to_batch="b1", count=2),))
        round_ = [replace(j.batches[0], from_batch="b2"), j.batches[1]]
        j = replace(j, batches=round_)
        for b in round_:
            self.assertLessEqual(len(ancestors(j, b)), 2)
            self.assertTrue(life_stays(j, b, j.events))
            self.assertTrue(stage_spans(b, j.events, on(40).timestamp()))

    @given(st.integers(1, 12), st.floats(0.0, 39.0))
    def test_the_stays_of_a_life_follow_each_other_without_a_gap(self, n: int, day: float) -> None:
        j = split(n)
        stays = life_stays(j, j.batches[1], j.events)
        self.assertEqual(stays[0].from_s, SOWN.timestamp())
        for a, b in pairwise(stays):
            self.assertEqual(a.to_s, b.from_s)
        covering = [s for s in stays if s.from_s <= on(day).timestamp() < s.to_s]
        self.assertEqual(len(covering), 1)

    def test_fresh_mix_and_the_pot_count_from_the_move(self) -> None:
        j = split(6)
        old, new = j.batches
        crop, practice = shipped().get("tomato"), practice_of(j.garden)
        seed = seed_state(crop, None, SOWN.date())
        due = {}
        for b in (old, new):
            age = thermal_age(j, crop, b, j.events, on(25).timestamp())
            tray = replace(next(t for t in j.trays if t.id == b.tray), cell_ml=40.0)
            found = handling_due(crop, b, tray, j.events, on(25).timestamp(), practice, age, seed)
            due[b.id] = next(h for h in found if h.action == "pot_up")
        self.assertEqual((as_a(PotUp, due["b1"]).why, as_a(PotUp, due["b2"]).why), ("leaves", "full_cell"))
        self.assertAlmostEqual(due["b2"].due_s, on(MOVED_D + cell_holds_d(40.0)).timestamp(), delta=1.0)
        self.assertEqual(fresh_mix_s(new, j.events), [on(MOVED_D).timestamp()])
        self.assertEqual(fresh_mix_s(old, j.events), [])
        self.assertEqual(canopy_mm([new], j.events, on(26).timestamp()), 60.0)

    def test_rooted_seed_out_of_a_towel_is_sown_by_its_move_not_potted(self) -> None:
        j = split(6)
        towel = replace(j.batches[0], set_up="towel")
        sown = replace(j.batches[1], sown_at=on(MOVED_D))
        self.assertEqual(fresh_mix_s(sown, j.events), [])
        self.assertIsNone(ended_s(towel, j.events), "more of its seed may root yet")
        self.assertEqual([s.where for s in life_stays(replace(j, batches=[towel, sown]), sown, j.events)][-1], "B")
