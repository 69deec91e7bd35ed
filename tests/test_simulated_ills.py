"""The simulated trays and mats that findings and settings are scored on: fixed by their seed, and true to what they claim."""

from __future__ import annotations

import json
import unittest
from collections import Counter
from itertools import pairwise

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.journal.reader import read_journal
from fennet.simulated_room.mats import MatTruth, draw_mat
from fennet.simulated_room.season import germinating_room
from fennet.simulated_room.simulated_faults import CARELESS, ILL_FROM, ILLS, draw, tell


class Trays(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(st.integers(1, 5000))
    def test_the_same_seed_tells_the_same_and_all_of_it_is_read(self, seed: int) -> None:
        told = tell(seed)
        self.assertEqual(json.dumps(told.journal), json.dumps(tell(seed).journal))
        read = read_journal(told.journal)
        self.assertEqual([str(a) for a in read.rejected if "below an earlier" not in str(a)], [])
        if told.main is not None:
            self.assertIn(told.main, told.ills)
            self.assertGreaterEqual(told.missing, ILL_FROM)

    def test_every_ill_is_met_and_a_quarter_are_well(self) -> None:
        drawn = [draw(seed) for seed in range(1, 401)]
        met = Counter(ill for d in drawn for ill in d.ills)
        self.assertEqual(set(met), set(ILLS))
        well = sum(not d.ills for d in drawn) / len(drawn)
        self.assertTrue(0.2 < well < 0.4, well)
        self.assertTrue(any(len(d.ills) == 2 for d in drawn))

    def test_an_ill_costs_seedlings_and_careless_people_note_less(self) -> None:
        ill = [t for t in (tell(s) for s in range(1, 60)) if t.main is not None]
        self.assertTrue(all(t.missing > 0 for t in ill))
        size = {
            noting: sum(len(json.dumps(tell(s, noting).journal["events"])) for s in range(1, 40))
            for noting in ((0.75, 1.0), CARELESS)
        }
        self.assertLess(size[CARELESS], size[0.75, 1.0])


class Mats(unittest.TestCase):
    @given(st.floats(-2, 2), st.floats(0, 0.12), st.floats(18, 28))
    @settings(max_examples=20, deadline=None)
    def test_the_middle_is_warmer_than_its_corner_and_the_probe_is_what_is_held(
        self, off: float, share: float, setpoint: float
    ) -> None:
        truth = MatTruth(off, share, 14.0, 0.0, 2.0)
        air = np.full(3 * 288, 16.0)
        soil = truth.soil(air, np.full(len(air), setpoint), 16.0)[288:]
        corner = setpoint - off
        self.assertAlmostEqual(float(soil.mean()), corner + share * max(0.0, corner - 16.0), delta=0.7)

    def test_a_higher_set_point_never_cools_and_the_most_is_the_lift(self) -> None:
        case = draw_mat(7)
        outcomes = [case.outcome_c(s) for s in (15.0, 20.0, 25.0, 30.0, 60.0)]
        self.assertTrue(all(b >= a - 0.05 for a, b in pairwise(outcomes)), outcomes)
        self.assertEqual(case.most_c(), outcomes[-1])
        self.assertEqual([str(a) for a in read_journal(case.journal).rejected], [])

    def test_rooms_to_germinate_in_hold_what_they_promise(self) -> None:
        from datetime import UTC, datetime

        truths: dict[str, list[float]] = {}
        journal = germinating_room(3, 4, datetime(2026, 3, 20, 12, tzinfo=UTC), truths, 20.0)
        self.assertEqual(set(truths), {b["id"] for b in journal["batches"]})
        self.assertEqual(read_journal(journal).rejected, [])
