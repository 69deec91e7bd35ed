"""The page that puts batches side by side: what is shown is what the command says."""

from __future__ import annotations

from fennet.core.comparing.comparison import BY
from fennet.presentation.comparing import UNTOLD
from tests.web.site import SiteCase


class Page(SiteCase):
    def test_each_way_is_shown_and_what_is_left_out_is_said_with_the_reason(self) -> None:
        me = self.gardener()
        for by in BY:
            page = me.see(f"/g/canal-house/compare?by={by}")
            self.assertIn(f'<b aria-current="true">{by}</b>', page)
        page = me.see("/g/canal-house/compare?by=moon")
        self.assertIn('<b aria-current="true">variety</b>', page, "what is no way is none")
        self.assertIn("Old Dredger", page)
        self.assertIn(f"celeriac-b is left out of the days: {UNTOLD['not_sown']}", page)
        self.assertIn("Nothing to compare by variety yet: ", page)

    def test_a_count_is_in_the_comparison_at_once(self) -> None:
        me, address = self.gardener(), "/g/canal-house/compare"
        before = me.see(address)
        self.assertIn(UNTOLD["not_counted"], before)
        for line in ("B 4 up", "B 9 up"):
            me.send("/g/canal-house/log", "/g/canal-house/log", line=line)
        self.assertNotEqual(me.see(address), before)
