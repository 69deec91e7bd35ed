"""Finding by a name or a word, and the page of words and keys."""

from __future__ import annotations

from tests.web.site import SiteCase

G = "/g/canal-house"


class Find(SiteCase):
    def test_everything_that_holds_the_words_is_found_by_sort(self) -> None:
        me = self.gardener()
        for asked, title, words in (
            ("grey sluice", "What grows", "leek ‘Grey Sluice’"), ("tray g", "Trays and places", "Tray G"),
            ("bok choy", "Kinds", "pak choi"), ("wilhelmine", "Packets", "statice"), ("warm cupboard", "Entries", "Not again"),
            ("meter", "Pages", "Tune lamps"), ("swing bridge", "What grows", "celeriac"),
        ):  # fmt: skip
            with self.subTest(asked):
                page = me.see(f"{G}/find?q={asked}")
                self.assertIn(f"<h2>{title}</h2>", page)
                self.assertIn(words, page)

    def test_each_link_leads_to_a_page(self) -> None:
        me = self.gardener()
        for asked in ("e", "leek", "lamp", "a"):
            page = me.see(f"{G}/find?q={asked}")
            for link in {part.split('"')[0] for part in page.split('<li><a href="')[1:]}:
                self.assertEqual(me.client.get(link.replace("&amp;", "&")).status_code, 200, link)

    def test_nothing_found_names_what_is_near(self) -> None:
        page = self.gardener().see(f"{G}/find?q=tomatilo")
        self.assertIn("Nothing found for", page)
        self.assertIn(">tomatillo</a>", page)
        self.assertEqual(self.gardener().client.get(f"{G}/find?q={'x' * 500}%00").status_code, 200)

    def test_words_and_keys(self) -> None:
        page = self.gardener().see(f"{G}/help")
        self.assertIn("write in the log line", page)
        self.assertIn("Half up", page)
        self.assertIn(f'data-find="{G}/find"', page)
