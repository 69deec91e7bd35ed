"""The forecast: each verdict where it is due, and what must hold of every answer."""

from __future__ import annotations

import dataclasses
import unittest
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.cli.score_house import trays
from fennet.core import emergence as em
from fennet.core.exposure import grid_from
from fennet.core.forecast import forecast, narrower_d
from fennet.core.records import Batch, Event, Journal, Mix, Place, PlaceKind, SeedLot, Series, Tray
from fennet.crops import shipped
from fennet.journal.reader import read_journal
from fennet.simulated_room.season import drawn_room
from tests.building import DAY_S, SOWN, asked, counts, days_after, event, on, record, soil


class Verdicts(unittest.TestCase):
    def test_one_dry_or_dripping_reading_does_not_end_the_wait(self) -> None:
        """Who reads the mix dust-dry waters it: what may still come is not given up for it."""
        b = Batch(id="b", crop="leek", tray="A", cells=12, seeds_per_cell=2, sown_at=SOWN)
        seen = [event("count", 10, "c1", batch="b", cells_up=1), event("count", 12, "c2", batch="b", cells_up=2)]
        for pct in (8.0, 20.0, 60.0, 120.0):
            at_s = np.array([on(d).timestamp() for d in (11, 12)])
            felt = Series("A", "moisture", "feel", at_s, np.array([60.0, pct]), np.zeros(2, bool))
            j = Journal(batches=[b], trays=[Tray(id="A", rows=3, columns=4)], events=seen, series=[soil(10.5, 12, "A"), felt])
            f = forecast(j, shipped().get("leek"), b, on(12.02).timestamp())
            self.assertEqual(f.verdict, "late", pct)
            self.assertGreater(f.chance_of_more or 0.0, 0.9, pct)

    def test_not_yet(self) -> None:
        f = asked(record([soil(18, 3)]), 3)
        self.assertEqual(f.verdict, "not_yet")
        assert f.half_up and f.first_up and f.final_count
        self.assertTrue(4 < days_after(f.half_up.p10) < days_after(f.half_up.p50) < days_after(f.half_up.p90) < 12)
        self.assertLess(f.first_up.p50, f.half_up.p50)

    def test_late_in_cold_soil_yet_as_its_temperatures_lead_one_to_expect(self) -> None:
        f = asked(record([soil(9, 12)]), 12)
        self.assertEqual((f.verdict, f.as_recorded), ("late", "as_expected"))
        self.assertEqual(max(f.delay_days, key=lambda c: f.delay_days[c]), "cold_soil")
        assert f.rest_days_at_target is not None and f.half_up
        self.assertLess(f.rest_days_at_target, days_after(f.half_up.p50))

    def test_late_though_warm_is_not_as_expected(self) -> None:
        f = asked(record([soil(20, 8)], counts((8, 1))), 8)
        self.assertEqual((f.verdict, f.as_recorded), ("late", "behind"))
        self.assertGreater(f.delay_days["unexplained"], 1)

    def test_on_time(self) -> None:
        f = asked(record([soil(18.5, 5.5)], counts((5, 3), (5.5, 6))), 5.5)
        self.assertEqual(f.verdict, "on_time")

    def test_early(self) -> None:
        f = asked(record([soil(22, 3)], counts((2, 4), (3, 11))), 3)
        self.assertEqual(f.verdict, "early")
        self.assertLess(f.delay_total_days or 0, 0)

    def test_finished_when_all_are_up_or_given_up_or_nothing_more_will_come(self) -> None:
        self.assertEqual(asked(record([soil(20, 9)], counts((6, 7), (8, 12))), 9).verdict, "finished")
        self.assertEqual(asked(record([soil(20, 4)], [event("gave_up", 3, batch="b1")]), 4).verdict, "finished")
        spent = asked(record([soil(20, 40)], counts((6, 7), (8, 9))), 40)
        self.assertEqual(spent.verdict, "finished")
        assert spent.chance_of_more is not None
        self.assertLess(spent.chance_of_more, 0.1)

    def test_cannot_tell_without_readings_or_after_three_days_without(self) -> None:
        unread = asked(record([]), 5)
        self.assertEqual((unread.verdict, unread.reason, unread.delay_days), ("cannot_tell", "no_readings", {}))
        self.assertEqual(asked(record([soil(18, 2)]), 4.9).verdict, "not_yet")
        silent = asked(record([soil(18, 2)]), 5.1)
        self.assertEqual((silent.verdict, silent.reason, silent.half_up), ("cannot_tell", "gap", None))
        holed = record([soil(18, 1), soil(18, 6, first_day=4.5)])
        self.assertEqual(asked(holed, 6).verdict, "cannot_tell")
        self.assertEqual(asked(record([], counts((5, 12))), 6).verdict, "finished", "a full tray needs no thermometer")

    def test_what_has_happened_has_no_width(self) -> None:
        f = asked(record([soil(20, 8)], counts((4, 2), (6, 9))), 8)
        assert f.half_up and f.first_up
        self.assertEqual((f.first_up.p10, f.first_up.p90), (on(4).timestamp(), on(4).timestamp()))
        self.assertEqual((f.half_up.p10, f.half_up.p50, f.half_up.p90), (on(6).timestamp(),) * 3)

    def test_nothing_is_promised_from_frozen_soil(self) -> None:
        f = asked(record([soil(-2, 20)], crop="tomato"), 20)
        self.assertIsNone(f.half_up)
        self.assertEqual(f.delay_days, {})


