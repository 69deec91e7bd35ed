"""What there is to do: which deeds, in which order, what was left, what an absence means, and whether promises held."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.core.away import away
from fennet.core.conditions import conditions
from fennet.core.forecast import forecast
from fennet.core.history import Counts, effective_events
from fennet.core.learning.habits import Habit
from fennet.core.planning.plan import outdoors, plan
from fennet.core.records import Batch, Event, Garden, Journal, Lamp, Mat, Place, Series, Tray, Want
from fennet.core.room import room_at
from fennet.core.scoring import Promise, score_promise, score_promises, scores, settled
from fennet.core.targets import practice_of
from fennet.core.tuning.mats import tune_mats
from fennet.core.tuning.places import exchanges, places
from fennet.core.work.figures import CallIt, FeelMix, HandOver, Mist, SowDay
from fennet.core.work.planned import planned_tasks
from fennet.core.work.task import LEAVE, BatchDay, Task, left
from fennet.core.work.worklist import FIRST, first_and_rest, grouped, in_order, worklist
from fennet.core.working import Interval, Working
from fennet.crops import shipped
from fennet.journal.promises import entry_of, promise_of, read_promises
from fennet.presentation.formatter import Formatter
from fennet.presentation.work import ask_words, task_words, when_words
from tests.building import DAY_S, SOWN, event, on, soil
from tests.tasks import as_a, task

ZONE = ZoneInfo("Europe/Amsterdam")
SAY = Formatter(ZONE)


def room(crop: str = "tomato", soil_c: float = 26.0, **more: Any) -> Journal:
    """One covered tray on a mat in a lit room's dark corner, sown at day 0, its soil logged by the half hour."""
    events = [
        event("placed", -1.0, "p", tray="A", place="floor"),
        event("mat", -1.0, "m", mat="mat-1", tray="A", on=True, setpoint_c=soil_c),
        event("cover", 0.0, "c", tray="A", on=True),
        *more.pop("events", []),
    ]
    held = soil(lambda day: soil_c + 0.2 * np.sin(day * 9), more.pop("read_days", 30.0), "A", every_h=0.5, first_day=-1.0)
    series = [held, *more.pop("series", [])]
    fields: dict[str, Any] = {
        "garden": Garden(timezone="Europe/Amsterdam"),
        "places": [Place(id="floor", kind="floor"), Place(id="shelf", kind="shelf")],
        "lamps": [Lamp(id="lamp-1", place="shelf")],
        "mats": [Mat(id="mat-1", control="thermostat", trays_max=1)],
        "trays": [Tray(id="A", rows=2, columns=3, cell_ml=50.0)],
        "batches": [Batch(id="b", crop=crop, tray="A", cells=6, sown_at=SOWN)],
    }
    return Journal(series=series, events=events, **(fields | more))


def listed(journal: Journal, day: float, marked: Any = (), habits: Any = ()) -> list[Task]:
    at_s = on(day).timestamp()
    events = effective_events(journal.events, at_s)
    state = room_at(journal, events, at_s)
    crops = {b.crop: shipped().get(b.crop) for b in journal.batches}
    settings = tune_mats(journal, crops, at_s)
    swaps = exchanges(journal, crops, settings, events, at_s)
    return worklist(journal, state, events, days_of(journal, day), settings, swaps, marked, at_s, habits=habits)


def days_of(journal: Journal, day: float) -> list[BatchDay]:
    at_s = on(day).timestamp()
    events = effective_events(journal.events, at_s)
    trays = {t.id: t for t in journal.trays}
    out = []
    for b in journal.batches:
        crop = shipped().get(b.crop)
        c = conditions(journal, crop, b, events, at_s, ZONE)
        out.append(BatchDay(b, trays[b.tray or ""], c, forecast(journal, crop, b, at_s), practice_of(journal.garden, b)))
    return out


def kinds(tasks: list[Task]) -> list[str]:
    return [t.kind for t in tasks]


def up(day: float, n: int, batch: str = "b") -> Event:
    return event("count", day, f"up{day}{batch}", batch=batch, cells_up=n)


