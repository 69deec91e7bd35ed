"""How fast a tray dries: learned from its cycles, told as a range."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core.drying import DRIES_COVERED, DRIES_OPEN, creep_pct, dry_down, moisture_by_deeds
from fennet.core.exposure import moisture_record
from fennet.core.records import Batch, Calibration, Journal, Series, Source
from tests.building import DAY_S, SOWN, event, on


def cycles(per_day: float, n: int, noise: float = 0.0, seed: int = 1) -> Journal:
    """A tray watered every five days and felt each day between."""
    rng = np.random.default_rng(seed)
    at, value, events = [], [], []
    for cycle in range(n):
        events.append(event("watered", 5.0 * cycle, tray="A", how="below"))
        for day in np.arange(0.2, 4.9, 1.0):
            at.append(on(5.0 * cycle + day).timestamp())
            value.append(92.0 * math.exp(-per_day * day) + rng.normal(0, noise))
    series = [Series("A", "moisture", None, np.array(at), np.array(value), np.zeros(len(at), bool))] if n else []
    return Journal(series=series, events=events)


class DryDowns(unittest.TestCase):
    def test_nothing_known_is_what_is_usual(self) -> None:
        self.assertAlmostEqual(dry_down(cycles(0.2, 0), "A", [], on(1).timestamp()).per_day, DRIES_OPEN)
        covered = [event("cover", 0.0, tray="A", on=True)]
        self.assertAlmostEqual(dry_down(Journal(), "A", covered, on(1).timestamp()).per_day, DRIES_COVERED)

    @settings(max_examples=25)
    @given(st.floats(0.08, 0.5), st.integers(0, 1000))
    def test_cycles_teach_the_tray(self, per_day: float, seed: int) -> None:
        journal = cycles(per_day, 6, 3.0, seed)
        found = dry_down(journal, "A", journal.events, on(31).timestamp())
        self.assertEqual(found.cycles, 6)
        self.assertLess(abs(math.log(found.per_day / per_day)), 0.30)
        fewer = dry_down(cycles(per_day, 1, 3.0, seed), "A", journal.events, on(31).timestamp())
        self.assertGreater(fewer.log_sd, found.log_sd)

    def test_a_scale_teaches_more_than_a_fingertip(self) -> None:
        felt = cycles(0.2, 2)
        scale = Source(id="s", sited="A", calibration=[Calibration(quantity="moisture", dry=500, capacity=900, unit="g")])
        weighed = replace(felt, sources=[scale], series=[replace(felt.series[0], source="s")])
        by_hand, by_scale = (dry_down(j, "A", felt.events, on(11).timestamp()) for j in (felt, weighed))
        self.assertLess(by_scale.log_sd, 0.9 * by_hand.log_sd)
        self.assertAlmostEqual(by_scale.per_day, 0.2, delta=0.005)

    def test_the_hour_it_wants_water(self) -> None:
        journal = cycles(0.2, 5)
        d = dry_down(journal, "A", journal.events, on(25).timestamp())
        days = d.days_to(90.0, 50.0)
        self.assertAlmostEqual(days.p50, math.log(90 / 50) / d.per_day)
        self.assertLess(days.p10, days.p50)
        self.assertEqual(d.days_to(40.0, 50.0).p90, 0.0, "dry already")

    def test_mix_watered_without_a_word_begins_anew(self) -> None:
        at = np.array([on(d).timestamp() for d in (0, 1, 2, 3, 4, 5)])
        series = Series("A", "moisture", None, at, np.array([80.0, 65, 53, 90, 74, 60]), np.zeros(6, bool))
        found = dry_down(Journal(series=[series]), "A", [], on(6).timestamp())
        self.assertLess(abs(found.per_day - 0.2), 0.02)

    def test_going_by_deeds(self) -> None:
        waters = [event("cover", 0.0, tray="A", on=True), event("cover", 2.0, "off", tray="A", on=False)]
        at, dry = moisture_by_deeds(SOWN.timestamp(), on(12).timestamp(), waters, "A")
        self.assertLess(dry[-1], 30.0)
        self.assertGreater(dry[np.searchsorted(at, on(2).timestamp())], 75.0)
        _, wet = moisture_by_deeds(
            SOWN.timestamp(), on(12).timestamp(), [*waters, event("watered", 8.0, tray="A", how="below")], "A"
        )
        self.assertGreater(wet[-1], dry[-1] + 10.0)


class Creep(unittest.TestCase):
    def weighed(self, creep_a_day: float, days: int = 24) -> tuple[np.ndarray, np.ndarray, list[float]]:
        at_s = np.arange(0.0, days, 0.5) * DAY_S
        waters = [d * DAY_S for d in range(0, days, 4)]
        since_d = (at_s / DAY_S) % 4.0
        return at_s, 100.0 * np.exp(-0.12 * np.maximum(0.0, since_d - 0.25)) + creep_a_day * at_s / DAY_S, waters

    def test_a_steady_balance_is_left_alone(self) -> None:
        at_s, pct, waters = self.weighed(0.0)
        self.assertFalse(creep_pct(at_s, pct, waters).any())
        self.assertFalse(creep_pct(at_s, pct, []).any(), "never watered by the record")
        once = pct.copy()
        once[1] += 12.0
        self.assertFalse(creep_pct(at_s, once, waters).any(), "one heavy hand is no creep")

    @given(st.floats(0.7, 1.5))
    def test_what_grows_on_the_balance_is_taken_off(self, creep_a_day: float) -> None:
        at_s, pct, waters = self.weighed(creep_a_day)
        true = self.weighed(0.0)[1]
        mended = pct - creep_pct(at_s, pct, waters)
        late = at_s > 12 * DAY_S
        self.assertLess(float(np.abs(mended - true)[late].mean()), 0.6 * float(np.abs(pct - true)[late].mean()))
        self.assertTrue((creep_pct(at_s, pct, waters) >= 0).all())

    def test_thirst_shows_though_the_plants_weigh_more_than_the_water(self) -> None:
        at_s, pct, _ = self.weighed(1.2)
        points = Calibration(quantity="moisture", dry=300.0, capacity=900.0, unit="g", from_at=SOWN)
        scale = Source(id="bal", kind="moisture", calibration=[points])
        series = Series("A", "moisture", "bal", SOWN.timestamp() + at_s, pct, np.zeros(len(at_s), bool))
        deeds = [event("watered", d, tray="A", how="below") for d in range(0, 24, 4)]
        b = Batch(id="b", crop="leek", tray="A", cells=12, sown_at=SOWN)
        j = Journal(batches=[b], events=deeds, series=[series], sources=[scale])
        end_s = SOWN.timestamp() + 23.5 * DAY_S
        grid = np.arange(SOWN.timestamp(), end_s, 1800.0)
        held, _ = moisture_record(j, j.batches[0], deeds, grid, end_s)
        self.assertLess(float(held[-1]), 82.0, "the balance alone would say 93")
