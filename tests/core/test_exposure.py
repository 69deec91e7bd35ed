"""What a batch was exposed to, and what follows on the chart: moisture between waterings, mats, courses, futures."""

from __future__ import annotations

import dataclasses
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core import emergence as em
from fennet.core.exposure import SoilRecord, grid_from, lain_open, moisture_record, readings_for, soil_record
from fennet.core.heat_mat import LIFT_BARE_C, LIFT_COVERED_C, soil_from_air
from fennet.core.records import Batch, Event, Journal, Series, is_logger
from fennet.core.seed import seed_state
from fennet.crops import shipped
from tests.building import DAY_S, SOWN, asked, counts, event, on, record, soil


def wet(*points: tuple[float, float]) -> Series:
    days, values = zip(*points, strict=True)
    at_s = np.array([on(d).timestamp() for d in days])
    return Series("A", "moisture", "probe", at_s, np.array(values, dtype=float), np.zeros(len(at_s), bool))


def moisture(journal: Journal, days: float) -> np.ndarray:
    grid = grid_from(SOWN.timestamp(), on(days).timestamp())
    return moisture_record(journal, journal.batches[0], journal.events, grid, on(days).timestamp())[0]


class Moisture(unittest.TestCase):
    def test_a_line_between_readings_and_silence_counts_as_unknown(self) -> None:
        got = moisture(record([wet((0, 80), (2, 60))]), 8)
        self.assertAlmostEqual(float(got[48]), 70.0)
        self.assertTrue(np.isnan(got[int(5.5 * 48)]))
        self.assertFalse(np.isnan(got[int(4.5 * 48)]), "the last figure stands for three days")
        self.assertTrue(np.isnan(moisture(record([]), 2)).all())

    def test_a_watering_lifts_it_there_and_then_and_a_mist_a_little(self) -> None:
        dry = wet((0, 60), (2, 40))
        soaked = moisture(record([dry], [event("watered", 2.5, tray="A", how="below")]), 4)
        misted = moisture(record([dry], [event("watered", 2.5, tray="A", how="mist")]), 4)
        self.assertEqual((round(float(soaked[119])), round(float(soaked[121]))), (40, 95))
        self.assertLess(float(soaked[-1]), 80, "it dries on")
        self.assertEqual(round(float(misted[121])), 50)

    def test_a_tray_weighed_dripping_is_no_standing_water(self) -> None:
        read = Series(
            "A",
            "moisture",
            "scale",
            np.array([on(1.05).timestamp(), on(3).timestamp()]),
            np.array([128.0, 75.0]),
            np.zeros(2, bool),
        )
        water = [event("watered", 1.0, tray="A", how="below")]
        self.assertLessEqual(float(np.nanmax(moisture(record([read], water), 4))), 100.0)
        self.assertGreater(float(np.nanmax(moisture(record([read], []), 4))), 120.0, "without a watering it stood in water")

    def test_another_trays_watering_is_none_of_its_business(self) -> None:
        got = moisture(record([wet((0, 60), (2, 40))], [event("watered", 2.5, tray="B", how="below")]), 4)
        self.assertLess(float(got[-1]), 40)
        covered = moisture(record([wet((0, 60), (2, 40))], [event("cover", 1, tray="A", on=True)]), 4)
        self.assertGreater(float(covered[-1]), float(got[-1]), "a cover keeps it moist")


class Mats(unittest.TestCase):
    def lifted(self, *events: object) -> np.ndarray:
        grid = grid_from(SOWN.timestamp(), on(4).timestamp())
        return soil_from_air(np.full(len(grid), 15.0), grid, "A", list(events))  # type: ignore[arg-type]

    def test_on_and_off_covered_and_bare(self) -> None:
        on_mat = event("mat", 1, mat="m", tray="A", on=True)
        got = self.lifted(on_mat, event("cover", 2, tray="A", on=True), event("mat", 3, mat="m", tray="A", on=False))
        self.assertEqual([float(got[int(d * 48)]) for d in (0.5, 1.5, 2.5, 3.5)], [15, 15 + LIFT_BARE_C, 15 + LIFT_COVERED_C, 15])

    def test_a_setpoint_is_reached_but_never_passed_and_the_last_one_holds(self) -> None:
        got = self.lifted(event("mat", 0, mat="m", tray="A", on=True, setpoint_c=20.0), event("mat", 2, mat="m", setpoint_c=40.0))
        self.assertEqual([float(got[int(d * 48)]) for d in (1, 3)], [20.0, 15 + LIFT_BARE_C])

    def test_a_mat_under_another_tray_warms_that_one(self) -> None:
        self.assertEqual(float(self.lifted(event("mat", 0, mat="m", tray="B", on=True))[-1]), 15.0)