class List(unittest.TestCase):
    def test_nothing_is_asked_of_a_tray_that_waits_in_its_band(self) -> None:
        self.assertEqual(kinds(listed(room(), 1.0)), [])

    def test_the_first_is_looked_for_when_it_may_show_and_not_twice_a_day(self) -> None:
        self.assertIn("look", kinds(listed(room(), 4.5)))
        seen = room(events=[event("sign", 4.4, "s", batch="b", sign="nothing_up")])
        self.assertNotIn("look", kinds(listed(seen, 4.5)))

    def test_the_hand_over_comes_first_and_in_order(self) -> None:
        tasks = listed(room(events=[up(5.0, 2), up(5.5, 3)]), 6.0)
        self.assertEqual(tasks[0].kind, "hand_over")
        self.assertEqual(as_a(HandOver, tasks[0]).steps, ("cover_off", "mat_off", "light_on"))
        self.assertAlmostEqual(as_a(HandOver, tasks[0]).dark_h, 24.0, delta=0.1)
        self.assertNotIn("no_light", kinds(tasks), "the light of the hand-over is not asked for twice")
        words = task_words(tasks[0], "tomato", SAY)
        self.assertEqual(words.line, "A cover off; A mat off; b to light")
        done = room(events=[up(5.0, 2), up(5.5, 3), event("cover", 5.6, "c2", tray="A", on=False),
                            event("mat", 5.6, "m2", mat="mat-1", tray="A", on=False), event("placed", 5.6, "p2", tray="A", place="shelf")])  # fmt: skip
        self.assertNotIn("hand_over", kinds(listed(done, 6.0)))

    def test_other_seed_in_the_tray_keeps_its_mat(self) -> None:
        both = room(
            batches=[
                Batch(id="b", crop="tomato", tray="A", cells=3, sown_at=SOWN),
                Batch(id="late", crop="pepper", tray="A", cells=3, sown_at=SOWN),
            ],
            events=[up(5.0, 3)],
        )
        steps = as_a(HandOver, next(t for t in listed(both, 5.5) if t.kind == "hand_over")).steps
        self.assertNotIn("mat_off", steps)

    def test_laggards_are_misted_daily(self) -> None:
        off = [up(5.0, 2), up(5.5, 3), event("cover", 5.6, "c2", tray="A", on=False)]
        mist = next(t for t in listed(room(events=off), 6.0) if t.kind == "mist")
        self.assertEqual(as_a(Mist, mist).n, 3)
        misted = room(events=[*off, event("watered", 5.9, "w", tray="A", how="mist")])
        self.assertNotIn("mist", kinds(listed(misted, 6.0)))

    def test_a_tray_that_will_not_come_is_called(self) -> None:
        call = next(
            t for t in listed(room(events=[event("sign", 29.0, "s", batch="b", sign="nothing_up")]), 29.5) if t.kind == "call_it"
        )
        self.assertLess(as_a(CallIt, call).chance, 0.1)
        words = task_words(call, "tomato", SAY)
        self.assertIn("frees 6 cells", words.why)
        self.assertEqual(words.line, "b gave up")

    def test_a_logger_that_fell_silent_is_told(self) -> None:
        self.assertIn("probe_silent", kinds(listed(room(read_days=2.0), 2.5)))
        self.assertNotIn("probe_silent", kinds(listed(room(read_days=2.4), 2.5)))

    def test_a_logger_that_stands_still_is_told_with_what_rests_on_it(self) -> None:
        at = np.array([on(1 + i / 48).timestamp() for i in range(144)])

        def shown(still_h: float, from_pct: float = 60.0) -> Series:
            value = from_pct - np.arange(144) / 10
            value[144 - int(2 * still_h) :] = value[144 - int(2 * still_h)]
            return Series("A", "moisture", "m-1", at, np.clip(value, 0.0, 100.0), np.zeros(144, bool))

        found = [t for t in listed(room(series=[shown(40.0)]), 4.0) if t.kind == "probe_stuck"]
        self.assertEqual(len(found), 1)
        words = task_words(found[0], "tomato", SAY)
        self.assertIn("A: m-1 stands still", words.what)
        self.assertIn("waterings", words.why)
        self.assertNotIn("probe_stuck", kinds(listed(room(series=[shown(20.0)]), 4.0)), "under a lid a day may be still")
        self.assertNotIn("probe_stuck", kinds(listed(room(series=[shown(40.0, 112.0)]), 4.0)), "full is full")
        typed = Series("A", "moisture", "m-1", at, np.full(144, 55.0), np.zeros(144, bool))
        self.assertNotIn("probe_stuck", kinds(listed(room(series=[typed]), 4.0)), "what never moved was typed once")

    def test_a_probe_that_shows_what_cannot_be_fell_out_or_drifts_is_told_with_what_mends_it(self) -> None:
        at = np.array([on(1 + i / 48).timestamp() for i in range(40 * 48)])
        day = (at - at[0]) / 86_400
        calm = 22 + np.sin(2 * np.pi * day)

        def probe(value: np.ndarray, name: str = "p-1", quantity: str = "soil_temperature") -> Series:
            return Series("A", quantity, name, at, value, np.zeros(len(at), bool))

        out = probe(np.where(day < 2.7, calm, calm - 6))
        cases = (
            ("probe_impossible", [probe(np.where(day < 2.8, calm, 71.0))], "°F as °C"),
            ("probe_impossible", [probe(np.where(day < 2.8, 60 - day, 140.0), quantity="moisture")], "Calibrate"),
            ("probe_fallen", [out], "Push it back into the mix"),
        )
        for kind, series, words in cases:
            with self.subTest(kind):
                found = [t for t in listed(room(series=series), 4.0) if t.kind == kind]
                self.assertEqual(len(found), 1)
                self.assertIn(words, task_words(found[0], "tomato", SAY).why)
        self.assertNotIn("soil_out", kinds(listed(room(series=[out]), 4.0)), "air is no cold soil")
        back = probe(np.where((day > 1.5) & (day < 2.7), calm - 6, calm))
        watered = probe(np.where(day < 2.5, calm, calm - 5 * np.exp(-(day - 2.5) * 12)))
        for sound in (back, watered, probe(calm)):
            self.assertFalse(set(kinds(listed(room(series=[sound]), 4.0))) & {k for k, _, _ in cases})

    def test_two_probes_that_come_apart_are_told_once_and_one_by_hand_says_which_is_wrong(self) -> None:
        at = np.array([on(1 + i / 48).timestamp() for i in range(20 * 48)])
        day = (at - at[0]) / 86_400
        calm = 22 + np.sin(2 * np.pi * day)

        def probe(value: np.ndarray, name: str, every: int = 1) -> Series:
            return Series("A", "soil_temperature", name, at[::every], value[::every], np.zeros(len(at[::every]), bool))

        drifts, steady = probe(calm + day * 0.15, "p-1"), probe(calm + 0.8, "p-2")
        (one,) = [t for t in listed(room(series=[drifts, steady]), 20.0) if t.kind == "probe_drifting"]
        self.assertIn("p-2", task_words(one, "tomato", SAY).why)
        self.assertIn("glass of water with ice", task_words(one, "tomato", SAY).why)
        by_hand = Series("A", "soil_temperature", "by-hand", at[20::130], calm[20::130], np.zeros(len(at[20::130]), bool))
        (one,) = [t for t in listed(room(series=[drifts, by_hand]), 20.0) if t.kind == "probe_drifting"]
        self.assertIn("what was read by hand", task_words(one, "tomato", SAY).why)
        for beside in (steady, probe(calm + np.random.default_rng(1).normal(0, 1, len(calm)), "p-3", 7)):
            self.assertNotIn("probe_drifting", kinds(listed(room(series=[probe(calm, "p-1"), beside]), 20.0)))

    def dry(self, names: str) -> list[Task]:
        """Open trays on a shelf that were read dry at day 3."""
        read = [Series(t, "moisture", "m", np.array([on(2.9).timestamp()]), np.array([20.0 + i]), np.zeros(1, bool))
                for i, t in enumerate(names)]  # fmt: skip
        journal = room(
            trays=[Tray(id=t, rows=2, columns=3, cell_ml=50.0) for t in names],
            batches=[Batch(id=f"b{t}", crop="tomato", tray=t, cells=6, sown_at=SOWN) for t in names], series=read,
        )  # fmt: skip
        return [t for t in listed(journal, 3.0) if t.kind == "water"]

    def test_waterings_of_a_walk_share_a_row_and_one_press_logs_each_amount(self) -> None:
        self.assertEqual([t.tray for t in self.dry("AB")], ["A", "B"], "two are told one by one")
        (row,) = self.dry("ABD")
        words = task_words(row, "tomato", SAY)
        self.assertEqual(words.what, "A, B and D: water from below")
        self.assertEqual([part.split(" watered below ")[0] for part in words.line.split("; ")], ["A", "B", "D"])
        self.assertTrue(all(part.endswith("ml") for part in words.line.split("; ")))
        self.assertIn("A is driest, at 20", words.why)

    def test_risks_of_several_trays_share_a_row_whatever_leads_them(self) -> None:
        def risky(tray: str, up: bool, *leading: str) -> Task:
            return task("damp", 0.0, tray, leading=leading, up=up)

        tasks = grouped([risky("A", False, "still_air"), risky("B", False, "too_wet"), risky("C", True, "too_wet")], 0.0)
        self.assertEqual([[x.tray for x in t.each] for t in tasks], [["A", "B"], ["C"]])
        words = task_words(tasks[0], "tomato", SAY)
        self.assertEqual(words.what, "A and B: let air in, no water until the top is pale")
        self.assertEqual(words.line, "A cover vent; B cover vent")

    def test_what_is_grave_is_among_the_first_however_long_the_list(self) -> None:
        due = [task("look", 0.0, str(n), n > 10) for n in range(20)]
        first, rest = first_and_rest(due)
        self.assertTrue(all(t.grave for t in first))
        self.assertEqual(len(first) + len(rest), 20)
        self.assertEqual(len(first_and_rest(due[:11])[0]), FIRST)

    def test_water_is_told_before_it_is_wanted_with_its_amount(self) -> None:
        at = np.array([on(d).timestamp() for d in (0.5, 1.0)])
        wet = Series("A", "moisture", None, at, np.array([75.0, 72.0]), np.zeros(2, bool))
        soon = next(t for t in listed(room(series=[wet]), 1.1) if t.kind == "water")
        self.assertGreater(soon.due_s, on(1.1).timestamp())
        dry = Series("A", "moisture", None, at, np.array([60.0, 40.0]), np.zeros(2, bool))
        now = next(t for t in listed(room(series=[dry]), 1.1) if t.kind == "water")
        self.assertLessEqual(now.due_s, on(1.1).timestamp())
        self.assertIn("ml", task_words(now, "tomato", SAY).line)

    def test_a_lamp_nearer_than_its_kind_may_hang_is_told_unless_leaves_stood_it(self) -> None:
        def near(lamp: Lamp, hung_d: float, *more: Event) -> bool:
            events = [
                up(5.0, 6), event("cover", 5.0, "off", tray="A", on=False), event("placed", 5.5, "up", tray="A", place="shelf"),
                event("height", 9.5, "tall", batch="b", mm=60.0),
                event("lamp", hung_d, "hung", lamp="lamp-1", place="shelf", height_mm=300.0, on="06:00", off="20:00"), *more,
            ]  # fmt: skip
            return "lamp_near" in kinds(listed(room(events=events, lamps=[lamp]), 12.0))

        hps = Lamp(id="lamp-1", place="shelf", kind="hps")
        self.assertTrue(near(hps, 11.0), "180 mm from the leaves, 300 by its kind")
        self.assertTrue(near(replace(hps, min_distance_mm=0.0), 11.0), "nought says nothing")
        self.assertFalse(near(hps, 6.0), "leaves stood it for days")
        self.assertTrue(near(hps, 6.0, event("sign", 10.0, "s", batch="b", sign="bleached")))
        self.assertTrue(near(replace(hps, min_distance_mm=250.0), 6.0), "its maker’s word holds whatever was stood")
        self.assertFalse(near(replace(hps, kind="fluorescent_cool"), 11.0))

    def test_the_order_is_by_what_waiting_costs(self) -> None:
        at_s = 1000.0
        tasks = [
            task("late", 900.0),
            task("hand_over", 950.0),
            task("water", 2000.0),
            task("call_it", 1500.0),
        ]
        self.assertEqual([t.key for t in in_order(tasks, at_s)], ["hand_over:A", "late:A", "call_it:A", "water:A"])

    @given(st.integers(-300, 300).map(lambda h: h / 100), st.text(max_size=8))
    def test_what_was_left_is_left_until_then(self, days: float, why: str) -> None:
        until = on(2.0) + timedelta(days=days)
        e = event("set", 1.0, "l", what=LEAVE, value={"task": "look:b", "until": until.isoformat(), "why": why})
        self.assertEqual(set(left([e], on(2.0).timestamp())), {"look:b"} if days > 0 else set())

    def test_every_kind_has_words_and_a_time(self) -> None:
        journal = room(events=[up(5.0, 2), up(5.5, 3)], read_days=4.0)
        for day in (4.5, 6.0, 8.0, 20.0, 29.5):
            for t in listed(journal, day):
                words = task_words(t, "tomato", SAY)
                self.assertTrue(words.what and words.why.endswith("."), t.kind)
                self.assertTrue(bool(words.line or words.opens) or t.note, t.kind)
                self.assertTrue(when_words(t, on(day).timestamp(), SAY))


