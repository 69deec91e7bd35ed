"""What a room taught of itself: months that are over stand for good, new things begin from what is usual here, old ones from what
they were, and silence, dead mats and riddles teach nothing."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.answering.answers import Answers
from fennet.cli.score_room import score_room
from fennet.core.bearing import record_at
from fennet.core.drying import TRAY_LOG_SD, dry_down
from fennet.core.learning.corrections import Correction, correction_fault
from fennet.core.learning.room import (
    DRYING,
    DRYING_MONTH,
    LIFT,
    LIFT_MONTH,
    OFFSET,
    OFFSET_MONTH,
    OUTPUT,
    RoomLearned,
    ageing,
    room_here,
    room_learned,
)
from fennet.core.learning.room_lessons import RoomLesson, month_lessons, months_inside, months_over, set_up_of
from fennet.core.lighting.curve import LUMENS_SD, lamp_curve
from fennet.core.records import Batch, Event, Journal, Lamp, Mat, Place, Room, Series, Tray
from fennet.core.room_here import RoomHere
from fennet.core.tuning.mat_fit import SD_LIFT_C, SD_OFFSET_C, usual_lift_c
from fennet.presentation.formatter import Formatter
from fennet.presentation.lamps import basis_words
from tests.building import event, on

DAY_S = 86_400.0
AT_S = on(120).timestamp()
MONTH_S = datetime(2026, 3, 1, tzinfo=UTC).timestamp()


def dried(tray: str, per_day: float, days: float = 50, first: float = 0.0) -> tuple[Series, list[Event]]:
    """A tray felt each day and watered every fourth."""
    at, value, events = [], [], []
    for n in range(int(days / 4)):
        events.append(event("watered", first + 4.0 * n, f"w-{tray}-{first}-{n}", tray=tray, how="below"))
        for day in (0.3, 1.3, 2.3, 3.3):
            at.append(on(first + 4.0 * n + day).timestamp())
            value.append(92.0 * math.exp(-per_day * day))
    return Series(tray, "moisture", None, np.array(at), np.array(value), np.zeros(len(at), bool)), events


def garden(trays: dict[str, float], **more: Any) -> Journal:
    """Trays that dry so fast, each sown on the first day."""
    found = {t: dried(t, k) for t, k in trays.items()}
    events = [e for _, told in found.values() for e in told]
    fields: dict[str, Any] = {
        "trays": [Tray(id=t) for t in [*trays, "new"]],
        "batches": [Batch(id=f"b-{t}", crop="leek", sown_at=on(0), tray=t, cells=4) for t in trays],
        "series": [s for s, _ in found.values()], "events": sorted(events, key=lambda e: e.at),
    }  # fmt: skip
    return Journal(**(fields | more))


def answers(j: Journal, at_s: float = AT_S) -> Answers:
    return Answers(record_at(j, at_s), at_s, exactly=True)


def lesson(measure: str, thing: str, off: float, tray: str = "", var: float = 0.01, **more: Any) -> RoomLesson:
    return RoomLesson(measure, thing, tray or thing, MONTH_S, MONTH_S + 31 * DAY_S, off, var, 5, **more)


class Usually(unittest.TestCase):
    def test_spreads_add_up_to_what_one_thing_may_be_off_where_nothing_is_known(self) -> None:
        def whole(*sorts: Any) -> float:
            return math.sqrt(sum(s.sd**2 for s in sorts))

        self.assertAlmostEqual(whole(*DRYING, DRYING_MONTH), TRAY_LOG_SD, delta=0.02)
        self.assertAlmostEqual(whole(*OFFSET, OFFSET_MONTH), SD_OFFSET_C, delta=0.06)
        self.assertAlmostEqual(whole(*LIFT, LIFT_MONTH), SD_LIFT_C / usual_lift_c(False), delta=0.02)
        self.assertAlmostEqual(whole(*(s for s in OUTPUT if s.name in ("garden", "kind", "lamp"))), LUMENS_SD, delta=0.02)

    def test_a_room_that_showed_nothing_goes_by_the_table(self) -> None:
        self.assertFalse(room_here(RoomLearned(), garden({"A": 0.3}), AT_S))


class Drying(unittest.TestCase):
    def test_a_new_tray_begins_from_what_is_usual_here_and_an_old_one_from_itself(self) -> None:
        j = answers(garden({"A": 0.44, "B": 0.40, "C": 0.48})).journal
        old, new = (dry_down(j, t, j.events, AT_S) for t in ("A", "new"))
        self.assertAlmostEqual(old.times, 2.0, delta=0.25)
        self.assertGreater(new.times, 1.15)
        self.assertLess(new.times, old.times)
        self.assertLess(old.log_sd, new.log_sd)
        self.assertLess(new.log_sd, TRAY_LOG_SD + 0.05)

    def test_what_came_of_late_counts_once(self) -> None:
        """The tray's own stretches since are not in what it began from."""
        j = garden({"A": 0.44})
        late, events = dried("A", 0.11, 20, 100)
        s = j.series[0]
        both = replace(s, at_s=np.append(s.at_s, late.at_s), value=np.append(s.value, late.value), estimated=np.zeros(68, bool))
        a = answers(replace(j, series=[both], events=[*j.events, *events]))
        self.assertTrue(all(x.to_s <= a.journal.here.drying["A"].since_s for x in a.room_learned[0].lessons))
        found = dry_down(a.journal, "A", a.journal.events, AT_S)
        self.assertEqual(found.cycles, 5)
        self.assertLess(found.per_day, 0.18)

    def test_an_empty_tray_teaches_nothing(self) -> None:
        j = garden({"A": 0.44, "B": 0.44})
        self.assertEqual({x.thing for x in answers(j).room_learned[0].lessons}, {"A", "B"})
        sown = [b for b in j.batches if b.tray == "A"]
        self.assertEqual({x.thing for x in answers(replace(j, batches=sown)).room_learned[0].lessons}, {"A"})

    def test_leaves_are_reckoned_with_in_the_months_they_drank(self) -> None:
        j = garden({"A": 0.45})
        self.assertAlmostEqual(answers(j).room_learned[0].told("drying")[-1].off, math.log(0.45 / 0.22), delta=0.05)
        up = [event("count", 5, batch="b-A", cells_up=4), event("potted_up", 8, batch="b-A", tray="A")]
        grown = replace(j, events=sorted([*j.events, *up], key=lambda e: e.at))
        self.assertAlmostEqual(answers(grown).room_learned[0].told("drying")[-1].off, 0.0, delta=0.05)

    def test_under_leaves_the_mix_dries_on_as_leaves_dry_it(self) -> None:
        """Months ago it was seen with leaves; since then only once."""
        j = garden({"A": 0.45})
        up = [event("count", 5, batch="b-A", cells_up=4), event("potted_up", 8, batch="b-A", tray="A")]
        s = j.series[0]
        later = replace(s, at_s=np.append(s.at_s, on(118).timestamp()), value=np.append(s.value, 90.0),
                        estimated=np.zeros(len(s.at_s) + 1, bool))  # fmt: skip
        beside = Batch(id="b2", crop="leek", sown_at=on(110), tray="A", cells=4)
        grown = replace(j, series=[later], events=sorted([*j.events, *up], key=lambda e: e.at), batches=[*j.batches, beside])
        a = answers(grown, on(119.5).timestamp())
        wet = a.conditions(a.journal.batches[0]).channels["moisture"].value
        self.assertAlmostEqual(wet or 0.0, 90.0 * math.exp(-0.45 * 1.5), delta=6.0)
        self.assertEqual(a.conditions(beside).channels["moisture"].value, wet, "one tray, one answer")
        told = next(x for x in a.room_lines() if x.thing == "A")
        self.assertAlmostEqual(told.value.p50, 1.0, delta=0.15)

    @settings(max_examples=25, deadline=None)
    @given(st.lists(st.floats(-0.8, 0.8), min_size=1, max_size=6), st.floats(0.002, 0.2))
    def test_it_lies_between_the_table_and_what_was_seen(self, offs: list[float], var: float) -> None:
        j = garden({"A": 0.2})
        here = room_here(RoomLearned(tuple(lesson("drying", "A", off, var=var) for off in offs)), j, AT_S)
        self.assertLessEqual(abs(here.drying["A"].off), max(map(abs, offs)) + 1e-9)
        self.assertLessEqual(abs(here.drying["new"].off), abs(here.drying["A"].off) + 1e-9)


