"""Notes, clashes and ways out in words: every one that the core can make, in both kinds of units."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import re
import unittest
from datetime import date
from pathlib import Path
from zoneinfo import ZoneInfo

import fennet.core.planning
from fennet.core.planning.clashes import clashes
from fennet.core.planning.notes import GRAVE, Note
from fennet.core.working import Interval
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import (
    _NOTES,
    amount_words,
    area_words,
    change_words,
    clash_words,
    day_words,
    least_change_words,
    note_words,
    way_words,
)
from tests.core.test_plan import Clashes, garden, planned

BRITISH = Formatter(ZoneInfo("Europe/Amsterdam"))
AMERICAN = Formatter(ZoneInfo("Europe/Amsterdam"), "en_US", "degF", "imperial")
DAY, LATER = date(2026, 3, 4), date(2026, 6, 20)
#: One note of every kind, with figures as the core gives them, and a part of what must be said.
SAID = {
    "never_frost_safe": ({"kills_at_c": 0.0, "share": 0.3}, "30 % of years"), "never_warm": ({"what": "soil", "warmest_c": 9.2, "wants_c": 13.0}, "soil here reaches 9 °C"),
    "no_frost_known": ({}, "average last frost"), "frost_not_told": ({}, "too few complete springs"), "long_days": ({"hours": 15.26, "limit_h": 14.0}, "15.3 h, over 14 h"),
    "short_days": ({"hours": 12.0, "limit_h": 14.0}, "under 14 h"), "no_sunrise": ({}, "does not rise"), "cold_spell": ({"weeks": 3}, "three cold weeks"),
    "no_cold_spell": ({"weeks": 0.4, "need": 3}, "it has no"), "cold_spell_unknown": ({"weeks": 3}, "no record of nights"), "hot_summer": ({"mean_c": 22.4, "limit_c": 20.0}, "22 °C, over 20 °C"),
    "autumn": ({"cool_from": DAY, "last": LATER, "frost_by": LATER}, "cool enough from 4 March"), "autumn_too_late": ({"cool_from": LATER, "last": DAY, "frost_by": LATER}, "summer lasts too long"),
    "autumn_wish_late": ({"wish": LATER, "last": DAY, "frost_by": LATER}, "planted by 4 March"), "autumn_unknown": ({}, "daily minima"), "no_autumn_crop": ({}, "planned for spring"),
    "short_of_seed": ({"left": 5, "plants": Interval(3.0, 4.0, 5.0), "wanted": 12}, "5 seeds are left: 3–5 plants of 12"), "dead_seed": ({"alive": 0.082, "packed": 2024}, "About 8 % of the packet of 2024"),
    "under_fleece": ({"until": DAY}, "under fleece or in a frame until about 4 March"),
    "gate_passed": ({"opened": DAY, "ready": LATER}, "but still in time"), "frost_by_latitude": ({"middle": DAY, "sd_d": 20.0}, "by the latitude alone it may be about 4 March"),
    "wish_past": ({"wish": DAY}, "which is past"), "climate_by_latitude": ({}, "give or take 3 °C"), "cold_bolting": ({"night_c": 4.2, "wants_c": 9.0}, "needs 9 °C or more, planted then they average 4 °C"),
    "never_up": ({"soil_c": 6.0}, "does not come up in soil at 6 °C"), "too_cold_to_grow": ({"air_c": 9.0, "base_c": 10.0}, "grows from 11 °C"), "past": ({"last": DAY, "ready": LATER, "late_days": 12.0, "wish": DAY}, "twelve days late"),
    "buy_plants": ({"ready": LATER, "wish": DAY}, "buy plants"), "later_than_wished": ({"wish": DAY, "risk": 0.9, "by": "nights", "out_on": LATER}, "nights are too cold"),
    "moved_outside": ({"from": DAY, "to": LATER, "too_early": True, "days": 9}, "nine days before its range"), "overdue": ({"day": DAY}, "to be sown on 4 March"), "without_mat": ({"days": 4.4, "soil_c": 17.0}, "four days longer"),
}  # fmt: skip


class Notes(unittest.TestCase):
    def test_every_note_that_the_core_makes_has_its_words(self) -> None:
        made = set()
        for path in Path(fennet.core.planning.__path__[0]).glob("*.py"):
            text = path.read_text(encoding="utf-8")
            made |= set(re.findall(r'Note\(\s*"(\w+)"', text)) | set(
                re.findall(r'"(\w+)" if \w+[^\n]* else "\w+"(?=[,)])', text)
            ) & set(_NOTES)
        self.assertLessEqual(made, set(_NOTES))
        self.assertEqual(set(SAID), set(_NOTES), "every kind is tried below")
        self.assertLessEqual(GRAVE, set(_NOTES))

    def test_each_says_what_it_means(self) -> None:
        for kind, (values, said) in SAID.items():
            with self.subTest(kind):
                words = note_words(Note(kind, values), BRITISH, "leek")
                self.assertIn(said.lower(), words.lower())
                self.assertRegex(words, r"^[A-Z0-9].*\.$", "a whole sentence")
                self.assertNotRegex(words, r"[{}]|None|nan")

    def test_units_follow_the_reader(self) -> None:
        words = note_words(Note("never_warm", {"what": "nights", "warmest_c": 10.0, "wants_c": 12.0}), AMERICAN, "pepper")
        self.assertIn("50 °F", words)
        self.assertIn("reach 50", words)
        self.assertNotIn("°C", words)
        self.assertEqual((area_words(929_030.4, AMERICAN), area_words(450_000, BRITISH)), ("10 sq ft", "0.45 m²"))
        self.assertEqual(day_words(DAY, AMERICAN), "March 4")
        self.assertEqual(day_words(date(2027, 1, 2), BRITISH, DAY), "2 January 2027")
        self.assertEqual(
            (amount_words("mat_places", 1.0, BRITISH), amount_words("mat_places", 1.2, BRITISH)),
            ("one mat place", "two mat places"),
        )
        self.assertIn("timer", amount_words("lamp_timers", 2, BRITISH))


class ClashesInWords(unittest.TestCase):
    def test_a_clash_names_days_need_and_ways_out(self) -> None:
        seen = set()
        for shelves, mats in ((1, 1), (2, 0), (2, 1)):
            for clash in clashes(planned(garden(Clashes.FULL, shelves, mats))):
                seen.add(clash.resource)
                words = clash_words(clash, BRITISH)
                self.assertRegex(words, r"^\d+ \w+ to \d+ \w+: .*\.$")
                self.assertTrue(least_change_words(clash, BRITISH))
                for way in clash.changes:
                    self.assertEqual(way_words(way, BRITISH).count(", and ") + 1, len(way))
                    for change in way:
                        self.assertNotIn("None", change_words(change, AMERICAN))
        self.assertLessEqual({"shelf_mm2", "lamp_mm2"}, seen)
