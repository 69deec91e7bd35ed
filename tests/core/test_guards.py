"""What forbids a set-point, an idle mat, a timer mat, air around a tray: the parts of tuning that keep people safe."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.cli.journal_file import moment_of
from fennet.core.heat_mat import mat_without_lift
from fennet.core.probes import STUCK_READINGS
from fennet.core.records import Batch, Event, Journal, Mat, Place, Series, Tray
from fennet.core.tuning.guards import forbidden
from fennet.core.tuning.mat_fit import MatRecord, air_over, fit_mat, mat_record
from fennet.core.tuning.mats import CAP_C, LEAST_SETPOINT_C, MatSetting, tune_mats
from fennet.core.tuning.probes import SILENT_H
from fennet.crops import shipped
from fennet.journal.reader import read_journal
from fennet.presentation.formatter import Formatter
from fennet.presentation.tuning import setting_sentence
from tests.building import SOWN, event, on, soil
from tests.core.test_tuning import room


def mat_room(
    soil_series: list[Series], setpoint: float | None = 20.0, air_c: float | None = 16.0, on_mat: bool = True
) -> Journal:
    """One tray on one mat with a set-point, air read by the room."""
    fields: dict[str, Any] = {"setpoint_c": setpoint} if setpoint is not None else {}
    events: list[Event] = [event("placed", -1.0, "p", tray="A", place="shelf")]
    if on_mat:
        events.append(event("mat", -0.9, "m", mat="mat-1", tray="A", on=True, **fields))
    air = [soil(air_c, 3.0, "room", quantity="air_temperature", first_day=-1.0)] if air_c is not None else []
    return Journal(
        places=[Place(id="shelf", room="room", kind="shelf")],
        trays=[Tray(id="A", rows=2, columns=3)],
        mats=[Mat(id="mat-1")],
        series=[*soil_series, *air],
        events=events,
    )


def reasons(journal: Journal, setpoint: float, day: float = 2.0, ceiling_c: float = 35.0) -> list[str]:
    return [r for r, _ in forbidden(journal, "mat-1", setpoint, journal.events, on(day).timestamp(), ceiling_c)]


def wavering(mean_c: float, days: float) -> Series:
    return soil(lambda day: mean_c + 0.3 * np.sin(day * 9), days, "A", every_h=0.5)


def frozen(at_c: float) -> Series:
    """A probe that moved for half a day and has stood still since."""
    return soil(lambda day: at_c + np.where(day < 0.5, 0.3 * np.sin(day * 9), 0.0), 2.0, "A", every_h=0.5)


class Guards(unittest.TestCase):
    def test_a_probe_that_speaks_lets_heat_be_raised(self) -> None:
        self.assertEqual(reasons(mat_room([wavering(20.0, 2.0)]), 25.0), [])

    def test_silent_stuck_and_in_the_open(self) -> None:
        self.assertEqual(reasons(mat_room([]), 25.0), [], "never read: the mat’s own thermostat is all there is")
        self.assertEqual(reasons(mat_room([wavering(20.0, 2.0 - (SILENT_H + 1) / 24)]), 25.0), ["silent"])
        self.assertEqual(reasons(mat_room([frozen(20.0)]), 25.0), ["stuck"])
        self.assertEqual(reasons(mat_room([wavering(16.2, 2.0)], setpoint=24.0), 28.0), ["reads_air"])

    def test_a_hand_thermometer_that_reads_the_same_thrice_is_not_stuck(self) -> None:
        self.assertLess(3, STUCK_READINGS)
        self.assertEqual(reasons(mat_room([soil(20.0, 2.0, "A", every_h=8)]), 25.0), [])

    @given(st.floats(LEAST_SETPOINT_C, 20.0))
    def test_turning_down_is_never_forbidden(self, setpoint: float) -> None:
        for series in ([], [soil(20.0, 2.0, "A", every_h=0.5)], [wavering(16.2, 2.0)]):
            self.assertEqual(reasons(mat_room(series), setpoint), [])

    def test_the_cap_the_ceiling_and_the_floor(self) -> None:
        journal = mat_room([wavering(20.0, 2.0)])
        self.assertEqual(reasons(journal, CAP_C + 0.5), ["over_cap"])
        self.assertEqual(reasons(journal, 34.0, ceiling_c=33.0), ["over_ceiling"])
        self.assertEqual(reasons(journal, LEAST_SETPOINT_C - 0.5), ["under_least"])


class NothingIsSetByAProbeThatTellsNothing(unittest.TestCase):
    """Guards stand in the tuning itself, whoever asks it."""

    def tuned(
        self, soil_series: list[Series], setpoint: float = 26.0, air_c: float | None = 18.0, crop: str = "pepper"
    ) -> MatSetting:
        j = mat_room(soil_series, setpoint, air_c)
        b = Batch(id="b", crop=crop, tray="A", cells=6, sown_at=on(-0.8))
        return tune_mats(replace(j, batches=[b]), {crop: shipped().get(crop)}, on(2.0).timestamp())[0]

    def test_soil_at_room_temperature_on_a_mat_that_is_set_to_heat(self) -> None:
        for air_c in (18.0, None):
            s = self.tuned([wavering(18.3, 2.0)], air_c=air_c)
            self.assertEqual((s.setpoint_c, s.why_not, s.changes), (None, "check_plug_and_probe", False))
            self.assertEqual([i.action for i in s.instead], ["probe_reads_air"])
        self.assertIn("Check plug and probe", setting_sentence(s, Formatter(ZoneInfo("UTC"))))

    def test_a_mat_that_warms_is_tuned_and_one_just_set_has_shown_nothing_yet(self) -> None:
        self.assertIsNotNone(self.tuned([wavering(25.0, 2.0)]).setpoint_c)
        j = mat_room([wavering(18.3, 2.0)], 20.0, 18.0)
        j = replace(j, events=[*j.events, event("mat", 1.9, "now", mat="mat-1", setpoint_c=27.0)], batches=[
            Batch(id="b", crop="pepper", tray="A", cells=6, sown_at=on(-0.8))])  # fmt: skip
        self.assertIsNotNone(tune_mats(j, {"pepper": shipped().get("pepper")}, on(2.0).timestamp())[0].setpoint_c)

    def test_what_is_proposed_is_not_refused_for_a_tray_in_which_nothing_waits(self) -> None:
        quiet = replace(wavering(24.0, 1.0), place="B")
        j = mat_room([wavering(22.0, 2.0), quiet], 22.0, 18.0)
        j = replace(
            j, batches=[Batch(id="b", crop="pepper", tray="A", cells=6, sown_at=on(-0.8))],
            trays=[*j.trays, Tray(id="B", rows=1, columns=1)],
            events=[*j.events, event("mat", -0.9, "m2", mat="mat-1", tray="B", on=True)],
        )  # fmt: skip
        s = tune_mats(j, {"pepper": shipped().get("pepper")}, on(2.0).timestamp())[0]
        assert s.setpoint_c is not None
        self.assertGreater(s.setpoint_c, 22.0)
        self.assertEqual(reasons(j, s.setpoint_c), [])

    def test_silent_stuck_and_no_soil_at_all(self) -> None:
        for series, action in (
            (wavering(24.0, 2.0 - (SILENT_H + 1) / 24), "probe_silent"), (frozen(24.0), "probe_stuck"),
        ):  # fmt: skip
            self.assertEqual([i.action for i in self.tuned([series]).instead], [action])
        self.assertIsNone(self.tuned([wavering(75.0, 2.0)]).setpoint_c, "75 is no °C of mix")
        self.assertIsNotNone(self.tuned([soil(24.0, 1.2, "A", every_h=12)]).setpoint_c, "read by hand yesterday still speaks")

    @given(st.sampled_from(("lettuce", "pepper", "tomato", "celeriac", "leek", "cucumber")), st.floats(14, 30), st.floats(10, 34))
    def test_never_above_what_the_least_heat_loving_stands(self, other: str, soil_c: float, setpoint: float) -> None:
        j = mat_room([wavering(soil_c, 2.0)], setpoint, 16.0)
        two = [Batch(id=c, crop=c, tray="A", cells=3, sown_at=on(-0.8)) for c in ("pepper", other)]
        crops = {c: shipped().get(c) for c in ("pepper", other)}
        s = tune_mats(replace(j, batches=two), crops, on(2.0).timestamp())[0]
        if s.expect_soil_c is not None and s.setpoint_c is not None and s.setpoint_c > LEAST_SETPOINT_C:
            self.assertLessEqual(s.expect_soil_c.p50, min(c.soil_high_c for c in crops.values()) + 0.5)

    def test_kinds_that_do_not_agree_are_parted(self) -> None:
        j = mat_room([wavering(20.0, 2.0)], 21.0, 16.0)
        two = [Batch(id=c, crop=c, tray="A", cells=3, sown_at=on(-0.8)) for c in ("tomato", "celeriac")]
        s = tune_mats(replace(j, batches=two), {c: shipped().get(c) for c in ("tomato", "celeriac")}, on(2.0).timestamp())[0]
        self.assertIn("part", [i.action for i in s.instead])


class Idle(unittest.TestCase):
    def batch(self, journal: Journal, soil_c: float) -> Any:
        from fennet.core.records import Batch

        b = Batch(id="b", crop="tomato", tray="A", cells=6, sown_at=SOWN)
        return mat_without_lift(journal, b, journal.events, on(2.0).timestamp(), soil_c)

    def test_a_mat_that_warms_nothing_is_found_and_one_that_does_is_not(self) -> None:
        self.assertIsNotNone(self.batch(mat_room([], setpoint=26.0), 16.3))
        self.assertIsNone(self.batch(mat_room([], setpoint=26.0), 22.0))
        self.assertIsNone(self.batch(mat_room([], setpoint=18.0), 16.3), "it asks for too little to tell")
        self.assertIsNone(self.batch(mat_room([], setpoint=26.0, air_c=None), 16.3), "without air nothing can be told")
        self.assertIsNone(self.batch(mat_room([], setpoint=None), 16.3))
        self.assertIsNone(self.batch(mat_room([], setpoint=26.0, on_mat=False), 16.3))


class Records(unittest.TestCase):
    def test_hours_after_a_change_are_not_used(self) -> None:
        journal = room({"A": "tomato"}, 22.0, 24.0)
        whole = mat_record(journal, "mat-1", "A", journal.events, on(1.0).timestamp())
        changed = [*journal.events, event("cover", 0.5, "c", tray="A", on=True)]
        less = mat_record(journal, "mat-1", "A", changed, on(1.0).timestamp())
        self.assertEqual(len(whole) - len(less), 8)
        off = [*journal.events, event("mat", 0.5, "off", mat="mat-1", tray="A", on=False)]
        self.assertLess(mat_record(journal, "mat-1", "A", off, on(1.0).timestamp()).at_s.max(), on(0.51).timestamp())

    def test_a_tray_that_went_to_another_mat_is_not_read_for_the_first(self) -> None:
        journal = room({"A": "tomato"}, 22.0, 24.0)
        moved = [*journal.events, event("mat", -1.0, "m2", mat="mat-2", tray="A", on=True, setpoint_c=20.0)]
        found = mat_record(journal, "mat-1", "A", moved, on(1.0).timestamp())
        self.assertTrue((found.at_s <= on(-1.0).timestamp()).all())

    def test_air_comes_from_the_room_the_place_or_the_tray_nearest_first(self) -> None:
        events = [event("placed", -1.0, "p", tray="A", place="shelf")]
        warm, cool = (
            soil(t, 1.0, place, quantity="air_temperature", first_day=-1.0) for t, place in ((21.0, "shelf"), (15.0, "room"))
        )
        journal = Journal(places=[Place(id="shelf", room="room")], series=[cool, warm])
        at = np.array([on(0.5).timestamp()])
        self.assertAlmostEqual(float(air_over(journal, "A", events, at)[0]), 21.0)
        far = np.array([on(4.0).timestamp()])
        self.assertTrue(np.isnan(air_over(journal, "A", events, far)[0]), "older than six hours says nothing")

    @given(st.integers(1, 500), st.integers(4, 200))
    def test_thinning_keeps_the_spread(self, n: int, most: int) -> None:
        x = np.arange(float(n))
        thin = MatRecord(x, x, x, x, x).thinned(most)
        self.assertLessEqual(len(thin), most)
        self.assertEqual(thin.at_s[0], 0.0)
        if n > most:
            self.assertGreaterEqual(thin.at_s[-1], n / 2 - 1)

    def test_air_that_nobody_read_is_found_with_the_rest_and_no_warmer_than_the_soil(self) -> None:
        hours = np.arange(72.0)
        record = MatRecord(hours * 3600, np.full(72, 24.0), np.full(72, 23.0), np.full(72, np.nan), np.zeros(72))
        fit = fit_mat(record, False)
        self.assertLess(abs(fit.mean[0] + fit.mean[1] * 24.0 - 23.0), 0.5)
        self.assertLessEqual(fit.draws()[:, 4].max(), 23.0)


class Timers(unittest.TestCase):
    def test_the_swing_of_a_timer_mat_costs_days(self) -> None:
        swinging = room({"A": "pepper"}, 22.0, None, control="timer")
        day = soil(lambda d: 20.0 + 8.0 * np.sign(np.sin(d * 2 * np.pi)), 1.0, "A", first_day=-2.0)
        events = [*swinging.events, event("mat", -2.4, "t", mat="mat-1", periods=[["06:00", "18:00"]])]
        journal = Journal(**{**vars(swinging), "series": [day], "events": events})
        s = tune_mats(journal, {"pepper": shipped().get("pepper")}, on(1.0).timestamp())[0]
        self.assertEqual(s.why_not, "no_thermostat")
        self.assertGreater(s.instead[0].days or 0.0, 0.2)


class Cases(unittest.TestCase):
    def test_every_case_is_set_or_refused_as_it_should_be(self) -> None:
        files = sorted((Path(__file__).parent.parent / "cases").glob("tune_*.json"))
        self.assertGreaterEqual(len(files), 9)
        for file in files:
            case = json.loads(file.read_text(encoding="utf-8"))
            truth, read = case["truth"], read_journal(case)
            with self.subTest(file.stem):
                self.assertFalse(read.rejected)
                crops = {b.crop: read.crops.get(b.crop) for b in read.journal.batches}
                s = tune_mats(read.with_series(), crops, moment_of(read, truth.get("at")))[0]
                if truth["expect"] != "setpoint":
                    self.assertEqual((s.why_not, s.setpoint_c), (truth["expect"], None))
                    self.assertTrue(s.instead or s.why_not == "no_thermostat", "it says what to do first")
                    continue
                assert s.setpoint_c is not None
                self.assertLessEqual(s.setpoint_c, truth.get("at_most_c", 38.0))
                self.assertEqual(s.flat_out, truth.get("flat_out", s.flat_out))
                wanted = set(truth.get("instead", ()))
                self.assertTrue(not wanted or wanted & {i.action for i in s.instead})
