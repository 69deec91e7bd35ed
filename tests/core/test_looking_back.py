"""Looking back: the story of a batch, the season in numbers, and what is told of a variety when it is sown again."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

from fennet.answering.answers import Answers
from fennet.core.bearing import record_at
from fennet.core.records import Batch, Event, Garden, Journal, Lamp, Mat, SeedLot, Tray
from fennet.core.season import NEVER_CAME
from fennet.presentation.formatter import Formatter
from fennet.presentation.season import mend_first, season_words
from fennet.presentation.story import story_words
from fennet.presentation.variety_notes import variety_words
from tests.building import event, on, soil

DAY_S = 86_400.0


def batch(id: str, variety: str = "Quay", day: float = 0, tray: str = "A", **more: Any) -> Batch:
    return Batch(id=id, crop="leek", variety=variety, sown_at=on(day), cells=12, tray=tray, **more)


def up(id: str, n: int, day: float = 12) -> list[Event]:
    return [event("count", day + i / 10, f"{id}-{i}", batch=id, cells_up=i) for i in range(1, n + 1)]


def answers(batches: list[Batch], events: list[Event], day: float = 200, **more: Any) -> Answers:
    trays = [Tray(id=t, rows=3, columns=4) for t in sorted({b.tray or "" for b in batches})]
    j = Journal(batches=batches, trays=trays, events=sorted(events, key=lambda e: e.at), series=[soil(18.0, 40)], **more)
    at_s = on(day).timestamp()
    return Answers(record_at(j, at_s), at_s, exactly=True)


GROWN = [
    *up("b", 10), event("lost", 20, "l", batch="b", cells=2, why="dried out"),
    event("planted", 60, "p", batch="b", count=8), event("lost", 70, "s", batch="b", cells=1, why="slugs"),
    event("harvest", 120, "h", batch="b", grams=1600.0, first=True), event("taste", 121, "t", batch="b", mark=4),
]  # fmt: skip


class Stories(unittest.TestCase):
    def test_a_batch_is_told_from_packet_to_plate(self) -> None:
        a = answers([batch("b")], GROWN)
        told = a.story(a.journal.batches[0])
        assert told is not None and told.after is not None
        self.assertEqual((told.up, dict(told.lost), told.after.planted, told.ended), (10, {"dried out": 2}, 8, "planted"))
        self.assertEqual(told.inside_until_s, on(60).timestamp())
        words = " ".join(story_words(told, Formatter(a.zone)))
        for said in ("10 of 12 cells", "2 (“dried out”)", "8 were planted out", "1,600 g in all", "slugs", "Taste: 4 of 5"):
            self.assertIn(said, words)

    def test_what_nobody_wrote_is_not_told_as_nothing(self) -> None:
        a = answers([batch("b")], [*up("b", 10), event("planted", 60, "p", batch="b")])
        told = a.story(a.journal.batches[0])
        assert told is not None
        words = " ".join(story_words(told, Formatter(a.zone)))
        self.assertIn("It was planted out", words)
        self.assertIn("No harvest is noted", words)
        quiet = answers([batch("b")], []).story(batch("b"))
        assert quiet is not None
        self.assertIn("Nobody counted anything up. It is still growing.", " ".join(story_words(quiet, Formatter(a.zone))))

    def test_the_tray_is_told_of_only_while_the_batch_was_in_it(self) -> None:
        water = [event("watered", d, f"w{d}", tray="A", how="below") for d in (-5, 3, 59, 61)]
        a = answers([batch("b")], [*GROWN, *water])
        told = a.story(a.journal.batches[0])
        assert told is not None
        self.assertEqual([e.id for e in told.told if e.kind == "watered"], ["w3", "w59"])

    def test_a_batch_that_is_over_is_told_of_as_it_ended_though_its_thermometer_moved_on(self) -> None:
        a = answers([batch("b")], GROWN)
        f = a.forecast(a.journal.batches[0])
        assert f is not None and f.days_at_target is not None
        self.assertEqual((f.verdict, f.soil.gap_reason), ("finished", ""))


class Seasons(unittest.TestCase):
    def test_numbers_add_up_and_the_costliest_comes_first(self) -> None:
        given_up = [*up("c", 2), event("gave_up", 40, "g", batch="c")]
        a = answers([batch("b"), batch("c", tray="B")], [*GROWN, *given_up])
        s = a.season(2026)
        self.assertEqual((s.batches, s.cells, s.up, s.planted, s.lost), (2, 24, 12, 8, {"dried out": 2}))
        costs = {c.cause: c for c in s.costs}
        self.assertEqual((costs[NEVER_CAME].plants, costs["dried out"].plants), (12, 2))
        # Two cells of twelve for twenty days.
        self.assertAlmostEqual(costs["dried out"].tray_days, 2 / 12 * 20, places=6)
        self.assertEqual(s.costs[0].tray_days, max(c.tray_days for c in s.costs))
        self.assertLessEqual(s.wasted, s.tray_days)
        self.assertIn("Mend first", mend_first(s, Formatter(a.zone)))
        self.assertIn("of 24 cells 12 came up", " ".join(season_words(s, Formatter(a.zone))))

    def test_energy_is_of_the_hours_set_while_the_season_was_inside_and_unknown_without(self) -> None:
        self.assertIsNone(answers([batch("b")], GROWN).season(2026).kwh)
        lit = event("lamp", 10, "on", lamp="lamp-1", on="08:00", off="18:00")
        lamps = [Lamp(id="lamp-1", watts=50.0)]
        s = answers([batch("b")], [*GROWN, lit], lamps=lamps, garden=Garden(tariff_per_kwh=0.3)).season(2026)
        assert s.kwh is not None and s.cost is not None and s.per_plant is not None
        # Fifty days of ten hours at 50 W.
        self.assertAlmostEqual(s.kwh.p50, 25.0, delta=0.6)
        self.assertAlmostEqual(s.per_plant, s.cost / 8)
        self.assertEqual(s.kwh.p10, s.kwh.p90, "a lamp's hours are known")

    def test_two_seasons_inside_at_once_share_what_lit_them(self) -> None:
        """By cells: what one season used and what the other used is what was used."""
        lit = event("lamp", 10, "on", lamp="lamp-1", on="08:00", off="18:00")
        lamps = [Lamp(id="lamp-1", watts=50.0)]
        # Sown in the year before, three times as many cells, inside until the sixtieth day of this one's.
        before = Batch(id="old", crop="leek", sown_at=on(-40), cells=36, tray="B")
        out = event("planted", 60, "po", batch="old", count=30)
        a = answers([batch("b"), before], [*GROWN, lit, out], lamps=lamps)
        both = [a.season(y).kwh for y in (2025, 2026)]
        assert both[0] is not None and both[1] is not None
        self.assertAlmostEqual(both[0].p50 + both[1].p50, 25.0, delta=0.6)
        self.assertAlmostEqual(both[0].p50 / both[1].p50, 3.0, delta=0.1)

    def test_a_lamp_nobody_timed_is_named_and_not_counted_as_dark(self) -> None:
        lit = event("lamp", 10, "on", lamp="lamp-1", on="08:00", off="18:00", place="shelf")
        hung = event("lamp", 10, "hung", lamp="lamp-2", place="shelf")
        lamps = [Lamp(id="lamp-1", watts=50.0), Lamp(id="lamp-2", watts=50.0)]
        s = answers([batch("b")], [*GROWN, lit, hung], lamps=lamps).season(2026)
        told = {i.name: i.value for i in s.workings["kwh"].inputs}
        self.assertEqual(told["hours nobody logged, not counted"], "lamp-2")

    def test_only_a_mat_that_is_not_always_on_heats_for_an_unknown_part_of_its_hours(self) -> None:
        under = event("mat", 10, "m", mat="mat-1", tray="A")
        by_control = {}
        for control in ("always", "thermostat", None):
            season = answers([batch("b")], [*GROWN, under], mats=[Mat(id="mat-1", watts=20.0, control=control)]).season(2026)
            assert season.kwh is not None
            by_control[control] = season.kwh
        # Fifty days at 20 W.
        self.assertAlmostEqual(by_control["always"].p50, 24.0, delta=0.5)
        self.assertEqual(by_control["always"].p10, by_control["always"].p90)
        self.assertEqual(by_control["thermostat"], by_control[None])
        self.assertLess(by_control[None].p10, by_control[None].p90)

    def test_what_may_still_come_has_not_failed_to(self) -> None:
        some = [*up("b", 7, 10)]
        a = answers([batch("b")], some, day=12)
        self.assertEqual([c.plants for c in a.season(2026).costs if c.plants], [])
        told = a.story(a.journal.batches[0])
        assert told is not None
        self.assertIn("more may come", " ".join(story_words(told, Formatter(a.zone))))
        self.assertEqual([c.plants for c in answers([batch("b")], some, day=60).season(2026).costs if c.plants], [5])

    def test_a_season_that_is_still_inside_wastes_nothing_that_may_yet_come(self) -> None:
        s = answers([batch("b")], [], day=3).season(2026)
        self.assertEqual((s.wasted, s.growing, s.costs), (0.0, 1, ()))


class Notes(unittest.TestCase):
    def words(self, a: Answers, variety: str | None) -> str:
        return " ".join(w for w, _ in variety_words(a.variety_notes("leek", variety), Formatter(a.zone)))

    def test_the_best_and_the_failed_come_back_with_their_reasons_and_the_growers_own_words(self) -> None:
        bad = [*up("c", 3), event("note", 30, "n", batch="c", text="Never again."), event("gave_up", 40, "g", batch="c"),
               *up("d", 10), event("planted", 60, "dp", batch="d", count=10),
               event("harvest", 120, "dh", batch="d", grams=1000.0), event("taste", 121, "dt", batch="d", mark=5)]  # fmt: skip
        a = answers([batch("b"), batch("c", "Lock", tray="B"), batch("d", "Sluice", tray="C")], [*GROWN, *bad])
        quay, lock = self.words(a, "QUAY"), self.words(a, "Lock")
        self.assertIn("200 g a plant (2026), the heaviest of two", quay)
        self.assertIn("4 of 5 (2026), place 2 of 2", quay)
        self.assertIn("What failed last time (2026): 3 of 12 came up", lock)
        self.assertIn("it was given up", lock)
        self.assertIn("Never again.", lock)
        self.assertEqual(self.words(a, "Unheard Of"), "")

    def test_two_spellings_are_one_variety_and_a_packet_lends_its_name(self) -> None:
        lot = SeedLot(id="s", crop="leek", variety="quay")
        a = answers([batch("b", variety="", seed_lot="s")], GROWN, seed_lots=[lot])
        self.assertIn("200 g a plant", self.words(a, " Quay "))

    def test_one_batch_is_no_warning_where_it_did_well(self) -> None:
        a = answers([batch("b")], [*up("b", 12), event("planted", 60, "p", batch="b", count=12)])
        self.assertNotIn("failed", self.words(a, "Quay"))

    def test_the_quickest_is_named_only_where_its_range_lies_clear_of_the_others(self) -> None:
        trays = [batch(f"q{i}", "Quick", tray=f"Q{i}") for i in range(5)] + [
            batch(f"s{i}", "Slow", tray=f"S{i}") for i in range(5)
        ]

        def words(slow_day: float) -> str:
            events = [e for b in trays for e in up(b.id, 12, 9 if b.variety == "Quick" else slow_day)]
            j = replace(answers(trays, events).journal, series=[soil(18.0, 40, place=b.tray or "") for b in trays])
            at_s = on(100).timestamp()
            return self.words(Answers(record_at(j, at_s), at_s, exactly=True), "Quick")

        self.assertIn("the quickest of two here", words(18))
        self.assertNotIn("quickest", words(9.5))
