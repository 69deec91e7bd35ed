"""Wants, packets, versions and addresses as writes: whole or not at all, once, by who may; and the way out and back in."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from fennet.core.planning.plan import MOST_WANTS, Assumed
from fennet.core.records import Batch
from fennet.core.stock import seeds_left
from fennet.journal.plans import assumed_of, versions_of
from fennet.journal.rejected import FormatError
from fennet.operations import exchange, lists, nights, plan_versions, recipes, seed_box, sowing, tokens, wants
from fennet.operations.acting import Actor, Refusal
from fennet.simulated_room.weather_station import minima_csv
from fennet.storage import queries
from tests.database import NOW, DatabaseCase


class PlanningCase(DatabaseCase):
    def record(self, actor: Actor) -> Any:
        with self.engine.connect() as c:
            return queries.whole_record(c, actor.ref)

    def positions(self, actor: Actor) -> list[int]:
        with self.engine.connect() as c:
            return list(queries.wants_by_position(c, actor.ref.id))

    def want(self, actor: Actor, **given: Any) -> int:
        return self.write(actor, wants.put_want, {"crop": "leek", "plants": 10} | given)


class Wants(PlanningCase):
    def test_a_want_is_changed_in_part_and_moved_as_a_whole(self) -> None:
        actor = self.garden("wants")
        a, b = self.want(actor, variety="Grey"), self.want(actor, crop="Bok choy", times=2, every_days=14)
        self.assertEqual(self.record(actor).wants[1].crop, "pak_choi", "any name of the crop will do")
        self.write(actor, wants.put_want, {"plants": 4}, a)
        self.assertEqual((self.record(actor).wants[0].plants, self.record(actor).wants[0].variety), (4, "Grey"))
        day = date(2026, 4, 2)
        with self.assertRaises(Refusal):
            self.write(actor, wants.move, [(a, "1", day), (b + 99, "1", day)])
        self.assertEqual(self.record(actor).wants[0].moved, {}, "one that cannot be moved moves none")
        self.write(actor, wants.change, [(b, "2", day)], [(a, 0)])
        self.assertEqual([w.crop for w in self.record(actor).wants], ["pak_choi"])
        self.assertEqual(self.record(actor).wants[0].moved, {"2": day})
        with self.assertRaisesRegex(Refusal, "too far off"):
            self.write(actor, wants.move, [(b, "1", date(2040, 1, 1))])
        self.write(actor, wants.move, [(b, "2", None)])
        self.assertEqual(self.record(actor).wants[0].moved, {})

    def test_a_form_sent_twice_is_one_want_and_a_viewer_writes_none(self) -> None:
        actor = self.garden("twice")
        for _ in range(2):
            self.write(actor, wants.put_want, {"crop": "leek", "plants": 3}, key="the same form")
        self.assertEqual(len(self.record(actor).wants), 1)
        viewer = replace(actor, ref=replace(actor.ref, role="viewer"), person_id=None)
        for write in (
            lambda: self.want(viewer), lambda: self.write(viewer, seed_box.put_lot, {"crop": "leek"}),
            lambda: self.write(viewer, tokens.make_address), lambda: self.write(viewer, nights.take_minima, minima_csv(2025)),
            lambda: self.write(viewer, plan_versions.keep_version, "x", {}), lambda: self.write(viewer, wants.drop_want, self.positions(actor)[0]),
        ):  # fmt: skip
            with self.assertRaisesRegex(Refusal, "not write in it"):
                write()
        with self.assertRaisesRegex(Refusal, "up to 120"):
            for _ in range(MOST_WANTS + 1):
                self.want(actor)

    def test_one_garden_cannot_touch_another(self) -> None:
        mine, other = self.garden("mine"), self.garden("other")
        position = self.want(mine)
        for write in (
            lambda: self.write(other, wants.put_want, {"plants": 5}, position), lambda: self.write(other, wants.drop_want, position),
            lambda: self.write(other, wants.change, [], [(position, 0)]),
        ):  # fmt: skip
            with self.assertRaisesRegex(Refusal, "no longer in the plan"):
                write()
        token = self.write(mine, tokens.make_address).token
        self.write(other, tokens.revoke_address, tokens.hashed(token))
        with self.engine.connect() as c:
            found = queries.garden_of_address(c, tokens.hashed(token), "calendar")
            self.assertEqual(found and found.id, mine.ref.id, "only its own garden takes an address back")
        self.write(mine, tokens.revoke_address, tokens.hashed(token))
        with self.engine.connect() as c:
            self.assertIsNone(queries.garden_of_address(c, tokens.hashed(token), "calendar"))


class Sown(PlanningCase):
    def test_what_is_sown_for_a_want_says_so_and_takes_from_the_packet(self) -> None:
        actor = self.garden("sown")
        self.tray(actor)
        lot = self.write(actor, seed_box.put_lot, {"crop": "leek", "seeds": "60", "packed": "2026"}, now=NOW - timedelta(days=3))
        with self.engine.connect() as c:
            trays = [t.id for t in queries.records(c, actor.ref.id, "trays")]
        position = self.want(actor)
        one = sowing.Sowing("leek", ("r1c1", "r1c2"), 3, None, None, lot, None, (), position)
        template = Batch(id="new", crop="leek", sown_at=NOW, cells=1, set_up="in_mix")
        actions = [("cover", {"tray": trays[0], "on": True})]
        with self.assertRaises(Refusal):
            self.write(actor, sowing.sow_in_trays, [(trays[0], [one]), ("nowhere", [one])], template, NOW)
        self.assertEqual(self.record(actor).batches, [], "one tray that is not there sows none")
        ids = [self.write(actor, sowing.sow_in_trays, [(trays[0], [one])], template, NOW, actions, key="press") for _ in range(2)]
        record = self.record(actor)
        self.assertEqual((ids[0], [b.id for b in record.batches]), (ids[1], ids[0]))
        self.assertEqual(record.batches[0].want, record.wants[0].id)
        self.assertEqual(seeds_left(record, NOW.timestamp()), {lot: 54})
        self.assertEqual([e.kind for e in record.events if e.kind == "cover"], ["cover"])
        towel = self.write(actor, sowing.lay_in_towel, replace(one, cells=()), 12, template)
        found = next(b for b in self.record(actor).batches if b.id == towel)
        self.assertEqual((found.set_up, found.seeds, found.tray, found.cells), ("towel", 12, None, None))
        self.assertEqual(seeds_left(self.record(actor), NOW.timestamp()), {lot: 42})
        with self.assertRaisesRegex(Refusal, "1 to 5,000"):
            self.write(actor, sowing.lay_in_towel, one, 0, template)
        with self.assertRaisesRegex(Refusal, "so it stays"):
            self.write(actor, seed_box.drop_lot, lot)

    def test_a_want_without_an_id_is_given_one_when_it_is_sown(self) -> None:
        actor = self.garden("nameless")
        self.write(actor, exchange.take_part, {"wants": [{"crop": "leek", "plants": 3}]})
        self.assertIsNone(self.record(actor).wants[0].id)
        named = self.write(actor, wants.named_want, self.positions(actor)[0])
        self.assertEqual(self.record(actor).wants[0].id, named.id)


class Kept(PlanningCase):
    def test_versions_assumptions_and_recipes(self) -> None:
        actor = self.garden("kept")
        self.want(actor, variety="Grey", moved={"1": date(2026, 3, 3)})
        for name in ("one", "two", "one"):
            self.write(actor, plan_versions.keep_version, name, {"sowings": []})
        self.assertEqual([v["name"] for v in versions_of(self.record(actor).plans)], ["two", "one"], "a name is kept once")
        self.write(actor, wants.drop_want, self.positions(actor)[0])
        self.assertEqual(self.write(actor, plan_versions.restore_version, "one"), 1)
        self.assertEqual(self.record(actor).wants[0].moved, {"1": date(2026, 3, 3)})
        with self.assertRaisesRegex(Refusal, "No version"):
            self.write(actor, plan_versions.restore_version, "three")
        self.write(actor, plan_versions.assume, Assumed(air_c=15.5))
        self.write(actor, plan_versions.assume, Assumed(dli_mol=9.0))
        self.assertEqual(assumed_of(self.record(actor).plans), Assumed(dli_mol=9.0), "the last told stands alone")
        with self.assertRaisesRegex(Refusal, "is out of range"):
            self.write(actor, plan_versions.assume, Assumed(air_c=70.0))
        with self.assertRaisesRegex(Refusal, "90 %"):
            self.write(actor, recipes.put_recipe, {"name": "x", "parts": {"a": 50, "b": 40}, "per_cent": True})
        self.assertEqual(self.write(actor, plan_versions.begin_season, [{"crop": "beet", "plants": 9}]), 1)
        with self.assertRaisesRegex(Refusal, "Nothing was chosen"):
            self.write(actor, plan_versions.begin_season, [])
        self.assertEqual([w.crop for w in self.record(actor).wants], ["beet"])

    def test_the_whole_plan_goes_out_and_comes_back_alike(self) -> None:
        actor = self.garden("out")
        self.write(actor, seed_box.put_lot, {"crop": "leek", "seeds": 60, "counted_at": "2026-02-01T09:00:00+00:00"})
        self.want(
            actor,
            variety="Grey",
            times=3,
            every_days=10,
            confidence=0.95,
            practice={"heat": "room"},
            moved={"2": date(2026, 3, 3)},
        )
        self.write(actor, nights.take_minima, minima_csv(2025))
        self.write(actor, recipes.put_recipe, {"name": "x", "parts": {"a": 1}})
        self.write(actor, plan_versions.keep_version, "one", {"sowings": [{"name": "leek"}]})
        with self.engine.connect() as c:
            text = "".join(exchange.give_journal(c, actor.ref))
        again = json.loads(text)
        again["garden"]["name"] = "back in"
        result = exchange.take_journal(self.engine, again, NOW, "back in")
        self.assertEqual(result.rejected, [])
        with self.engine.connect() as c:
            back = json.loads("".join(exchange.give_journal(c, result.garden)))
        for document in (back, again):
            document["garden"].pop("name")
        self.assertEqual(back, again)
        self.assertEqual(len(again["minima"]), 30)
        twice = exchange.take_journal(self.engine, again | {"garden": {"name": "back in"}}, NOW, "back in")
        self.assertEqual((twice.taken, twice.rejected), ({}, []))

    def test_a_spreadsheet_of_counts_and_waterings_is_taken_once(self) -> None:
        actor = self.garden("spreadsheet")
        self.tray(actor, "A")
        self.write(actor, lists.take, "id,crop,sown_at,tray,cells\nleek-1,leek,2026-02-03T10:00,A,6\n")
        counts = "at,batch,cells_up\n2026-02-12,leek-1,2\n2026-02-13,leek-1,5\n2026-02-14,nobody,1\n"
        water = "at,tray,ml\n2026-02-10,A,250\n2026-02-12,A,200\n"
        for n, text in ((2, counts), (2, water)):
            done = self.write(actor, lists.take, text)
            self.assertEqual(done.taken, {"events": n})
            again = self.write(actor, lists.take, text)
            self.assertEqual((again.taken.get("events", 0), again.repeated), (0, n))
        self.assertEqual([str(r.where) for r in self.write(actor, lists.take, counts).rejected], ["line 4"])

    def test_wants_that_cannot_be_read_are_told_one_by_one(self) -> None:
        actor = self.garden("told")
        wants = [
            {"crop": "leek", "plants": 3, "id": "a"}, {"crop": "leek", "plants": 3, "id": "a"}, {"crop": "none", "plants": 1}, {"crop": "leek", "plants": 0},
            {"crop": "leek", "plants": 3, "seed_lot": "gone"}, {"crop": "leek", "plants": 3, "moved": {"1": "soon"}}, "leek",
        ]  # fmt: skip
        result = self.write(actor, exchange.take_part, {"wants": wants})
        self.assertEqual(sorted({x.where for x in result.rejected}), [f"wants[{i}]" for i in (1, 2, 3, 4, 5, 6)])
        self.assertEqual(
            [w.seed_lot for w in self.record(actor).wants], [None, None], "a want whose packet is gone is kept without it"
        )
        for text in ("crop,plants\nnonsense,3\n", "a,b\n1,2\n", ""):
            with self.assertRaises(FormatError):
                self.write(actor, lists.take, text)
        minima = self.write(actor, lists.take, "day,tmin\n2001-01-01,-3\n2001-01-02,\n2001-01-03,-1\n")
        self.assertEqual(minima.taken, {"minima": 3})
