"""The crop table: complete, sourced, and true to its trials."""

from __future__ import annotations

import unittest

import numpy as np

from fennet.core.crop import FIGURE_UNITS
from fennet.core.response import tolerance_days
from fennet.crops import UnknownCrop, load_sources, shipped
from fennet.crops.refit import RATE_COLUMNS, refit
from fennet.crops.table import check, trials

DEMO = ["leek", "celeriac", "parsley", "tomatillo", "shiso", "pak_choi", "snapdragon", "statice", "cosmos"]
ASKED = ["okra", "parsnip", "turnip", "asparagus", "watermelon", "spinach", "cauliflower", "sweet_corn"]


def within(predicted: float | None, observed: float) -> bool:
    return predicted is not None and abs(predicted - observed) <= float(tolerance_days(np.array([observed]))[0])


class Table(unittest.TestCase):
    def test_every_figure_has_a_source_that_is_listed_and_holds_together(self) -> None:
        for crop in shipped():
            self.assertEqual(check(crop), [], crop.id)
            for figure in crop.figures():
                self.assertIn(figure.source, load_sources(), f"{crop.id} {figure.name}")
            self.assertTrue(
                set(FIGURE_UNITS) | {"growing_moisture_low", "growing_light_hours_high"} <= {f.name for f in crop.figures()}
            )

    def test_the_crops_that_must_be_there_are(self) -> None:
        self.assertGreaterEqual(len(shipped()), 30)
        for name in (*trials(), *DEMO, *ASKED):
            self.assertEqual(shipped().get(name).id, name)

    def test_no_name_means_two_crops(self) -> None:
        seen: dict[str, str] = {}
        for crop in shipped():
            for name in {crop.id, crop.name.lower().replace(" ", "_"), *crop.synonyms}:
                self.assertEqual(seen.setdefault(name, crop.id), crop.id, name)

    def test_names_synonyms_spaces_and_plurals(self) -> None:
        for name, id in {
            "Eggplant": "aubergine",
            "sweet corn": "sweet_corn",
            "Bok-Choy": "pak_choi",
            "onions": "onion",
            "tomatoes": "tomato",
        }.items():
            self.assertEqual(shipped().get(name).id, id)
        with self.assertRaises(UnknownCrop) as caught:
            shipped().get("tomatto")
        self.assertIn("tomato", caught.exception.nearest)

    def test_without_trials_means_estimated(self) -> None:
        for crop in shipped():
            self.assertEqual(crop.estimated, crop.id not in trials(), crop.id)

    def test_a_growers_own_kind_changes_only_what_it_says(self) -> None:
        table = shipped().with_own([{"id": "my_shiso", "like": "basil", "r_max_per_day": 0.1, "note": "slow"}])
        own, basil = table.get("my_shiso"), shipped().get("basil")
        self.assertEqual((own.r_max_per_day, own.t_base_c), (0.1, basil.t_base_c))
        for bad in (
            {"id": "x", "like": "nothing"},
            {"id": "x", "like": "leek", "t_lo_c": -5},
            {"id": "x", "like": "leek", "depth_mm": "deep"},
        ):
            with self.assertRaises(ValueError):
                shipped().with_own([bad])


class Fit(unittest.TestCase):
    def test_nine_trial_cells_in_ten_come_out(self) -> None:
        hits = [within(shipped().get(crop).response.days_to_half(t), d) for crop, cells in trials().items() for t, d in cells]
        self.assertGreaterEqual(np.mean(hits), 0.9)

    def test_three_in_four_come_out_when_left_out(self) -> None:
        hits = []
        for crop, cells in trials().items():
            for i in range(1, len(cells) - 1):
                hits.append(within(refit(crop, left_out=i).days_to_half(cells[i][0]), cells[i][1]))
        self.assertGreaterEqual(np.mean(hits), 0.75)

    def test_the_table_holds_what_the_fit_gives(self) -> None:
        for crop in ("onion", "tomato", "parsley"):
            fitted, row = refit(crop), shipped().get(crop)
            for column in RATE_COLUMNS:
                self.assertAlmostEqual(getattr(fitted, column), getattr(row, column), delta=0.02, msg=f"{crop} {column}")