class Drawn(unittest.TestCase):
    def test_ranges_hold_in_rooms_drawn_by_the_spreads_themselves(self) -> None:
        """Of old and of new trays, four in five."""
        rng = np.random.default_rng(31)
        sd = {s.name: s.sd for s in (*DRYING, DRYING_MONTH)}
        j = Journal(trays=[Tray(id=f"T{i}") for i in range(6)])
        held: dict[bool, list[bool]] = {True: [], False: []}
        for _ in range(300):
            house, now = rng.normal(0, sd["garden"]), rng.normal(0, sd["time_of_year"])
            tray = {t.id: rng.normal(0, sd["tray"]) for t in j.trays}
            lessons = [
                lesson("drying", t, house + now + tray[t] + rng.normal(0, sd["month"]) + rng.normal(0, 0.1))
                for t in ("T0", "T1", "T2", "T3", "T4")
                for _ in range(3)
            ]
            here = room_here(RoomLearned(tuple(lessons)), j, MONTH_S + 40 * DAY_S).drying
            for t in ("T0", "T5"):
                true = house + now + tray[t] + rng.normal(0, sd["month"])
                held[t == "T0"].append(abs(true - here[t].off) <= 1.2816 * here[t].sd)
        for known, found in held.items():
            self.assertAlmostEqual(float(np.mean(found)), 0.8, delta=0.07, msg="old" if known else "new")