def mostly(what: str, middle: float, longest: float) -> Habit:
    return Habit(what, Interval(middle, middle, longest), 12, Working("", (), "", (), ""))


class Habits(unittest.TestCase):
    def test_what_nobody_has_looked_at_is_looked_at_and_not_called_late(self) -> None:
        cold = room(soil_c=17.0, mats=[])
        unseen = listed(cold, 16.0)
        self.assertIn("look", kinds(unseen))
        self.assertNotIn("late", kinds(unseen))
        seen = room(soil_c=17.0, mats=[], events=[event("sign", 15.8, "s", batch="b", sign="nothing_up")])
        self.assertIn("late", kinds(listed(seen, 16.0)))
        half = room(soil_c=17.0, mats=[], events=[event("count", 9.0, "u", batch="b", cells_up=3)])
        self.assertNotIn("look", kinds(listed(half, 16.0)), "the rest of what is half up is not asked about daily")
        three_ago = room(soil_c=17.0, mats=[], events=[event("sign", 12.8, "s", batch="b", sign="nothing_up")])
        self.assertNotIn("late", kinds(listed(three_ago, 16.0)))
        seldom = listed(three_ago, 16.0, habits=[mostly("counted", 4.0, 6.0)])
        self.assertIn("late", kinds(seldom), "here nobody looks oftener")
        often = next(t for t in listed(three_ago, 16.0, habits=[mostly("counted", 1.0, 1.5)]) if t.kind == "look")
        self.assertIn("you usually look every", task_words(often, "tomato", SAY).why)

    def test_habit_asks_for_a_finger_sooner_and_never_later(self) -> None:
        j = room(events=[event("watered", 1.0, "w", tray="A", how="below")])
        asked = {usual: [as_a(FeelMix, t) for t in listed(j, 3.2, habits=[mostly("watered", *usual)]) if t.kind == "feel"]
                 for usual in ((1.0, 2.0), (8.0, 12.0))}  # fmt: skip
        self.assertEqual([f.usual_d for f in asked[(1.0, 2.0)]], [1.0])
        self.assertEqual(asked[(8.0, 12.0)], [])
        dry = [t for t in listed(j, 14.0, habits=[mostly("watered", 20.0, 21.0)]) if t.kind == "feel"]
        self.assertEqual([as_a(FeelMix, t).usual_d for t in dry], [None], "by its likely drying")

    def test_whoever_looks_in_waters_as_often_as_people_here_where_nobody_felt_the_mix(self) -> None:
        journal = room()
        at_s = on(1.0).timestamp()
        state = room_at(journal, journal.events, at_s)
        asked = [
            [
                x
                for x in away(journal, state, journal.events, days_of(journal, 1.0), [], at_s, 12, habits).asks
                if x.action == "water"
            ]
            for habits in ((), [mostly("watered", 2.0, 3.0)], [mostly("watered", 30.0, 31.0)])
        ]
        self.assertGreater(len(asked[1]), len(asked[0]))
        self.assertEqual(asked[2], asked[0])


