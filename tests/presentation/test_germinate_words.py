"""Findings, settings, tasks and absences in words, in both kinds of units, for whatever the core can make."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import json
import unittest
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.away import Ask
from fennet.core.diagnosis.damping_finding import ACTIONS as DAMPING_DEEDS
from fennet.core.diagnosis.damping_finding import BEFORE_UP
from fennet.core.diagnosis.finding import ArguedCause, Evidence, Finding, NextCheck, Remedy, SlowFigures
from fennet.core.diagnosis.leggy_finding import ACTIONS as LEGGY_DEEDS
from fennet.core.diagnosis.signs_finding import ACTIONS as SIGN_DEEDS
from fennet.core.diagnosis.slow_remedies import ACTIONS
from fennet.core.records import Batch, Mat
from fennet.core.room import MatState
from fennet.core.tuning.mats import INSTEAD_C, Instead, MatSetting
from fennet.core.work.task import LOSS
from fennet.core.working import Interval
from fennet.presentation.diagnosis import CAUTIONS, REMEDIES, as_json, check_words, evidence_words, remedy_words, verdict_words
from fennet.presentation.formatter import Formatter
from fennet.presentation.tuning import INSTEAD, instead_words, setting_sentence
from fennet.presentation.work import ask_words, minutes_words, when_words
from tests.core.test_diagnosis import found
from tests.tasks import task

METRIC = Formatter(ZoneInfo("Europe/Amsterdam"))
IMPERIAL = Formatter(ZoneInfo("America/New_York"), "en_US", "degF", "imperial")
BATCH = Batch(id="b", crop="leek", tray="A", cells=12, sown_at=datetime(2026, 2, 3, 8, tzinfo=UTC))
CASES = Path(__file__).parent.parent / "cases"


def finding(state: str, causes: tuple[ArguedCause, ...] = (), up: int = 0, **more: Any) -> Finding:
    figures = SlowFigures(12.0, up, 12, 9.0, 18.5, **more)
    return Finding(
        BATCH, "slow_germination", state, 0.9, causes, NextCheck("mix_feel", 0.2), (), BATCH.sown_at.timestamp() + 1e6, figures
    )


class Verdicts(unittest.TestCase):
    def test_the_surer_the_plainer(self) -> None:
        def cause(name: str, share: float) -> ArguedCause:
            return ArguedCause(name, share, 1.0, (Evidence("light_reaches"),))

        sure = verdict_words(finding("slow", (cause("cold_soil", 0.9), cause("dry_spell", 0.1))), METRIC)
        self.assertEqual(
            sure,
            "Nothing is up after twelve days; at 18.5 °C half would be up in nine days. The most likely cause is cold soil (90\N{NO-BREAK SPACE}%).",
        )
        self.assertIn(
            "The most likely cause is", verdict_words(finding("slow", (cause("cold_soil", 0.6), cause("dry_spell", 0.4))), METRIC)
        )
        torn = verdict_words(finding("few", (cause("cold_soil", 0.4), cause("dry_spell", 0.35)), up=2), METRIC)
        self.assertIn("It may be cold soil", torn)
        self.assertIn("or a dry spell", torn)
        alone = verdict_words(finding("slow", (ArguedCause("dry_spell", 0.64, 1.0),)), METRIC)
        self.assertNotIn("dry spell", alone, "a cause with nothing for it leads no verdict")
        self.assertRegex(alone, r"Nothing recorded explains it\. First: squeeze a pinch")
        self.assertIn("Nothing on record explains it", verdict_words(finding("slow", (cause("unexplained", 0.9),)), METRIC))

    def test_what_is_not_slow(self) -> None:
        self.assertIn("Not due yet", verdict_words(finding("not_due_yet"), METRIC))
        self.assertIn("As it should be: eleven of twelve cells", verdict_words(finding("as_it_should", up=11), METRIC))
        self.assertIn("Cannot tell", verdict_words(finding("cannot_tell"), METRIC))
        self.assertIn("seeds are rooted", verdict_words(finding("on_time", up=3, towel=True), METRIC).replace("cells", "seeds"))

    def test_fahrenheit_reaches_every_figure(self) -> None:
        for file in sorted(CASES.glob("slow_cold*.json")):
            told = json.dumps(as_json(found(json.loads(file.read_text(encoding="utf-8"))), IMPERIAL, str), ensure_ascii=False)
            self.assertIn("°F", told)
            self.assertNotIn("°C", told)

    def test_a_towel_is_opened_and_not_dug(self) -> None:
        words = check_words(replace(finding("slow", towel=True), next_check=NextCheck("dug_seed", 0.3)), METRIC)
        assert words is not None
        self.assertIn("Open the bag", words[0])
        self.assertIsNone(check_words(replace(finding("slow"), next_check=None), METRIC))

    def test_evidence_of_no_known_kind_is_an_error_and_not_silence(self) -> None:
        with self.assertRaises(KeyError):
            evidence_words(Evidence("no_such", {}), METRIC)

    def test_every_deed_has_words_an_effect_and_its_caution(self) -> None:
        whole = Remedy(
            "", "cold_soil", Interval(1.0, 3.0, 5.0), None, "A", "mat-1", 24.0, 28.0, 26.0, 0.3, 8.0, "lamp-1", 150.0, 15.0, 12.0,
            "leek", 1.8e9,
        )  # fmt: skip
        tables = (ACTIONS, LEGGY_DEEDS, DAMPING_DEEDS, SIGN_DEEDS)
        actions = {d for table in tables for those in table.values() for d in those} | {"check_plug", "measure_soil"}
        actions |= {"read_light", "bury_stem", "support", "resow", "resow_too_late", "fan_on", "remove_fallen", "keep_apart"}
        actions |= {"wash_trays", "sow_spares_clean", "sow_other_seed", "look_at_dusk", *BEFORE_UP}
        for action in actions:
            do, effect = remedy_words(replace(whole, action=action), METRIC)
            self.assertTrue(do.endswith(".") and effect.endswith("."), action)
            self.assertNotIn("{", do)
        self.assertLessEqual(set(REMEDIES) | {"warm_soil", "cool_soil", "check_plug"}, actions | {"wait"})
        self.assertIn("maker", CAUTIONS["warm_soil"])
        self.assertIn("licensed electrician", CAUTIONS["check_plug"])


class Settings(unittest.TestCase):
    def setting(self, **more: Any) -> MatSetting:
        fields: dict[str, Any] = {
            "mat": Mat(id="mat-1"), "now": MatState("mat-1", setpoint_c=21.0), "trays": (), "setpoint_c": 26.5, "range_c": (25.0, 28.0),
            "expect_soil_c": Interval(24.6, 26.0, 27.1), "middle_c": 27.0, "flat_out": False, "gain_days": 2.4, "instead": (),
        }  # fmt: skip
        return MatSetting(**(fields | more))

    def test_the_sentence_of_each_state(self) -> None:
        self.assertIn("Set mat-1 to 26.5 °C", setting_sentence(self.setting(), METRIC))
        self.assertIn("79.7 °F", setting_sentence(self.setting(), IMPERIAL))
        self.assertIn("is set right", setting_sentence(self.setting(setpoint_c=21.0), METRIC))
        self.assertIn("changes nothing", setting_sentence(self.setting(flat_out=True), METRIC))
        for why, words in (("nothing_waits", "can come off"), ("no_thermostat", "no set-point to tune"), ("too_hot", "too hot")):
            self.assertIn(words, setting_sentence(self.setting(setpoint_c=None, expect_soil_c=None, why_not=why), METRIC))

    def test_everything_that_helps_has_words(self) -> None:
        s = self.setting()
        self.assertLessEqual(set(INSTEAD_C), set(INSTEAD))
        for action in INSTEAD:
            for i in (Instead(action, "A", 2.0), Instead(action, "A", None, 3.0), Instead(action)):
                words = instead_words(i, s, METRIC)
                self.assertNotIn("{", words)
                self.assertTrue(words.endswith("."), words)


class Times(unittest.TestCase):
    NOW = datetime(2026, 3, 28, 20, tzinfo=ZoneInfo("Europe/Amsterdam")).timestamp()

    def test_now_today_tomorrow_and_over_a_clock_change(self) -> None:
        def told(hours: float, kind: str = "water", grave: bool = False) -> str:
            return when_words(task(kind, self.NOW + hours * 3600, grave=grave), self.NOW, METRIC)

        self.assertEqual(told(-1, "hand_over", True), "now")
        self.assertEqual(told(-1, "late"), "today")
        self.assertEqual(told(2), "about 22:00")
        self.assertEqual(told(14), "tomorrow")
        self.assertEqual(told(50), "30 Mar" if METRIC.locale == "en_GB" else "Mar 30")

    @given(st.lists(st.sampled_from(sorted(LOSS)), min_size=1, max_size=30))
    def test_a_list_takes_at_least_a_minute(self, kinds: list[str]) -> None:
        words = minutes_words([task(k) for k in kinds], METRIC)
        self.assertTrue(words == "a minute" or words.startswith("about "), words)

    def test_an_absence_in_words(self) -> None:
        a = Ask("water", "G", self.NOW, self.NOW + 26 * 3600, ml=540.0)
        self.assertEqual(ask_words(a, METRIC), "Between 28 March and 29 March: water G with about 540 ml.")
        self.assertIn("fl oz", ask_words(a, IMPERIAL))
        self.assertIn("never leave a mat unattended", ask_words(Ask("mat_alone", "A", self.NOW, self.NOW, "mat-1"), METRIC))
