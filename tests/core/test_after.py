"""Plants that came as plants, batches planted by parts, and what became of them outside."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.crop import Crop
from fennet.core.diagnosis.findings import findings
from fennet.core.emerged import half_up_s
from fennet.core.exposure import soil_record
from fennet.core.hardening.after import first_expected
from fennet.core.hardening.cold import ColdWeeks, cold_weeks
from fennet.core.hardening.dates import BatchDates, dates_of
from fennet.core.hardening.set_out import set_out
from fennet.core.history import counts_of, planted_out
from fennet.core.planning.climate import climate
from fennet.core.planning.frost import Frosts
from fennet.core.planning.gate import gate_on
from fennet.core.planning.plan import outdoors, plan
from fennet.core.records import Event, Garden, Journal
from fennet.core.scoring import FIRST_PICK, Promise, score_promise
from fennet.core.stages import stage_at, stage_spans
from fennet.core.stretch import stretch_of, thermal_age
from fennet.core.working import Interval
from fennet.crops import shipped
from fennet.crops.complaints import shipped_complaints
from fennet.journal.minima import read_minima
from fennet.journal.promises import entry_of, promise_of
from fennet.presentation.calendar import calendar, grown_entries
from fennet.presentation.formatter import Formatter
from fennet.presentation.hardening import set_out_words
from fennet.simulated_room.weather_station import minima
from tests.building import SOWN, asked, counts, event, on, record, soil

FMT = Formatter(Garden().zone)
UP = counts((8, 3), (9, 12))


def stage(day: float, *events: Event, **batch: object) -> str:
    j = record([], [*UP, *events], **batch)
    return stage_at(stage_spans(j.batches[0], j.events, on(day).timestamp()), on(day).timestamp())


class ByParts(TestCase):
    def test_a_part_planted_leaves_the_rest_on_the_list_until_nobody_speaks_of_it(self) -> None:
        part = event("planted", 60, batch="b1", count=9, place="bed")
        self.assertEqual(stage(61, part), "hardening")
        self.assertEqual(stage(76, part), "out")
        self.assertEqual(stage(76, part, event("outing", 70, batch="b1", hours=2.0)), "hardening")

    def test_two_places_make_one_whole(self) -> None:
        two = [event("planted", 60, batch="b1", count=5), event("planted", 62, "second", batch="b1", count=7)]
        self.assertEqual(stage(61, *two), "hardening")
        self.assertEqual(stage(63, *two), "out")

    def test_spares_stay_and_what_is_not_counted_all_goes(self) -> None:
        self.assertEqual(stage(61, event("planted", 60, batch="b1")), "out")
        self.assertEqual(stage(61, event("planted", 60, batch="b1", count=12)), "out")
        kept = event("planted", 60, batch="b1", spares=2)
        self.assertEqual(stage(61, kept), "hardening")
        j = record([], [*UP, kept])
        told = planted_out(j.batches[0], j.events, on(61).timestamp())
        assert told is not None
        self.assertEqual((told.left, told.all_out_s), (2, None))

    def test_losses_in_the_bed_are_not_taken_from_the_pots(self) -> None:
        eaten = [event("planted", 60, batch="b1", count=9), event("lost", 63, batch="b1", cells=4, why="slugs")]
        j = record([], [*UP, *eaten])
        told = planted_out(j.batches[0], j.events, on(64).timestamp())
        assert told is not None
        self.assertEqual((told.planted, told.left), (9, 3))

    @given(st.lists(st.integers(0, 14), min_size=1, max_size=5), st.integers(0, 4))
    def test_what_is_out_and_what_is_left_never_pass_what_came_up(self, parts: list[int], lost: int) -> None:
        events = [event("planted", 60 + i, f"p{i}", batch="b1", count=n) for i, n in enumerate(parts)]
        before = [event("lost", 20, batch="b1", cells=lost)] if lost else []
        j = record([], [*UP, *before, *events])
        told = planted_out(j.batches[0], j.events, on(70).timestamp())
        assert told is not None and told.planted is not None
        self.assertEqual(told.left, max(0, 12 - lost - sum(parts)))
        self.assertEqual(told.all_out_s is None, told.left > 0)


class NeverSown(TestCase):
    def test_bought_plants_are_there_from_their_day_and_nobody_waits_or_judges(self) -> None:
        j = record([soil(19.0, 30.0)], [event("height", 3, batch="b1", mm=400.0)], crop="tomato", start="bought", source="market")
        b, crop, at_s = j.batches[0], shipped().get("tomato"), on(5).timestamp()
        self.assertEqual(stage_at(stage_spans(b, j.events, at_s), at_s), "growing_on")
        self.assertEqual(counts_of(b, j.events).up, 12)
        f = asked(j, 5)
        self.assertEqual((f.verdict, f.call_it_s), ("finished", None))
        self.assertIsNone(stretch_of(crop, thermal_age(j, crop, b, j.events, at_s)))
        told = findings(j, {"tomato": crop}, shipped_complaints(), b, at_s)
        self.assertFalse({x.complaint for x in told} & {"slow_germination", "leggy", "damping_off"})

    def test_tall_plants_count_as_older_and_what_has_to_root_as_new(self) -> None:
        def age_d(**more: object) -> float:
            j = record([], [], crop="pepper", **more)
            up_s = half_up_s(shipped().get("pepper"), j.batches[0], j.events, soil_record(j, j.batches[0], [], on(1).timestamp()))
            assert up_s is not None
            return (SOWN.timestamp() - up_s) / 86_400

        self.assertLess(age_d(start="bought", size_mm=40.0), age_d(start="bought", size_mm=160.0))
        self.assertEqual(age_d(start="slip"), 0.0)


class WhatIsExpected(TestCase):
    CROP = "pak_choi"

    def told(self, before: list[float], cold: bool = False) -> tuple[float, float, float]:
        crop = shipped().get(self.CROP)
        year = climate(read_minima(minima(2025)).minima, False) if cold else None
        at = first_expected(crop, datetime(2026, 3, 1, tzinfo=UTC).timestamp(), Garden(), year, before).at_s
        return tuple((t - datetime(2026, 3, 1, tzinfo=UTC).timestamp()) / 86_400 for t in (at.p10, at.p50, at.p90))  # type: ignore[return-value]

    def test_earlier_plantings_move_it_and_narrow_it(self) -> None:
        plain, slow = self.told([]), self.told([1.3, 1.3, 1.3, 1.3])
        self.assertTrue(plain[0] < plain[1] < plain[2])
        self.assertGreater(slow[1], plain[1])
        self.assertLess(slow[2] / slow[0], plain[2] / plain[0])

    def test_a_cold_spring_makes_it_late(self) -> None:
        self.assertGreater(self.told([], cold=True)[1], 1.2 * self.told([])[1])

    def test_a_promise_is_marked_by_what_came(self) -> None:
        at = on(60).timestamp()
        p = Promise("p", FIRST_PICK, "b1", at, at + 20 * 86_400, at + 30 * 86_400, at + 40 * 86_400, "pick")
        planted = event("planted", 60, batch="b1")

        def outcome(*events: Event, day: float = 120, promise: Promise = p) -> str:
            j = record([], [*UP, *events])
            return score_promise(promise, j, [*j.events], on(day).timestamp()).outcome

        picked = [event("harvest", d, batch="b1", grams=100.0) for d in (70, 90, 110)]
        self.assertEqual([outcome(planted, h) for h in picked], ["early", "hit", "late"])
        self.assertEqual(outcome(planted, day=80), "open")
        self.assertEqual(outcome(planted, event("lost", 65, batch="b1", cells=12, why="slugs")), "void")
        self.assertEqual(outcome(), "void", "the planting was undone")
        flower = replace(p, thing="flower")
        self.assertEqual(outcome(planted, event("check", 90, batch="b1", what="first_flower"), promise=flower), "hit")
        self.assertEqual(promise_of(entry_of(p, Garden().zone)).high, p.high)

    def test_dates_stand_by_what_has_happened(self) -> None:
        crop, b = shipped().get("leek"), record([], [], crop="leek").batches[0]
        half = on(12).timestamp()
        gate = gate_on(crop, on(2).date(), Frosts(Garden(last_frost="05-05", latitude=52.0), None), None)

        def dates(p50_s: float, settled: bool = False) -> BatchDates:
            j = record([soil(20.0, 3.0)], [], crop="leek")
            wide = 0.0 if settled else 86_400.0
            f = replace(asked(j, 3), half_up=Interval(p50_s - wide, p50_s, p50_s + wide))
            return dates_of(crop, b, f, None, gate, "shade_week", Garden(), on(3).timestamp())

        soon, late = dates(half), dates(half + 60 * 86_400)
        assert soon.out_on and late.out_on and soon.harden_from and late.harden_from and gate.opens
        self.assertGreaterEqual(soon.out_on, gate.opens)
        self.assertGreater(late.out_on, soon.out_on)
        self.assertEqual(next(iter(grown_entries(soon, "pick", FMT)))[0], "half_up")

    def test_a_calendar_moves_what_was_sown_and_does_not_double_it(self) -> None:
        b = replace(record([], []).batches[0], want="want-1", sowing="1")
        leek = shipped().get("leek")
        empty = plan(Journal(), {}, outdoors(Garden(), None), on(3).date(), on(3).timestamp())
        feeds = [calendar(empty, "G", FMT, growing=[(BatchDates(x, out_on=on(90).date()), leek)])
                 for x in (b, replace(b, id="b2"), replace(b, id="b3", want=None))]  # fmt: skip
        drawn = [next(line for line in feed.decode().splitlines() if line.startswith("UID")) for feed in feeds]
        self.assertEqual(drawn[0], drawn[1])
        self.assertNotEqual(drawn[0], drawn[2])


class Cold(TestCase):
    def weeks(self, inside: dict[date, float], outside: dict[date, float], out: date | None = None) -> ColdWeeks:
        foxglove, at_s = shipped().get("foxglove"), on(56).timestamp()
        told = cold_weeks(foxglove, on(-21).timestamp(), inside, outside, out, [], None, Garden(), at_s)
        assert told is not None
        return told

    def test_days_nobody_measured_widen_the_range_and_are_neither_warm_nor_cold(self) -> None:
        days = [SOWN.date() + timedelta(days=i) for i in range(56)]
        told = self.weeks(dict.fromkeys(days[:28], 5.0), {})
        self.assertEqual((told.least, told.most, told.enough), (4.0, 8.0, False))
        self.assertEqual(self.weeks(dict.fromkeys(days, 15.0), {}).most, 0.0)
        self.assertTrue(self.weeks(dict.fromkeys(days, 15.0), dict.fromkeys(days, 3.0), days[0]).enough)

    def test_only_a_kind_that_wants_cold_is_counted(self) -> None:
        self.assertIsNone(cold_weeks(shipped().get("tomato"), 0.0, {}, {}, None, [], None, Garden(), 1e9))


class SetOutWell(TestCase):
    @given(st.sampled_from(list(shipped())), st.integers(1, 500), st.none() | st.integers(0, 600))
    def test_spares_never_take_the_last_and_area_goes_with_the_plants(self, crop: Crop, plants: int, spares: int | None) -> None:
        s = set_out(crop, plants, spares)
        self.assertEqual(s.plants + s.spares, plants)
        self.assertGreaterEqual(s.plants, 1)
        self.assertAlmostEqual(s.area_m2, s.plants * crop.bed.spacing_mm * crop.bed.row_mm / 1e6)
        self.assertTrue(all(words.endswith(".") for words in set_out_words(s, FMT)))
