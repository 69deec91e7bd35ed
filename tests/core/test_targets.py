"""Bands by crop and stage, what a practice changes, and what overrides it."""

from __future__ import annotations

import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.kinds import PRACTICES
from fennet.core.records import Batch, Garden, Target
from fennet.core.stages import STAGES, stage_at, stage_spans
from fennet.core.targets import Band, in_order, is_dark, practice_of, targets_for
from fennet.crops import shipped
from tests.building import SOWN, counts, event, on

DEFAULT = practice_of(Garden())
CROPS = list(shipped())


class Targets(unittest.TestCase):
    def test_every_crop_has_every_band_with_a_source(self) -> None:
        self.assertGreaterEqual(len(CROPS), 60)
        for crop in CROPS:
            sown, growing = (targets_for(crop, stage, DEFAULT) for stage in ("sown", "seedling"))
            self.assertEqual(set(sown), {"soil_temperature", "moisture"}, crop.id)
            self.assertEqual(set(growing), {"soil_temperature", "daily_light", "light_hours", "moisture"}, crop.id)
            for band in (*sown.values(), *growing.values()):
                self.assertTrue(band.source and band.named, f"{crop.id} {band.quantity}")

    @given(
        st.sampled_from(CROPS),
        st.sampled_from(STAGES),
        st.fixed_dictionaries({k: st.sampled_from(PRACTICES[k]) for k in ("heat", "light_hours", "water_when")}),
        st.none() | st.floats(8, 20),
        st.none() | st.floats(0, 30),
    )
    def test_no_choice_of_practice_makes_an_impossible_band(self, crop, stage, chosen, day_h, since_d) -> None:  # type: ignore[no-untyped-def]
        for band in targets_for(crop, stage, {**DEFAULT, **chosen}, (), None, day_h, since_d).values():
            self.assertLessEqual(band.low, band.ideal_low)
            self.assertLessEqual(band.ideal_low, band.ideal_high)
            self.assertLessEqual(band.ideal_high, band.high)
            if band.quantity == "light_hours":
                self.assertLessEqual(band.high, 20.0)
            if band.quantity == "soil_temperature":
                self.assertLessEqual(band.high, 35.0)

    def bands(self, crop: str, stage: str = "seedling", **practice: str) -> dict[str, Band]:
        return targets_for(shipped().get(crop), stage, {**DEFAULT, **practice})

    def test_a_crops_limit_overrides_the_practice_and_says_so(self) -> None:
        onion = self.bands("onion")["light_hours"]
        self.assertEqual((onion.low, onion.high), (10, 13))
        self.assertTrue(any("gives way" in n for n in onion.notes) and any("bulb" in n for n in onion.notes))
        shiso = self.bands("shiso", light_hours="12_on_12_off")["light_hours"]
        self.assertEqual(shiso.low, 14)
        celery = self.bands("celery")["moisture"]
        self.assertEqual(celery.low, 55)
        self.assertIn("gives way", celery.notes[0])

    def test_each_school_changes_its_band(self) -> None:
        self.assertEqual(self.bands("tomato", water_when="evenly_moist")["moisture"].low, 65)
        self.assertEqual(self.bands("tomato", water_when="pale_top_and_half_a_day")["moisture"].low, 40)
        self.assertEqual(self.bands("cabbage", light_hours="12_on_12_off")["light_hours"].low, 11.5)
        self.assertEqual(self.bands("cabbage")["light_hours"].low, 14)
        self.assertEqual(self.bands("pepper", "sown", heat="hot")["soil_temperature"].ideal_low, 29)
        lettuce = self.bands("lettuce", "sown", heat="hot")["soil_temperature"]
        self.assertIn("tropical", lettuce.notes[0])

    def test_the_growers_own_band_wins_and_the_narrowest_first(self) -> None:
        own = in_order([
            Target(quantity="moisture", low=30, high=60, batch="b1"),
            Target(quantity="moisture", low=20, high=90, crop="leek"),
            Target(quantity="moisture", low=1, high=2, crop="leek", stage="hardening"),
            Target(quantity="moisture", low=3, high=4, batch="b2"),
        ])  # fmt: skip
        band = targets_for(shipped().get("leek"), "seedling", DEFAULT, own, "b1")["moisture"]
        self.assertEqual((band.low, band.source), (30, "growers_own"))
        self.assertEqual(targets_for(shipped().get("leek"), "seedling", DEFAULT, own, "b9")["moisture"].low, 20)
        dated = [Target(quantity="moisture", low=30, high=60, from_at=on(5))]
        self.assertNotEqual(
            targets_for(shipped().get("leek"), "sown", DEFAULT, dated, None, at_s=on(4).timestamp())["moisture"].low, 30
        )

    def test_nights_are_judged_as_nights(self) -> None:
        band = self.bands("tomato")["soil_temperature"]
        self.assertEqual((band.misses(17), band.misses(17, dark=True), band.misses(22, dark=True)), (-3, 0, 2))
        self.assertTrue(is_dark(23 * 60, [(6 * 60, 20 * 60)]))
        self.assertFalse(is_dark(60, [(20 * 60, 8 * 60)]), "a timer across midnight")