class Absence(unittest.TestCase):
    def test_what_dries_and_what_comes_up_while_gone(self) -> None:
        at = np.array([on(3.0).timestamp()])
        wet = Series("A", "moisture", None, at, np.array([45.0]), np.zeros(1, bool))
        journal = room(series=[wet], events=[event("cover", 2.5, "off", tray="A", on=False)])
        at_s = on(3.1).timestamp()
        events = effective_events(journal.events, at_s)
        state = room_at(journal, events, at_s)
        a = away(journal, state, events, days_of(journal, 3.1), listed(journal, 3.1), at_s, 6)
        assert a.first is not None
        self.assertEqual(a.first.action, "dries_out")
        self.assertIn("hand_over", [x.action for x in a.asks])
        self.assertIn("mat_alone", [x.action for x in a.before])
        for x in (*a.before, *a.asks, a.first):
            self.assertTrue(ask_words(x, SAY).endswith("."))
        with self.assertRaises(ValueError):
            away(journal, state, events, [], [], at_s, 0)

    def test_nobody_said_how_wet(self) -> None:
        journal = room()
        at_s = on(1.0).timestamp()
        state = room_at(journal, journal.events, at_s)
        a = away(journal, state, journal.events, days_of(journal, 1.0), [], at_s, 2)
        self.assertEqual(a.unknown, ["A"])


