"""Tuning lamps, feeding, potting up, the risk strip and the day's list of a growing room, as pages."""

from __future__ import annotations

import re

from fennet.core.history import effective_events, tray_stays
from fennet.core.records import Event
from fennet.storage import queries
from fennet.web.tune.score import KINDS
from tests.database import NOW
from tests.web.site import SiteCase

G = "/g/canal-house"


class Grow(SiteCase):
    def events(self) -> list[Event]:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            return effective_events(queries.events(c, ref.id), NOW.timestamp() + 60)

    def row(self, page: str, name: str) -> str:
        found = re.search(rf"<dt>{name}</dt>\s*<dd>(.*?)</dd>", page, re.S)
        return re.sub(r"<[^>]+>|\s+", " ", found[1]).replace("\N{NO-BREAK SPACE}", " ").strip() if found else ""


class Lamps(Grow):
    def test_a_lamp_is_proposed_tried_and_set_with_a_promise(self) -> None:
        visitor = self.gardener()
        page = visitor.see(f"{G}/tune/lamps")
        self.assertIn("lamp-2 is too weak for H", page)
        self.assertIn("Trays under lamp-1, the last seven days", page)
        self.assertRegex(page, r"<dt>cost</dt><dd>\d")
        tried = visitor.see(f"{G}/tune/lamps?lamp=lamp-1&height=520&hours=8")
        self.assertIn("short (8–14); hours out of its band", tried)
        said = visitor.send(f"{G}/tune/lamps/lamp-1/set", f"{G}/tune/lamps", height="310", hours="15", on="06:30", key="l1")
        self.assertIn("lamp-1 at 310 mm, 06:30–21:30.", said.get_data(as_text=True))
        logged = [e for e in self.events() if e.kind == "lamp" and e.fields["lamp"] == "lamp-1"][-1]
        self.assertEqual((logged.fields["height_mm"], logged.fields["on"], logged.fields["off"]), (310.0, "06:30", "21:30"))
        self.assertIn(KINDS["lamp_light"], visitor.see(f"{G}/score"))
        again = visitor.send(f"{G}/tune/lamps/lamp-1/set", f"{G}/tune/lamps", height="320", hours="15", on="06:30", key="l1")
        self.assertEqual(again.status_code, 200)
        self.assertEqual([e for e in self.events() if e.kind == "lamp"][-1].id, logged.id)

    def test_what_would_burn_or_leave_no_night_is_refused_in_words(self) -> None:
        visitor = self.gardener()
        for fields, words in (
            ({"height": "80", "hours": "15", "on": "06:00"}, "is too near: over the tallest leaves"),
            ({"height": "400", "hours": "24", "on": "06:00"}, "seedlings need a night"),
            ({"height": "high", "hours": "14", "on": "06:00"}, "is not a number; accepted"),
            ({"height": "400", "hours": "14", "on": "half past"}, "is not a time of day"),
        ):
            with self.subTest(words):
                said = visitor.send(f"{G}/tune/lamps/lamp-2/set", f"{G}/tune/lamps", **fields)
                self.assertEqual(said.status_code, 400)
                self.assertIn(words, said.get_data(as_text=True))
        self.assertEqual(visitor.client.get(f"{G}/tune/lamps?lamp=lamp-1&height=x&hours=8").status_code, 400)
        self.assertEqual(visitor.client.post(f"{G}/tune/lamps/lamp-9/set", data={"csrf_token": visitor.token()}).status_code, 404)


