"""How much to sow: the odds against brute force, scarce seed, towels and crowds; what is left in the box; the mix."""

from __future__ import annotations

import unittest
from datetime import UTC, date, datetime

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core.mixing import Recipe, mix_for, recipe_of
from fennet.core.records import Batch, Journal, SeedLot, SeedTest
from fennet.core.seed import SeedState, seed_state
from fennet.core.seed_advice import advice
from fennet.core.sowing_quantity import CROWD_IN_A_CELL, MOST_IN_A_CELL, HowMuch, chance_of, how_much
from fennet.core.stock import seeds_left
from fennet.core.working import Working
from fennet.crops import shipped
from fennet.crops.recipes import shipped_recipes

DRAWS = 120_000


def belief(a: float, b: float) -> SeedState:
    return SeedState(a, b, 1.0, Working("seed alive", (), "", (), ""))


def simulated(much: HowMuch, a: float, b: float, survival: float) -> np.ndarray:
    """Plants from a sowing, played out seed by seed with no formula of the program's."""
    rng = np.random.default_rng(11)
    alive = rng.beta(a, b, DRAWS)
    if much.set_up in ("towel", "crowd"):
        return rng.binomial(rng.binomial(much.seeds, alive), survival)
    filled = np.zeros(DRAWS, dtype=int)
    for _ in range(much.cells):
        filled += (rng.binomial(much.seeds_per_cell, alive) > 0) & (rng.random(DRAWS) < survival)
    return filled


