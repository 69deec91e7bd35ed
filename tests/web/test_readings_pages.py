"""Readings over a day or over years: what is drawn is what bare figures say, and no more than a screen shows."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy import text

from fennet.storage import queries
from fennet.storage.reading_spans import DAY, FIVE_MINUTES, HOUR, WEEK, steps
from fennet.storage.reading_store import Column, store
from fennet.web.readings.view import SPANS
from tests.web.site import SiteCase

ZONE = ZoneInfo("Europe/Amsterdam")
SERIES = ("A", "air_temperature", "two-years", None, None, None)
#: Two years to the frozen clock, so that both changes of the clock lie inside.
FROM = datetime(2024, 2, 20, tzinfo=UTC)


class Pages(SiteCase):
    number: int

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        rng = np.random.default_rng(20)
        at_s = FROM.timestamp() + np.sort(rng.choice(2 * 366 * 24 * 12, 30_000, replace=False)) * 300.0
        at_s = at_s[at_s < cls.now.timestamp()]
        cls.at_s, cls.value = at_s, np.round(18 + 6 * np.sin(at_s / 5e5) + rng.normal(0, 1, len(at_s)), 1)
        with cls.engine.begin() as c:
            garden_id = queries.gardens(c, slug="canal-house")[0].id
            store(c, garden_id, [Column(SERIES, "degC", None, None, at_s, cls.value, cls.value)])
            cls.number = c.execute(text("select id from series where source = 'two-years'")).scalar_one()

    def test_every_step_is_what_the_readings_say_across_changes_of_the_clock(self) -> None:
        spans = {HOUR: 40, DAY: 400, WEEK: 740, FIVE_MINUTES: 2}
        for step, days in spans.items():
            for ends in (datetime(2025, 4, 2, tzinfo=ZONE), datetime(2025, 11, 1, tzinfo=ZONE)):
                from_at = ends - timedelta(days=days)
                with self.engine.connect() as c, self.subTest(step, ends=ends):
                    found = steps(c, self.number, from_at, ends, step, ZONE.key)
                    inside = (self.at_s >= from_at.timestamp()) & (self.at_s < ends.timestamp())
                    groups: dict[float, list[float]] = {}
                    for at_s, value in zip(self.at_s[inside], self.value[inside], strict=True):
                        groups.setdefault(_step_of(at_s, step), []).append(value)
                    self.assertEqual(found.at_s.tolist(), list(groups))
                    for mine, make in ((found.low, min), (found.high, max), (found.mean, np.mean), (found.n, len)):
                        np.testing.assert_allclose(mine, [make(g) for g in groups.values()], rtol=1e-12)

    def test_a_page_shows_what_fits_a_screen_whatever_the_span(self) -> None:
        me = self.gardener()
        for span in SPANS:
            page = me.see(f"/g/canal-house/readings/{self.number}?span={span}")
            dots = max((p.count(",") for p in page.split('points="')[1:]), default=0)
            self.assertLessEqual(dots, 1_300, span)
            self.assertIn("Lowest", page)
        year = me.see(f"/g/canal-house/readings/{self.number}?span=year&until=2025-06-30")
        inside = (self.at_s >= datetime(2024, 6, 30, tzinfo=ZONE).timestamp()) & (
            self.at_s < datetime(2025, 7, 1, tzinfo=ZONE).timestamp()
        )
        self.assertIn(f"{inside.sum():,} readings", year)
        for way in ("Earlier", "Later"):
            self.assertIn(f">{way}</a>", year)
        self.assertIn("Nothing was read then", me.see(f"/g/canal-house/readings/{self.number}?span=day&until=1999-01-01"))
        self.assertEqual(me.see(f"/g/canal-house/readings/{self.number}?span=%00&until=x").count("<h1>"), 1)

    def test_a_series_of_another_garden_is_not_found(self) -> None:
        me = self.gardener()
        with self.engine.connect() as c:
            other = next(g.slug for g in queries.gardens(c) if g.slug != "canal-house")
        self.assertEqual(me.client.get(f"/g/{other}/readings").status_code, 200)
        for number in ("0", "x", "-1", "99999999999999", str(self.number)):
            garden = "canal-house" if number != str(self.number) else other
            self.assertEqual(me.client.get(f"/g/{garden}/readings/{number}").status_code, 404, number)


def _step_of(at_s: float, step: str) -> float:
    """The beginning of a reading's step, worked out by hand."""
    if step == FIVE_MINUTES:
        return at_s // 300 * 300.0
    if step == HOUR:
        return at_s // 3600 * 3600.0
    local = datetime.fromtimestamp(at_s, ZONE)
    day = local.date() - timedelta(days=local.weekday() if step == WEEK else 0)
    return datetime(day.year, day.month, day.day, tzinfo=ZONE).timestamp()