class Places(unittest.TestCase):
    def test_the_tray_that_gains_most_gets_the_place(self) -> None:
        journal = room(
            "spinach", 20.0,
            trays=[Tray(id="A", rows=2, columns=3), Tray(id="C", rows=2, columns=3)],
            batches=[Batch(id="b", crop="spinach", tray="A", cells=6, sown_at=SOWN), Batch(id="c", crop="pepper", tray="C", cells=6, sown_at=SOWN)],
            events=[event("placed", -1.0, "p2", tray="C", place="floor")],
            series=[soil(15.0, 5.0, "C"), soil(15.0, 5.0, "floor", quantity="air_temperature", first_day=-1.0)],
        )  # fmt: skip
        at_s = on(2.0).timestamp()
        crops = {b.crop: shipped().get(b.crop) for b in journal.batches}
        settings = tune_mats(journal, crops, at_s)
        best = exchanges(journal, crops, settings, journal.events, at_s)[0]
        self.assertEqual((best.tray, best.instead_of, best.mat), ("C", "A", "mat-1"))
        self.assertGreater(best.gain_days, 2.0)
        self.assertEqual([(p.mat, p.tray) for p in places(settings)], [("mat-1", "A")])


class LampPromises(unittest.TestCase):
    """What was promised of a lamp's light, held against the next readings at the leaves."""

    PROMISE: ClassVar[dict[str, Any]] = {
        "id": "p", "kind": "lamp_light", "subject": "A", "thing": "lamp-1", "event": "set", "made_at": on(1.0).isoformat(),
        "due_at": on(4.0).isoformat(), "low": 180.0, "middle": 200.0, "high": 220.0,
    }  # fmt: skip
    SET = event("lamp", 1.0, id="set", lamp="lamp-1", height_mm=200.0)

    def outcome(self, *read: tuple[float, float], day: float = 3.0, events: tuple[Event, ...] = (), sky: bool = False) -> Any:
        at = np.array([on(d).timestamp() for d, _ in read])
        shone = np.full(len(read), sky)
        series = [Series("A", "light", "m", at, np.array([v for _, v in read]), np.zeros(len(read), bool), shone)] if read else []
        journal = Journal(series=series)
        found = score_promise(promise_of(self.PROMISE), journal, [self.SET, *events], on(day).timestamp())
        return found.outcome, found.why

    def test_the_next_reading_marks_it_within_the_meters_own_error(self) -> None:
        for umol, said in ((200.0, "hit"), (172.0, "hit"), (120.0, "under"), (300.0, "over")):
            self.assertEqual(self.outcome((2.0, umol))[0], said, umol)
        self.assertEqual(self.outcome((2.0, 172.0), (2.1, 172.0), (2.2, 171.0), (2.3, 170.0))[0], "under", "four agree")

    def test_what_cannot_be_marked_says_why(self) -> None:
        self.assertEqual(self.outcome(day=3.0), ("open", ""))
        self.assertEqual(self.outcome(day=5.0), ("void", "not_read_light"))
        self.assertEqual(self.outcome((0.5, 200.0), day=5.0)[0], "void", "a reading from before says nothing")
        self.assertEqual(self.outcome((2.0, 900.0), day=5.0, sky=True), ("void", "not_read_light"))
        moved = event("lamp", 1.5, id="m", lamp="lamp-1", height_mm=300.0)
        self.assertEqual(self.outcome((2.0, 100.0), events=(moved,)), ("void", "moved_before"))
        self.assertEqual(self.outcome((1.2, 200.0), (2.0, 100.0), events=(moved,))[0], "hit", "read before it was moved again")
        undone = score_promise(promise_of(self.PROMISE), Journal(), [], on(3.0).timestamp())
        self.assertEqual(undone.why, "undone")

    def test_a_kind_nobody_marks_is_left(self) -> None:
        self.assertEqual(read_promises([{**self.PROMISE, "kind": "weather"}]), [])


