"""Words, figures and dates: what a person reads must be true and in their own units."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.working import Interval
from fennet.presentation.entries import entry_words
from fennet.presentation.formatter import LOCALES, Formatter
from fennet.presentation.sentences import verdict_sentence
from tests.building import asked, counts, event, record, soil

SAY = Formatter(ZoneInfo("Europe/Tallinn"))
AMERICAN = Formatter(ZoneInfo("America/New_York"), "en_US", "degF")


def moment(text: str) -> float:
    return datetime.fromisoformat(text).timestamp()


def span(first: str, last: str) -> Interval[float]:
    return Interval(moment(first), (moment(first) + moment(last)) / 2, moment(last))


class Figures(unittest.TestCase):
    def test_temperatures_and_their_differences(self) -> None:
        self.assertEqual((SAY.temperature(18.04), AMERICAN.temperature(18.0)), ("18 °C", "64.4 °F"))
        self.assertEqual((SAY.temperature_span(2.0), AMERICAN.temperature_span(2.0)), ("2 °C", "3.6 °F"))
        self.assertEqual(Formatter(ZoneInfo("UTC"), "en_DE").temperature(10.3), "10,3 °C")
        self.assertEqual(SAY.temperature(-0.04), "0 °C", "no minus nought")

    def test_chances_are_never_told_as_certain(self) -> None:
        self.assertEqual(
            [SAY.percent(p) for p in (0.0, 0.004, 0.456, 0.996, 1.0)], ["0 %", "under 1 %", "46 %", "over 99 %", "100 %"]
        )

    def test_lengths_in_words(self) -> None:
        self.assertEqual(
            [SAY.days(d) for d in (0.1, 0.5, 1.2, 7.6, -3.0, 40.2)],
            ["a few hours", "half a day", "a day", "eight days", "three days", "40 days"],
        )

    @given(st.sampled_from(sorted(LOCALES)), st.floats(-1e6, 1e6), st.integers(0, 3))
    def test_any_figure_can_be_told(self, locale: str, value: float, digits: int) -> None:
        text = Formatter(ZoneInfo("UTC"), locale).number(value, digits)
        self.assertRegex(text, r"^-?[\d.,]+$")


class Dates(unittest.TestCase):
    def test_ranges_within_a_month_across_two_and_on_one_day(self) -> None:
        self.assertEqual(SAY.day_range(span("2026-03-04T10:00+02:00", "2026-03-07T10:00+02:00")), "4–7 March")
        self.assertEqual(SAY.day_range(span("2026-02-26T10:00+02:00", "2026-03-04T10:00+02:00")), "26 February – 4 March")
        self.assertEqual(SAY.day_range(span("2026-03-04T01:00+02:00", "2026-03-04T23:00+02:00")), "4 March")
        self.assertEqual(AMERICAN.day_range(span("2026-03-04T10:00-05:00", "2026-03-07T10:00-05:00")), "March 4–7")

    def test_days_are_the_gardens_own_and_the_clocks_may_change(self) -> None:
        late = datetime(2026, 3, 3, 22, 30, tzinfo=UTC)
        self.assertEqual((SAY.day(late), AMERICAN.day(late)), ("4 March", "March 3"))
        before = datetime(2026, 3, 29, 0, 59, tzinfo=UTC)
        self.assertEqual([SAY.moment(before + timedelta(minutes=m)) for m in (0, 2)], ["29 March, 02:59", "29 March, 04:01"])
        self.assertEqual(SAY.typed(before), "2026-03-29T02:59")


class Sentences(unittest.TestCase):
    def said(self, journal: object, day: float, fmt: Formatter = SAY) -> str:
        return verdict_sentence(asked(journal, day), fmt)  # type: ignore[arg-type]

    def test_each_verdict_says_what_it_rests_on(self) -> None:
        for journal, day, words in (
            (record([]), 3, r"^Half should be up .* February, in a house at about 18 °C, look from .*; worry after .*, give up on"),
            (record([soil(18, 1)]), 6, r"^Cannot tell: no temperature from 4 February to 9 February"),
            (record([soil(18, 3)]), 3, r"^Not due yet: half should be up .*February at the 18 °C your record shows\.$"),
            (record([soil(18, 3, estimated=True)]), 3, r"at the 18 °C you guessed\.$"),
            (record([soil(18, 3, quantity="air_temperature")]), 3, r"judged from the air\.$"),
            (record([soil(18.5, 6)], counts((5, 3), (6, 7))), 6, r"^On time: seven of 12 cells are up, half of all that will come since 9 February\.$|^On time: seven of twelve"),
            (record([soil(22, 3)], counts((2, 4), (3, 11))), 3, r"^Early: eleven of twelve cells are up already"),
            (record([soil(20, 9)], counts((6, 12))), 9, r"^Finished: all twelve cells are up\. Half were up by 9 February\.$"),
            (record([soil(20, 5)], [*counts((4, 2)), event("gave_up", 5, batch="b1")]), 5, r"^Finished: two of twelve cells came up\.$"),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertRegex(self.said(journal, day), words)

    def test_late_names_the_cause_the_dates_and_what_would_help(self) -> None:
        told = self.said(record([soil(9.5, 10)]), 10)
        self.assertRegex(
            told,
            r"^Late by \w+ days, (nearly all|most) of it cold soil: at 9\.5 °C half are due .*; at 18\.5 °C nearly all would show within \w+ days\.$",
        )
        self.assertRegex(self.said(record([soil(9.5, 10)]), 10, AMERICAN), r"at 49\.1 °F half are due .*; at 65\.3 °F")

    def test_late_without_a_cause_says_so_and_promises_nothing(self) -> None:
        told = self.said(record([soil(20, 8)], counts((8, 1))), 8)
        self.assertIn("without a cause in the record", told)
        self.assertNotIn("would show within", told)

    def test_an_old_count_is_told(self) -> None:
        for day in (8, 9):
            told = self.said(record([soil(17, day)], counts((5, 6))), day)
            self.assertRegex(told, r"Last change logged (three|four) days ago: look again\.$")


class Entries(unittest.TestCase):
    def test_what_was_done_in_words(self) -> None:
        for made, words in (
            (event("count", 1, batch="leek-1", cells_up=3), "leek-1: 3 cells up"), (event("count", 1, batch="b", rooted=4), "b: 4 seeds rooted"),
            (event("cover", 1, tray="A", on="vented"), "A: cover vented"), (event("cover", 1, tray="A", on=False), "A: cover off"),
            (event("mat", 1, mat="mat-1", tray="A", on=True, setpoint_c=21.0), "A: on mat-1, set to 21 °C"), (event("mat", 1, mat="mat-1", tray="A", on=False), "A: off mat-1"),
            (event("watered", 1, tray="A", how="below", ml=250), "A: watered 250 ml from below"), (event("placed", 1, tray="A", place="sill"), "A: to sill"),
            (event("moved_to_light", 1, batch="b1"), "b1: to the light"), (event("note", 1, text="smells of rain"), "“smells of rain”"),
            (event("lamp", 1, lamp="l", height_mm=120.0, on="06:30", off="21:00"), "l: at 120 mm, 06:30–21:00"), (event("sign", 1, batch="b", sign="fallen_pinched_base", cells=2), "b: fallen, base pinched in 2 cells"),
            (event("outing", 1, batch="b", hours=3.0, shade_share=0.5), "b: 3 h outside in 50 % shade"), (event("height", 1, batch="b", mm=45.0, true_leaves=2), "b: 45 mm tall, 2 true leaves"),
        ):  # fmt: skip
            self.assertEqual(entry_words(made, SAY), words)
