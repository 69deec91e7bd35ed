"""The season's plan on fixed gardens: small, full, impossible, southern; dates checked by hand; clashes and what clears them."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import itertools
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np

from fennet.core.crop import Crop
from fennet.core.planning.clashes import Change, Clash, clashes
from fennet.core.planning.plan import Assumed, Plan, Planned, if_sown, load_of, notes_of, outdoors, plan
from fennet.core.planning.pot_space import pot_space
from fennet.core.planning.results import results_of
from fennet.core.planning.room_for import capacity, lamp_settings, tray_kind
from fennet.core.planning.sowing_day import lines_of, to_fill
from fennet.core.planning.ways import use_of
from fennet.core.records import Garden, Journal, Tray, Want
from fennet.core.room import room_at
from fennet.crops import shipped
from fennet.journal.minima import read_minima
from fennet.journal.reader import read_journal
from fennet.simulated_room.weather_station import minima

CROPS: dict[str, Crop] = {c.id: c for c in shipped()}
STATION = read_minima(minima(2025)).minima
TODAY = date(2026, 1, 5)


def garden(wants: list[dict[str, Any]], shelves: int = 2, mats: int = 2, **more: Any) -> Journal:
    """A room of lit shelves 1200 × 450 mm with some mats and trays of 24 cells, at 52° north unless said."""
    place = {"kind": "shelf", "room": "r", "width_mm": 1200, "depth_mm": 450}
    data = {
        "garden": {"timezone": "Europe/Amsterdam", "latitude": 52.1, "longitude": 4.6, "last_frost": "05-05", "last_frost_sd_d": 10},
        "rooms": [{"id": "r"}],
        "places": [{"id": f"s{i}", **place} for i in range(shelves)],
        "lamps": [{"id": f"l{i}", "place": f"s{i}", "kind": "white_led"} for i in range(shelves)],
        "mats": [{"id": f"m{i}"} for i in range(mats)],
        "trays": [{"id": "A", "kind": "cells", "rows": 4, "columns": 6, "width_mm": 280, "depth_mm": 400, "cell_ml": 50}],
        "wants": wants, **more,
    }  # fmt: skip
    read = read_journal(data)
    assert not read.rejected, read.rejected[0]
    return read.journal


def planned(journal: Journal, today: date = TODAY, station: Any = None, assumed: Assumed | None = None) -> Plan:
    at_s = datetime(today.year, today.month, today.day, 9, tzinfo=UTC).timestamp()
    return plan(journal, CROPS, outdoors(journal.garden, station), today, at_s, assumed or Assumed())


def only(p: Plan) -> Planned:
    assert len(p.sowings) == 1, [x.name for x in p.sowings]
    return p.sowings[0]


def kinds(p: Planned) -> set[str]:
    return {n.kind for n in notes_of(p)}


class Dates(unittest.TestCase):
    def test_a_tender_crop_counted_back_by_hand(self) -> None:
        p = only(planned(garden([{"crop": "tomato", "plants": 8}]), assumed=Assumed(18.0, 20.0, 15.0)))
        tomato = CROPS["tomato"].planting
        # The last frost's middle is 5 May; tender kinds wait a fortnight; hardening as the table says.
        self.assertEqual(p.out_on, date(2026, 5, 19))
        self.assertEqual(p.harden_from, p.out_on - timedelta(days=tomato.harden_days))
        # At 27 °C tomato's rate is 1 / 6.4 d or so; growing is 36 d at the mean of its band, (20.4 − 10) / (20 − 10) slower at 20 °C.
        assert p.half_up and p.sow_on and p.harden_from
        wait = 1 / float(CROPS["tomato"].response.rate_per_day(27.0))
        self.assertAlmostEqual(
            (p.half_up.p50 - datetime(p.sow_on.year, p.sow_on.month, p.sow_on.day, 12)).total_seconds() / 86_400, wait, 3
        )
        grow = (p.harden_from - p.half_up.p50.date()).days
        self.assertAlmostEqual(grow, 36 * 1.04, delta=1.5)
        self.assertTrue(p.on_mat)
        self.assertLess(p.half_up.p10, p.half_up.p50)

    def test_leads_are_those_that_growers_know(self) -> None:
        # Weeks from sowing to the average last frost, each in the middle of what references give, by the middle school.
        for crop, least, most in (
            ("onion", 10, 15), ("leek", 10, 15), ("celeriac", 9, 12), ("pepper", 6, 10), ("tomato", 5.5, 8), ("cabbage", 4, 11),
            ("cucumber", 0.5, 4), ("squash", 0.5, 4),
        ):  # fmt: skip
            p = only(planned(garden([{"crop": crop, "plants": 6}])))
            assert p.sow_on
            weeks = (date(2026, 5, 5) - p.sow_on).days / 7
            self.assertTrue(least <= weeks <= most, f"{crop}: {weeks:.1f} weeks before the last frost")

    def test_practice_moves_the_sowing(self) -> None:
        def sown(**practice: str) -> date:
            day = only(planned(garden([{"crop": "pepper", "plants": 4, "practice": practice}]))).sow_on
            assert day
            return day

        self.assertTrue(sown(sow_tender="early") < sown() < sown(sow_tender="late"))
        room = only(planned(garden([{"crop": "pepper", "plants": 4, "practice": {"heat": "room"}}])))
        self.assertFalse(room.on_mat)
        assert room.sow_on
        self.assertLess(room.sow_on, sown(), "cold soil wants more days")
        bold, safe = (
            only(planned(garden([{"crop": "cosmos", "plants": 4, "practice": {"frost_risk": r}}]), station=STATION)).out_on
            for r in ("bold", "safe")
        )
        self.assertLess(bold, safe)
        one = only(planned(garden([{"crop": "leek", "plants": 20, "practice": {"seeds_per_cell": "two_always"}}])))
        self.assertEqual(one.draft.much.seeds_per_cell, 2)

    def test_light_and_warmth_of_the_room_change_the_growing(self) -> None:
        def sown(air_c: float, dli_mol: float | None) -> date:
            day = only(planned(garden([{"crop": "tomato", "plants": 6}]), assumed=Assumed(18.0, air_c, dli_mol))).sow_on
            assert day
            return day

        self.assertLess(sown(16.0, None), sown(20.0, None))
        self.assertLess(sown(20.0, 4.0), sown(20.0, 15.0))
        cold = only(planned(garden([{"crop": "tomato", "plants": 6}]), assumed=Assumed(18.0, 10.0)))
        self.assertEqual((cold.sow_on, "too_cold_to_grow" in kinds(cold)), (None, True))
        icy = only(planned(garden([{"crop": "pepper", "plants": 6}]), assumed=Assumed(8.0, 18.0)))
        self.assertEqual((icy.on_mat, icy.draft.cool), (True, None), "in a room of 8 °C there is no way without a mat")

    def test_a_wish_before_the_gate_is_moved_and_told_with_its_risk(self) -> None:
        p = only(planned(garden([{"crop": "tomato", "plants": 6, "out_by": "2026-04-20"}])))
        note = next(n for n in p.draft.notes if n.kind == "later_than_wished")
        self.assertEqual((p.out_on, note.values["wish"]), (date(2026, 5, 19), date(2026, 4, 20)))
        self.assertGreater(note.values["risk"], 0.8)
        late = only(
            planned(garden([{"crop": "radish", "plants": 6, "season": "autumn", "out_by": "2026-12-20"}]), station=STATION)
        )
        self.assertIn("autumn_wish_late", kinds(late))
        self.assertLess(late.out_on, date(2026, 12, 1))
        icy = read_minima([{"from": f"{y}-01-01", "min_c": [-3.0] * 365} for y in range(2000, 2016)]).minima
        never = only(planned(garden([{"crop": "tomato", "plants": 6, "out_by": "2026-06-20"}]), station=icy))
        self.assertEqual((never.out_on, {"never_frost_safe", "never_warm"} <= kinds(never)), (date(2026, 6, 20), True))
        kept = only(planned(garden([{"crop": "tomato", "plants": 6, "out_by": "2026-06-10"}])))
        self.assertEqual(kept.out_on, date(2026, 6, 10), "a wish after the gate is the day")

    def test_a_day_gone_by_says_what_can_still_be_done(self) -> None:
        p = only(planned(garden([{"crop": "pepper", "plants": 4, "out_by": "2026-06-05"}]), today=date(2026, 5, 10)))
        self.assertIn("past", kinds(p))
        self.assertEqual(p.sow_on, date(2026, 5, 10))
        self.assertGreater(p.out_on, date(2026, 6, 5))
        hopeless = only(
            planned(garden([{"crop": "pepper", "plants": 4, "out_by": "2026-06-05"}]), today=date(2026, 6, 4), station=STATION)
        )
        self.assertTrue({"past", "buy_plants"} <= kinds(hopeless))
        late = only(planned(garden([{"crop": "pepper", "plants": 4}]), today=date(2026, 5, 20)))
        self.assertEqual(late.out_on.year, 2027, "without a date the next season it can make is meant")

    def test_succession_autumn_indoors_and_the_cold_spell(self) -> None:
        three = planned(garden([{"crop": "lettuce", "plants": 6, "every_days": 14, "times": 3}])).sowings
        self.assertEqual([(b.out_on - a.out_on).days for a, b in itertools.pairwise(three)], [14, 14])
        autumn = only(planned(garden([{"crop": "pak_choi", "plants": 6, "season": "autumn"}]), station=STATION))
        self.assertIn("autumn", kinds(autumn))
        self.assertTrue(date(2026, 7, 15) < autumn.out_on < date(2026, 10, 15))
        self.assertNotIn("long_days", kinds(autumn))
        unknown = only(planned(garden([{"crop": "pak_choi", "plants": 6, "season": "autumn"}])))
        self.assertTrue({"autumn", "climate_by_latitude"} <= kinds(unknown), "rough, and said to be")
        nowhere = only(planned(Journal(wants=[Want(crop="pak_choi", plants=6, season="autumn")])))
        self.assertIn("autumn_unknown", kinds(nowhere))
        inside = only(planned(garden([{"crop": "basil", "plants": 6, "where": "indoors"}])))
        self.assertEqual((inside.harden_from, inside.risk), (None, None))
        early = only(planned(garden([{"crop": "artichoke", "plants": 3}]), station=STATION))
        late = only(planned(garden([{"crop": "artichoke", "plants": 3, "out_by": "2026-06-20"}]), station=STATION))
        self.assertEqual(("cold_spell" in kinds(early), "no_cold_spell" in kinds(late)), (True, True))

    def test_the_south_the_far_north_and_nothing_known(self) -> None:
        south = {"garden": {"timezone": "Australia/Hobart", "latitude": -42.9, "longitude": 147.3, "last_frost": "10-10"}}
        p = only(planned(garden([{"crop": "tomato", "plants": 6}], **south), today=date(2026, 6, 1)))
        assert p.sow_on
        self.assertEqual(p.out_on, date(2026, 10, 24))
        self.assertTrue(date(2026, 8, 1) < p.sow_on < date(2026, 9, 15))
        north = {"garden": {"timezone": "Europe/Oslo", "latitude": 71.0, "longitude": 25.8, "last_frost": "06-15"}}
        self.assertIn("no_sunrise", kinds(only(planned(garden([{"crop": "pak_choi", "plants": 6}], **north)))))
        blank = only(planned(Journal(wants=[Want(crop="tomato", plants=6)])))
        self.assertIn("no_frost_known", kinds(blank))
        self.assertIsNone(blank.sow_on, "nothing tender is dated where nobody knows of frost")
        self.assertIsNotNone(only(planned(Journal(wants=[Want(crop="leek", plants=6)]))).sow_on)
        place = only(planned(Journal(garden=Garden(latitude=52.0), wants=[Want(crop="tomato", plants=6)])))
        self.assertIn("frost_by_latitude", kinds(place))
        self.assertTrue(date(2026, 5, 1) < place.out_on < date(2026, 6, 10), "a rough guess by latitude")

    def test_a_gate_that_opened_before_it_can_be_ready_is_no_deadline(self) -> None:
        late = only(planned(garden([{"crop": "tomato", "plants": 6}]), today=date(2026, 4, 25)))
        self.assertIn("gate_passed", kinds(late))
        self.assertEqual(late.sow_on, date(2026, 4, 25), "sow now, out later")
        self.assertTrue(date(2026, 6, 1) < late.out_on < date(2026, 7, 10))
        hardy = only(planned(garden([{"crop": "lettuce", "plants": 6}]), today=date(2026, 5, 15)))
        self.assertEqual((hardy.sow_on, hardy.out_on.year), (date(2026, 5, 15), 2026))

    def test_a_wish_that_is_past_waits_for_the_next_season_and_plants_nothing_into_winter(self) -> None:
        for crop in ("radish", "tomato", "runner_bean"):
            stale = only(planned(garden([{"crop": crop, "plants": 6, "out_by": "2026-02-01"}]), today=date(2026, 12, 7)))
            self.assertIn("wish_past", kinds(stale), crop)
            self.assertGreater(stale.out_on, date(2027, 3, 1), crop)

    def test_cold_that_makes_them_bolt_is_told_and_kept_from(self) -> None:
        for crop in ("celeriac", "chinese_cabbage"):
            usual = only(planned(garden([{"crop": crop, "plants": 6}])))
            self.assertGreaterEqual(usual.out_on, date(2026, 5, 5), "not before the last frost")
            early = only(planned(garden([{"crop": crop, "plants": 6, "out_by": "2026-04-10"}])))
            self.assertGreater(early.out_on, date(2026, 4, 10))
        spinach = only(planned(garden([{"crop": "spinach", "plants": 6, "season": "autumn", "out_by": "2026-07-22"}])))
        self.assertIn("long_days", kinds(spinach))

    def test_sown_earlier_or_later(self) -> None:
        p = only(planned(garden([{"crop": "tomato", "plants": 6}])))
        assert p.sow_on
        early, late = if_sown(p, p.sow_on - timedelta(days=40)), if_sown(p, p.sow_on + timedelta(days=40))
        assert early and late
        self.assertEqual((early.stretched, early.small, late.stretched, late.small), (True, False, False, True))
        self.assertGreater(early.weeks_old, late.weeks_old)
        self.assertGreater(late.ready_on, p.out_on)

    def test_scarce_dead_and_named_seed(self) -> None:
        lots = [
            {"id": "old", "crop": "leek", "variety": "Grey", "packed": 2013, "seeds": 200}, {"id": "few", "crop": "leek", "variety": "Blue", "packed": 2026, "seeds": 5},
        ]  # fmt: skip
        dead = only(planned(garden([{"crop": "leek", "variety": "Grey", "plants": 10}], seed_lots=lots)))
        self.assertIn("dead_seed", kinds(dead))
        self.assertLess(dead.draft.much.seeds, 40, "planned as with fresh seed, not by the hundred")
        few = only(planned(garden([{"crop": "leek", "variety": "Blue", "plants": 12}], seed_lots=lots)))
        self.assertEqual((few.draft.much.seeds, few.draft.much.chance_enough, "short_of_seed" in kinds(few)), (5, 0.0, True))
        twice = planned(garden([{"crop": "leek", "variety": "Blue", "plants": 2, "times": 2}], seed_lots=lots)).sowings
        self.assertLessEqual(sum(x.draft.much.seeds for x in twice), 5, "two sowings do not count on the same seed")
        named = only(planned(garden([{"crop": "leek", "plants": 3, "seed_lot": "few"}], seed_lots=lots)))
        self.assertEqual(named.draft.lot and named.draft.lot.id, "few")


class Room(unittest.TestCase):
    def test_what_there_is(self) -> None:
        journal = garden([])
        have = capacity(journal, datetime(2026, 1, 5, tzinfo=UTC).timestamp())
        self.assertEqual((have.mat_places, have.shelf_mm2, have.lamp_mm2), (2.0, 2 * 1200 * 450.0, 2 * 1200 * 450.0))
        bare = capacity(Journal(), 0.0)
        self.assertEqual((bare.mat_places, bare.shelf_mm2, bare.lamp_mm2), (None, None, None), "what is not said is not known")
        gone = replace(journal, mats=[replace(journal.mats[0], until=datetime(2025, 1, 1, tzinfo=UTC)), journal.mats[1]])
        self.assertEqual(capacity(gone, datetime(2026, 1, 5, tzinfo=UTC).timestamp()).mat_places, 1.0)
        self.assertEqual(tray_kind([Tray(id="B", rows=2, columns=3), Tray(id="C", kind="pots", rows=9, columns=9)]).cells, 6)
        self.assertEqual(lamp_settings([(14, 16), (12, 16), (10, 13)]), 2)

    def test_small_sowings_that_agree_share_a_tray_and_unlike_ones_do_not(self) -> None:
        p = planned(garden([{"crop": c, "plants": 5} for c in ("tomato", "tomatillo", "leek")]))
        by = {x.draft.crop.id: x for x in p.sowings}
        self.assertEqual(by["tomato"].shares, (by["tomatillo"].name,))
        self.assertEqual(by["tomato"].sow_on, by["tomatillo"].sow_on)
        self.assertEqual(by["leek"].shares, ())

    def test_trays_take_turns_on_one_mat(self) -> None:
        wants = [{"crop": "pepper", "plants": 14, "variety": v} for v in ("Oriole", "Rook", "Heron")]
        p = planned(garden(wants, shelves=4, mats=1))
        self.assertTrue(p.fits)
        self.assertLessEqual(float(load_of(p.problem, p.result)[0].max()), 1.0)
        self.assertEqual(sum(x.on_mat for x in p.sowings), 3, "each has its days on it")
        big = planned(garden([{"crop": "pepper", "plants": 40}], shelves=4, mats=1))
        self.assertGreater(len(big.sowings), 1, "a sowing of more trays than places goes in by parts")
        self.assertEqual(sum(x.draft.much.wanted for x in big.sowings), 40)

    def test_what_was_begun_keeps_its_season_and_its_parts(self) -> None:
        wants = [{"crop": "pepper", "plants": 40, "id": "w"}]
        parts = planned(garden(wants, shelves=4, mats=1)).sowings
        first = min(parts, key=lambda x: x.sow_on or date.max)
        assert first.sow_on
        sown = {
            "id": "b",
            "crop": "pepper",
            "cells": first.draft.much.cells,
            "sown_at": f"{first.sow_on}T10:00:00+01:00",
            "want": "w",
            "sowing": first.draft.key,
        }
        left = planned(garden(wants, shelves=4, mats=1, batches=[sown]), today=first.sow_on).sowings
        self.assertEqual(
            {x.draft.key for x in left}, {x.draft.key for x in parts} - {first.draft.key}, "the other trays stay on the plan"
        )
        three = [{"crop": "pak_choi", "plants": 6, "every_days": 14, "times": 3, "id": "w"}]
        before = planned(garden(three), station=STATION).sowings
        day = before[0].sow_on
        assert day
        begun = {
            "id": "b",
            "crop": "pak_choi",
            "cells": before[0].draft.much.cells,
            "sown_at": f"{day}T10:00:00+01:00",
            "want": "w",
            "sowing": "1",
        }
        after = planned(garden(three, batches=[begun]), station=STATION, today=day + timedelta(days=6)).sowings
        self.assertEqual(
            [x.out_on for x in after], [x.out_on for x in before[1:]], "the later sowings keep to the season that began"
        )

    def test_a_small_plan_fits_wherever_exhaustive_search_finds_a_way(self) -> None:
        wants = [{"crop": c, "plants": 16} for c in ("pepper", "aubergine", "tomato")]
        p = planned(garden(wants, shelves=2, mats=1))
        units = [replace(u, options=tuple(o for i, o in enumerate(u.options) if i % 3 == 0)) for u in p.problem.units]
        room = np.maximum(p.problem.have[:, None] * (1 + 1e-4) - p.problem.taken, 0)

        def use(option: Any) -> np.ndarray:
            out = np.zeros_like(p.problem.taken)
            for r, spans in enumerate(option.use):
                for a, b, amount in spans:
                    out[r, a:b] += amount
            return out

        ways = [[use(o) for o in u.options] for u in units]
        exists = any((sum(way) <= room).all() for way in itertools.product(*ways))
        self.assertTrue(exists)
        self.assertTrue(p.fits)

    def test_live_batches_take_their_room(self) -> None:
        batch = {"id": "b", "crop": "pepper", "tray": "A", "cells": 24, "sown_at": "2026-01-03T10:00:00+01:00"}
        events = [
            {"id": "e1", "at": "2026-01-03T10:00:00+01:00", "kind": "placed", "tray": "A", "place": "s0"},
            {"id": "e2", "at": "2026-01-03T10:01:00+01:00", "kind": "mat", "tray": "A", "mat": "m0", "on": True},
        ]
        busy = planned(garden([{"crop": "leek", "plants": 10}], batches=[batch], events=events))
        self.assertEqual([u.batch.id for u in busy.using], ["b"])
        self.assertEqual(float(busy.problem.taken[0].max()), 1.0)
        self.assertAlmostEqual(float(busy.problem.taken[1].max()), 280 * 400)

    def test_what_is_sown_already_is_not_sown_again(self) -> None:
        base = planned(garden([{"crop": "leek", "plants": 10, "id": "w"}]))
        day = only(base).sow_on
        assert day
        batch = {"id": "b", "crop": "leek", "tray": "A", "cells": 12, "sown_at": f"{day}T10:00:00+01:00", "want": "w"}
        self.assertEqual(planned(garden([{"crop": "leek", "plants": 10, "id": "w"}], batches=[batch]), today=day).sowings, ())
        part = {**batch, "cells": 6, "sowing": "1"}
        rest = only(planned(garden([{"crop": "leek", "plants": 10, "id": "w"}], batches=[part]), today=day))
        self.assertEqual(rest.draft.much.cells, only(base).draft.much.cells - 6, "what was not sown is still to sow")
        unnamed = {k: v for k, v in batch.items() if k != "want"}
        self.assertEqual(planned(garden([{"crop": "leek", "plants": 10}], batches=[unnamed]), today=day).sowings, ())
        last_year = {**unnamed, "sown_at": "2025-03-01T10:00:00+01:00"}
        self.assertEqual(len(planned(garden([{"crop": "leek", "plants": 10}], batches=[last_year])).sowings), 1)


class Pots(unittest.TestCase):
    def test_pots_fill_the_shelves_as_the_plan_stands_and_their_cells_are_given_back(self) -> None:
        sown = {"id": "b", "crop": "leek", "tray": "A", "cells": 24, "sown_at": "2026-03-01T12:00:00+01:00"}
        placed = {"id": "p", "kind": "placed", "at": "2026-03-01T12:00:00+01:00", "tray": "A", "place": "s0"}
        p = planned(garden([], shelves=1, batches=[sown], events=[placed]), date(2026, 3, 20))

        def share(n: int, whole: bool) -> float:
            found = pot_space(p, "b", n, 100.0, whole)
            assert found is not None
            return found.share

        # A tray of 0.112 m² on a shelf of 0.54 m²; a pot stands on 0.01 m².
        self.assertAlmostEqual(share(2, True), 0.02 / 0.54, places=6)
        self.assertAlmostEqual(share(2, False), 0.132 / 0.54, places=6)
        self.assertGreater(share(60, True), 1.0)
        self.assertIsNone(pot_space(p, "nobody", 2, 100.0, True))


class Clashes(unittest.TestCase):
    FULL = [{"crop": c, "plants": 18} for c in ("tomato", "pepper", "aubergine", "basil", "cosmos", "celeriac", "snapdragon")]

    def test_five_hundred_plants_in_a_room_of_two_shelves(self) -> None:
        p = planned(garden([{"crop": "tomato", "plants": 500}]))
        found = clashes(p)
        self.assertFalse(p.fits)
        shelf = next(c for c in found if c.resource == "shelf_mm2")
        self.assertGreater(shelf.over, 0)
        self.assertTrue(all(c.changes for c in found), "every clash has a way out, if only more room")
        self.assertTrue(all(c.from_day < c.to_day for c in found))

    def test_a_move_that_is_offered_clears_the_clash(self) -> None:
        moved_any = 0
        for shelves, mats in ((2, 1), (1, 1), (2, 0), (3, 1)):
            journal = garden(self.FULL, shelves, mats)
            p = planned(journal)
            for clash in clashes(p):
                for way in clash.changes:
                    if all(c.kind in ("move", "room_heat") for c in way):
                        moved_any += 1
                        self.assertLess(_short(p, clash, way), 1e-6, (clash.resource, [c.kind for c in way]))
        self.assertGreater(moved_any, 0)

    def test_fewer_plants_that_are_offered_are_few_enough(self) -> None:
        journal = garden([{"crop": "tomato", "plants": 200}])
        p = planned(journal)
        clash = next(c for c in clashes(p) if any(w[0].kind == "fewer" for w in c.changes))
        few = next(w[0] for w in clash.changes if w[0].kind == "fewer")
        assert few.plants
        self.assertLess(few.plants, 200)
        after = planned(garden([{"crop": "tomato", "plants": few.plants}]))
        over = [
            c for c in clashes(after) if c.resource == clash.resource and c.from_day < clash.to_day and c.to_day > clash.from_day
        ]
        self.assertLess(max((c.over for c in over), default=0.0), 0.15 * clash.over)

    def test_where_no_single_want_is_to_blame_the_largest_are_left_out_together(self) -> None:
        many = [{"crop": "tomato", "variety": str(i), "plants": 20 + i} for i in range(6)]
        p = planned(garden(many, 1, 2))
        clash = next(c for c in clashes(p) if c.resource == "shelf_mm2")
        way = next(w for w in clash.changes if w[0].kind == "fewer")
        self.assertGreater(len(way), 1)
        left = {c.sowing.draft.at: c.plants or 0 for c in way if c.sowing}
        rest = [{**w, "plants": left.get(i, w["plants"])} for i, w in enumerate(many) if left.get(i, 1) > 0]
        after = [c for c in clashes(planned(garden(rest, 1, 2))) if c.resource == "shelf_mm2"]
        self.assertLess(max((c.over for c in after), default=0.0), 0.2 * clash.over)

    def test_lamps_with_too_few_timers_are_named(self) -> None:
        p = planned(garden([{"crop": "onion", "plants": 10, "out_by": "2026-05-25"}, {"crop": "basil", "plants": 6}], shelves=1))
        self.assertIn("lamp_timers", {c.resource for c in clashes(p)})

    def test_a_day_of_ones_own_stands_and_is_told_when_it_lies_outside(self) -> None:
        p = only(planned(garden([{"crop": "tomato", "plants": 6, "moved": {"1": "2026-01-20"}}])))
        self.assertEqual(p.sow_on, date(2026, 1, 20))
        self.assertIn("moved_outside", kinds(p))
        missed = only(planned(garden([{"crop": "tomato", "plants": 6, "moved": {"1": "2026-03-20"}}]), today=date(2026, 3, 28)))
        self.assertEqual((missed.sow_on, "overdue" in kinds(missed)), (date(2026, 3, 20), True))

    def test_the_same_record_has_the_same_plan(self) -> None:
        journal = garden(self.FULL, 2, 1)
        one, other = planned(journal), planned(journal)
        self.assertEqual(
            [(x.name, x.sow_on, x.on_mat) for x in one.sowings], [(x.name, x.sow_on, x.on_mat) for x in other.sowings]
        )


def _short(p: Plan, clash: Clash, way: tuple[Change, ...]) -> float:
    """How much is still short in the days of a clash after a way out, by moving the bars by hand."""
    load = load_of(p.problem, p.result)
    r = ["mat_places", "shelf_mm2", "lamp_mm2"].index(clash.resource)
    for change in way:
        assert change.sowing and change.day
        i = next(i for i, g in enumerate(p.groups) if any(d.name == change.sowing.name for d in g))
        for x, y, amount in p.problem.units[i].options[p.result.choice[i]].use[r]:
            load[r, x:y] -= amount
        on_mat = change.sowing.on_mat and change.kind != "room_heat"
        for x, y, amount in use_of(p.groups[i], change.day, on_mat, p.tray, p.start)[r]:
            load[r, x:y] += amount
    a, b = (clash.from_day - p.start).days, (clash.to_day - p.start).days
    return float(np.maximum(load[r, a:b] - p.problem.have[r] * (1.011 if r else 1.0), 0).max())


class Days(unittest.TestCase):
    def test_a_run_sheet_gives_out_free_cells_once_and_keeps_look_alikes_apart(self) -> None:
        trays = [{"id": t, "kind": "cells", "rows": 4, "columns": 6, "cell_ml": 50} for t in "ABCD"]
        trays.append({"id": "P", "kind": "cells", "rows": 3, "columns": 4, "cell_ml": 280})
        wants = [{"crop": c, "plants": 5, "moved": {"1": "2026-03-20"}} for c in ("tomato", "tomatillo", "cabbage", "kale")]
        journal = garden(wants, trays=trays)
        p = planned(journal)
        at_s = datetime(2026, 3, 20, 9, tzinfo=UTC).timestamp()
        lines = lines_of(p, date(2026, 3, 20), journal, [], room_at(journal, [], at_s), at_s)
        given = [(tray, cell) for x in lines for tray, cells in x.places for cell in cells]
        self.assertEqual(len(given), len(set(given)))
        self.assertNotIn("P", {t for t, _ in given}, "pots are not sown in")
        families = [x.p.draft.crop.family for x in lines]
        self.assertEqual(len(lines), 4)
        self.assertEqual([a == b for a, b in itertools.pairwise(families)], [False, False, False], families)
        short = sum(x.short for x in lines)
        self.assertEqual(len(given) + short, sum(x.p.draft.much.cells for x in lines))
        warm = [x for x in lines if x.p.on_mat]
        self.assertTrue(warm)
        self.assertTrue(all(x.mat in ("m0", "m1") for x in warm))
        self.assertTrue(all(x.mat is None for x in lines if not x.p.on_mat))

    def test_what_is_to_be_filled(self) -> None:
        wants = [{"crop": "tomato", "plants": 6}, {"crop": "leek", "plants": 20, "practice": {"set_up": "crowd"}}]
        p = planned(garden(wants))
        by = {x.draft.crop.id: x for x in p.sowings}
        cells = sum(x.draft.much.cells for x in p.sowings)
        sown, pots, season = to_fill(p), to_fill(p, sown=False, potted=True), to_fill(p, potted=True)
        self.assertEqual((sown.cells, sown.pots), (cells, 0))
        self.assertAlmostEqual(sown.litres, cells * 0.05)
        self.assertEqual((pots.cells, pots.pots), (20, 6), "a crowd is pricked into cells, tomatoes go into pots")
        self.assertAlmostEqual(season.litres, sown.litres + pots.litres)
        one_day = to_fill(p, by["tomato"].sow_on)
        self.assertEqual(one_day.cells, by["tomato"].draft.much.cells)

    def test_what_came_of_a_want(self) -> None:
        batches = [
            {
                "id": "b",
                "crop": "leek",
                "tray": "A",
                "cells": 12,
                "seeds_per_cell": 2,
                "sown_at": "2026-02-01T10:00:00+01:00",
                "want": "w",
            },
            {"id": "c", "crop": "leek", "cells": 6, "sown_at": "2026-02-01T10:00:00+01:00", "from": "b"},
        ]
        events = [
            {"id": "e1", "at": "2026-02-20T10:00:00+01:00", "kind": "count", "batch": "b", "cells_up": 9},
            {"id": "e2", "at": "2026-05-01T10:00:00+02:00", "kind": "planted", "batch": "c", "count": 5},
        ]
        journal = garden([{"crop": "leek", "plants": 10, "id": "w"}], batches=batches, events=events)
        found = results_of(journal.wants[0], journal, journal.events, datetime(2026, 6, 1, tzinfo=UTC).timestamp())
        self.assertEqual((found.batches, found.up, found.of, found.planted, found.seeds), (("b",), 9, 12, 5, 24))