class Promises(unittest.TestCase):
    def half(self, low: float, high: float) -> dict[str, Any]:
        when = {q: on(d).isoformat() for q, d in (("p10", low), ("p50", (low + high) / 2), ("p90", high))}
        return {"id": "p", "kind": "half_up", "subject": "b", "made_at": on(1).isoformat(), **when}

    def outcome(self, promise: dict[str, Any], journal: Journal, day: float) -> str:
        at_s = on(day).timestamp()
        return score_promise(promise_of(promise), journal, effective_events(journal.events, at_s), at_s).outcome

    def test_half_up_is_marked_when_no_more_is_waited_for(self) -> None:
        journal = room(events=[up(5.0, 1), up(6.0, 3), up(7.0, 6)])
        self.assertEqual(self.outcome(self.half(5.5, 6.5), journal, 6.2), "open")
        self.assertEqual(self.outcome(self.half(5.5, 6.5), journal, 8.0), "hit")
        self.assertEqual(self.outcome(self.half(7.0, 8.0), journal, 8.0), "early")
        self.assertEqual(self.outcome(self.half(3.0, 4.0), journal, 8.0), "late")
        self.assertEqual(self.outcome(self.half(4.0, 5.5), journal, 8.0), "hit", "it came between two looks")

    def test_quiet_for_long_is_settled(self) -> None:
        counts = Counts("cells", 9, (5 * DAY_S, 6 * DAY_S), (2, 4))
        self.assertFalse(settled(counts, 0.0, None, 12 * DAY_S))
        self.assertTrue(settled(counts, 0.0, None, 13.1 * DAY_S))

    def test_a_mat_is_held_to_its_word(self) -> None:
        body = {"id": "p", "kind": "mat_soil", "subject": "A", "thing": "mat-1", "event": "m9", "made_at": on(1).isoformat(),
                "due_from": on(2).isoformat(), "due_at": on(3).isoformat(), "low": 25.0, "middle": 26.0, "high": 27.0, "unit": "degC"}  # fmt: skip
        journal = room(events=[event("mat", 1.0, "m9", mat="mat-1", setpoint_c=26.0)])
        self.assertEqual(self.outcome(body, journal, 2.5), "open")
        self.assertEqual(self.outcome(body, journal, 3.5), "hit")
        self.assertEqual(self.outcome({**body, "low": 27.0, "high": 28.0}, journal, 3.5), "under")
        self.assertEqual(self.outcome(body, replace(journal, events=journal.events[:-1]), 3.5), "void", "the setting was undone")
        moved = replace(journal, events=[*journal.events, event("mat", 1.5, "m10", mat="mat-1", setpoint_c=20.0)])
        self.assertEqual(self.outcome(body, moved, 3.5), "void")
        broken = score_promises([promise_of({**body, "low": 27.0, "high": 28.0})], journal, journal.events, on(3.5).timestamp())
        self.assertIn("promise", kinds(listed(journal, 3.5, broken)))

    @given(st.floats(15, 30), st.floats(0, 5), st.sampled_from(("mat_soil", "lamp_light")))
    def test_a_journal_keeps_a_promise_as_it_was_made(self, low: float, width: float, kind: str) -> None:
        made_s, due_s = on(1).timestamp(), on(3).timestamp()
        figures = (round(low, 2), round(low + width / 2, 2), round(low + width, 2))
        p = Promise("p", kind, "A", made_s, *figures, "mat-1", "e1", made_s, due_s)
        self.assertEqual(promise_of(entry_of(p, ZONE, 2, unit="degC")), p)

    def test_the_score_counts_what_was_marked_and_skips_what_cannot_be_read(self) -> None:
        journal = room(events=[up(5.0, 1), up(6.0, 3), up(7.0, 6)])
        promises = [
            self.half(5.5, 6.5),
            self.half(7.0, 8.0),
            {"kind": "half_up"},
            {"kind": "other"},
            {**self.half(5, 6), "made_at": "soon"},
        ]
        found = score_promises(read_promises(promises), journal, journal.events, on(9.0).timestamp())
        score = scores(found)[0]
        self.assertEqual((score.marked, score.held, score.below, score.above), (2, 1, 1, 0))
        self.assertAlmostEqual(score.width or 0, 1.0)