class Feeding(Grow):
    def test_a_product_by_its_label_gives_the_sum_and_one_press_logs_it(self) -> None:
        visitor = self.gardener()
        put = {"name": "canal feed", "n_pct": "4", "p_pct": "2", "k_pct": "6", "dose": "5", "form": "liquid"}
        page = visitor.send(f"{G}/feed/products", f"{G}/feed", **put, key="f1").get_data(as_text=True)
        self.assertIn("label 5 ml a litre = 240 mg N a litre, which burns seedlings: dilute", page)
        self.assertRegex(page, r"<b>1.04 ml a litre</b>, 21\W% of the label’s dose; [\d.]+ ml in [\d.]+ m?l for all that is due")
        said = visitor.send(f"{G}/feed", f"{G}/feed", tray=["F", "S"], mg="50", product="canal feed", key="f2")
        self.assertIn("F, S fed at 50 mg of nitrogen a litre", said.get_data(as_text=True))
        fed = [e for e in self.events() if e.kind == "fed"][-2:]
        self.assertEqual(
            [(e.fields["tray"], e.fields["n_mg_per_l"], e.fields["feed"]) for e in fed],
            [("F", 50.0, "canal feed"), ("S", 50.0, "canal feed")],
        )
        gone = visitor.send(f"{G}/feed/products", f"{G}/feed", drop="canal feed").get_data(as_text=True)
        self.assertNotIn("<h3>canal feed", gone)

    def test_a_burning_dose_is_stopped_once_a_slip_always_and_seedlings_before_their_leaves(self) -> None:
        visitor = self.gardener()
        burns = visitor.send(f"{G}/feed", f"{G}/feed", tray="F", mg="200")
        self.assertEqual(burns.status_code, 400)
        self.assertIn("burns seedlings: over 150 the edges go brown", burns.get_data(as_text=True))
        meant = visitor.send(f"{G}/feed", f"{G}/feed", tray="F", mg="200", sure="on", key="f3")
        self.assertEqual(meant.status_code, 200)
        slip = visitor.send(f"{G}/feed", f"{G}/feed", tray="F", mg="2500", sure="on")
        self.assertIn("a decimal point?", slip.get_data(as_text=True))
        early = visitor.send(f"{G}/feed", f"{G}/feed", tray="C", mg="50")
        self.assertIn("No true leaf yet", early.get_data(as_text=True))
        self.assertIn("No tray is ticked", visitor.send(f"{G}/feed", f"{G}/feed", mg="50").get_data(as_text=True))
        self.assertIn(
            "n_pct",
            visitor.send(f"{G}/feed/products", f"{G}/feed", name="x", n_pct="900", dose="1").get_data(as_text=True).lower(),
        )


class Potting(Grow):
    def test_a_part_becomes_a_batch_of_its_own_and_the_whole_moves(self) -> None:
        visitor = self.gardener()
        address = f"{G}/pot-up/shiso-1"
        self.assertIn("does not root from its stem", visitor.see(address))
        said = visitor.send(address, address, n="5", pot_mm="75", place="landing-sill", key="p1").get_data(as_text=True)
        found = re.search(r"5 potted up into (P\d+) as ([\w-]+)\.", said)
        assert found is not None
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            batches = {b.id: b for b in queries.records(c, ref.id, "batches")}
        part = batches[found[2]]
        self.assertEqual(
            (part.from_batch, part.tray, len(part.cell_list or []), part.sown_at),
            ("shiso-1", found[1], 5, batches["shiso-1"].sown_at),
        )
        left = re.search(r'name="n"[^>]*value="(\d+)"', visitor.see(address))
        assert left is not None
        rest = visitor.send(address, address, n=left[1], pot_mm="75", place="landing-sill", key="p2", anyway="on")
        self.assertEqual(rest.status_code, 200)
        self.assertEqual(len(tray_stays(batches["shiso-1"], self.events())), 2)

    def test_pricked_out_plants_become_a_batch_of_their_own_in_free_cells(self) -> None:
        visitor = self.gardener()
        address = f"{G}/pot-up/cosmos-1"
        page = visitor.see(address)
        self.assertIn("Prick out into cells", page)
        self.assertRegex(page, r"with all \d+ potted, the shelves are \d+\W% full at the most, in the week of")
        said = visitor.send(address, address, n="3", tray="A", buried="on", key="k1").get_data(as_text=True)
        made = re.search(r"3 pricked out into A as ([\w-]+)\.", said)
        assert made is not None
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            part = {b.id: b for b in queries.records(c, ref.id, "batches")}[made[1]]
        self.assertEqual((part.from_batch, part.tray, len(part.cell_list or []), part.n_seeds_per_cell), ("cosmos-1", "A", 3, 1))
        moved = [e for e in self.events() if e.kind == "moved"][-1]
        self.assertEqual((moved.fields["to_batch"], moved.fields["count"], moved.fields["buried"]), (made[1], 3, True))
        counts = [e.fields for e in self.events() if e.kind == "count"]
        up = next(f["cell_list"] for f in reversed(counts) if f["batch"] == "cosmos-1")
        self.assertLessEqual(set(moved.fields["cell_list"]), set(up), "only from cells with a plant in them")
        self.assertEqual(next(f["cell_list"] for f in reversed(counts) if f["batch"] == made[1]), part.cell_list)
        again = visitor.send(address, address, n="3", tray="A", buried="on", key="k1").get_data(as_text=True)
        self.assertIn(f"as {made[1]}.", again, "sent twice is one write")
        for fields, words in (
            ({"n": "3", "tray": "F"}, "stands in F already"),
            ({"n": "400", "tray": "A"}, "cannot be moved"),
            ({"n": "4", "tray": "nowhere"}, "is not one of the choices"),
            ({"n": "4", "tray": "S"}, "free cells; 4 are needed"),
        ):
            with self.subTest(words):
                refused = visitor.send(address, address, **fields)
                self.assertEqual(refused.status_code, 400)
                self.assertIn(words, refused.get_data(as_text=True))

    def test_pots_that_do_not_fit_and_plants_that_are_not_there_are_refused(self) -> None:
        visitor = self.gardener()
        address = f"{G}/pot-up/snapdragon-0"
        for fields, words in (
            ({"n": "18", "pot_mm": "300", "place": "box-mid"}, "do not fit on box-mid: room is left for"),
            ({"n": "400", "pot_mm": "40", "place": "landing-sill", "anyway": "on"}, "cannot be moved: 18 of snapdragon-0"),
            ({"n": "3", "pot_mm": "5", "place": "landing-sill"}, "accepted: 30 to 400"),
            ({"n": "2.5", "pot_mm": "70", "place": "landing-sill"}, "is not a whole number"),
            ({"n": "3", "pot_mm": "70", "place": "moon"}, "is not one of the choices; accepted"),
        ):
            with self.subTest(words):
                said = visitor.send(address, address, **fields)
                self.assertEqual(said.status_code, 400)
                self.assertIn(words, said.get_data(as_text=True))
        self.assertEqual(visitor.client.get(f"{G}/pot-up/nothing").status_code, 404)


