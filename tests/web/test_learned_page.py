"""What was learned is shown, forgotten, left out and replaced by a figure of one's own, and every answer goes by it at once."""

from __future__ import annotations

import json

from fennet.answering.answers import Answers
from fennet.core.bearing import record_at
from fennet.journal.reader import read_journal
from fennet.operations import exchange
from tests.web.site import SiteCase

PAGE = "/g/canal-house/learned"


class Page(SiteCase):
    def told(self) -> dict[str, object]:
        """What the page's own file says."""
        found: dict[str, object] = json.loads(self.gardener().see(f"{PAGE}.json"))
        return found

    def answers(self) -> Answers:
        """Answers about the garden as it is exported."""
        with self.engine.connect() as c:
            read = read_journal(json.loads("".join(exchange.give_journal(c, exchange.find_garden(c, "Canal house")))))
        return Answers(record_at(read.with_series(), self.now.timestamp()), self.now.timestamp(), exactly=True)

    def of(self, measure: str, crop: str) -> dict[str, object]:
        figures = self.told()["figures"]
        assert isinstance(figures, list)
        return next((x for x in figures if (x["measure"], x["crop"]) == (measure, crop)), {})

    def test_what_is_forgotten_is_used_no_more_until_it_is_taken_back(self) -> None:
        me = self.gardener()
        before = self.of("pace", "statice")
        self.assertIn("statice ‘Ferry Blue’", me.see(PAGE))
        me.send(PAGE, crop="statice", variety="ferry blue", forget="1")
        page = me.see(PAGE)
        self.assertIn("is forgotten", page)
        self.assertEqual(self.of("pace", "statice"), {})
        self.assertNotIn("statice", {x.crop for x in self.answers().learned.told("pace")}, "the export carries it")
        me.send(PAGE, crop="statice", variety="ferry blue", again="1")
        self.assertEqual(self.of("pace", "statice"), before)

    def test_a_year_is_left_out_and_taken_in_again(self) -> None:
        me = self.gardener()
        before, sown_in = self.told()["figures"], self.years()
        for year in sown_in:
            me.send(PAGE, year=year, forget="1")
        page = me.see(PAGE)
        self.assertIn("is left out", page)
        self.assertIn("Count what comes up", page)
        self.assertEqual(self.told()["figures"], [])
        for year in sown_in:
            me.send(PAGE, year=year, again="1")
        self.assertEqual(self.told()["figures"], before)

    def years(self) -> list[str]:
        years = self.told()["years"]
        assert isinstance(years, list)
        return [str(x["year"]) for x in years]

    def test_a_figure_of_ones_own_is_gone_by_in_forecasts_and_named(self) -> None:
        me = self.gardener()
        leek = next(b for b in self.answers().journal.batches if b.id == "leek-1")
        before = self.answers().forecast(leek)
        me.send(PAGE, own="1", kind="leek|grey sluice", figure_of="pace", value="2.0")
        after = self.answers().forecast(leek)
        assert before is not None and after is not None and before.days_at_target and after.days_at_target
        self.assertGreater(after.days_at_target, 1.4 * before.days_at_target)
        self.assertIn("2 times the table’s days, your own", me.see(PAGE))
        me.send(PAGE, crop="leek", variety="grey sluice", measure="pace", own_gone="1")
        again = self.answers().forecast(leek)
        assert again is not None
        self.assertEqual(again.days_at_target, before.days_at_target)

    def test_a_figure_that_cannot_be_is_refused_where_it_stands(self) -> None:
        answer = self.gardener().send(PAGE, own="1", kind="leek|grey sluice", figure_of="survival", value="3")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("accepted: 0.05 to 0.999", answer.get_data(as_text=True))

    def room(self, thing: str) -> dict[str, dict[str, object]]:
        """What the page's own file says of a tray or lamp, by what it is of."""
        lines = self.told()["room"]
        assert isinstance(lines, list)
        return {x["measure"]: x for x in lines if x["thing"] == thing}

    def test_a_tray_is_forgotten_and_learned_from_again(self) -> None:
        me = self.gardener()
        before = self.room("D")["drying"]
        self.assertIn("Tray D", me.see(PAGE))
        me.send(PAGE, thing="D", forget="1")
        self.assertIn("what it showed before", me.see(PAGE))
        self.assertNotIn("drying", self.room("D"))
        self.assertIn("drying", self.room("S"), "other trays stay as they are")
        me.send(PAGE, thing="D", again="1")
        self.assertEqual(self.room("D")["drying"], before)

    def test_a_trays_own_figure_is_gone_by_and_told_in_the_readers_degrees(self) -> None:
        me = self.gardener()
        me.send(PAGE, own="1", kind="tray:D", figure_of="drying", value="2.5")
        self.assertEqual((self.room("D")["drying"]["p50"], self.room("D")["drying"]["own"]), (2.5, True))
        self.assertIn("dries 2.5 times as fast as is usual, your own figure", me.see(PAGE))
        answer = me.send(PAGE, own="1", kind="tray:D", figure_of="lift", value="40")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("accepted: 3 °C to 25 °C", answer.get_data(as_text=True))
        answer = me.send(PAGE, own="1", kind="leek|grey sluice", figure_of="drying", value="2")
        self.assertEqual(answer.status_code, 400, "a kind dries no tray")
        answer = me.send(PAGE, own="1", kind="tray:D", figure_of="pace", value="2")
        self.assertIn("not of a tray or lamp", answer.get_data(as_text=True))
        answer = me.send(PAGE, thing="no-such", forget="1")
        self.assertIn("There is no tray or lamp", answer.get_data(as_text=True))

    def test_all_of_it_is_forgotten_with_one_press_and_taken_back(self) -> None:
        me = self.gardener()
        before = self.told()
        me.send(PAGE, forget="1")
        gone = self.told()
        self.assertEqual((gone["figures"], gone["habits"]), ([], []))
        self.assertTrue(all(x["months"] == 0 for x in gone["room"]))  # type: ignore[attr-defined]
        self.assertIn("Everything: what was sown and settled, read and done before", me.see(PAGE))
        me.send(PAGE, again="1")
        self.assertEqual(self.told(), before)
