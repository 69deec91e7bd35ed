"""Units, response, seed, sowing, moisture, blame and history: each rule against what must be true of it."""

from __future__ import annotations

import unittest
from datetime import UTC, date, datetime, timedelta

import numpy as np
import pint
from hypothesis import given
from hypothesis import strategies as st

from fennet.core import units
from fennet.core.attribution import shapley
from fennet.core.history import counts_of, effective_events, ended_s, occupancies, place_stays
from fennet.core.kinds import PRACTICES
from fennet.core.moisture import advance, survival
from fennet.core.records import Batch, Calibration, Garden, Journal, Lamp, SeedLot, SeedTest
from fennet.core.response import Response
from fennet.core.seed import aged, aged_belief, fresh_seed, seed_state, sown_seed
from fennet.core.sowing import depth_by_school_mm, sowing_effect
from fennet.crops import shipped
from tests.building import SOWN, event, on

CROPS = sorted(c.id for c in shipped())


class Units(unittest.TestCase):
    def test_conversions_agree_with_an_independent_library(self) -> None:
        ureg = pint.UnitRegistry()
        for f in (-40.0, 32.0, 64.4, 212.0):
            self.assertAlmostEqual(float(units.celsius(f, "degF")), ureg.Quantity(f, "degF").to("degC").magnitude, places=6)
            self.assertAlmostEqual(units.fahrenheit(float(units.celsius(f, "degF"))), f, places=6)
        at = np.zeros(1)
        self.assertAlmostEqual(
            float(units.canonical("height", np.array([3.0]), "in", at)[0]), ureg.Quantity(3, "inch").to("mm").magnitude, places=6
        )
        lux = ureg.Quantity(1, "lumen/foot**2").to("lumen/meter**2").magnitude
        self.assertAlmostEqual(units.LUX_PER_FOOT_CANDLE, lux, places=6)

    def test_lux_need_a_spectrum(self) -> None:
        lamp = Lamp(id="l", kind="white_led")
        self.assertAlmostEqual(float(units.ppfd(6700.0, "lux", "l", lamp)), 100.0)
        self.assertAlmostEqual(float(units.ppfd(6.7, "klux", "l", Lamp(id="l", kind="white_led", lux_per_ppfd=33.5))), 200.0)
        self.assertIsNone(units.ppfd(6700.0, "lux", "l", Lamp(id="l", kind="red_blue_led")))
        self.assertIsNone(units.ppfd(6700.0, "lux", None))

    def test_a_later_calibration_holds_from_its_time_and_the_first_reaches_back(self) -> None:
        scale = [
            Calibration(quantity="moisture", dry=400, capacity=800, unit="g", from_at=on(0)),
            Calibration(quantity="moisture", dry=500, capacity=900, unit="g", from_at=on(10)),
        ]
        at_s = np.array([on(d).timestamp() for d in (-5, 5, 15)])
        got = units.moisture_pct(np.array([600.0, 600.0, 600.0]), "g", at_s, scale)
        self.assertEqual(got.tolist(), [50.0, 50.0, 25.0])
        self.assertTrue(np.isnan(units.moisture_pct(np.array([600.0]), "raw", at_s[:1], scale)).all())

    def test_a_unit_of_another_quantity_is_refused_in_words(self) -> None:
        with self.assertRaisesRegex(ValueError, "accepted: degC, degF"):
            units.canonical("soil_temperature", np.array([1.0]), "lux", np.zeros(1))


class ResponseToTemperature(unittest.TestCase):
    @given(st.sampled_from(CROPS), st.floats(-10, 60), st.floats(0, 20))
    def test_warmer_below_the_plateau_is_never_slower(self, crop: str, soil_c: float, warmer_c: float) -> None:
        r = shipped().get(crop).response
        low, high = (float(v) for v in r.rate_per_day(np.array([min(soil_c, r.t_hi_c), min(soil_c + warmer_c, r.t_hi_c)])))
        self.assertGreaterEqual(high, low)

    @given(st.sampled_from(CROPS), st.floats(-30, 80))
    def test_rate_and_share_stay_in_bounds(self, crop: str, soil_c: float) -> None:
        r = shipped().get(crop).response
        self.assertTrue(0 <= float(r.rate_per_day(soil_c)) <= r.r_max_per_day)
        self.assertTrue(0 <= float(r.share(soil_c)) <= 1)

    def test_lettuce_in_heat_comes_fast_but_few_do(self) -> None:
        r = shipped().get("lettuce").response
        self.assertEqual(float(r.share(25.0)), 1.0)
        self.assertEqual(float(r.share(33.0)), 0.0)
        self.assertLess(r.days_to_half(29.0) or 99, 4.5)
        self.assertIsNone(r.days_to_half(34.0))

    def test_nothing_is_expected_beyond_base_and_ceiling(self) -> None:
        r = Response(10, 25, 32, 40, 0.2, 8, 17, 32, 40)
        self.assertIsNone(r.days_to_half(10.0))
        self.assertIsNone(r.days_to_half(40.0))
        self.assertAlmostEqual(r.days_to_half(28.0) or 0, 5.0)