class Parted(Grow):
    """Plants that became a batch of their own."""

    def test_parted_plants_go_on_as_they_were_and_what_is_moved_whole_is_done(self) -> None:
        visitor = self.gardener()
        before = visitor.see(f"{G}/trays/F")
        address = f"{G}/pot-up/cosmos-1"
        visitor.send(address, address, n="3", tray="A", key="l1")
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            part = next(b for b in queries.records(c, ref.id, "batches") if b.from_batch == "cosmos-1")
        after = visitor.see(f"{G}/trays/A")
        for name in ("height", "true leaves"):
            self.assertTrue(self.row(before, name))
            self.assertEqual(self.row(after, name), self.row(before, name), "as old as the plants it was parted from")
        self.assertEqual(visitor.client.get(f"{G}/why/{part.id}").status_code, 200)
        left = re.search(r'name="n"[^>]*value="(\d+)"', visitor.see(address))
        assert left is not None
        self.assertEqual(visitor.send(address, address, n=left[1], tray="A", key="l2").status_code, 200)
        self.assertRegex(visitor.see(f"{G}/trays/F"), r"pricked out")
        self.assertNotIn("cosmos-1", visitor.see(f"{G}/today"))

    def test_cells_of_a_batch_that_is_over_can_be_pricked_out_into(self) -> None:
        visitor = self.gardener()
        address = f"{G}/pot-up/parsley-1"
        full = visitor.send(address, address, n="3", tray="S")
        self.assertEqual(full.status_code, 400)
        visitor.send(f"{G}/log", f"{G}/log", line="S gave up", key="o0")
        said = visitor.send(address, address, n="3", tray="S", key="o1")
        self.assertEqual(said.status_code, 200, said.get_data(as_text=True))