class Months(unittest.TestCase):
    def test_what_is_written_later_leaves_a_month_as_it_was(self) -> None:
        j = garden({"A": 0.3})
        before = months_over(j, AT_S, set_up_of(j))
        more, events = dried("A", 0.9, 8, 62)
        s = j.series[0]
        longer = replace(s, at_s=np.append(s.at_s, more.at_s), value=np.append(s.value, more.value), estimated=np.zeros(56, bool))
        one_more = Batch(id="b2", crop="leek", sown_at=on(63), tray="A", cells=4)
        later = replace(j, series=[longer], events=[*j.events, *events], batches=[*j.batches, one_more])
        after = {m.from_s: m for m in months_over(later, AT_S, set_up_of(later))}
        first = [m for m in before if m.to_s <= on(56).timestamp()]
        self.assertTrue(first)
        for m in first:
            self.assertEqual(after[m.from_s].digest, m.digest)
            self.assertEqual(month_lessons(later, after[m.from_s]), month_lessons(j, m))
        self.assertNotEqual(after[before[3].from_s].digest, before[3].digest)

    def test_a_correction_of_what_a_month_read_makes_another_month(self) -> None:
        j = garden({"A": 0.3})
        _, first, *_ = months_over(j, AT_S, set_up_of(j))
        anew = replace(j, corrected={j.events[0].id: "c1"})
        self.assertNotEqual(months_over(anew, AT_S, set_up_of(anew))[1].digest, first.digest)

    def test_a_month_is_learned_from_when_it_is_over_and_not_its_own_record_any_more(self) -> None:
        lessons = [lesson("drying", "A", 0.3), lesson("output", "l", 0.1)]
        over = {day: {x.measure for x in room_learned(lessons, (), on(day).timestamp()).lessons} for day in (50, 90, 240)}
        self.assertEqual(over, {50: set(), 90: {"drying"}, 240: {"drying", "output"}})

    def test_months_in_which_something_was_inside(self) -> None:
        b = Batch(id="b", crop="leek", sown_at=datetime(2026, 3, 2, tzinfo=UTC), cells=4)
        first = [datetime.fromtimestamp(t, UTC).month for t in months_inside([b], b.sown_at.timestamp() + 300 * DAY_S)]
        self.assertEqual(first, [2, 3, 4, 5, 6])
        self.assertEqual(months_inside([], AT_S), ())


