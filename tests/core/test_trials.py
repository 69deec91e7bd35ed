"""Trials: what is not there is seldom claimed, what was planned to show shows as often as was said, what spoils one is told."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import timedelta
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.core.records import Batch, Event, Journal, Tray
from fennet.core.trials.layout import cell_plan
from fennet.core.trials.power import POWER, cells_needed
from fennet.core.trials.ranks import LEVEL, Block, chance_by_lot, quick_chance
from fennet.core.trials.result import Result, result_of
from fennet.core.trials.trial import Trial, TrialGroup
from fennet.crops import shipped
from tests.building import event, on, soil

CROPS = {"leek": shipped().get("leek")}


def drawn(rng: np.random.Generator, n: int, later_d: float, usual_d: float = 9.0, spread: float = 0.22) -> Block:
    """One tray of two groups whose cells are looked at daily."""
    second = np.arange(2 * n) >= n
    days = np.where(second, usual_d + later_d, usual_d) * np.exp(rng.normal(0, spread, 2 * n))
    return Block(np.ceil(days), second)


class ByLot(unittest.TestCase):
    def test_a_difference_that_is_not_there_is_claimed_in_one_of_twenty_at_most(self) -> None:
        rng = np.random.default_rng(11)
        claimed = sum(chance_by_lot([drawn(rng, 12, 0.0)], 400) <= LEVEL for _ in range(400))
        # Twenty of four hundred, and what luck adds to that.
        self.assertLessEqual(claimed, 29)

    def test_the_size_that_was_asked_is_found_as_often_as_was_said_by_the_test_that_is_used(self) -> None:
        needed = cells_needed("emergence", 2.0, 9.0, 0.22, 1.0)
        assert needed.cells is not None
        rng = np.random.default_rng(12)
        found = np.mean([chance_by_lot([drawn(rng, needed.cells, 2.0)], 400) <= LEVEL for _ in range(400)])
        self.assertAlmostEqual(float(found), needed.power, delta=0.05)
        self.assertGreaterEqual(needed.power, POWER)

    def test_the_quick_chance_agrees_with_drawing_the_lot(self) -> None:
        rng = np.random.default_rng(13)
        for _ in range(20):
            b = drawn(rng, 15, float(rng.uniform(0, 3)))
            self.assertAlmostEqual(float(quick_chance(b.value[None, :], b.second)[0]), chance_by_lot([b]), delta=0.02)

    def test_a_tray_that_is_warmer_as_a_whole_makes_no_difference(self) -> None:
        rng = np.random.default_rng(14)
        warm, cold = drawn(rng, 12, 0.0), drawn(rng, 12, 0.0)
        shifted = Block(cold.value + 20.0, cold.second)
        self.assertAlmostEqual(chance_by_lot([warm, cold]), chance_by_lot([warm, shifted]), delta=0.02)

    def test_more_is_needed_for_less(self) -> None:
        sizes = [cells_needed("came", see, 9.0, 0.2, 0.85).cells for see in (0.5, 0.3, 0.2)]
        self.assertEqual(sizes, sorted(sizes, key=lambda n: n or 10**9))
        with self.assertRaises(ValueError):
            cells_needed("came", 0.95, 9.0, 0.2, 0.5)


class Plan(unittest.TestCase):
    @given(st.integers(2, 12), st.integers(2, 12), st.integers(2, 6), st.text(max_size=12))
    def test_each_group_has_as_many_cells_and_each_run_holds_every_group(
        self, rows: int, columns: int, k: int, name: str
    ) -> None:
        cells = [f"r{r}c{c}" for r in range(1, rows + 1) for c in range(1, columns + 1)]
        if len(cells) < k:
            return
        plan = cell_plan(cells, k, name)
        self.assertEqual(plan, cell_plan(cells, k, name))
        counts = np.bincount(list(plan.values()), minlength=k)
        self.assertEqual((counts.min(), counts.max()), (len(cells) // k, len(cells) // k))
        for i in range(0, len(plan), k):
            self.assertEqual({plan[c] for c in cells[i : i + k]}, set(range(k)))

    def test_another_trial_has_another_plan(self) -> None:
        cells = [f"r1c{c}" for c in range(1, 25)]
        self.assertEqual(len({tuple(cell_plan(cells, 2, str(n)).values()) for n in range(8)}), 8)


def half(id: str, tray: str = "A", later_d: float = 0.0, **more: Any) -> tuple[Batch, list[Event]]:
    """A batch of twelve cells that come up one by one about a day, counted daily, with the days of a settled one."""
    b = Batch(id=id, crop="leek", variety=more.pop("variety", id), sown_at=on(0), cells=12, tray=tray, **more)
    come = [8.0 + later_d + 0.45 * i for i in range(12)]
    days = range(1, 30)
    ups = [(d, sum(c <= d for c in come)) for d in days]
    fresh = [(d, n) for (d, n), (_, m) in zip(ups[1:], ups[:-1], strict=True) if n > m]
    return b, [event("count", d, f"{id}-{d}", batch=id, cells_up=n) for d, n in fresh]


def asked(*batches: Batch, **more: Any) -> Trial:
    groups = [TrialGroup(name=b.id, batches=[b.id]) for b in batches]
    return Trial(id="t", name="which", crop="leek", differs="variety", groups=groups, made_at=on(-1), see=2.0, **more)


def result(trial: Trial, batches: list[Batch], events: list[Event], day: float = 60) -> Result:
    trays = [Tray(id=t, rows=4, columns=6) for t in sorted({b.tray or "" for b in batches})]
    series = [soil(18.0, 60, place=t.id) for t in trays]
    j = Journal(batches=batches, trays=trays, series=series, events=sorted(events, key=lambda e: e.at))
    return result_of(trial, j, CROPS, j.events, on(day).timestamp())


class Answers(unittest.TestCase):
    def test_it_answers_what_was_asked_with_a_range_that_holds_it(self) -> None:
        (a, ups), (b, later) = half("a"), half("b", later_d=5.0)
        r = result(asked(a, b), [a, b], [*ups, *later])
        (answer,) = r.answers
        self.assertEqual((r.state, answer.shown, r.spoiled), ("answered", True, ()))
        self.assertTrue(answer.range.p10 <= answer.difference <= answer.range.p90)
        self.assertGreater(answer.difference, 3.0)
        same = result(asked(a, b), [a, b], [*ups, *half("b")[1]])
        self.assertFalse(same.answers[0].shown)

    def test_groups_in_trays_of_their_own_cannot_be_told_from_their_trays(self) -> None:
        (a, ups), (b, later) = half("a"), half("b", tray="B", later_d=5.0)
        r = result(asked(a, b), [a, b], [*ups, *later])
        self.assertEqual((r.state, r.spoiled), ("cannot_tell", (("not_beside", ""),)))

    def test_what_spoils_it_is_told(self) -> None:
        (a, ups), (b, later) = half("a"), half("b", later_d=5.0)
        quit_early = [*ups, *later[:2], event("gave_up", 15, "g", batch="b")]
        cases = {
            ("given_up", "b"): (asked(a, b), [a, b], quit_early),
            ("different_days", ""): (asked(a, b), [a, replace(b, sown_at=on(4))], [*ups, *later]),
            ("also_depth", ""): (asked(a, b), [a, replace(b, depth_mm=20.0)], [*ups, *later]),
            ("asked_afterwards", ""): (replace(asked(a, b), made_at=on(9)), [a, b], [*ups, *later]),
            ("too_few", "a"): (asked(a, b, cells=24), [a, b], [*ups, *later]),
            ("not_counted", "b"): (asked(a, b), [a, b], ups),
        }  # fmt: skip
        for key, (trial, batches, events) in cases.items():
            with self.subTest(key):
                self.assertIn(key, result(trial, batches, events).spoiled)

    def test_without_a_thermometer_it_answers_as_well_since_the_tray_is_one(self) -> None:
        (a, ups), (b, later) = half("a"), half("b", later_d=5.0)
        events = sorted([*ups, *later], key=lambda e: e.at)
        j = Journal(batches=[a, b], trays=[Tray(id="A", rows=4, columns=6)], events=events)
        r = result_of(asked(a, b), j, CROPS, events, on(60).timestamp())
        self.assertEqual((r.state, r.answers[0].shown, r.spoiled), ("answered", True, ()))
        self.assertAlmostEqual(r.answers[0].difference, 5.0, delta=0.6)

    def test_it_waits_while_more_may_come_and_says_what_is_not_sown(self) -> None:
        (a, ups), (b, later) = half("a"), half("b", later_d=5.0)
        early = [e for e in (*ups, *later) if e.at <= on(0) + timedelta(days=10)]
        self.assertEqual(result(asked(a, b), [a, b], early, day=10).state, "waiting")
        r = result(asked(a, b), [a], ups)
        self.assertEqual((r.state, ("not_sown", "b") in r.spoiled), ("waiting", True))

    def test_one_plant_against_one_claims_nothing(self) -> None:
        one, other = (Batch(id=i, crop="leek", sown_at=on(0), cells=1, tray="A") for i in "ab")
        events = [event("count", 9, "x", batch="a", cells_up=1), event("count", 19, "y", batch="b", cells_up=1)]
        r = result(asked(one, other), [one, other], events)
        self.assertFalse(any(x.shown for x in r.answers))

    def test_taste_of_a_few_is_a_rank_and_no_claim(self) -> None:
        (a, ups), (b, later) = half("a"), half("b")
        out = [event("planted", 40, f"p{i}", batch=i, count=10) for i in "ab"]
        marks = [event("taste", 90, "ta", batch="a", mark=5), event("taste", 90, "tb", batch="b", mark=2)]
        r = result(asked(a, b, measure="taste"), [a, b], [*ups, *later, *out, *marks], day=100)
        self.assertEqual((r.state, r.answers, [s.middle for s in r.sides]), ("answered", (), [5.0, 2.0]))