class Odds(unittest.TestCase):
    def test_the_chance_is_that_of_brute_force_within_one_per_cent(self) -> None:
        for wanted, a, b, ways in (
            (20, 17.0, 3.0, {}), (8, 6.0, 14.0, {}), (6, 17.0, 3.0, {"packet": 7}), (12, 4.0, 16.0, {"tray_cells": 15}),
            (12, 17.0, 3.0, {"set_up": "towel"}), (40, 15.0, 5.0, {"set_up": "crowd"}), (5, 2.0, 3.0, {"school": "two_always"}),
        ):  # fmt: skip
            with self.subTest(wanted=wanted, a=a, **ways):
                much = how_much(wanted, belief(a, b), **ways)  # type: ignore[arg-type]
                survival = 0.92 * (0.9 if much.set_up == "crowd" else 1.0)
                plants = simulated(much, a, b, survival)
                self.assertAlmostEqual(much.chance_enough, float((plants >= wanted).mean()), delta=0.01)
                for told, q in ((much.plants.p10, 10), (much.plants.p50, 50), (much.plants.p90, 90)):
                    self.assertAlmostEqual(told, float(np.percentile(plants, q)), delta=1.0)

    @settings(max_examples=40, deadline=None)
    @given(st.integers(1, 60), st.floats(2, 40), st.floats(1, 20), st.floats(0.6, 0.98))
    def test_no_cheaper_sowing_would_do(self, wanted: int, a: float, b: float, confidence: float) -> None:
        much = how_much(wanted, belief(a, b), confidence=confidence, tray_cells=24)
        if not much.reaches:
            self.assertLess(much.chance_enough, confidence)
            return
        self.assertGreaterEqual(much.chance_enough, confidence)
        fewer = chance_of(wanted, much.cells - 1, much.seeds_per_cell, a, b)
        self.assertLess(fewer, confidence, "one cell less is not enough")
        places = -(-much.cells // 24) * 24
        for n in range(1, MOST_IN_A_CELL + 1):
            cells = next((c for c in range(wanted, places + 1) if chance_of(wanted, c, n, a, b) >= confidence), None)
            if cells is not None:
                self.assertLessEqual(much.seeds, cells * n, f"{n} a cell in the same trays takes no less seed")

    @settings(max_examples=30, deadline=None)
    @given(st.integers(1, 30), st.integers(1, 40), st.integers(1, 5), st.floats(1, 30), st.floats(1, 30))
    def test_more_cells_and_more_seed_never_hurt(self, wanted: int, cells: int, n: int, a: float, b: float) -> None:
        here = chance_of(wanted, cells, n, a, b)
        self.assertLessEqual(here, chance_of(wanted, cells + 1, n, a, b) + 1e-9)
        self.assertLessEqual(here, chance_of(wanted, cells, n + 1, a, b) + 1e-9)
        self.assertGreaterEqual(here, chance_of(wanted + 1, cells, n, a, b) - 1e-9)

    def test_what_cannot_be_reached_says_what_is_short(self) -> None:
        few = how_much(12, belief(17, 3), packet=5)
        self.assertEqual((few.seeds, few.cells, few.reaches, few.limit), (5, 5, False, "packet"), "five seeds for twelve plants")
        self.assertEqual(few.chance_enough, 0.0)
        self.assertEqual(
            (how_much(12, belief(17, 3), most_cells=6).limit, how_much(10, belief(0.2, 19.8)).limit), ("places", "dead")
        )
        none = how_much(3, belief(17, 3), packet=0)
        self.assertEqual((none.seeds, none.cells, none.plants.p90), (0, 0, 0.0))
        for bad in ({"wanted": 0}, {"wanted": 5, "confidence": 1.0}):
            with self.assertRaises(ValueError):
                how_much(seed=belief(17, 3), **bad)  # type: ignore[arg-type]

    def test_schools_set_ups_and_weak_seed(self) -> None:
        self.assertEqual(how_much(20, belief(17, 3), school="one").seeds_per_cell, 1)
        weak = how_much(20, belief(6, 14), school="odds")
        self.assertGreaterEqual(weak.seeds_per_cell, 3, "at a third of the rate seed goes in by threes, not over four trays")
        self.assertGreater(weak.to_thin, 5)
        towel, mix = how_much(12, belief(10, 10), set_up="towel"), how_much(12, belief(10, 10))
        self.assertLess(towel.cells, mix.cells, "only live seed gets a cell")
        crowd = how_much(40, belief(17, 3), set_up="crowd")
        self.assertEqual((crowd.seeds_per_cell, crowd.cells), (CROWD_IN_A_CELL, -(-crowd.seeds // CROWD_IN_A_CELL)))


class Box(unittest.TestCase):
    def test_what_is_sown_and_tested_is_taken_off(self) -> None:
        lot = SeedLot(id="s", crop="leek", seeds=100, tests=[SeedTest(on=date(2026, 1, 5), sown=20, germinated=15)])
        sown = datetime(2026, 2, 3, 9, tzinfo=UTC)
        b = Batch(id="b", crop="leek", sown_at=sown, cells=12, seeds_per_cell=2, seed_lot="s")
        moved = Batch(id="c", crop="leek", sown_at=sown, cells=4, seed_lot="s", from_batch="b")
        journal = Journal(seed_lots=[lot, SeedLot(id="u", crop="leek")], batches=[b, moved])
        after, before = datetime(2026, 3, 1, tzinfo=UTC).timestamp(), datetime(2026, 2, 1, tzinfo=UTC).timestamp()
        self.assertEqual((seeds_left(journal, after), seeds_left(journal, before)), ({"s": 56}, {"s": 80}))
        counted = SeedLot(id="s", crop="leek", seeds=30, counted_at=datetime(2026, 2, 3, 8, tzinfo=UTC))
        self.assertEqual(seeds_left(Journal(seed_lots=[counted], batches=[b]), after), {"s": 6}, "sown an hour after the count")
        later = SeedLot(id="s", crop="leek", seeds=30, counted_at=datetime(2026, 2, 3, 10, tzinfo=UTC))
        self.assertEqual(seeds_left(Journal(seed_lots=[later], batches=[b]), after), {"s": 30}, "sown before it")
        many = Batch(id="d", crop="leek", sown_at=sown, cells=90, seeds_per_cell=2, seed_lot="s")
        self.assertEqual(seeds_left(Journal(seed_lots=[lot], batches=[many]), after), {"s": 0}, "never under nought")

    def test_advice_follows_age_storage_and_tests(self) -> None:
        leek, day = shipped().get("leek"), date(2026, 3, 1)

        def told(left: int | None = None, **lot: object) -> str:
            return advice(seed_state(leek, SeedLot(id="s", crop="leek", **lot), day), left)  # type: ignore[arg-type]

        self.assertEqual(told(200, packed=2026, rate=0.95), "sound")
        self.assertEqual(told(200, packed=2015, rate=0.9), "give_up")
        self.assertNotEqual(told(200, packed=2015, rate=0.95, storage="cold_dry"), "give_up", "a cold dry jar keeps it")
        self.assertEqual(told(200, packed=2025, rate=0.85), "test", "it may be half dead or not: twenty seeds tell")
        self.assertEqual(told(200, packed=2023, rate=0.85), "test", "older: the more so")
        self.assertEqual(told(15, packed=2022, rate=0.85), "thick", "fifteen seeds are sown, not tested")
        tested = SeedTest(on=date(2026, 2, 1), sown=100, germinated=52)
        self.assertEqual(told(200, packed=2025, rate=0.85, tests=[tested]), "thick", "a test settles it")
        self.assertEqual(told(0, packed=2026), "empty")


class Mixes(unittest.TestCase):
    def test_parts_share_the_litres_and_firming_asks_for_more(self) -> None:
        for recipe in shipped_recipes():
            made = mix_for(recipe, 8.0)
            self.assertAlmostEqual(sum(litres for _, litres in made.of_each_l), made.litres)
        loose, firm = (mix_for(shipped_recipes()[0], 8.0, f).litres for f in ("none", "compress_by_a_third"))
        self.assertAlmostEqual(firm / loose, 1.5)
        self.assertEqual(mix_for(Recipe("x", {"peat": 1.0}), 0.0).water_l, 0.0)

    def test_a_recipe_that_does_not_add_up_is_told(self) -> None:
        for entry, said in (
            ({"parts": {"peat": 1}}, "name"),
            ({"name": "x", "parts": {}}, "parts: missing"),
            ({"name": "x", "parts": {"peat": -1}}, "peat"),
            ({"name": "x", "parts": {"peat": True}}, "peat"),
            ({"name": "x", "parts": {"peat": 60, "sand": 30}, "per_cent": True}, "90 %"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                recipe_of(entry)