class Reasons(unittest.TestCase):
    def test_each_cause_is_charged_with_its_own_fault(self) -> None:
        lot = SeedLot(id="s", crop="onion", packed=2024, rate=0.9)
        hours = soil(0, 9).at_s
        pct = np.interp(np.arange(len(hours)) / 24, [0, 2, 2.1, 5, 5.1, 9], [70, 60, 28, 28, 70, 65])
        dried = Series("A", "moisture", "m", hours, pct, np.zeros(len(hours), bool))
        cases = {
            "cold_soil": record([soil(11, 9)]),
            "hot_soil": record([soil(34, 9)], crop="pea"),
            "weak_seed": record([soil(18.5, 9)], lot=lot, seed_lot="s"),
            "sown_deep": record([soil(18.5, 9)], depth_mm=35),
            "dry_spell": record([soil(18.5, 9), dried]),
        }
        for cause, journal in cases.items():
            with self.subTest(cause):
                f = asked(journal, 6)
                named = {c: d for c, d in f.delay_days.items() if c != "unexplained"}
                self.assertEqual(max(named, key=lambda c: named[c]), cause)
                self.assertGreater(named[cause], 0.3)

    @settings(max_examples=25, deadline=None)
    @given(st.floats(6, 33), st.integers(0, 12), st.floats(4, 14), st.sampled_from(["onion", "leek", "lettuce", "pepper"]))
    def test_shares_add_up_to_the_delay(self, soil_c: float, up: int, day: float, crop: str) -> None:
        f = asked(record([soil(soil_c, day)], counts((day * 0.8, up)), crop=crop), day)
        if f.half_up is not None and f.days_at_target is not None:
            self.assertAlmostEqual(sum(f.delay_days.values()), days_after(f.half_up.p50) - f.days_at_target, places=6)
        if f.counts.past_half:
            self.assertTrue(f.half_up is None or f.half_up.settled)

    def test_every_number_shows_its_working_with_sources_that_exist(self) -> None:
        from fennet.crops import load_sources

        f = asked(record([soil(12, 8)], counts((7, 1))), 8)
        self.assertLessEqual(
            {"half_up", "final_count", "chance_of_more", "days_at_target", "delay_days", "seed"}, set(f.workings)
        )
        for w in f.workings.values():
            self.assertTrue(w.inputs and w.formula and w.holds, w.name)
            self.assertLessEqual(set(w.sources), set(load_sources()), w.name)