class Sources(unittest.TestCase):
    def test_two_probes_in_one_tray_are_averaged(self) -> None:
        left = soil(16, 5)
        right = dataclasses.replace(soil(20, 5), source="other")
        self.assertAlmostEqual(asked(record([left, right]), 5).soil.mean_c, 18.0, places=6)

    def test_a_batch_that_moved_trays_takes_its_history_along(self) -> None:
        journal = record([soil(10, 6, "A"), soil(20, 6, "B")], [event("potted_up", 3, batch="b1", tray="B")])
        level, found = readings_for(journal, journal.batches[0], journal.events, "soil_temperature", on(6).timestamp())
        self.assertEqual((level, [s.place for s in found]), ("tray", ["A", "B"]))
        self.assertLessEqual(float(found[0].at_s[-1]), on(3).timestamp())

    @settings(max_examples=25, deadline=None)
    @given(st.floats(0.1, 20), st.floats(0.2, 30))
    def test_the_grid_starts_at_sowing_and_never_passes_now(self, days: float, more: float) -> None:
        grid = grid_from(SOWN.timestamp(), SOWN.timestamp() + days * DAY_S)
        self.assertEqual(grid[0], SOWN.timestamp())
        self.assertTrue((np.diff(grid) == 1800).all())
        if days > 0.05:
            self.assertLessEqual(grid[-1], SOWN.timestamp() + days * DAY_S)


class Beliefs(unittest.TestCase):
    """The belief against what is known of it exactly."""

    def belief(self, up: int, of: int, d: float, n_seeds: int = 1) -> em.Belief:
        from fennet.core.history import Counts

        state = seed_state(shipped().get("onion"), None, SOWN.date())
        seen = Counts("cells", of, (SOWN.timestamp(),), (up,))
        return em.prior_and_posterior(state, 1.0, 0.2, 0.2, n_seeds, seen, np.array([d, d]))

    def test_weights_are_a_distribution(self) -> None:
        for up in (0, 3, 12):
            b = self.belief(up, 12, 1.2)
            self.assertAlmostEqual(float(b.weight.sum()), 1.0, places=9)
            self.assertTrue((b.g > 0).all() and (b.g < 1).all() and (b.k > 0).all())

    def test_when_all_waits_are_over_the_share_is_what_came(self) -> None:
        # Far past every wait the count is plain binomial: Beta(17 + x, 3 + n − x) but for the odd failed sowing.
        b = self.belief(60, 100, 50.0)
        self.assertAlmostEqual(b.mean(b.g), (17 + 60) / 120, delta=0.02)

    def test_fewer_up_means_slower_or_weaker_and_more_up_quicker(self) -> None:
        few, many = self.belief(1, 12, 1.0), self.belief(10, 12, 1.0)
        self.assertLess(few.mean(few.k), many.mean(many.k))
        self.assertLess(few.mean(few.g), many.mean(many.g))

    def test_the_same_question_has_the_same_answer(self) -> None:
        one, two = (asked(record([soil(14, 8)], counts((7, 2))), 8, curves=True) for _ in range(2))
        self.assertEqual((one.half_up, one.delay_days, one.call_it_s), (two.half_up, two.delay_days, two.call_it_s))
        assert one.expected and two.expected
        np.testing.assert_array_equal(one.expected.p50, two.expected.p50)

    def test_the_courses_on_the_chart_rise_within_their_fan(self) -> None:
        f = asked(record([soil(14, 8)], counts((7, 2))), 8, curves=True)
        for curve in (f.expected, f.at_target):
            assert curve is not None
            self.assertTrue((np.diff(curve.p50) >= -1e-9).all())
            self.assertTrue((curve.p10 <= curve.p50 + 1e-9).all() and (curve.p50 <= curve.p90 + 1e-9).all())
            self.assertLessEqual(float(curve.p90.max()), 12)

    def test_more_seeds_in_a_cell_show_it_sooner_and_surer(self) -> None:
        one = em.cell_cdf(np.array([0.8, 1.0, 5.0]), np.array(1.0), np.array(0.7), np.array(0.2), 1)
        three = em.cell_cdf(np.array([0.8, 1.0, 5.0]), np.array(1.0), np.array(0.7), np.array(0.2), 3)
        self.assertTrue((three > one).all())
        self.assertAlmostEqual(float(three[-1]), 1 - 0.3**3, places=6)

    def test_a_batch_is_its_cells_or_its_seeds(self) -> None:
        towel = Batch(id="t", crop="onion", sown_at=SOWN, seeds=20, set_up="towel")
        self.assertEqual((towel.n_cells, towel.n_seeds_per_cell), (20, 1))
        listed = Batch(id="c", crop="onion", sown_at=SOWN, cell_list=["r1c1", "r1c2"], seeds_per_cell=3)
        self.assertEqual((listed.n_cells, listed.n_seeds_per_cell), (2, 3))


