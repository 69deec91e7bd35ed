"""The simulated room: plausible, the same for the same seed, readable by anyone, and the demo's story holds at any hour."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta

import numpy as np

from fennet.core.forecast import forecast
from fennet.journal.reader import read_journal
from fennet.simulated_room.demo import demo_journal
from fennet.simulated_room.plants import KINDS, Truth
from fennet.simulated_room.room import STEPS_A_DAY, Corner, SimulatedMat, air, probe, soil
from fennet.simulated_room.season import drawn_room

END = datetime(2026, 3, 3, 8, tzinfo=UTC)


class Physics(unittest.TestCase):
    def test_soil_follows_the_room_and_lags_behind_it(self) -> None:
        rng = np.random.default_rng(1)
        hours = np.arange(4 * STEPS_A_DAY) / 12
        room = air(Corner(15, 3, 0.0), hours % 24, rng)
        earth = soil(room, rng)
        self.assertLess(np.ptp(earth[STEPS_A_DAY:]), np.ptp(room))
        self.assertGreater(int(np.argmax(earth[-STEPS_A_DAY:])), int(np.argmax(room[-STEPS_A_DAY:])))

    def test_a_mat_holds_its_setpoint_while_it_can_and_no_more(self) -> None:
        rng = np.random.default_rng(2)
        flat = np.full(3 * STEPS_A_DAY, 14.0)
        held = soil(flat, rng, SimulatedMat(22.0, lift_c=11.0, probe_off_c=0.0))[-STEPS_A_DAY:]
        self.assertAlmostEqual(float(held.mean()), 22.0, delta=0.8)
        spent = soil(flat, rng, SimulatedMat(40.0, lift_c=9.0, probe_off_c=0.0))[-STEPS_A_DAY:]
        self.assertAlmostEqual(float(spent.mean()), 14 - 0.4 + 9, delta=0.3)

    def test_a_probe_has_noise_and_gaps_but_no_fancies(self) -> None:
        steps, figures = probe(np.full(60 * STEPS_A_DAY, 20.0), np.random.default_rng(3))
        self.assertLess(len(steps), 60 * STEPS_A_DAY)
        self.assertGreater(int(np.diff(steps).max()), 24)
        self.assertLess(float(np.abs(figures - 20).max()), 2.0)

    def test_seed_is_quickest_at_its_best_and_stands_still_beyond_its_bounds(self) -> None:
        for crop in KINDS:
            truth = Truth(crop, np.random.default_rng(4))
            rates = truth.rate_per_day(
                np.array([truth.base_c - 1, truth.best_c - 3, truth.best_c, truth.best_c + 3, truth.ceiling_c + 1])
            )
            self.assertEqual((rates[0], rates[-1], int(np.argmax(rates))), (0.0, 0.0, 2), crop)


class Journals(unittest.TestCase):
    def test_the_same_seed_gives_the_same_room_and_another_another(self) -> None:
        self.assertEqual(drawn_room(7, 3, 12, END), drawn_room(7, 3, 12, END))
        self.assertNotEqual(drawn_room(7, 3, 12, END), drawn_room(8, 3, 12, END))

    def test_what_it_writes_is_taken_whole(self) -> None:
        for data in (drawn_room(5, 4, 20, END), demo_journal(END)):
            read = read_journal(data)
            self.assertEqual(([str(a) for a in read.rejected], read.notes), ([], []))
            self.assertLessEqual(max(float(g.at_s[-1]) for g in read.groups), END.timestamp())

    def test_the_story_holds_whenever_the_demo_is_started(self) -> None:
        for end in (END, END + timedelta(hours=7), datetime(2026, 11, 24, 2, tzinfo=UTC), datetime(2027, 6, 3, 19, tzinfo=UTC)):
            read = read_journal(demo_journal(end))
            journal = read.with_series()
            told = {b.id: forecast(journal, read.crops.get(b.crop), b, end.timestamp()) for b in journal.batches}
            with self.subTest(end):
                self.assertEqual((told["leek-1"].verdict, told["leek-1"].as_recorded), ("late", "as_expected"))
                self.assertGreater(told["leek-1"].delay_days["cold_soil"], 5)
                self.assertEqual(
                    [told[b].verdict for b in ("celeriac-1", "tomatillo-1", "snapdragon-1")],
                    ["not_yet", "on_time", "cannot_tell"],
                )
