"""Comparing: no difference is claimed that is luck, one that is there is found, and a mat is no variety."""

from __future__ import annotations

import math
import unittest
from datetime import timedelta

import numpy as np

from fennet.core.comparing.comparison import compare
from fennet.core.comparing.emergence import Came
from fennet.core.comparing.pairs import TRAY_LOG_SD, differences, holm
from fennet.core.comparing.shares import TRAY_LOGIT_SD, Part, adjusted, share_differences
from fennet.core.records import Batch, Event, Journal, Series, Tray
from fennet.crops import shipped
from tests.building import event, on

LEEK = shipped().get("leek")


def tray(rng: np.random.Generator, days: float, n: int = 24, share: float = 0.85, tray_sd: float = TRAY_LOG_SD) -> Came:
    """One tray whose seed comes about so many days, looked at daily."""
    batch = Batch(id="b", crop="leek", sown_at=on(1), cells=n)
    middle = days * math.exp(rng.normal(0, tray_sd))
    came = middle * np.exp(rng.normal(0, 0.2, rng.binomial(n, share)))
    return Came(batch, n, len(came), np.floor(came) + 0.5, 40.0)


class Luck(unittest.TestCase):
    def test_a_difference_that_is_not_there_is_seldom_claimed_whatever_the_numbers(self) -> None:
        rng = np.random.default_rng(21)
        for trays, seeds in ((1, 24), (1, 120), (3, 24)):
            with self.subTest(trays=trays, seeds=seeds):
                claimed = 0
                for _ in range(200):
                    groups = {name: [tray(rng, 8.0, seeds) for _ in range(trays)] for name in ("a", "b")}
                    claimed += any(d.shown for d in holm(differences(groups)))
                # Five in a hundred, and what luck adds to that in two hundred goes.
                self.assertLessEqual(claimed, 17)

    def test_among_five_varieties_alike_the_best_of_the_worst_is_no_find(self) -> None:
        rng = np.random.default_rng(22)
        claimed = 0
        for _ in range(100):
            groups = {name: [tray(rng, 8.0) for _ in range(2)] for name in "abcde"}
            claimed += any(d.shown for d in holm(differences(groups)))
        self.assertLessEqual(claimed, 10)

    def test_the_least_that_shows_is_found_in_four_of_five(self) -> None:
        rng = np.random.default_rng(23)
        # Four trays against four, each of some twenty seedlings: what their spread and the trays' allow to show.
        alike = [differences({name: [tray(rng, 8.0) for _ in range(4)] for name in ("a", "b")})[0] for _ in range(60)]
        times = math.exp(2 * math.asinh(float(np.median([d.least_shown for d in alike])) / 16.0))
        shown, held, days = 0, 0, []
        for _ in range(200):
            groups = {"a": [tray(rng, 8.0) for _ in range(4)], "b": [tray(rng, 8.0 * times) for _ in range(4)]}
            (d,) = holm(differences(groups))
            days.append(d.days)
            held += d.low <= 8.0 * (times - 1) <= d.high
            shown += d.shown
        self.assertAlmostEqual(float(np.median(days)), 8.0 * (times - 1), delta=0.4)
        self.assertGreater(held / 200, 0.9, "its range holds what is there")
        self.assertGreater(shown / 200, 0.7)
        self.assertLess(shown / 200, 0.95, "no more is promised than is kept")

    def test_six_against_five_says_little_and_says_how_little(self) -> None:
        rng = np.random.default_rng(24)
        (d,) = holm(differences({"a": [tray(rng, 8.0, 6, 1.0)], "b": [tray(rng, 9.0, 5, 1.0)]}))
        self.assertFalse(d.shown)
        self.assertGreater(d.least_shown, 2.0)
        self.assertEqual(differences({"a": [tray(rng, 8.0, 1, 1.0)], "b": [tray(rng, 9.0, 1, 1.0)]}), [])