class Seed(unittest.TestCase):
    @given(st.floats(0.05, 0.99), st.floats(0, 15), st.floats(0, 15))
    def test_older_seed_is_never_livelier(self, rate: float, years: float, more: float) -> None:
        self.assertLessEqual(aged(rate, years + more, 3.0), aged(rate, years, 3.0) + 1e-12)

    def test_half_life_takes_95_to_50_percent(self) -> None:
        self.assertAlmostEqual(aged(0.95, 2.0, 2.0), 0.5, places=3)

    def test_cold_dry_storage_keeps_and_warm_damp_kills(self) -> None:
        leek = shipped().get("leek")
        kept = {s: seed_state(leek, SeedLot(id="s", crop="leek", packed=2023, rate=0.9, storage=s), date(2026, 2, 1)).mean
                for s in ("room", "cold_dry", "warm_damp")}  # fmt: skip
        self.assertGreater(kept["cold_dry"], kept["room"] + 0.2)
        self.assertLess(kept["warm_damp"], kept["room"])

    def test_a_test_updates_exactly_and_ages_on(self) -> None:
        crop = shipped().get("tomato")
        test = SeedTest(on=date(2026, 2, 1), sown=20, germinated=10)
        lot = SeedLot(id="s", crop="tomato", packed=2026, rate=0.8, tests=[test])
        at_test = seed_state(crop, lot, date(2026, 2, 1))
        without = seed_state(crop, SeedLot(id="s", crop="tomato", packed=2026, rate=0.8), date(2026, 2, 1))
        self.assertAlmostEqual(at_test.a, without.a + 10, places=6)
        self.assertAlmostEqual(at_test.b, without.b + 10, places=6)
        self.assertLess(seed_state(crop, lot, date(2029, 2, 1)).mean, at_test.mean)
        self.assertEqual(
            seed_state(crop, lot, date(2026, 1, 15)).a,
            seed_state(crop, SeedLot(id="s", crop="tomato", packed=2026, rate=0.8), date(2026, 1, 15)).a,
        )

    def test_a_packet_of_last_year_and_old_lots_are_worth_what_growers_find(self) -> None:
        """Years of use take a lot from 95 to 80 %: one-year-old seed is nearly sound, and old lots are doubtful, not dead."""
        on = date(2026, 2, 15)
        for crop, packed, low, high in (
            ("leek", 2025, 0.72, 0.85), ("tomato", 2025, 0.8, 0.85), ("lettuce", 2025, 0.75, 0.85), ("onion", 2023, 0.4, 0.65),
            ("tomato", 2018, 0.45, 0.65), ("parsnip", 2023, 0.1, 0.4), ("cabbage", 2022, 0.55, 0.72),
        ):  # fmt: skip
            state = seed_state(shipped().get(crop), SeedLot(id="s", crop=crop, packed=packed), on)
            self.assertTrue(low <= state.mean <= high, f"{crop} {packed}: {state.mean:.2f}")

    @given(st.floats(0.2, 0.98), st.floats(0, 9), st.floats(0.5, 6), st.floats(2, 20))
    def test_age_only_takes(self, rate: float, years: float, more: float, half_life_y: float) -> None:
        young = aged_belief(20 * rate, 20 * (1 - rate), years, half_life_y)
        old = aged_belief(20 * rate, 20 * (1 - rate), years + more, half_life_y)
        self.assertLessEqual(old[0] / sum(old), young[0] / sum(young) + 0.02)
        self.assertTrue(min(old) > 0)

    def test_old_seed_is_slow_and_fresh_is_not(self) -> None:
        crop, lot = shipped().get("leek"), SeedLot(id="s", crop="leek", packed=2022)
        self.assertLess(seed_state(crop, lot, SOWN.date()).speed, 0.9)
        batch = Batch(id="b", crop="leek", seed_lot="s", sown_at=SOWN, cells=6)
        journal = Journal(seed_lots=[lot], batches=[batch])
        self.assertEqual(fresh_seed(journal, crop, batch).speed, 1.0)

    def test_a_test_of_the_sowing_morning_counts_by_the_gardens_own_day(self) -> None:
        crop, at = shipped().get("leek"), datetime(2026, 2, 14, 20, tzinfo=UTC)
        lot = SeedLot(id="s", crop="leek", packed=2025, tests=[SeedTest(on=date(2026, 2, 15), sown=20, germinated=4)])
        batch = Batch(id="b", crop="leek", seed_lot="s", sown_at=at, cells=6)
        alive = [
            sown_seed(Journal(garden=Garden(timezone=zone), seed_lots=[lot], batches=[batch]), crop, batch).mean
            for zone in ("Pacific/Auckland", "UTC")
        ]
        self.assertLess(alive[0], 0.65)
        self.assertGreater(alive[1], 0.7, "there it is a day later")


