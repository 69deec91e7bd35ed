"""Looking back on the demo's finished season: its pages tell what its journal holds, in every corner of a stranger's reach."""

from __future__ import annotations

from collections import Counter

from fennet.storage import queries
from tests.web.site import SiteCase

G = "/g/canal-house"


class Pages(SiteCase):
    def test_the_season_before_is_told_with_what_to_mend_first_and_a_way_to_every_story(self) -> None:
        me = self.gardener()
        page = me.see(f"{G}/season?year=2024")
        self.assertIn("Look back on 2024", page)
        self.assertIn("Mend first: ", page)
        self.assertRegex(page, r"of \d+ cells \d+ came up")
        self.assertIn(f'href="{G}/story/leek-y1"', page)
        self.assertIn("kWh", page)
        self.assertIn("Look back on 2026", me.see(f"{G}/season?year=1700"), "a year nobody sowed in is none")

    def test_a_story_has_its_ribbons_its_forecasts_and_its_outcome(self) -> None:
        me = self.gardener()
        page = me.see(f"{G}/story/leek-y1")
        for said in ("leek ‘Grey Sluice’", "were planted out on", "Taste: 4 of 5", "Forecasts, as they stood then",
                     "How it was kept", "All that was written down", "in band"):  # fmt: skip
            self.assertIn(said, page)
        self.assertNotIn("now-line", page, "of what is past nothing is now")
        self.assertIn("now-line", me.see(f"{G}/story/leek-1"))
        self.assertEqual(me.client.get(f"{G}/story/nobody").status_code, 404)

    def test_a_story_follows_what_is_corrected(self) -> None:
        me = self.gardener()
        before = me.see(f"{G}/story/leek-1")
        me.send(f"{G}/log", f"{G}/log", line="leek-1 note “told twice”")
        self.assertNotIn("told twice", before)
        self.assertIn("told twice", me.see(f"{G}/story/leek-1"))

    def test_the_plan_and_the_sowing_bring_back_what_the_past_says(self) -> None:
        me = self.gardener()
        sowing = me.see(f"{G}/sow?tray=B")
        self.assertIn("What your varieties did here", sowing)
        self.assertIn("What failed last time", sowing)
        self.assertIn("the heaviest of two", me.see(f"{G}/plan"))

    def test_waterings_and_outings_are_promised_once_a_day_whatever_is_written(self) -> None:
        me = self.gardener()
        found = []
        for line in ("A soil 14", "A soil 14.2 @ 08:00"):
            me.send(f"{G}/log", f"{G}/log", line=line)
            with self.engine.connect() as c:
                house = queries.gardens(c, slug="canal-house")[0]
                found.append(Counter((e["kind"], e["subject"]) for e in queries.promise_entries(c, house.id)))
        kinds = {kind for kind, _ in found[0]}
        self.assertLessEqual({"half_up", "watering"}, kinds)
        daily = {key: n for key, n in found[1].items() if key[0] in ("watering", "outing", "warning")}
        self.assertEqual(set(daily.values()), {1})

    def test_the_track_record_says_how_sure_fennet_is_by_batches_and_not_by_promises(self) -> None:
        page = self.gardener().see(f"{G}/score")
        self.assertRegex(page, r"Fennet is (about as sure as it should be|less sure than it could be|too sure of itself) here")
        self.assertIn("first half: ", page)