class Plants(Grow):
    """What a tray's page says of plants that are up, and what a ruler tells it."""

    def test_a_ruler_and_a_look_at_the_leaves_say_how_it_stands_and_what_it_wants(self) -> None:
        visitor = self.gardener()
        address = f"{G}/trays/F"
        self.assertIn("long and thin", self.row(visitor.see(address), "height"))
        said = visitor.send(f"{address}/height", address, batch="cosmos-1", height="51", leaves="4", key="h1")
        page = said.get_data(as_text=True)
        self.assertIn("Height logged.", page)
        self.assertIn("51 mm:", self.row(page, "height"))
        self.assertIn("sturdy", self.row(page, "height"))
        self.assertEqual(self.row(page, "true leaves"), "four")
        self.assertRegex(self.row(page, "next water"), r"\d+ ml from below, 25 minutes")
        self.assertIn("mg of nitrogen a litre", self.row(page, "next feed"))
        logged = [e for e in self.events() if e.kind == "height"][-1]
        self.assertEqual((logged.fields["mm"], logged.fields["true_leaves"]), (51.0, 4))
        self.assertEqual(visitor.send(f"{address}/height", address, batch="leek-1", height="9").status_code, 404)

    def test_heights_that_cannot_be_are_refused_in_words(self) -> None:
        visitor = self.gardener()
        address = f"{G}/trays/F"
        for fields, words in (
            ({"height": "-5"}, "0.1 to 5,000 mm"), ({"height": "nan"}, "0.1 to 5,000 mm"),
            ({"height": "tall"}, "is not a number; accepted"),
            ({"height": "40", "leaves": "²"}, "True leaves: "),
        ):  # fmt: skip
            with self.subTest(words):
                said = visitor.send(f"{address}/height", address, batch="cosmos-1", **fields)
                self.assertEqual(said.status_code, 400)
                self.assertIn(words, said.get_data(as_text=True))

    def test_seed_that_waits_has_no_plants_to_measure(self) -> None:
        self.assertNotIn("True leaves", self.gardener().see(f"{G}/trays/B"))


class KeptAnswers(Grow):
    def test_a_corrected_entry_is_seen_at_once(self) -> None:
        visitor = self.gardener()
        address = f"{G}/trays/F"
        visitor.send(f"{address}/height", address, batch="cosmos-1", height="51", key="c1")
        self.assertIn("51 mm:", visitor.see(address))
        event = [e for e in self.events() if e.kind == "height"][-1]
        visitor.send(f"{G}/book/{event.id}", f"{G}/book/{event.id}", mm="61", batch="cosmos-1")
        self.assertIn("61 mm:", visitor.see(address))


class Told(Grow):
    def test_the_risk_stands_under_the_ribbons_with_its_parts(self) -> None:
        page = self.gardener().see(f"{G}/trays/A")
        self.assertIn("Risk of damping off by day, 0 to 100; now", page)
        self.assertIn('class="risk share-still_air"', page)
        self.assertIn("This ranks risk; it does not measure disease", page)

    def test_the_days_list_of_a_growing_room_is_short_and_grouped(self) -> None:
        page = self.gardener().see(f"{G}/today")
        rows = re.findall(r'<li class="work-row" id="task-([^"]+)"', page)
        self.assertLessEqual(len(rows), 24)
        first = page.split('data-stays="more-work"')[0]
        self.assertLessEqual(first.count('class="work-row"'), 8, "what comes first is soon read")
        self.assertIn("more when there is time", page)
        self.assertEqual(len([r for r in rows if r.startswith("pot_up")]), 1, "one row for all that is potted up")
        self.assertIn("pot up, into 75 mm pots", page)
        fed = [r for r in rows if r.startswith("feed")]
        self.assertLessEqual(len(fed), 2)

    def test_where_they_fell_is_drawn_with_the_day(self) -> None:
        visitor = self.gardener()
        visitor.send(f"{G}/log", f"{G}/log", line="shiso-1 saw fallen_pinched_base 2", key="w1")
        page = visitor.see(f"{G}/why/shiso-1")
        self.assertIn("Act within the hour", page)
        self.assertIn("Lift out the fallen", page)
        self.assertNotIn("Where they fell", page, "no cell was named")
        visitor.send(f"{G}/log", f"{G}/log", line="shiso-1 r1c1 r1c2 lost damping", key="w2")
        drawn = visitor.see(f"{G}/why/shiso-1")
        self.assertRegex(drawn, r"Day \d+: r1c1, r1c2\.")
        self.assertEqual(drawn.count('class="is-fallen"'), 2)
