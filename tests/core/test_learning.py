"""Learning: what is drawn together agrees with the sum done the long way, small numbers move little, odd seasons less, and no
lesson rests on itself."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.answering.answers import Answers
from fennet.core.bearing import record_at
from fennet.core.crop import LEARNED_HERE
from fennet.core.forecast import forecast
from fennet.core.learning.garden import ALIVE, ALIVE_BATCH, PACE, PACE_BATCH, as_here, learned, survives
from fennet.core.learning.lessons import Lesson, Told, lesson, lesson_s
from fennet.core.learning.overview import lines
from fennet.core.learning.pooling import Found, Sort, pool
from fennet.core.learning.survival import family, outcome
from fennet.core.records import Batch, Event, Journal, Series, Tray
from fennet.core.seed import OFF_LABEL_SD
from fennet.crops import shipped
from fennet.journal.reader import read_journal
from fennet.simulated_room.years import house_of_years
from tests.building import event, on

DAY_S = 86_400.0
LEEK = shipped().get("leek")
SORTS = [Sort("garden", 0.1), Sort("variety", 0.2), Sort("season", 0.08, odd=True)]
ONE = Sort("batch", 0.1)


def found(value: float, variety: str = "a", season: str = "1", var: float = 0.01) -> Found:
    return Found(value, var, {"garden": "", "variety": variety, "season": season}, {})


def taught(batch: str, off: float, variety: str = "a", year: int = 2024, var: float = 0.01) -> Lesson:
    told = Told(off, var)
    return Lesson(batch, "leek", variety, "", year, year * 1e7, "soil", 0.05, told, Told(0.0, 0.05), Told(0.0, 0.1))


class DrawnTogether(unittest.TestCase):
    def test_it_agrees_with_the_sum_done_by_drawing(self) -> None:
        """Gardens drawn by the spreads: of those whose findings come out near some given ones, the next lies as told."""
        rng = np.random.default_rng(5)
        n = 400_000
        garden, season = rng.normal(0, 0.1, n), rng.normal(0, 0.08, (n, 2))
        variety = rng.normal(0, 0.2, (n, 2))
        # Two of variety a in one season, one of b in the next; the next to come is another a in a third.
        seen = np.stack([garden + variety[:, 0] + season[:, 0], garden + variety[:, 0] + season[:, 0],
                         garden + variety[:, 1] + season[:, 1]], axis=1) + rng.normal(0, 0.1414, (n, 3))  # fmt: skip
        given_to = np.array([0.25, 0.15, -0.1])
        weight = np.exp(-0.5 * (((seen - given_to) / 0.03) ** 2).sum(axis=1))
        middle = float((weight * (garden + variety[:, 0])).sum() / weight.sum())
        usual = [replace(s, odd=False) for s in SORTS]
        told = pool(usual, ONE, [found(0.25), found(0.15), found(-0.1, "b", "2")]).figure({"garden": "", "variety": "a"})
        self.assertAlmostEqual(told.off, middle, delta=0.02)

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.floats(-0.6, 0.6), min_size=1, max_size=8))
    def test_it_lies_between_nothing_and_the_findings_in_any_order(self, values: list[float]) -> None:
        told = pool(SORTS, ONE, [found(v, season=str(i % 2)) for i, v in enumerate(values)])
        figure = told.figure({"garden": "", "variety": "a"})
        self.assertLessEqual(abs(figure.off), max(abs(v) for v in values) + 1e-9)
        again = pool(SORTS, ONE, [found(v, season=str(i % 2)) for i, v in reversed(list(enumerate(values)))])
        self.assertAlmostEqual(figure.off, again.figure({"garden": "", "variety": "a"}).off, places=6)
        self.assertEqual(figure.rests_on, len(values))

    def test_more_findings_narrow_it_and_other_things_less(self) -> None:
        sd = [pool(SORTS, ONE, [found(0.1)] * n).figure({"garden": "", "variety": "a"}).sd for n in (0, 1, 3, 9)]
        self.assertEqual(sd, sorted(sd, reverse=True))
        nine = pool(SORTS, ONE, [found(0.1)] * 9)
        self.assertGreater(nine.figure({"garden": "", "variety": "new"}).sd, nine.figure({"garden": "", "variety": "a"}).sd)

    def test_of_nothing_it_says_what_is_usual(self) -> None:
        told = pool(PACE, PACE_BATCH, [])
        figure = told.figure({s.name: "x" for s in PACE if s.name != "warmth"})
        self.assertEqual((figure.off, figure.rests_on), (0.0, 0))
        self.assertAlmostEqual(figure.sd, math.sqrt(sum(s.sd**2 for s in (*PACE, PACE_BATCH) if s.name != "warmth")))

    def test_how_far_a_lot_may_lie_off_its_label_is_one_figure(self) -> None:
        figure = pool(ALIVE, ALIVE_BATCH, []).figure({s.name: "x" for s in ALIVE})
        self.assertAlmostEqual(figure.sd, OFF_LABEL_SD, places=3)

    def test_the_next_batch_lies_inside_eight_of_ten_ranges_in_gardens_drawn_by_the_spreads(self) -> None:
        rng = np.random.default_rng(1)
        held = []
        for _ in range(300):
            effects: dict[tuple[str, str], float] = {}

            def batch(variety: str, year: int, effects: dict[tuple[str, str], float] = effects) -> tuple[float, dict[str, str]]:
                names = {"garden": "", "crop": variety[0], "variety": variety, "lot": f"{variety}{year}", "season": str(year),
                         "crop_season": f"{variety[0]}{year}"}  # fmt: skip
                of = [(s, names[s.name]) for s in PACE if s.name in names]
                return sum(effects.setdefault((s.name, k), rng.normal(0, s.sd)) for s, k in of) + rng.normal(
                    0, PACE_BATCH.sd
                ), names

            seen = [batch(v, year) for year in (1, 2) for v in ("a1", "a2", "b1") for _ in range(2)]
            told = pool(PACE, PACE_BATCH, [Found(y + rng.normal(0, 0.08), 0.0064, names, {}) for y, names in seen])
            y, names = batch("a1", 3)
            figure = told.figure(names)
            held.append(abs(y - figure.off) <= 1.2816 * figure.sd)
        # Eight in ten of three hundred, and what luck does to that.
        self.assertAlmostEqual(float(np.mean(held)), 0.8, delta=0.06)

    def test_one_taken_out_is_as_if_it_had_never_been(self) -> None:
        all_of = [found(0.3), found(0.1), found(-0.2, "b"), found(0.05, "b", "2")]
        less = pool(SORTS, ONE, all_of).without(0)
        never = pool(SORTS, ONE, all_of[1:])
        for variety in ("a", "b"):
            names = {"garden": "", "variety": variety, "season": "1"}
            # But for the spreads, which one finding more or less hardly moves.
            self.assertAlmostEqual(less.figure(names).off, never.figure(names).off, delta=0.01)
            self.assertEqual(less.figure(names).rests_on, never.figure(names).rests_on)

    def test_an_odd_season_never_swings_what_is_expected_of_the_next(self) -> None:
        steady = [found(0.1, v, "1") for v in "aabbcc"]
        plain = pool(SORTS, ONE, steady + [found(0.1, v, "2") for v in "aabbcc"])
        names = {"garden": "", "variety": "a", "season": "3"}
        for far in (-1.5, -0.5, 0.5, 1.5):
            with self.subTest(far=far):
                odd = pool(SORTS, ONE, steady + [found(0.1 + far, v, "2") for v in "aabbcc"])
                # A mean of both would have gone a half of the way.
                self.assertAlmostEqual(odd.figure(names).off, plain.figure(names).off, delta=0.1)
                self.assertLess(odd.figure(names).sd, 1.25 * plain.figure(names).sd)


def sown(id: str = "b", day: int = 1, variety: str = "Grey Sluice", **given: object) -> Batch:
    return Batch(id=id, crop="leek", variety=variety, sown_at=on(day), cells=12, tray="A", **given)  # type: ignore[arg-type]


def room(batches: list[Batch], events: list[Event], soil_c: float = 18.0, days: float = 60.0) -> Journal:
    at = on(1).timestamp() + np.arange(0.0, days, 0.25) * DAY_S
    soil = Series("A", "soil_temperature", None, at, np.full(len(at), soil_c), np.zeros(len(at), dtype=bool))
    return Journal(trays=[Tray(id="A")], batches=batches, series=[soil], events=events)


def counted(batch: str, half_d: float, first_day: int = 1, n: int = 12) -> list[Event]:
    """One more cell up by the count of each look, half of them by a day after sowing."""
    days = [half_d * (0.7 + 0.6 * i / n) for i in range(1, n + 1)]
    return [event("count", first_day + d, f"{batch}-{i}", batch=batch, cells_up=i) for i, d in enumerate(days, 1)]


class OneBatch(unittest.TestCase):
    def taught_by(self, half_d: float, **more: object) -> Lesson | None:
        b = sown()
        j = room([b], counted("b", half_d), **more)  # type: ignore[arg-type]
        done = lesson_s(b, j.events, on(1).timestamp() + 60 * DAY_S)
        assert done is not None
        return lesson(j, LEEK, b, j.events, done)

    def test_a_slow_one_teaches_that_it_was_slow_by_as_much(self) -> None:
        usual, slow = self.taught_by(10.0), self.taught_by(13.0)
        assert usual is not None and slow is not None and usual.pace is not None and slow.pace is not None
        self.assertAlmostEqual(slow.pace.off - usual.pace.off, math.log(10 / 13), delta=0.04)

    def test_soil_that_explains_the_wait_teaches_no_slowness(self) -> None:
        rate = LEEK.response.rate_per_day(np.array([18.0, 12.0]))
        warm, cold = self.taught_by(10.0), self.taught_by(10.0 * float(rate[0] / rate[1]), soil_c=12.0)
        assert warm is not None and cold is not None and warm.pace is not None and cold.pace is not None
        self.assertAlmostEqual(warm.pace.off, cold.pace.off, delta=0.05)

    def test_what_is_not_over_or_was_never_counted_teaches_nothing(self) -> None:
        b = sown()
        at_s = on(1).timestamp() + 11 * DAY_S
        half = [e for e in counted("b", 10.0) if e.at_s <= at_s]
        self.assertIsNone(lesson_s(b, half, at_s))
        self.assertIsNone(lesson_s(b, [], at_s + 300 * DAY_S))
        bought = replace(b, start="bought")
        self.assertIsNone(lesson_s(bought, counted("b", 10.0), at_s + 60 * DAY_S))

    def test_given_up_early_it_teaches_little_of_what_would_have_lived(self) -> None:
        b = sown()
        early = [*counted("b", 10.0)[:2], event("gave_up", 9.3, "g", batch="b")]
        whole = [*counted("b", 10.0)[:2], event("gave_up", 41, "g", batch="b")]
        alive = []
        for events in (early, whole):
            done = lesson_s(b, events, on(1).timestamp() + 60 * DAY_S)
            assert done is not None
            told = lesson(room([b], events), LEEK, b, events, done)
            assert told is not None
            alive.append(0.0 if told.alive is None else told.alive.off / told.alive.var)
        self.assertLess(abs(alive[0]), 0.5 * abs(alive[1]))


class Used(unittest.TestCase):
    def test_a_variety_that_was_slow_here_is_expected_later_and_more_narrowly_and_says_why(self) -> None:
        j, at_s = room([sown("next", 31)], []), on(31).timestamp() + 3 * DAY_S
        told = learned([taught(str(i), -0.25, "grey sluice", 2024 + i % 2) for i in range(5)])
        here = as_here(LEEK, told.here("leek", "grey sluice", "", 2026))
        plain, knowing = forecast(j, LEEK, j.batches[0], at_s), forecast(j, here, j.batches[0], at_s)
        assert plain.half_up is not None and knowing.half_up is not None
        self.assertGreater(knowing.half_up.p50 - plain.half_up.p50, DAY_S)
        wide = [math.log((f.half_up.p90 - on(31).timestamp()) / (f.half_up.p10 - on(31).timestamp())) for f in (knowing, plain)
                if f.half_up is not None]  # fmt: skip
        self.assertLess(wide[0], 0.8 * wide[1])
        rate = next(i for i in knowing.workings["progress"].inputs if i.name == "r_max_per_day")
        self.assertEqual(rate.source, LEARNED_HERE)

    def test_an_answer_rests_on_what_other_batches_taught_and_on_nothing_written_later(self) -> None:
        batches = [sown("one", 1), sown("two", 1)]
        events = [*counted("one", 13.0), *counted("two", 13.0)]
        j = replace(room(batches, events), revision="r")
        at_s = on(1).timestamp() + 50 * DAY_S
        whole = Answers(record_at(j, at_s), at_s, exactly=True)
        alone = replace(j, events=counted("two", 13.0))
        less = Answers(record_at(alone, at_s), at_s, exactly=True)
        mine, others = whole.crop_here(batches[0]).here, less.crop_here(batches[0]).here
        assert mine is not None and others is not None and mine.pace is not None and others.pace is not None
        self.assertEqual(mine.pace.rests_on, 1)
        self.assertAlmostEqual(mine.pace.off, others.pace.off, delta=0.02)
        early_s = on(1).timestamp() + 9 * DAY_S
        self.assertEqual(Answers(record_at(j, early_s), early_s, exactly=True).learned.lessons, ())

    def test_a_later_reading_leaves_a_lesson_as_it_was(self) -> None:
        j = replace(room([sown()], counted("b", 12.0), days=40), revision="r")
        longer = replace(room([sown()], counted("b", 12.0), days=55), revision="s")
        at_s = on(1).timestamp() + 58 * DAY_S
        a, b = (Answers(record_at(x, at_s), at_s, exactly=True).learned for x in (j, longer))
        self.assertEqual(a.fingerprint, b.fingerprint)


class Lived(unittest.TestCase):
    def test_only_what_is_accounted_for_is_told_of(self) -> None:
        b, j = sown(), room([sown()], [])
        up = counted("b", 10.0)
        out = 41
        cases = {
            "all planted": ([event("planted", out, "p", batch="b", count=12)], (12, 0)),
            "three lost, nine planted": (
                [event("lost", 30, "l", batch="b", cells=3), event("planted", out, "p", batch="b", count=9)], (12, 3)),
            "nine planted, of three nobody speaks": ([event("planted", out, "p", batch="b", count=9)], None),
            "all lost": ([event("lost", 30, "l", batch="b", cells=12)], (12, 12)),
            "still inside": ([], None),
            "nobody counted what went out": ([event("planted", out, "p", batch="b")], None),
        }  # fmt: skip
        for name, (after, expected) in cases.items():
            with self.subTest(name):
                told = outcome(j, "leek", b, [*up, *after], on(out).timestamp() + 30 * DAY_S)
                self.assertEqual(None if told is None else (told.up, told.died), expected)

    def test_what_died_young_is_told_from_what_died_later_and_the_steps_make_the_whole(self) -> None:
        b, j = sown(), room([sown()], [])
        told = [*counted("b", 10.0), event("lost", 14, "y", batch="b", cells=3), event("potted_up", 30, "u", batch="b"),
                event("lost", 35, "o", batch="b", cells=1), event("planted", 41, "p", batch="b", count=8)]  # fmt: skip
        found = outcome(j, "leek", b, told, on(41).timestamp() + 30 * DAY_S)
        assert found is not None
        self.assertEqual((found.up, found.died, found.young), (12, 4, 3))
        many = learned([], [replace(found, batch=str(i)) for i in range(9)])
        shares = {x.measure: x.value.p50 for x in lines(many, {"leek": LEEK})}
        self.assertLess(shares["seedlings"], 0.95)
        self.assertAlmostEqual(shares["seedlings"] * shares["grown_on"], shares["survival"], delta=0.04)

    def test_plants_potted_up_into_a_batch_of_their_own_are_followed(self) -> None:
        b = sown()
        pots = Batch(id="pots", crop="leek", variety=b.variety, sown_at=on(25), cells=8, tray="P", from_batch="b")
        j = replace(room([b], []), batches=[b, pots])
        up = [*counted("b", 10.0), event("moved", 25, "m", batch="b", to_batch="pots", count=8)]
        rest = event("planted", 41, "p", batch="b", count=4)
        cases = {
            "pots still inside": ([rest], None),
            "all planted": ([rest, event("planted", 45, "pp", batch="pots", count=8)], (12, 0)),
            "three died in their pots": (
                [rest, event("lost", 30, "l", batch="pots", cells=3), event("planted", 45, "q", batch="pots", count=5)], (12, 3)),
            "nobody counted what went out of the pots": ([rest, event("planted", 45, "pp", batch="pots")], None),
            "of two in pots nobody speaks": ([rest, event("planted", 45, "pp", batch="pots", count=6)], None),
        }  # fmt: skip
        for name, (after, expected) in cases.items():
            with self.subTest(name):
                self.assertEqual(family(j, b), {"b", "pots"})
                told = outcome(j, "leek", b, [*up, *after], on(45).timestamp() + 30 * DAY_S)
                self.assertEqual(None if told is None else (told.up, told.died), expected)
                self.assertIsNone(outcome(j, "leek", pots, [*up, *after], on(90).timestamp()), "told of with what it came from")

    def test_a_garden_that_loses_many_plans_for_it_and_one_batch_moves_it_little(self) -> None:
        def of(n: int, died: int) -> float:
            j, gone = room([sown()], []), [event("lost", 30, "l", batch="b", cells=died)] if died else []
            out = event("planted", 31, "p", batch="b", count=12 - died)
            told = outcome(j, "leek", sown(), [*counted("b", 10.0), *gone, out], on(31).timestamp() + 30 * DAY_S)
            assert told is not None
            many = learned([], [replace(told, batch=str(i)) for i in range(n)])
            return survives(as_here(LEEK, None) if not n else replace(LEEK, here=many.here("leek", "grey sluice", "", 2026)))

        self.assertEqual(of(0, 0), 0.92)
        self.assertLess(of(6, 4), 0.80)
        self.assertTrue(of(6, 4) < of(1, 4) < 0.92 < of(6, 0))


class ThreeSeasons(unittest.TestCase):
    def test_the_third_season_is_told_more_narrowly_than_the_first_and_its_ranges_hold(self) -> None:
        widths: dict[int, list[float]] = {0: [], 1: [], 2: []}
        held: dict[int, list[bool]] = {0: [], 1: [], 2: []}
        for seed in (101, 102, 103, 104):
            house = house_of_years(seed)
            j = read_journal(house.journal).with_series()
            for s in house.sown:
                come = np.sort(s.come_s[np.isfinite(s.come_s)])
                at_s = s.sown_s + 2 * DAY_S
                if len(come) < 3 or (half_s := come[math.ceil(len(come) / 2) - 1]) <= at_s or s.season == 1:
                    continue
                told = Answers(record_at(j, at_s), at_s, exactly=True).forecast(next(b for b in j.batches if b.id == s.id))
                assert told is not None and told.half_up is not None
                widths[s.season].append((told.half_up.p90 - told.half_up.p10) / (half_s - s.sown_s))
                held[s.season].append(told.half_up.p10 <= half_s <= told.half_up.p90)
        self.assertLess(float(np.mean(widths[2])), 0.8 * float(np.mean(widths[0])))
        # Forty trays: eight in ten of them, give or take what luck does to forty.
        self.assertTrue(0.68 <= float(np.mean(held[2])) <= 0.97, np.mean(held[2]))