class Warmth(unittest.TestCase):
    def journal(self, cold_c: float, varieties: tuple[str, str], slower: float = 1.0) -> Journal:
        """Two varieties, four trays each; the second stands cold, and comes as its cold makes it, times `slower`."""
        at = np.array([on(1 + i / 24).timestamp() for i in range(24 * 60)])
        batches, series, events = [], [], []
        rng = np.random.default_rng(25)
        for i in range(8):
            cold, name = i % 2 == 1, f"T{i}"
            soil_c = cold_c if cold else LEEK.target_soil_c
            days = (LEEK.response.days_to_half(soil_c) or 0.0) * (slower if cold else 1.0)
            batches.append(Batch(id=f"b{i}", crop="leek", variety=varieties[i % 2], sown_at=on(1), tray=name, cells=24))
            series.append(Series(name, "soil_temperature", f"p{i}", at, np.full(len(at), soil_c), np.zeros(len(at), bool)))
            waits = np.sort(days * np.exp(rng.normal(0, 0.18, 22) + rng.normal(0, 0.05)))
            for day in range(1, 58):
                events.append(event("count", day, f"c{i}-{day}", batch=f"b{i}", cells_up=int((waits <= day - 1).sum())))
        trays = [Tray(id=f"T{i}", rows=4, columns=6) for i in range(8)]
        return Journal(trays=trays, batches=batches, series=series, events=sorted(events, key=lambda e: e.at_s))

    def compared(self, journal: Journal, by: str = "variety") -> list[tuple[str, bool, float]]:
        at_s = (on(1) + timedelta(days=58)).timestamp()
        events: list[Event] = list(journal.events)
        found = compare(journal, {"leek": LEEK}, events, by, at_s)
        return [(f"{d.a}|{d.b}", d.shown, d.days) for _, d in found.pairs]

    def test_cold_is_not_mistaken_for_a_variety_and_a_slow_variety_is_found_through_it(self) -> None:
        ((_, shown, days),) = self.compared(self.journal(12.0, ("one", "two")))
        self.assertFalse(shown)
        self.assertLess(abs(days), 1.0)
        ((_, shown, days),) = self.compared(self.journal(12.0, ("one", "two"), 1.4))
        self.assertTrue(shown)
        self.assertGreater(days, 1.5)

    def test_one_variety_is_one_however_it_is_spelled(self) -> None:
        at_s = (on(1) + timedelta(days=58)).timestamp()
        journal = self.journal(15.0, ("Grey  Sluice", "GREY SLUICE "))
        found = compare(journal, {"leek": LEEK}, list(journal.events), "variety", at_s)
        self.assertEqual([(g.name, g.batches) for g in found.groups], [("GREY SLUICE", 8)])

    def test_what_nobody_said_is_a_group_of_its_own_and_totals_are_whole(self) -> None:
        journal = self.journal(15.0, ("one", "two"))
        at_s = (on(1) + timedelta(days=58)).timestamp()
        for by in ("lot", "lamp", "mat", "mix", "depth", "practice", "year"):
            found = compare(journal, {"leek": LEEK}, list(journal.events), by, at_s)
            self.assertEqual([(g.batches, g.sown, g.up) for g in found.groups], [(8, 192, 176)], by)
        early = (on(1) + timedelta(days=9)).timestamp()
        found = compare(journal, {"leek": LEEK}, [e for e in journal.events if e.at_s <= early], "variety", early)
        told = {r for g in found.groups for r in g.untold.values()}
        self.assertIn("still_coming", told, "the middle of the first is not the middle of all")
        unread = Journal(trays=journal.trays, batches=journal.batches, events=journal.events)
        found = compare(unread, {"leek": LEEK}, list(journal.events), "variety", at_s)
        self.assertEqual((found.pairs, {r for g in found.groups for r in g.untold.values()}), ([], {"no_readings"}))
        with self.assertRaises(ValueError):
            compare(journal, {"leek": LEEK}, [], "moon", at_s)


class Shares(unittest.TestCase):
    def test_a_share_that_does_not_differ_is_claimed_in_one_of_twenty_at_most(self) -> None:
        rng = np.random.default_rng(31)
        for trays in (1, 3):
            claimed = 0
            for _ in range(300):
                odds = rng.normal(1.4, TRAY_LOGIT_SD, (2, trays))
                ups = rng.binomial(24, 1 / (1 + np.exp(-odds)))
                groups = {name: [Part(int(n), 24) for n in up] for name, up in zip("ab", ups, strict=True)}
                claimed += any(d.shown for d in adjusted(share_differences("came", groups)))
            self.assertLessEqual(claimed, 24, trays)

    def test_one_that_does_is_found_with_its_range_and_one_plant_against_one_is_not(self) -> None:
        (d,) = adjusted(share_differences("survival", {"a": [Part(22, 24)] * 5, "b": [Part(8, 24)] * 5}))
        self.assertTrue(d.shown and d.high < 0, d)
        self.assertTrue(d.low <= d.share <= d.high)
        (one,) = share_differences("came", {"a": [Part(1, 1)], "b": [Part(0, 1)]})
        self.assertFalse(one.shown)
        self.assertEqual(share_differences("came", {"a": [Part(1, 1)], "b": []}), [])

    def test_groups_are_told_with_what_lived_and_when_it_went_out(self) -> None:
        b = [Batch(id=i, crop="leek", variety=i, sown_at=on(1), tray=i, cells=12) for i in "ab"]
        events = [event("count", 12, f"c{i}", batch=i, cells_up=12) for i in "ab"]
        events.append(event("lost", 20, "l", batch="b", cells=6))
        events += [event("planted", 41, f"p{i}", batch=i, count=n) for i, n in (("a", 12), ("b", 6))]
        found = compare(Journal(batches=b), {"leek": LEEK}, events, "variety", on(60).timestamp())
        self.assertEqual([(g.lived, g.planted_d) for g in found.groups], [((12, 12), 40.0), ((6, 12), 40.0)])
        self.assertEqual({d.measure for _, d in found.shares}, {"came", "survival"})

    def test_what_may_still_come_is_compared_with_nothing(self) -> None:
        b = [Batch(id=i, crop="leek", variety=i, sown_at=on(1), tray=i, cells=12) for i in "ab"]
        events = [event("count", 12, "ca", batch="a", cells_up=12), event("count", 12, "cb", batch="b", cells_up=2)]
        found = compare(Journal(batches=b), {"leek": LEEK}, events, "variety", on(14).timestamp())
        self.assertEqual(found.shares, [])
