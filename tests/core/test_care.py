"""Feeding by the label, thinning and potting up by size, spells of moisture, the next watering."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.cli.score_water import score_water
from fennet.core.care.feeding import BURNS_MG, FeedDue, Product, dose_for, feed_due, label_dose, product_of, too_strong
from fennet.core.care.handling import Handling, PotUp, buries, handling_due, pot_ml
from fennet.core.care.leaves import leaf_there_s, leaves_made
from fennet.core.care.spells import moisture_spells
from fennet.core.care.watering import next_watering, top_is_wet
from fennet.core.drying import dry_down
from fennet.core.records import Event, Journal, Mix, SeedLot, Tray
from fennet.core.seed import seed_state
from fennet.core.stretch import thermal_age
from fennet.core.targets import practice_of
from fennet.crops import shipped
from tests.building import DAY_S, event, on, record, soil
from tests.tasks import as_a

UP = [event("count", 6, batch="b1", cells_up=12)]
CELLS = Tray(id="A", kind="cells", rows=3, columns=4, cell_ml=60)


def grown(crop: str = "cabbage", **batch: Any) -> Journal:
    base = shipped().get(crop)
    return record([soil(base.planting.grow_base_c + 9.0, 60)], crop=crop, **batch)


def feed(
    day: float, *events: Event, crop: str = "cabbage", practice: dict[str, str] | None = None, **more: Any
) -> FeedDue | None:
    batch_fields = {k: more.pop(k) for k in list(more) if k in ("mix", "set_up", "seeds_per_cell")}
    journal = grown(crop, **batch_fields)
    at_s = on(day).timestamp()
    stood = sorted([*UP, *events], key=lambda e: e.at)
    age = thermal_age(journal, shipped().get(crop), journal.batches[0], stood, at_s)
    school = practice_of(journal.garden) | (practice or {})
    return feed_due(shipped().get(crop), journal.batches[0], stood, at_s, school, age, **more)


def handled(day: float, *events: Event, crop: str = "cabbage", tray: Tray = CELLS, practice: dict[str, str] | None = None,
            ready_in_d: float | None = None, **batch: Any) -> dict[str, Handling]:  # fmt: skip
    journal = grown(crop, **batch)
    kind, at_s = shipped().get(crop), on(day).timestamp()
    stood = sorted([*UP, *events], key=lambda e: e.at)
    age = thermal_age(journal, kind, journal.batches[0], stood, at_s)
    seed = seed_state(kind, SeedLot(id="s", crop=crop, rate=0.9), journal.batches[0].sown_at.date())
    school = practice_of(journal.garden) | (practice or {})
    return {h.action: h for h in handling_due(kind, journal.batches[0], tray, stood, at_s, school, age, seed, ready_in_d)}


class LabelsAsTheyAre(unittest.TestCase):
    def test_a_feed_without_nitrogen_goes_by_parts_of_its_label(self) -> None:
        bloom = product_of({"name": "bloom", "n_pct": 0, "p_pct": 10, "k_pct": 20, "dose_ml_per_l": 4})
        quarter, half, over = (dose_for(bloom, mg, 2.0) for mg in (50.0, 100.0, 900.0))
        self.assertEqual((quarter.per_litre, quarter.total, quarter.of_label), (1.0, 2.0, 0.25))
        self.assertEqual((half.of_label, over.of_label, over.burns), (0.5, 1.0, False), "never over the label")
        with self.assertRaisesRegex(ValueError, "without nitrogen"):
            product_of({"name": "bloom", "n_pct": 0})

    def test_spoons_cups_and_gallons(self) -> None:
        for amount, measure, into, powder, per_l in (
            (1.0, "tbsp", "US gallon", False, 3.906), (2.0, "tsp", "US gallon", False, 2.604), (1.0, "tsp", "litre", True, 4.436),
            (15.0, "g", "10 litres", True, 1.5), (5.0, "ml", "litre", False, 5.0), (1.0, "cup", "imperial gallon", False, 52.042),
        ):  # fmt: skip
            self.assertAlmostEqual(label_dose(amount, measure, into, powder), per_l, places=3)


class Doses(unittest.TestCase):
    @given(st.floats(0.5, 40), st.floats(10, 300), st.floats(0.1, 20), st.booleans())
    def test_what_is_poured_holds_the_strength_that_was_wanted(self, n: float, mg: float, litres: float, liquid: bool) -> None:
        product = Product("f", "f", n, dose_ml_per_l=5.0) if liquid else Product("f", "f", n, dose_g_per_l=1.0)
        d = dose_for(product, mg, litres)
        grams = d.per_litre * (product.density_g_per_ml if liquid else 1.0)
        self.assertAlmostEqual(grams * n / 100 * 1000, mg, places=6)
        self.assertAlmostEqual(d.total, d.per_litre * litres)
        self.assertEqual(d.burns, mg > BURNS_MG)

    def test_a_label_that_cannot_be_is_refused_by_its_figure(self) -> None:
        for entry, name in (
            ({"n_pct": 0}, "without nitrogen"),
            ({}, "n_pct"),
            ({"n_pct": 400}, "n_pct"),
            ({"n_pct": 4, "dose_ml_per_l": -1}, "dose_ml_per_l"),
        ):
            with self.assertRaisesRegex(ValueError, name):
                product_of(entry)
        self.assertRaises(ValueError, dose_for, Product("f", "f", 4.0), 0.0, 1.0)

    def test_fifty_times_too_strong_is_a_slip(self) -> None:
        self.assertEqual([too_strong(mg, False) for mg in (50, 160, 5000)], ["", "burns", "slip"])


class Feeding(unittest.TestCase):
    def test_not_before_the_first_true_leaves(self) -> None:
        early = feed(8.0)
        assert early is not None
        self.assertGreater(early.due_s, on(8).timestamp())
        late = feed(24.0)
        assert late is not None
        self.assertLessEqual(late.due_s, on(24).timestamp())
        self.assertEqual((late.first, late.n_mg_per_l), (True, 50.0))

    def test_then_by_the_week_from_the_last_one(self) -> None:
        due = feed(24.0, event("fed", 20, tray="A", n_mg_per_l=50.0))
        assert due is not None
        self.assertAlmostEqual(due.due_s, on(27).timestamp())

    def test_fed_mix_feeds_and_the_practice_may_never(self) -> None:
        rich = feed(24.0, mix=Mix(fed=True))
        assert rich is not None
        plain, never = feed(16.0), feed(16.0, mix=Mix(fed=True), practice={"first_feed": "never_in_fed_mix"})
        assert plain is not None and never is not None
        self.assertGreater(never.due_s, plain.due_s + 5 * 86_400)
        self.assertIsNone(feed(24.0, practice={"first_feed": "pot_up"}))

    def test_dry_dark_and_ailing_hold_it_back(self) -> None:
        held = feed(24.0, event("sign", 23, batch="b1", sign="wilt_wet"), moisture_pct=30.0, lit_h=0.0)
        assert held is not None
        self.assertEqual(set(held.hold), {"dry_mix", "in_the_dark", "not_while_it_ails"})

    def test_pushed_when_late_for_its_date_and_held_when_early(self) -> None:
        push = {"feed_strength": "push_or_hold"}
        late, ahead = (
            feed(24.0, practice=push, ready_in_d=40.0, wanted_in_d=20.0),
            feed(24.0, practice=push, ready_in_d=5.0, wanted_in_d=40.0),
        )
        assert late is not None and ahead is not None
        self.assertEqual((late.n_mg_per_l, ahead.n_mg_per_l), (100.0, 25.0))

    def test_leaves_counted_outrank_leaves_supposed(self) -> None:
        journal, crop = grown(), shipped().get("cabbage")
        stood = [*UP, event("height", 14, batch="b1", mm=30, true_leaves=4)]
        age = thermal_age(journal, crop, journal.batches[0], stood, on(14.5).timestamp())
        made = leaves_made(crop, age, stood, journal.batches[0])
        self.assertTrue(4.0 <= made < 4.2, made)
        # A fifth leaf is on its way from the day they were counted, not from what their age supposes.
        self.assertAlmostEqual(
            (leaf_there_s(crop, age, made, 5, on(14.5).timestamp()) - on(14.5).timestamp()) / DAY_S,
            (5 - made) * crop.growth.leaf_days / age.pace,
        )

    def test_pots_wait_for_the_second_leaf_where_one_was_counted(self) -> None:
        def pot_up(leaves: int) -> float:
            counted = event("height", 24, batch="b1", mm=40, true_leaves=leaves)
            return handled(24.1, counted, crop="tomato", practice={"pot_up": "second_leaves"})["pot_up"].due_s

        self.assertLessEqual(pot_up(2), on(24.2).timestamp())
        self.assertGreater(pot_up(1), on(25.0).timestamp())


class Handlings(unittest.TestCase):
    def test_several_to_a_cell_are_thinned_once_and_onions_are_left(self) -> None:
        self.assertIn("thin", handled(16, seeds_per_cell=3))
        self.assertNotIn("thin", handled(16, event("thinned", 15, batch="b1", left=12), seeds_per_cell=3))
        self.assertNotIn("thin", handled(18, crop="leek", seeds_per_cell=3))
        self.assertNotIn("thin", handled(16, seeds_per_cell=1))

    def test_a_crowd_is_pricked_out_but_not_kinds_that_hate_it(self) -> None:
        self.assertIn("prick_out", handled(16, set_up="crowd", seeds_per_cell=12))
        self.assertNotIn("prick_out", handled(16, crop="cucumber", set_up="crowd", seeds_per_cell=12))

    def test_pot_up_by_leaves_by_calendar_and_at_once_when_roots_show(self) -> None:
        second = handled(30, crop="tomato")["pot_up"]
        self.assertLessEqual(second.due_s, on(30).timestamp())
        self.assertEqual(as_a(PotUp, second).stem, "bury")
        calendar = handled(12, crop="tomato", practice={"pot_up": "calendar"})["pot_up"]
        self.assertAlmostEqual(calendar.due_s, on(24).timestamp())
        roots = handled(14, event("sign", 13, batch="b1", sign="roots_circling"), crop="tomato")["pot_up"]
        self.assertEqual((as_a(PotUp, roots).why, roots.due_s), ("roots", on(14).timestamp()))
        self.assertNotIn("pot_up", handled(40, event("potted_up", 35, batch="b1"), crop="tomato"))
        self.assertNotIn("pot_up", handled(40, crop="onion"), "a kind that is planted from its cell")

    def test_pinching_needs_weeks_to_wait(self) -> None:
        potted = event("potted_up", 30, batch="b1")
        self.assertIn("pinch", handled(40, potted, crop="cosmos", practice={"topping": "pinch"}, ready_in_d=30.0))
        self.assertNotIn("pinch", handled(40, potted, crop="cosmos", practice={"topping": "pinch"}, ready_in_d=5.0))
        self.assertNotIn("pinch", handled(40, potted, crop="cosmos"))

    def test_a_pot_holds_what_its_width_says(self) -> None:
        tomato = shipped().get("tomato")
        ml = pot_ml(replace(tomato, planting=replace(tomato.planting, pot_mm=100.0)))
        self.assertEqual(ml, 600.0)
        self.assertEqual(buries(shipped().get("pepper"), {"stem": "bury_slightly"}), "slightly")


class Water(unittest.TestCase):
    def test_spells_begin_and_end(self) -> None:
        at = np.arange(0, 6 * 86_400, 1800.0)
        moisture = np.full(len(at), 70.0)
        moisture[48:120], moisture[150:210] = 30.0, 101.0
        found = moisture_spells(at, moisture, np.full(len(at), 50.0))
        self.assertEqual(
            [(s.kind, s.from_s, s.worst_pct) for s in found], [("drought", at[48], 30.0), ("standing_wet", at[150], 101.0)]
        )

    @given(st.floats(0, 120), st.floats(20, 80))
    def test_a_steady_record_is_one_spell_or_none(self, pct: float, low: float) -> None:
        at = np.arange(0, 3 * 86_400, 1800.0)
        found = moisture_spells(at, np.full(len(at), pct), np.full(len(at), low))
        kinds = {s.kind for s in found}
        self.assertEqual("drought" in kinds, pct < low - 8.0)
        self.assertEqual("standing_wet" in kinds, pct > 95.0)

    def test_a_wet_top_waits_longer(self) -> None:
        journal = replace(record([], cells=12), trays=[CELLS])
        film = [event("sign", 9, tray="A", sign="green_film")]
        at_s = on(10).timestamp()
        loss = dry_down(journal, "A", [], at_s)
        plain = next_watering(CELLS, 70.0, 50.0, "below", loss, [], at_s)
        held = next_watering(CELLS, 70.0, 50.0, "below", loss, film, at_s)
        self.assertTrue(top_is_wet("A", film, at_s))
        self.assertGreater(held.when_s.p50, plain.when_s.p50)
        self.assertEqual((held.hold, plain.hold, plain.minutes), ("top_wet", "", 25.0))

    def test_forecasts_of_drawn_trays_weighed_for_three_cycles(self) -> None:
        s = score_water(40, held=True)
        self.assertGreaterEqual(s.near / s.n, 0.8)
        # Wide enough, and no wider than need be.
        self.assertTrue(0.7 <= s.held / s.n <= 0.95, s.held / s.n)