def on_mat(soil_c: Any, air_c: Any, setpoint_c: float = 24.0, days: float = 30) -> Journal:
    """A tray on a mat from the first of March, read every hour."""
    first = datetime(2026, 3, 1, tzinfo=UTC)
    hours = np.arange(0, days * 24)
    at = first.timestamp() + hours * 3600.0

    def read(value: Any, place: str, quantity: str) -> Series:
        return Series(
            place, quantity, None, at, np.broadcast_to(np.asarray(value(hours), float), at.shape), np.zeros(len(at), bool)
        )

    laid = Event(kind="mat", at=first - timedelta(hours=12), id="m", fields={"mat": "m1", "tray": "A", "on": True,
                                                                            "setpoint_c": setpoint_c})  # fmt: skip
    placed = Event(kind="placed", at=first - timedelta(days=1), id="p", fields={"tray": "A", "place": "shelf"})
    return Journal(
        trays=[Tray(id="A"), Tray(id="B")], mats=[Mat(id="m1"), Mat(id="m2")], events=[placed, laid], rooms=[Room(id="r")],
        places=[Place(id="shelf", room="r")], batches=[Batch(id="b", crop="tomato", sown_at=first, tray="A", cells=4)],
        series=[read(soil_c, "A", "soil_temperature"), read(air_c, "r", "air_temperature")],
    )  # fmt: skip


def swing(hours: np.ndarray) -> np.ndarray:
    return 15.0 + 2.0 * np.cos(hours / 24 * 2 * np.pi)


class Mats(unittest.TestCase):
    def lessons(self, j: Journal) -> dict[str, RoomLesson]:
        return {x.measure: x for x in answers(j).room_learned[0].lessons}

    def test_a_mat_at_ease_tells_how_its_soil_stands_and_one_flat_out_what_it_lifts(self) -> None:
        ease = self.lessons(on_mat(lambda h: np.full(len(h), 22.5), swing))
        self.assertEqual(set(ease), {"offset"})
        self.assertAlmostEqual(ease["offset"].off, -1.5, delta=0.25)
        late = lambda h: swing(h - 2.5) + 6.0  # noqa: E731
        flat = self.lessons(on_mat(late, swing, 30.0))
        self.assertEqual(set(flat), {"lift"})
        self.assertAlmostEqual(flat["lift"].off, math.log(6.0 / usual_lift_c(False)), delta=0.08)

    def test_it_is_used_of_the_same_tray_and_less_of_another_tray_and_mat(self) -> None:
        here = answers(on_mat(lambda h: np.full(len(h), 21.0), swing)).journal.here
        own, beside, other = (here.offset[pair] for pair in (("m1", "A"), ("m1", "B"), ("m2", "B")))
        self.assertLess(own.off, beside.off)
        self.assertLess(beside.off, other.off)
        self.assertLess(other.off, 0.0)
        self.assertLess(own.sd, beside.sd)

    def test_a_dead_mat_and_a_riddle_teach_nothing(self) -> None:
        self.assertEqual(self.lessons(on_mat(swing, swing)), {}, "soil like air: a plug, or a probe that fell out")
        steady = on_mat(lambda h: np.full(len(h), 20.0), lambda h: np.full(len(h), 15.0))
        self.assertEqual(self.lessons(steady), {}, "flat out or held low: nobody can say")
        self.assertEqual(self.lessons(on_mat(lambda h: np.full(len(h), 22.5), lambda h: np.full(len(h), np.nan))), {})

    def test_a_forecast_from_air_goes_by_what_the_mat_lifts(self) -> None:
        from fennet.core.heat_mat import soil_from_air

        late = lambda h: swing(h - 2.5) + 6.0  # noqa: E731
        a = answers(on_mat(late, swing, 30.0))
        grid = np.arange(AT_S, AT_S + DAY_S, 1800.0)
        table, here = (soil_from_air(np.full(48, 15.0), grid, "A", a.events, here=of) for of in (None, a.journal.here))
        self.assertLess(float(here.mean()), float(table.mean()) - 2.0)

    def test_a_forecast_from_air_goes_by_how_soil_stands_to_the_set_point_here(self) -> None:
        from fennet.core.heat_mat import soil_from_air

        a = answers(on_mat(lambda h: np.full(len(h), 22.0), swing))
        grid = np.arange(AT_S, AT_S + DAY_S, 1800.0)
        table, here = (soil_from_air(np.full(48, 15.0), grid, "A", a.events, here=of) for of in (None, a.journal.here))
        self.assertAlmostEqual(float(table.mean()), 24.0, delta=0.1)
        self.assertAlmostEqual(float(here.mean()), 22.3, delta=0.4)


