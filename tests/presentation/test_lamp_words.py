"""What to set a lamp to, in words: each state of a proposal, everything that may be told beside it, and doubts about figures."""

from __future__ import annotations

import unittest
from dataclasses import replace
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.doubts import Doubt
from fennet.core.light import clock_of
from fennet.core.lighting.photothermal import photothermal
from fennet.core.tuning.lamp_instead import LampInstead
from fennet.core.tuning.lamps import LampSetting
from fennet.crops import shipped
from fennet.presentation.doubts import doubt_words
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import (
    INSTEAD,
    as_json,
    basis_words,
    button_words,
    instead_words,
    ratio_words,
    setting_sentence,
)
from tests.core.test_lighting import LED, hung, read, shelf, tuned

METRIC = Formatter(ZoneInfo("Europe/Amsterdam"))
IMPERIAL = Formatter(ZoneInfo("America/New_York"), "en_US", "degF", "imperial")


def bright(ppfd: float = 230.0, height: float = 300.0, crop: str = "tomato", days: tuple[float, ...] = (15.1,)) -> LampSetting:
    return tuned(shelf([read(*((d, ppfd) for d in days))], crop), hung(height))


class Sentences(unittest.TestCase):
    def test_each_state_has_its_own_sentence(self) -> None:
        asked = bright()
        lit = ((asked.on_min or 0, asked.off_min or 0),)
        as_asked = replace(asked.case.state, height_mm=asked.height_mm, periods=lit)
        right = replace(asked, case=replace(asked.case, state=as_asked))
        weak = tuned(shelf([read((15.1, 30.0))]), hung(250.0))
        for s, said in (
            (right, "is set right"),
            (tuned(shelf([read((15.1, 120.0))]), hung(400.0)), "Lower l to"),
            (tuned(shelf([read((15.1, 900.0))]), hung(200.0)), "Raise l to"),
            (weak, "l is too weak for A. As near as is safe"),
            (tuned(shelf([]), hung()), "Nothing tells how bright l is"),
            (replace(weak, why_not="nothing_lit"), "Nothing under l needs light."),
            (tuned(shelf([read((1, 200.0))]), hung(), 3.0), "it can stay off until the first seedling shows"),
        ):
            with self.subTest(said):
                self.assertIn(said, setting_sentence(s, METRIC))
        self.assertIn(" in above the shelf", setting_sentence(weak, IMPERIAL))

    def test_a_lamp_that_suits_not_all_is_the_least_bad(self) -> None:
        journal = shelf([read((15.1, 200.0))], trays="AB")
        journal.batches[1] = replace(journal.batches[1], crop="onion")
        s = tuned(journal, hung(trays="AB"))
        self.assertRegex(setting_sentence(s, METRIC), "is the best compromise|is too weak")

    def test_the_button_bears_what_it_does(self) -> None:
        s = bright(120.0, 400.0)
        self.assertRegex(button_words(s, METRIC), r"^Lower to \d+ mm, [\d.]+ h$")
        self.assertEqual(button_words(replace(s, height_mm=None), METRIC), "Set it")

    def test_what_the_curve_rests_on(self) -> None:
        self.assertEqual(basis_words(bright(), METRIC), "one reading at 200 mm from the lamp’s face")
        self.assertIn("2 readings", basis_words(bright(days=(15.1, 15.3)), METRIC))
        self.assertEqual(basis_words(tuned(shelf([]), hung()), METRIC), "nobody has read the light under it")
        by_lumens = tuned(shelf([], lamp=replace(LED, lumens=3600.0)), hung())
        self.assertIn("± 40 %", basis_words(by_lumens, METRIC))

    def test_everything_beside_a_setting_has_words(self) -> None:
        s = bright()
        for action in INSTEAD:
            with self.subTest(action):
                told = instead_words(LampInstead(action, "A", 9.0, 1.5, "lamp-2", 70.0, 900.0), s, METRIC)
                self.assertTrue(told.endswith("."))
                self.assertNotIn("{", told)
                self.assertNotIn("None", instead_words(LampInstead(action), s, METRIC))
        self.assertIn("by 70 mm", instead_words(LampInstead("lift", "A", lift_mm=70.0), s, METRIC))
        self.assertIn("900 µmol", instead_words(LampInstead("read_at_lamp", "A", umol=900.0), s, METRIC))
        self.assertIn("for instance under lamp-2", instead_words(LampInstead("move", "A", thing="lamp-2"), s, METRIC))

    def test_the_answer_of_the_command_has_the_keys_of_the_contract(self) -> None:
        for s in (bright(), tuned(shelf([]), hung())):
            told = as_json(s, METRIC)
            self.assertLessEqual(
                {
                    "lamp",
                    "height_mm",
                    "distance_mm",
                    "on",
                    "off",
                    "hours",
                    "expect_ppfd",
                    "expect_dli",
                    "reaches_target",
                    "instead",
                },
                set(told),
            )
        self.assertLess(as_json(bright(), METRIC)["expect_dli"]["p10"], as_json(bright(), METRIC)["expect_dli"]["p90"])

    @given(st.integers(0, 3000))
    def test_a_clock_shows_a_time_of_day(self, minutes: int) -> None:
        hours, _, rest = clock_of(minutes).partition(":")
        self.assertTrue(0 <= int(hours) < 24 and 0 <= int(rest) < 60)
        self.assertEqual((int(hours) * 60 + int(rest)) % 1440, minutes % 1440)

    def test_light_against_warmth_in_words(self) -> None:
        leek = shipped().get("leek")
        base = leek.planting.grow_base_c
        for mol, said in ((3.0, "will stretch"), (6.0, "low"), (10.0, "sturdy"), (20.0, "high")):
            self.assertTrue(ratio_words(photothermal(leek, mol, base + 10.0), METRIC).endswith(said), (mol, said))


class Doubts(unittest.TestCase):
    def test_each_says_what_it_would_mean_and_a_way_out(self) -> None:
        for kind, said in (
            ("uncalibrated", "under Set up the room"), ("dripping", "weigh it again"), ("burns", "pour plain water through A"),
            ("slip", "a decimal point?"), ("early", "has a true leaf yet"),
            ("hot", "undo it and log 2,500F"),
        ):  # fmt: skip
            with self.subTest(kind):
                told = doubt_words(Doubt(kind, "A", 2500.0), METRIC)
                self.assertIn(said, told)
                self.assertTrue(told.endswith("."))