class Stages(unittest.TestCase):
    BATCH = Batch(id="b1", crop="leek", sown_at=SOWN, tray="A", cells=12)

    def spans(self, events: list, day: float = 60) -> list[str]:
        return [s.stage for s in stage_spans(self.BATCH, events, on(day).timestamp())]

    def test_a_whole_life(self) -> None:
        events = [
            *counts((8, 1), (10, 7)),
            event("potted_up", 25, batch="b1", tray="P"),
            event("outing", 40, batch="b1"),
            event("planted", 50, batch="b1"),
        ]
        self.assertEqual(self.spans(events), ["sown", "emerging", "seedling", "growing_on", "hardening", "out"])
        spans = stage_spans(self.BATCH, events, on(60).timestamp())
        self.assertTrue(all(a.to_s == b.from_s for a, b in pairwise(spans)), "no gaps")
        self.assertEqual(stage_at(spans, on(9).timestamp()), "emerging")
        self.assertEqual(self.spans(events, 9), ["sown", "emerging"])

    def test_what_is_skipped_is_left_out_and_age_alone_makes_it_grow_on(self) -> None:
        self.assertEqual(self.spans(counts((8, 9)), 20), ["sown", "seedling"])
        self.assertEqual(self.spans(counts((8, 9)), 40)[-1], "growing_on")
        self.assertEqual(self.spans([event("gave_up", 30, batch="b1")]), ["sown", "given_up"])
        self.assertEqual(self.spans([*counts((8, 9)), event("lost", 12, batch="b1", cells=12)], 13)[-1], "lost")

    def test_a_plant_kept_for_years_is_spoken_of_by_its_tray_and_what_nobody_speaks_of_is_lost_sight_of(self) -> None:
        watered = [event("watered", day, tray="A") for day in range(0, 1100, 7)]
        self.assertEqual(self.spans([*counts((8, 9)), *watered], 1101)[-1], "growing_on")
        self.assertEqual(self.spans([*counts((8, 9)), *watered[:20]], 1101)[-1], "given_up")
        elsewhere = [event("watered", 1000, tray="B")]
        self.assertEqual(self.spans([*counts((8, 9)), *elsewhere], 1101)[-1], "given_up")

    def test_a_band_that_no_plant_should_be_held_to_is_not_gone_by_wherever_it_came_from(self) -> None:
        leek, usual = shipped().get("leek"), practice_of(Garden())
        for quantity, low, high in (("light_hours", 14, 24), ("soil_temperature", 20, 60), ("moisture", 50, 40)):
            own = [Target(quantity=quantity, low=low, high=high)]
            self.assertEqual(targets_for(leek, "seedling", usual, own), targets_for(leek, "seedling", usual), quantity)
        held = targets_for(leek, "seedling", usual, [Target(quantity="light_hours", low=13, high=15)])
        self.assertEqual((held["light_hours"].low, held["light_hours"].high), (13, 15))