class Sowing(unittest.TestCase):
    def effect(self, crop: str, **fields: object) -> object:
        return sowing_effect(shipped().get(crop), Batch(id="b", crop=crop, sown_at=SOWN, cells=6, **fields))  # type: ignore[arg-type]

    def test_depth_slows_and_far_too_deep_loses(self) -> None:
        self.assertAlmostEqual(self.effect("leek", depth_mm=20).wait, 1.12)
        self.assertEqual(self.effect("leek", depth_mm=20).deep_share, 1.0)
        self.assertLess(self.effect("leek", depth_mm=45).deep_share, 0.6)
        self.assertEqual(self.effect("leek").wait, 1.0)

    def test_a_few_millimetres_bury_dust_and_a_bean_is_not_without_end(self) -> None:
        dust = [self.effect("petunia", depth_mm=mm) for mm in (1, 7)]
        self.assertEqual(dust[0].deep_share * dust[0].light_share, 1.0)
        self.assertLess(dust[1].deep_share * dust[1].light_share, 0.3)
        self.assertEqual(self.effect("bean_snap", depth_mm=60).deep_share, 1.0)
        self.assertLess(self.effect("bean_snap", depth_mm=120).deep_share, 0.6)

    @given(st.sampled_from([c.id for c in shipped()]), st.floats(0, 150), st.floats(0, 30))
    def test_deeper_never_brings_more(self, crop: str, depth_mm: float, more_mm: float) -> None:
        upper, lower = self.effect(crop, depth_mm=depth_mm), self.effect(crop, depth_mm=depth_mm + more_mm)
        for part in ("deep_share", "light_share"):
            self.assertLessEqual(getattr(lower, part), getattr(upper, part))
            self.assertTrue(0.0 < getattr(lower, part) <= 1.0)

    def test_light_is_lost_by_degrees_and_an_open_cover_lets_some_through(self) -> None:
        own_mm = shipped().get("lettuce").depth_mm
        shares = [self.effect("lettuce", depth_mm=mm).light_share for mm in (own_mm, 6, 9, 14)]
        self.assertEqual(shares[0], 1.0, "its own depth is as light as it should be")
        for share, low, high in zip(shares[1:], (0.8, 0.6, 0.35), (0.95, 0.8, 0.55), strict=True):
            self.assertTrue(low <= share <= high, shares)
        self.assertLess(self.effect("petunia", depth_mm=5).light_share, 0.3)
        self.assertGreater(self.effect("lettuce", depth_mm=14, covered_with="vermiculite").light_share, shares[3] + 0.1)

    def test_no_school_buries_what_would_not_come(self) -> None:
        """Dust at six millimetres "always" would ask for seed by the hundred."""
        for crop in shipped():
            for school in PRACTICES["depth"]:
                effect = self.effect(crop.id, depth_mm=depth_by_school_mm(crop, school))
                self.assertGreaterEqual(effect.deep_share * effect.light_share, 0.5, f"{crop.id} {school}")

    def test_light_seed_covered_deep_mostly_waits(self) -> None:
        self.assertGreater(self.effect("lettuce", depth_mm=3).other_share, 0.9)
        self.assertLess(self.effect("lettuce", depth_mm=20).other_share, 0.3)

    def test_the_towel_halves_the_wait(self) -> None:
        self.assertEqual(self.effect("tomato", set_up="towel").wait, 0.5)


