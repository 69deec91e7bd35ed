"""Frost: from records, from an average date, in both halves of the world, with gaps; and when a crop may go out."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import unittest
from datetime import date, timedelta

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core.planning.climate import climate
from fennet.core.planning.frost import FrostDates, Frosts, Minima, from_average, from_minima, season_of
from fennet.core.planning.gate import cold_weeks_after, day_length_note, planting_gate
from fennet.core.records import Garden
from fennet.crops import shipped
from fennet.journal.minima import minima_from_csv, read_minima
from fennet.simulated_room.weather_station import minima, minima_csv

YEARS = 24


def nights(
    mean_c: float = 5.0, swing_c: float = 8.0, years: int = YEARS, seed: int = 5, coldest: int = 20, sd_c: float = 3.0
) -> Minima:
    """A record of independent nights about a season."""
    n = years * 365 + years // 4
    rng = np.random.default_rng(seed)
    turn = 2 * np.pi * (np.arange(n) - coldest) / 365.25
    return Minima("test station", date(1996, 1, 1), mean_c - swing_c * np.cos(turn) + sd_c * rng.normal(size=n))


def last_frosts(record: Minima, threshold_c: float) -> list[date]:
    """The plain way: the last cold night of each January to mid-July."""
    by_year: dict[int, date] = {}
    for day, low in zip(record.days(), record.low_c, strict=True):
        if low <= threshold_c and date(day.year, 1, 15) <= day < date(day.year, 7, 16):
            by_year[day.year] = day
    return sorted(by_year.values(), key=lambda d: d.timetuple().tm_yday)


class Records(unittest.TestCase):
    def test_the_distribution_is_that_of_the_last_frosts(self) -> None:
        record = nights()
        found = from_minima(record, southern=False)
        assert found is not None
        plain = last_frosts(record, 0.0)
        for share in (0.25, 0.5, 0.75):
            expected = plain[int(share * len(plain))].replace(year=2026)
            day = found.day_of_risk(1 - share, 2026)
            assert day is not None
            self.assertLess(abs((day - expected).days), 8)
        self.assertGreater(found.chance_after(date(2026, 2, 1)), 0.99)
        self.assertLess(found.chance_after(date(2026, 7, 1)), 0.01)

    @settings(max_examples=25, deadline=None)
    @given(st.floats(-6, 2), st.floats(-6, 2), st.integers(20, 170))
    def test_risk_falls_with_the_day_and_with_the_hardness_of_frost(self, one: float, other: float, day: int) -> None:
        record = nights()
        soft, hard = (from_minima(record, False, t) for t in (max(one, other), min(one, other)))
        assert soft is not None and hard is not None
        at = date(2026, 1, 15) + timedelta(days=day)
        self.assertLessEqual(soft.chance_after(at + timedelta(days=5)), soft.chance_after(at) + 1e-9)
        self.assertLessEqual(hard.chance_after(at), soft.chance_after(at) + 0.06, "smoothing apart")

    def test_no_frost_and_frost_in_every_month(self) -> None:
        warm = from_minima(nights(mean_c=22, swing_c=3), False)
        assert warm is not None
        self.assertEqual((warm.n_spring, warm.chance_after(date(2026, 1, 20))), (0, 0.0))
        self.assertEqual(warm.day_of_risk(0.1, 2026), date(2026, 1, 15))
        cold = from_minima(nights(mean_c=-2, swing_c=4), False)
        assert cold is not None
        self.assertGreater(cold.summer_share, 0.9)
        self.assertIsNone(cold.day_of_risk(0.2, 2026), "no day is so safe")

    def test_the_south_has_its_winter_in_july(self) -> None:
        north = nights()
        south = Minima("south", north.first, nights(coldest=20 + 182, seed=5).low_c)
        n, s = from_minima(north, False), from_minima(south, True)
        assert n is not None and s is not None
        a, b = n.day_of_risk(0.2, 2026), s.day_of_risk(0.2, 2026)
        assert a is not None and b is not None
        self.assertAlmostEqual((b - a).days, 182, delta=12)
        self.assertEqual(season_of(date(2026, 11, 20), True)[0], 2026)
        self.assertTrue(Frosts(Garden(), south).southern, "told from the coldest month where no latitude is given")
        self.assertFalse(Frosts(Garden(), north).southern)

    def test_gaps_are_left_out_and_told(self) -> None:
        record = nights()
        low = record.low_c.copy()
        for year in (1999, 2003):
            a = (date(year, 4, 10) - record.first).days
            low[a : a + 40] = np.nan
        found = from_minima(Minima("gappy", record.first, low), False)
        whole = from_minima(record, False)
        assert found is not None and whole is not None
        self.assertEqual(found.n_years, whole.n_years - 2)
        self.assertIn("2 with too many days missing were left out", " ".join(found.notes))
        spring_only = low.copy()
        spring_only[[d.month < 3 for d in record.days()]] = np.nan
        self.assertIsNotNone(from_minima(Minima("no winters", record.first, spring_only), False), "winters hide no last frost")
        self.assertIsNone(from_minima(Minima("short", record.first, record.low_c[: 8 * 365]), False), "under ten springs")

    def test_a_record_too_short_falls_back_to_the_average_and_says_so(self) -> None:
        short = Minima("short", date(2018, 1, 1), nights().low_c[: 8 * 365])
        dates = Frosts(Garden(last_frost="05-05", latitude=52.0), short).at(0.0)
        assert dates is not None
        self.assertIn("under ten whole springs", " ".join(dates.notes))
        self.assertAlmostEqual(dates.chance_after(date(2026, 5, 5)), 0.5, delta=0.02)

    def test_an_average_date(self) -> None:
        for text in (None, "13-40", "05-99"):
            self.assertIsNone(from_average(Garden(last_frost=text)))
        leap = from_average(Garden(last_frost="02-29", latitude=40.0))
        assert leap is not None
        wide, narrow = (from_average(Garden(last_frost="05-05", last_frost_sd_d=sd)) for sd in (20, 5))
        assert wide is not None and narrow is not None
        late = date(2026, 5, 20)
        self.assertGreater(wide.chance_after(late), narrow.chance_after(late))
        south = from_average(Garden(last_frost="10-05", latitude=-42.0))
        assert south is not None
        self.assertAlmostEqual(south.chance_after(date(2026, 10, 5)), 0.5, delta=0.02)
        odd = from_average(Garden(last_frost="12-24", latitude=52.0))
        assert odd is not None
        self.assertIn("check the date", odd.notes[0])


class Files(unittest.TestCase):
    def test_a_station_file_says_the_same_as_its_entries(self) -> None:
        entries, read = minima_from_csv(minima_csv(2025))
        given = read_minima(minima(2025)).minima
        again = read_minima(entries).minima
        assert given is not None and again is not None and read.minima is not None
        self.assertEqual(len(again.low_c), len(given.low_c))
        np.testing.assert_allclose(again.low_c, given.low_c)
        self.assertEqual(len(entries), 30)
        self.assertIn("missing", read.notes[0])

    def test_units_marks_and_faults(self) -> None:
        _, f = minima_from_csv("date;min_f\n1996-01-01;32\n02.01.1996;50\n")
        assert f.minima is not None
        np.testing.assert_allclose(f.minima.low_c, [0.0, 10.0])
        _, d = minima_from_csv("\ufeffdate\tvalue\tunit\n1996-02-28\t-3,5\tdegC\n1996-03-01\t-4\tdegC\n")
        assert d.minima is not None
        self.assertTrue(np.isnan(d.minima.low_c[1]), "a leap day that is missing stays missing")
        _, bad = minima_from_csv("date,min_c\n1996-01-01,1\nsoon,2\n1996-01-03,cold\n1996-01-04,-99\n1996-01-01,3\n")
        self.assertEqual(
            [str(x).split(":")[0] for x in bad.rejected], ["line 3.date", "line 4.min", "line 5.min", "line 6.1996-01-01"]
        )
        warm = "date,min_c\n" + "\n".join(f"2001-07-{d:02},{d + 30}" for d in range(1, 12))
        self.assertIn("check the unit", " ".join(minima_from_csv(warm)[1].notes))
        for text in ("a,b\n1,2\n", "date,min_c\nx,y\n"):
            with self.assertRaises(ValueError):
                minima_from_csv(text)

    def test_journal_entries_of_any_shape(self) -> None:
        read = read_minima([
            {"on": "1996-01-01", "min_c": -2}, {"date": "1996-01-02", "value": 41, "unit": "degF"}, {"from": "1996-01-03", "min_c": [1, None, 2]},
            {"on": "1996-01-09"}, {"on": "never", "min_c": 2}, {"on": "1996-01-09", "value": 2, "unit": "K"},
        ])  # fmt: skip
        assert read.minima is not None
        np.testing.assert_allclose(read.minima.low_c, [-2, 5, 1, np.nan, 2])
        self.assertEqual([x.where for x in read.rejected], ["minima[3]", "minima[4]", "minima[5]"])
        self.assertIsNone(read_minima([]).minima)


class Gates(unittest.TestCase):
    def setUp(self) -> None:
        self.garden = Garden(latitude=52.1, longitude=4.6, last_frost="05-05")
        self.minima = read_minima(minima(2025)).minima
        self.frosts = Frosts(self.garden, self.minima)
        self.climate = climate(self.minima, False)

    def opens(self, crop: str, risk: str = "usual") -> date:
        gate = planting_gate(shipped().get(crop), 2026, self.frosts, self.climate, {"frost_risk": risk})
        assert gate.opens is not None
        return gate.opens

    def test_hardy_before_half_hardy_before_tender(self) -> None:
        dates = [self.opens(c) for c in ("leek", "celeriac", "tomatillo", "shiso")]
        self.assertEqual(dates, sorted(dates))
        middle = self.frosts.at(0.0)
        assert middle is not None
        self.assertLess(dates[0], middle.middle(2026), "hardy kinds go out before the middle of the last frost")
        self.assertGreater(dates[2], middle.middle(2026))

    def test_practice_moves_the_gate_and_the_risk_holds(self) -> None:
        bold, usual, safe = (self.opens("cosmos", r) for r in ("bold", "usual", "safe"))
        self.assertTrue(bold <= usual < safe)
        gate = planting_gate(shipped().get("cosmos"), 2026, self.frosts, self.climate, {"frost_risk": "safe"})
        self.assertLessEqual(gate.risk_on(safe) or 0.0, 0.1)

    def test_without_a_record_tender_kinds_wait_two_or_three_weeks(self) -> None:
        frosts = Frosts(self.garden, None)
        for crop, days in (("tomato", 14), ("pepper", 21)):
            gate = planting_gate(shipped().get(crop), 2026, frosts, None)
            self.assertEqual((gate.opens, gate.by), (date(2026, 5, 5) + timedelta(days=days), "rule"))
        nothing = planting_gate(shipped().get("tomato"), 2026, Frosts(Garden(), None), None)
        self.assertEqual((nothing.opens, [n.kind for n in nothing.notes]), (None, ["no_frost_known"]))

    def test_where_no_night_is_ever_warm_enough_it_says_so(self) -> None:
        cold = nights(mean_c=-2, swing_c=4)
        gate = planting_gate(shipped().get("melon"), 2026, Frosts(Garden(latitude=68.0), cold), climate(cold, False))
        self.assertEqual({n.kind for n in gate.notes}, {"never_frost_safe", "never_warm"})
        self.assertIsNotNone(gate.opens)

    def test_day_length_and_the_cold_spell(self) -> None:
        pak_choi, shiso = shipped().get("pak_choi"), shipped().get("shiso")
        june, april = date(2026, 6, 10), date(2026, 3, 25)
        note = day_length_note(pak_choi, self.garden, june)
        assert note is not None
        self.assertEqual((note.kind, round(note.values["hours"])), ("long_days", 17))
        self.assertIsNone(day_length_note(pak_choi, self.garden, april))
        short = day_length_note(shiso, self.garden, april)
        assert short is not None
        self.assertEqual(short.kind, "short_days")
        polar = day_length_note(pak_choi, Garden(latitude=71.0, longitude=25.0), june)
        assert polar is not None
        self.assertEqual(polar.kind, "no_sunrise")
        self.assertIsNone(day_length_note(pak_choi, Garden(), june))
        weeks = [cold_weeks_after(self.climate, date(2026, m, 1)) or 0 for m in (2, 4, 7)]
        self.assertEqual(weeks, sorted(weeks, reverse=True))
        self.assertIsNone(cold_weeks_after(None, june))

    def test_working_names_its_figures(self) -> None:
        dates = self.frosts.at(0.0)
        assert isinstance(dates, FrostDates)
        working = dates.working(date(2026, 5, 10))
        self.assertEqual(working.value, round(dates.chance_after(date(2026, 5, 10)), 3))
        self.assertIn("30 springs", " ".join(working.notes))