class LainOpen(unittest.TestCase):
    def test_two_days_in_the_open_are_left_out_of_the_record(self) -> None:
        lay = soil(lambda day: np.where((day > 2) & (day < 4), 16.0, 26.0), 6.0, every_h=0.5)
        journal = record([lay], crop="tomato")
        found = soil_record(journal, journal.batches[0], [], on(6).timestamp())
        self.assertAlmostEqual(found.open_d, 2.0, delta=0.1)
        self.assertGreater(found.mean_c, 25.5)

    def test_a_mat_that_cools_or_readings_by_hand_are_believed(self) -> None:
        cooling = soil(lambda day: 16.0 + 10.0 * np.exp(-np.maximum(day - 2, 0) * 24 / 2.5), 6.0, every_h=0.5)
        by_hand = soil(lambda day: np.where((day > 2) & (day < 4), 16.0, 26.0), 6.0, every_h=10)
        for series in (cooling, by_hand):
            journal = record([series], crop="tomato")
            self.assertEqual(soil_record(journal, journal.batches[0], [], on(6).timestamp()).open_d, 0.0)


class HourByHour(unittest.TestCase):
    def lived(self, series: list[Series], events: list[Event], days: float = 10.0) -> SoilRecord:
        j = record(series, events)
        return soil_record(j, j.batches[0], j.events, on(days).timestamp())

    def test_one_lone_reading_hides_no_logger(self) -> None:
        air = soil(16.0, 10, "A", quantity="air_temperature")
        lone = soil(24.0, 2.01, "A", first_day=2.0)
        got = self.lived([air, lone], [])
        self.assertEqual(got.gap_reason, "", "the air speaks for all the hours that nobody read the soil")
        self.assertAlmostEqual(got.mean_c, 16.0, delta=1.0)
        near, far = soil(24.0, 2.01, "b1", first_day=2.0), soil(16.0, 10, "A")
        self.assertAlmostEqual(self.lived([near, far], []).mean_c, 16.0, delta=1.2)

    def test_soil_where_it_was_read_and_air_where_it_was_not(self) -> None:
        got = self.lived([soil(22.0, 4), soil(15.0, 10, "A", quantity="air_temperature")], [])
        day = (got.grid_s - SOWN.timestamp()) / DAY_S
        self.assertAlmostEqual(float(got.soil_c[day < 3.5].mean()), 22.0, delta=0.3)
        self.assertAlmostEqual(float(got.soil_c[day > 5.0].mean()), 15.0, delta=0.5)
        self.assertGreater(float(got.sd_c[day > 5.0].mean()), float(got.sd_c[day < 3.5].mean()))

    def test_a_mat_that_is_switched_off_or_on_a_timer_warms_no_more_than_that(self) -> None:
        air = soil(15.0, 10, "A", quantity="air_temperature")
        laid = event("mat", 0, "m1", mat="m", tray="A", on=True, setpoint_c=23.0)
        off = event("mat", 4, "m2", mat="m", on=False)
        timer = event("mat", 0.01, "m3", mat="m", periods=[["06:00", "18:00"]])
        always, thrown, timed = (self.lived([air], [laid, *more]) for more in ([], [off], [timer]))
        day = (always.grid_s - SOWN.timestamp()) / DAY_S
        self.assertAlmostEqual(always.mean_c, 23.0, delta=0.3)
        self.assertAlmostEqual(float(thrown.soil_c[day > 5].mean()), 15.0, delta=0.3)
        self.assertAlmostEqual(timed.mean_c, 19.0, delta=0.8)
        self.assertGreater(float(np.ptp(timed.soil_c[day > 1])), 5.0)

    def test_a_probe_out_of_the_mix_is_seen_by_the_hour_and_from_the_start(self) -> None:
        def day(d: np.ndarray) -> np.ndarray:
            return np.where((d > 3) & (d < 4), 16.0, 25.0)

        hourly = soil(day, 8, every_h=1.0)
        self.assertAlmostEqual(float(lain_open(hourly).sum()), 23, delta=2)
        bench = soil(lambda d: np.where(d < 0.4, 17.0, 25.0), 8, every_h=0.5)
        self.assertEqual(int(lain_open(bench).sum()), int((bench.at_s < SOWN.timestamp() + 0.4 * DAY_S).sum()))
        self.assertFalse(lain_open(soil(lambda d: 18 + 6 * np.sin(2 * np.pi * d), 8, every_h=1.0)).any(), "a swing is no jump")

    def test_a_handful_of_readings_is_no_logger(self) -> None:
        afternoon = soil(20.0, 0.5, every_h=0.02)
        steps_s = np.tile([60.0, 5400.0, 300.0, 9000.0], 7)[: len(afternoon.at_s)]
        irregular = dataclasses.replace(afternoon, at_s=SOWN.timestamp() + np.cumsum(steps_s))
        self.assertFalse(is_logger(irregular))
        self.assertTrue(is_logger(soil(20.0, 1, every_h=0.5)))
        self.assertFalse(is_logger(soil(20.0, 1, every_h=0.5), {"probe": "person"}))