class Moisture(unittest.TestCase):
    def test_drying_kills_only_after_the_first_third(self) -> None:
        dry, warm = np.full(96, 15.0), np.full(96, 20.0)
        early = survival(dry, warm, np.full(96, 0.1), 1 / 48)
        late = survival(dry, warm, np.full(96, 0.6), 1 / 48)
        self.assertEqual(early[-1], 1.0)
        self.assertLess(late[-1], 0.65)

    def test_a_soak_and_drain_is_forgiven_and_standing_water_is_not(self) -> None:
        warm = np.full(192, 20.0)
        soak = np.concatenate([np.full(20, 115.0), np.full(172, 90.0)])
        self.assertEqual(survival(soak, warm, np.zeros(192), 1 / 48)[-1], 1.0)
        self.assertLess(survival(np.full(192, 115.0), warm, np.zeros(192), 1 / 48)[-1], 0.8)

    @given(st.floats(0, 130), st.floats(0, 50))
    def test_wetter_never_slows(self, pct: float, more: float) -> None:
        low, high = advance(np.array([pct, pct + more]))
        self.assertLessEqual(low, high)


class Blame(unittest.TestCase):
    @given(st.lists(st.floats(-20, 20), min_size=8, max_size=8))
    def test_shares_add_up_to_the_whole(self, values: list[float]) -> None:
        causes = ("a", "b", "c")
        table = {frozenset(c for i, c in enumerate(causes) if n >> i & 1): v for n, v in enumerate(values)}
        parts = shapley(causes, table.__getitem__)
        self.assertAlmostEqual(sum(parts.values()), table[frozenset(causes)] - table[frozenset()], places=9)

    def test_a_cause_that_does_nothing_gets_nothing(self) -> None:
        parts = shapley(("a", "idle"), lambda s: 4.0 if "a" in s else 1.0)
        self.assertEqual(parts, {"a": 3.0, "idle": 0.0})


class History(unittest.TestCase):
    def batch(self, **fields: object) -> Batch:
        return Batch(id="b1", crop="leek", sown_at=SOWN, tray="A", cell_list=["r1c1", "r1c2"], **fields)  # type: ignore[arg-type]

    def test_withdrawing_a_withdrawal_brings_the_event_back(self) -> None:
        count = event("count", 5, "c", batch="b1", cells_up=1)
        undo = event("withdrawn", 6, "u", target="c")
        redo = event("withdrawn", 7, "r", target="u")
        self.assertEqual(effective_events([count, undo], on(8).timestamp()), [])
        self.assertEqual(effective_events([count, undo, redo], on(8).timestamp()), [count])
        self.assertEqual(effective_events([count, undo, redo], on(5.5).timestamp()), [count], "the undo was not known then")

    def test_the_last_correction_holds(self) -> None:
        count = event("count", 5, "c", batch="b1", cells_up=2)
        fixes = [
            event("corrects", 6 + i, f"x{i}", target="c", event=event("count", 5, "c", batch="b1", cells_up=n))
            for i, n in enumerate((1, 0))
        ]
        self.assertEqual(effective_events([count, *fixes], on(9).timestamp())[0].fields["cells_up"], 0)
        self.assertEqual(effective_events([count, *fixes], on(6.5).timestamp())[0].fields["cells_up"], 1)

    def test_counts_never_fall_nor_pass_what_was_sown(self) -> None:
        got = counts_of(self.batch(), [event("count", d, batch="b1", cells_up=n) for d, n in ((5, 1), (6, 0), (7, 9))])
        self.assertEqual(got.total, (1, 1, 2))

    def test_seedlings_are_counted_against_seeds(self) -> None:
        got = counts_of(self.batch(seeds_per_cell=3), [event("count", 5, batch="b1", seedlings_up=4)])
        self.assertEqual((got.unit, got.of, got.up), ("seedlings", 6, 4))

    def test_cells_are_freed_one_by_one_and_together(self) -> None:
        held = occupancies(self.batch(), [event("lost", 5, batch="b1", cell_list=["r1c1"]), event("gave_up", 9, batch="b1")])
        self.assertEqual([(s.cell, s.to_s) for s in held], [("r1c1", on(5).timestamp()), ("r1c2", on(9).timestamp())])

    def test_a_batch_ends_when_all_of_it_is_lost(self) -> None:
        self.assertIsNone(ended_s(self.batch(), [event("lost", 5, batch="b1", cells=1)]))
        self.assertEqual(
            ended_s(self.batch(), [event("lost", 5, batch="b1", cells=1), event("lost", 7, batch="b1", cells=1)]),
            on(7).timestamp(),
        )

    def test_where_a_tray_stood_last_tuesday(self) -> None:
        stays = place_stays("A", [event("placed", 0, tray="A", place="sill"), event("placed", 4, tray="A", place="shelf")])
        self.assertEqual(
            (stays[0].where, stays[0].from_s, stays[0].to_s), ("sill", SOWN.timestamp(), (SOWN + timedelta(days=4)).timestamp())
        )
        self.assertEqual(stays[1].to_s, float("inf"))