def lit(level: float, fades: float = 0.0) -> Journal:
    """A lamp that hung over a tray in two springs and was read each week; in the third nothing was read yet."""
    events, at, value = [], [], []
    for year in (2024, 2025, 2026):
        first = datetime(year, 2, 3, tzinfo=UTC)
        hung = {"lamp": "l", "place": "shelf", "height_mm": 260.0, "on": "06:00", "off": "20:00"}
        events.append(Event(kind="lamp", at=first, id=f"on{year}", fields=hung))
        events.append(Event(kind="placed", at=first, id=f"p{year}", fields={"tray": "A", "place": "shelf"}))
        if year == 2026:
            break
        for day in range(3, 80, 7):
            at.append((first + timedelta(days=day, hours=12)).timestamp())
            burned_kh = (80 * (year - 2024) + day) * 14 / 1000
            value.append(level * (210 / 260) ** 1.2 * math.exp(-fades * burned_kh))
        events.append(Event(kind="lamp", at=first + timedelta(days=80), id=f"off{year}", fields={"lamp": "l", "on": False}))
    return Journal(
        trays=[Tray(id="A", height_mm=60.0)], lamps=[Lamp(id="l", kind="white_led", lumens=3000.0)],
        places=[Place(id="shelf", width_mm=900.0, depth_mm=450.0)], events=events,
        batches=[Batch(id=f"b{y}", crop="leek", sown_at=datetime(y, 2, 3, tzinfo=UTC), tray="A", cells=4) for y in (2024, 2025)],
        series=[Series("A", "light", None, np.array(at), np.array(value), np.zeros(len(at), bool))],
    )  # fmt: skip


class Lamps(unittest.TestCase):
    def test_a_lamp_nobody_has_read_this_season_is_known_by_the_last(self) -> None:
        a = answers(lit(150.0), datetime(2026, 2, 5, tzinfo=UTC).timestamp())
        j = a.journal
        told = lamp_curve(j, j.lamps[0], j.events, a.at_s)
        self.assertEqual((told.basis, told.points), ("earlier", ()))
        self.assertAlmostEqual(math.exp(told.mean[0]), 150.0, delta=30.0)
        (setting,) = a.lamps()
        self.assertIn("by what was read under it in", basis_words(setting, Formatter(a.zone)))
        self.assertIn("read_light", [i.action for i in setting.instead], "a reading still says more")
        bare = replace(j, here=RoomHere())
        before = lamp_curve(bare, j.lamps[0], j.events, a.at_s)
        self.assertEqual(before.basis, "lumens")
        self.assertLess(told.covariance[0, 0], 0.5 * before.covariance[0, 0])

    def test_a_lamp_that_fades_is_told_and_its_next_season_is_dimmer(self) -> None:
        at_s = datetime(2026, 2, 5, tzinfo=UTC).timestamp()
        fading, lasting = answers(lit(150.0, 0.10), at_s), answers(lit(150.0), at_s)
        aged = [ageing(a.room_learned[0], "l", "white_led") for a in (fading, lasting)]
        assert aged[0] is not None and aged[1] is not None
        self.assertLess(aged[0][0].off, aged[1][0].off - 0.01)
        self.assertAlmostEqual(aged[0][1], 2.0, delta=0.4)
        dim, bright = (float(lamp_curve(a.journal, a.journal.lamps[0], a.events, at_s).mean[0]) for a in (fading, lasting))
        self.assertLess(dim, bright - 0.08)
        self.assertIn("ageing", {x.measure for x in fading.room_lines()})

    def test_hours_nobody_logged_widen_what_it_gives(self) -> None:
        at_s = datetime(2026, 2, 5, tzinfo=UTC).timestamp()
        told = lit(150.0)
        # The lamp burned on after its last reading, and nobody wrote by what timer.
        untold = [e if e.id != "off2025" else replace(e, fields={"lamp": "l", "place": "shelf"}) for e in told.events]
        hung = {"lamp": "l", "place": "shelf", "height_mm": 260.0}
        untold = [e if e.id != "on2025" else replace(e, fields=hung) for e in untold if e.id != "on2026"]
        sd = [answers(j, at_s).journal.here.output["l"].sd for j in (told, replace(told, events=untold))]
        self.assertGreater(sd[1], sd[0])