class WhatMustHold(unittest.TestCase):
    @settings(max_examples=20, deadline=None)
    @given(st.floats(8, 22), st.floats(0.2, 3))
    def test_a_warmer_record_is_never_expected_later(self, soil_c: float, warmer_c: float) -> None:
        cool, warm = (asked(record([soil(t, 0.5)]), 0.0 + 0.01) for t in (soil_c, soil_c + warmer_c))
        assert cool.half_up and warm.half_up
        self.assertLessEqual(warm.half_up.p50, cool.half_up.p50 + 1)

    @settings(max_examples=15, deadline=None)
    @given(st.floats(2, 9), st.floats(9, 24), st.integers(1, 12))
    def test_what_comes_later_is_not_seen(self, day: float, soil_c: float, up: int) -> None:
        early = [soil(soil_c, 9)]
        later = [soil(lambda d: np.where(d <= day + 1e-6, soil_c, 30.0), 9)]
        extra = [*counts((9.5, up)), event("gave_up", 9.8, batch="b1")]
        plain = asked(record([s.until(on(day).timestamp()) for s in early]), day)
        seen = asked(record(later, extra), day)
        self.assertEqual((plain.half_up, plain.verdict, plain.delay_days), (seen.half_up, seen.verdict, seen.delay_days))

    def test_the_time_zone_changes_nothing(self) -> None:
        def journal(zone: str) -> dict[str, object]:
            from datetime import timedelta
            from zoneinfo import ZoneInfo

            def text(day: float) -> str:
                return (SOWN + timedelta(days=day)).astimezone(ZoneInfo(zone)).isoformat()

            readings = [
                {"at": text(d / 4), "place": "A", "quantity": "soil_temperature", "value": 14 + d % 3, "unit": "degC"}
                for d in range(28)
            ]
            return {"garden": {"timezone": zone}, "trays": [{"id": "A"}], "readings": readings,
                    "batches": [{"id": "b1", "crop": "onion", "tray": "A", "cells": 12, "sown_at": text(0)}],
                    "events": [{"kind": "count", "at": text(6), "batch": "b1", "cells_up": 2}]}  # fmt: skip

        answers = [asked(read_journal(journal(z)).with_series(), 7) for z in ("UTC", "Asia/Kathmandu", "America/St_Johns")]
        for other in answers[1:]:
            self.assertEqual(
                (other.half_up, other.verdict, other.delay_days), (answers[0].half_up, answers[0].verdict, answers[0].delay_days)
            )

    def test_on_average_over_simulated_records_more_evidence_narrows(self) -> None:
        widths: dict[float, list[float]] = {0.25: [], 0.75: []}
        end = datetime(2026, 3, 20, tzinfo=UTC)
        for seed in range(8):
            truths: dict[str, list[float]] = {}
            read = read_journal(drawn_room(seed, 3, 20, end, truths, 20))
            journal = read.with_series()
            for b in journal.batches:
                come = sorted(t for t in truths[b.id] if t < end.timestamp())
                if len(come) < 4:
                    continue
                for part in widths:
                    at_s = b.sown_at.timestamp() + part * (come[len(come) // 2] - b.sown_at.timestamp())
                    f = dataclasses.replace(journal, batches=[b])
                    from fennet.core.forecast import forecast

                    answer = forecast(f, read.crops.get(b.crop), b, at_s)
                    if answer.half_up:
                        widths[part].append(answer.half_up.p90 - answer.half_up.p10)
        self.assertGreater(len(widths[0.75]), 10)
        self.assertLess(np.median(widths[0.75]), np.median(widths[0.25]))

    def test_ranges_hold_for_most_simulated_outcomes(self) -> None:
        held = []
        end = datetime(2026, 3, 20, 12, tzinfo=UTC)
        from fennet.core.forecast import forecast

        for seed in range(40, 56):
            truths: dict[str, list[float]] = {}
            read = read_journal(drawn_room(seed, 4, 30, end, truths, 30))
            journal = read.with_series()
            for b in journal.batches:
                come = sorted(t for t in truths[b.id] if np.isfinite(t))
                if len(come) >= 2:
                    half_s = come[-(-len(come) // 2) - 1]
                    at_s = min(end.timestamp(), b.sown_at.timestamp() + 0.6 * (half_s - b.sown_at.timestamp()))
                    f = forecast(journal, read.crops.get(b.crop), b, at_s)
                    if f.half_up and half_s > at_s:
                        held.append(f.half_up.p10 <= half_s <= f.half_up.p90)
        self.assertGreater(len(held), 40)
        self.assertTrue(0.62 < np.mean(held) < 0.97, f"{np.mean(held):.2f} of {len(held)}")

    @settings(max_examples=20, deadline=None)
    @given(st.lists(st.floats(0.05, 3.0), min_size=2, max_size=6), st.floats(0.1, 0.95))
    def test_the_chance_of_more_falls_while_none_come(self, steps: list[float], g: float) -> None:
        n = 40
        belief = em.Belief(np.linspace(0.6, 1.4, n), np.full(n, g), np.full(n, 0.25), np.full(n, 1 / n))
        more = em.MoreToCome(belief, 0.5, 50.0, 2, 6)
        falling = [more.after(float(d)) for d in 0.5 + np.cumsum([0.0, *steps])]
        self.assertEqual(falling, sorted(falling, reverse=True))
        self.assertTrue(all(0 <= c <= 1 for c in falling))

    def test_progress_reads_the_same_both_ways(self) -> None:
        grid = grid_from(SOWN.timestamp(), SOWN.timestamp() + 5 * DAY_S)
        c = em.progress(
            shipped().get("onion").response, grid, np.full(len(grid), 15.0), np.full(len(grid), np.nan), np.full(48, 15.0)
        )
        for d in (0.1, 0.5, 1.0, 3.0, 9.0):
            self.assertAlmostEqual(float(c.at(float(c.when(np.asarray(d))))), d, places=6)


class WhichReadings(unittest.TestCase):
    def test_own_then_tray_then_place_then_room_and_soil_before_air(self) -> None:
        from fennet.core.records import Place, Room

        placed = event("placed", -1, tray="A", place="shelf")
        levels = [soil(20, 6, "b1"), soil(16, 6, "A"), soil(12, 6, "shelf"), soil(8, 6, "landing")]
        for i, level in enumerate(("batch", "tray", "place", "room")):
            journal = dataclasses.replace(
                record(levels[i:], [placed]), places=[Place(id="shelf", room="landing")], rooms=[Room(id="landing")]
            )
            f = asked(journal, 6)
            self.assertEqual((f.soil.level, round(f.soil.mean_c)), (level, (20, 16, 12, 8)[i]))
        air = record([soil(25, 6, "A", quantity="air_temperature"), soil(12, 6, "shelf")], [placed])
        self.assertEqual(asked(air, 6).soil.basis, "soil", "soil at the place outranks air at the tray")

    def test_a_tray_that_moved_takes_each_places_readings_in_turn(self) -> None:
        moves = [event("placed", -1, tray="A", place="cold"), event("placed", 3, tray="A", place="warm")]
        f = asked(record([soil(8, 6, "cold"), soil(22, 6, "warm")], moves), 6)
        self.assertAlmostEqual(float(f.soil.soil_c[24]), 8, places=1)
        self.assertAlmostEqual(float(f.soil.soil_c[-1]), 22, places=1)

    def test_air_takes_the_mats_lift_and_says_it_is_estimated(self) -> None:
        air = soil(15, 6, "A", quantity="air_temperature")
        bare = asked(record([air]), 6)
        heated = asked(record([air], [event("mat", 0, mat="m", tray="A", on=True, setpoint_c=21.0)]), 6)
        self.assertTrue(bare.estimated and bare.soil.basis == "air")
        self.assertAlmostEqual(heated.soil.mean_c, 21, places=1)

    def test_a_guess_stands_for_a_fortnight_and_gives_way_to_a_reading(self) -> None:
        guess = Series("A", "soil_temperature", "by-hand", np.array([on(1).timestamp()]), np.array([16.0]), np.array([True]))
        f = asked(record([guess]), 8)
        self.assertEqual((f.soil.basis, f.estimated, round(f.soil.mean_c)), ("guess", True, 16))
        measured = asked(record([guess, soil(10, 8)]), 8)
        self.assertEqual((measured.soil.basis, round(measured.soil.mean_c)), ("soil", 10))
        assert f.half_up and measured.half_up

    def test_a_gap_takes_the_daily_pattern_and_widens(self) -> None:
        wave = soil(lambda d: 18 + 4 * np.sin(2 * np.pi * d), 8)
        there = (wave.at_s < on(5).timestamp()) | (wave.at_s > on(6.5).timestamp())
        gap = dataclasses.replace(wave, at_s=wave.at_s[there], value=wave.value[there], estimated=wave.estimated[there])
        whole, holed = asked(record([wave]), 8), asked(record([gap]), 8)
        inside = slice(int(5.1 * 48), int(6.4 * 48))
        self.assertLess(np.abs(holed.soil.soil_c[inside] - whole.soil.soil_c[inside]).max(), 1.0)
        self.assertGreater(holed.soil.sd_c[inside].min(), whole.soil.sd_c[inside].max())

    def test_mix_and_lot_that_are_not_there_do_not_matter(self) -> None:
        self.assertEqual(asked(record([soil(18, 3)], seed_lot="nowhere", mix=Mix(kind="coir")), 3).verdict, "not_yet")


class FromTheTowel(unittest.TestCase):
    def test_rooted_seed_has_half_its_wait_behind_it_and_lives(self) -> None:
        journal = record([soil(20.0, 4.0)], crop="leek", cells=12, seeds_per_cell=1)
        straight = asked(journal, 2.0)
        towel = Batch(id="t", crop="leek", seeds=20, set_up="towel", sown_at=on(-6.0))
        moved = dataclasses.replace(journal.batches[0], from_batch="t")
        from_towel = asked(dataclasses.replace(journal, batches=[moved, towel]), 2.0)
        assert straight.half_up and from_towel.half_up and straight.final_count and from_towel.final_count
        waits = [(f.half_up.p50 - SOWN.timestamp()) for f in (straight, from_towel) if f.half_up]
        self.assertAlmostEqual(waits[1] / waits[0], 0.5, delta=0.08)
        self.assertGreater(from_towel.final_count.p50, straight.final_count.p50)


class WithoutAThermometer(unittest.TestCase):
    def test_a_house_tells_dates_and_each_further_measure_narrows_them(self) -> None:
        def width_d(*series: Series) -> float:
            f = asked(record(series), 3)
            assert f.half_up is not None
            return (f.half_up.p90 - f.half_up.p10) / 86_400

        nothing, guessed, read = width_d(), width_d(soil(18.3, 3, estimated=True)), width_d(soil(18.3, 3))
        self.assertGreater(nothing, read)
        self.assertGreater(guessed, read)
        told = narrower_d(record([]), shipped().get("onion"), record([]).batches[0], on(3).timestamp())
        assert told is not None
        self.assertAlmostEqual(told[0], nothing)
        self.assertLess(told[1], nothing)
        self.assertIsNone(narrower_d(record([soil(18, 3)]), shipped().get("onion"), record([]).batches[0], on(3).timestamp()))

    def test_a_mat_nobody_measured_brings_it_sooner_and_a_sill_later(self) -> None:
        def half_d(kind: PlaceKind, *more: Event) -> float:
            j = record([], [event("placed", -0.1, tray="A", place="p"), *more], crop="tomato")
            f = asked(replace(j, places=[Place(id="p", kind=kind)], trays=[Tray(id="A")]), 2)
            assert f.half_up is not None
            return days_after(f.half_up.p50)

        mat = event("mat", -0.1, "m", tray="A", mat="mat-1", on=True)
        self.assertTrue(half_d("shelf", mat) < half_d("shelf") < half_d("sill") < half_d("porch"))

    def test_simulated_house_trays_come_in_the_window_and_are_hardly_given_up_too_soon(self) -> None:
        found = trays(range(300, 306))
        held = [t.held for t in found if t.held is not None]
        self.assertGreaterEqual(sum(held) / len(held), 0.7)
        self.assertLessEqual(sum(t.given_up_wrongly for t in found) / len(found), 0.05)
