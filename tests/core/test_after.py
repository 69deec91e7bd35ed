"""Plants that came as plants, batches planted by parts, and what became of them outside."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.diagnosis.findings import findings
from fennet.core.emerged import half_up_s
from fennet.core.exposure import soil_record
from fennet.core.history import counts_of, planted_out
from fennet.core.records import Event
from fennet.core.stages import stage_at, stage_spans
from fennet.core.stretch import stretch_of, thermal_age
from fennet.crops import shipped
from fennet.crops.complaints import shipped_complaints
from tests.building import SOWN, asked, counts, event, on, record, soil

UP = counts((8, 3), (9, 12))


def stage(day: float, *events: Event, **batch: object) -> str:
    j = record([], [*UP, *events], **batch)
    return stage_at(stage_spans(j.batches[0], j.events, on(day).timestamp()), on(day).timestamp())


class ByParts(TestCase):
    def test_a_part_planted_leaves_the_rest_on_the_list_until_nobody_speaks_of_it(self) -> None:
        part = event("planted", 60, batch="b1", count=9, place="bed")
        self.assertEqual(stage(61, part), "hardening")
        self.assertEqual(stage(76, part), "out")
        self.assertEqual(stage(76, part, event("outing", 70, batch="b1", hours=2.0)), "hardening")

    def test_two_places_make_one_whole(self) -> None:
        two = [event("planted", 60, batch="b1", count=5), event("planted", 62, "second", batch="b1", count=7)]
        self.assertEqual(stage(61, *two), "hardening")
        self.assertEqual(stage(63, *two), "out")

    def test_spares_stay_and_what_is_not_counted_all_goes(self) -> None:
        self.assertEqual(stage(61, event("planted", 60, batch="b1")), "out")
        self.assertEqual(stage(61, event("planted", 60, batch="b1", count=12)), "out")
        kept = event("planted", 60, batch="b1", spares=2)
        self.assertEqual(stage(61, kept), "hardening")
        j = record([], [*UP, kept])
        told = planted_out(j.batches[0], j.events, on(61).timestamp())
        assert told is not None
        self.assertEqual((told.left, told.all_out_s), (2, None))

    def test_losses_in_the_bed_are_not_taken_from_the_pots(self) -> None:
        eaten = [event("planted", 60, batch="b1", count=9), event("lost", 63, batch="b1", cells=4, why="slugs")]
        j = record([], [*UP, *eaten])
        told = planted_out(j.batches[0], j.events, on(64).timestamp())
        assert told is not None
        self.assertEqual((told.planted, told.left), (9, 3))

    @given(st.lists(st.integers(0, 14), min_size=1, max_size=5), st.integers(0, 4))
    def test_what_is_out_and_what_is_left_never_pass_what_came_up(self, parts: list[int], lost: int) -> None:
        events = [event("planted", 60 + i, f"p{i}", batch="b1", count=n) for i, n in enumerate(parts)]
        before = [event("lost", 20, batch="b1", cells=lost)] if lost else []
        j = record([], [*UP, *before, *events])
        told = planted_out(j.batches[0], j.events, on(70).timestamp())
        assert told is not None and told.planted is not None
        self.assertEqual(told.left, max(0, 12 - lost - sum(parts)))
        self.assertEqual(told.all_out_s is None, told.left > 0)


class NeverSown(TestCase):
    def test_bought_plants_are_there_from_their_day_and_nobody_waits_or_judges(self) -> None:
        j = record([soil(19.0, 30.0)], [event("height", 3, batch="b1", mm=400.0)], crop="tomato", start="bought", source="market")
        b, crop, at_s = j.batches[0], shipped().get("tomato"), on(5).timestamp()
        self.assertEqual(stage_at(stage_spans(b, j.events, at_s), at_s), "growing_on")
        self.assertEqual(counts_of(b, j.events).up, 12)
        f = asked(j, 5)
        self.assertEqual((f.verdict, f.call_it_s), ("finished", None))
        self.assertIsNone(stretch_of(crop, thermal_age(j, crop, b, j.events, at_s)))
        told = findings(j, {"tomato": crop}, shipped_complaints(), b, at_s)
        self.assertFalse({x.complaint for x in told} & {"slow_germination", "leggy", "damping_off"})

    def test_tall_plants_count_as_older_and_what_has_to_root_as_new(self) -> None:
        def age_d(**more: object) -> float:
            j = record([], [], crop="pepper", **more)
            up_s = half_up_s(shipped().get("pepper"), j.batches[0], j.events, soil_record(j, j.batches[0], [], on(1).timestamp()))
            assert up_s is not None
            return (SOWN.timestamp() - up_s) / 86_400

        self.assertLess(age_d(start="bought", size_mm=40.0), age_d(start="bought", size_mm=160.0))
        self.assertEqual(age_d(start="slip"), 0.0)