class Corrected(unittest.TestCase):
    def test_what_is_forgotten_is_used_no_more_and_its_own_record_begins_anew(self) -> None:
        lessons = (lesson("drying", "A", 0.7), lesson("drying", "B", 0.7))
        gone = Correction(thing="A", forget_before=on(60))
        of = RoomLearned(lessons, (gone,))
        self.assertEqual([x.thing for x in of.told("drying")], ["B"])
        here = room_here(of, garden({"A": 0.2, "B": 0.2}), on(90).timestamp()).drying
        self.assertEqual(here["A"].since_s, on(60).timestamp())
        self.assertLess(here["A"].off, here["B"].off)
        self.assertEqual(RoomLearned(lessons, (Correction(forget_before=on(60)),)).told("drying"), [], "all of it")
        self.assertEqual(len(RoomLearned(lessons, (Correction(crop="leek", forget_before=on(60)),)).told("drying")), 2)

    def test_a_figure_of_ones_own_is_gone_by_whatever_was_read(self) -> None:
        j = garden({"A": 0.44})
        own = replace(j, learned=[{"value": 0.5, "measure": "drying", "thing": "A"}])
        a = answers(own)
        found = dry_down(a.journal, "A", a.events, AT_S)
        self.assertAlmostEqual(found.times, 0.5)
        self.assertTrue(next(x for x in a.room_lines() if x.thing == "A").own)

    def test_what_cannot_be_said_is_named(self) -> None:
        for said, field in (
            (Correction(measure="drying", value=1.0), "thing"), (Correction(measure="output", thing="l", value=1.0), "measure"),
            (Correction(measure="lift", thing="A", value=0.5), "value"), (Correction(thing="A", crop="leek", leave_out=True,
                                                                                     year=2026), "thing"),
            (Correction(measure="drying", crop="leek", forget_before=on(1)), "measure"),
        ):  # fmt: skip
            fault = correction_fault(said)
            self.assertEqual(fault and fault[0], field, said)
        self.assertIsNone(correction_fault(Correction(measure="lift", thing="A", value=12.0)))


class Worth(unittest.TestCase):
    def test_the_first_days_of_a_third_spring_are_known_better_than_by_the_table(self) -> None:
        learned, table = score_room(range(1, 7)), score_room(range(1, 7), learns=False)
        for of in ("soil on a mat (°C), old", "light under a lamp (log), old"):
            self.assertLess(np.mean(learned[of].wide), 0.8 * np.mean(table[of].wide), of)
            self.assertLess(np.mean(learned[of].off), np.mean(table[of].off), of)
        self.assertLess(np.mean(learned["loss of water (log), new"].wide), np.mean(table["loss of water (log), new"].wide))
        for of, found in learned.items():
            self.assertGreaterEqual(np.mean(found.held), 0.7, of)
