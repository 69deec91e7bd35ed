"""A trial is marked, laid out by lot, sown by its plan, and answers; what cannot be is refused at its place."""

from __future__ import annotations

import json
import re

from fennet.core.trials.layout import kept_plan
from fennet.journal.reader import read_journal
from fennet.journal.trials import trials_of
from fennet.operations import exchange
from tests.web.site import SiteCase

G = "/g/canal-house"
ASKED = {
    "name": "Which shiso is sooner?", "crop": "shiso", "differs": "variety", "measure": "emergence", "see": "2", "cells": "4",
    "group-0": "Wharf Red", "variety-0": "Wharf Red", "group-1": "Barge Green", "variety-1": "Barge Green",
}  # fmt: skip


class Pages(SiteCase):
    def marked(self, **more: str) -> str:
        """The address of a trial that was just marked."""
        answer = self.gardener().send(f"{G}/trials", **{**ASKED, **more})
        self.assertEqual(answer.status_code, 200)
        return str(answer.request.path)

    def test_it_is_marked_planned_and_sown_and_counts_answer_by_group(self) -> None:
        me, page = self.gardener(), self.marked()
        shown = me.see(f"{page}?tray=Q")
        self.assertIn("drawn by lot", shown)
        self.assertRegex(shown, r"each group needs \d+ cells side by side")
        letters = re.findall(r'<td aria-label="r\d+c\d+: ([AB])">', shown)
        self.assertEqual(sorted(letters), ["A"] * 4 + ["B"] * 4)
        answer = me.send(f"{page}/sow", page, tray="Q", seeds="2")
        self.assertIn("Sown by lot in tray Q", answer.get_data(as_text=True))
        self.assertNotIn("drawn by lot", me.see(page))
        batches = re.findall(rf'href="{G}/story/([\w.-]+)"', me.see(page))
        self.assertEqual(len(set(batches)), 2)
        me.send(f"{G}/log", f"{G}/log", line=f"{batches[0]} 3 up")
        self.assertIn("3 of 4", me.see(page))
        again = me.send(f"{page}/sow", page, tray="Q", seeds="2")
        self.assertIn("sown already", again.get_data(as_text=True))

    def test_a_plan_that_is_kept_stays_and_is_not_sown_over_what_took_its_cells(self) -> None:
        me, page = self.gardener(), self.marked(name="Kept plan")

        def letters() -> dict[str, str]:
            return dict(re.findall(r'<td aria-label="(r\d+c\d+): ([AB])">', me.see(page)))

        me.send(f"{page}/plan", page, tray="P")
        kept = letters()
        self.assertEqual(sorted(kept.values()), ["A"] * 4 + ["B"] * 4)
        with self.engine.connect() as c:
            told = "".join(exchange.give_journal(c, exchange.find_garden(c, "Canal house")))
        asked = next(t for t in trials_of(read_journal(json.loads(told)).journal) if t.name == "Kept plan")
        self.assertEqual(kept_plan(asked), {cell: "AB".index(mark) for cell, mark in kept.items()}, "the journal carries it")
        # Another trial of the same tray is sown at once, into the same cells.
        other = self.marked(name="In between", cells="2")
        me.send(f"{other}/sow", other, tray="P", seeds="1")
        shown = me.see(page)
        self.assertIn("No longer free: r", shown)
        self.assertEqual(letters(), kept, "what was printed still stands there")
        refused = me.send(f"{page}/sow", page, tray="P", seeds="1").get_data(as_text=True)
        self.assertIn("no longer free. Draw it anew.", refused)
        me.send(f"{page}/plan", page, tray="P")
        anew = letters()
        self.assertNotEqual(anew, kept)
        me.send(f"{page}/sow", page, tray="P", seeds="1")
        sown = re.findall(rf'href="{G}/story/([\w.-]+)"', me.see(page))
        self.assertEqual(len(set(sown)), 2)

    def test_what_cannot_be_asked_is_refused_where_it_stands(self) -> None:
        me = self.gardener()
        for wrong, said in (({"group-1": ""}, "two groups or more"), ({"crop": "moonwort"}, "No crop is called"),
                            ({"group-1": "Wharf Red"}, "one name"), ({"name": ""}, "Say what is asked"),
                            ({"see": "80"}, "80")):  # fmt: skip
            with self.subTest(said):
                answer = me.send(f"{G}/trials", **{**ASKED, **wrong})
                self.assertEqual(answer.status_code, 400)
                self.assertIn(said, answer.get_data(as_text=True))

    def test_the_demo_answers_what_was_asked_the_season_before(self) -> None:
        page = self.gardener().see(f"{G}/trials")
        self.assertIn("Which leek comes sooner?", page)
        self.assertRegex(page, r"comes \w+( \w+)? later than|nothing shows")

    def test_batches_sown_by_hand_answer_once_they_are_named_and_strangers_do_not(self) -> None:
        me, page = self.gardener(), self.marked(name="By hand")
        said = {"batches-0": "shiso-1", "batches-1": "no-such"}
        self.assertIn("There is no batch", me.send(f"{page}/batches", page, **said).get_data(as_text=True))
        me.send(f"{page}/batches", page, **{**said, "batches-1": "leek-1"})
        self.assertIn("They are not of one kind", me.see(page))

    def test_a_deleted_trial_is_gone_and_its_batches_stay(self) -> None:
        me, page = self.gardener(), self.marked(name="Gone soon")
        me.send(f"{page}/drop", page)
        self.assertEqual(me.client.get(page).status_code, 404)