class AFinger(unittest.TestCase):
    def test_a_tray_nobody_felt_is_felt_when_it_likely_nears_its_dry_end(self) -> None:
        def due(day: float, *more: Event) -> list[float | None]:
            j = room()
            j = replace(j, events=[*j.events, *more])
            return [as_a(FeelMix, t).since_d for t in listed(j, day) if t.kind == "feel"]

        self.assertEqual((due(1.0), due(4.5)), ([], [None]), "covered and never watered: after some days")
        soaked = event("watered", 1.0, "w", tray="A", how="below")
        self.assertEqual(due(2.5, soaked), [])
        (since,) = due(15.0, soaked)
        self.assertAlmostEqual(since or 0.0, 14.0, places=1)


class ThePlansPart(unittest.TestCase):
    def test_a_days_sowing_is_on_the_list_the_day_before_and_tells_what_a_week_costs(self) -> None:
        garden = Garden(latitude=52.1, longitude=4.6, last_frost="05-05")
        wants = [Want(id="w", crop="leek", plants=20, out_by=date(2026, 5, 20))]
        journal = Journal(garden=garden, wants=wants)
        crops = {w.crop: shipped().get(w.crop) for w in wants}

        def told(day: date) -> list[Task]:
            at_s = datetime(day.year, day.month, day.day, 12, tzinfo=UTC).timestamp()
            return planned_tasks(plan(journal, crops, outdoors(garden, None), day, at_s), garden.zone)

        first = plan(journal, crops, outdoors(garden, None), date(2026, 1, 2), datetime(2026, 1, 2, 12, tzinfo=UTC).timestamp())
        leek = next(p for p in first.sowings if p.draft.crop.id == "leek")
        assert leek.sow_on is not None
        early = [as_a(SowDay, t) for t in told(leek.sow_on - timedelta(days=4)) if t.kind == "sow_day"]
        self.assertNotIn("leek", [name for g in early for name in g.names])
        before = [t for n in (2, 1) for t in told(leek.sow_on - timedelta(days=n)) if t.kind == "sow_day"]
        self.assertLessEqual(abs((as_a(SowDay, before[0]).day - leek.sow_on).days), 1)
        self.assertIn("leek", as_a(SowDay, before[0]).names)
        # What was not sown on its day has another one; the list does not say the same again.
        later = [as_a(SowDay, t).day for t in told(leek.sow_on + timedelta(days=3)) if t.kind == "sow_day"]
        self.assertTrue(all(d >= leek.sow_on + timedelta(days=3) for d in later))
