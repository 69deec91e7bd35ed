"""One walk through the real interface in Chromium, from the packet to the sentence; and axe on every view."""

from __future__ import annotations

import tempfile
from datetime import timedelta
from pathlib import Path

from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select, WebDriverWait

from fennet.journal.mqtt import Message
from fennet.operations import brokers
from fennet.storage import queries
from tests.database import NOW
from tests.web.browser import DESK, PHONE, axe_findings, browser, resize, sign_in
from tests.web.site import Served, SiteCase


class BrowserCase(SiteCase):
    driver: Chrome
    served: Served

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.served = Served(cls.app)
        cls.addClassCleanup(cls.served.stop)
        cls.driver = browser()
        cls.addClassCleanup(cls.driver.quit)

    def wait_for(self, words: str) -> None:
        # The page may change under the question: then it is asked again.
        wait = WebDriverWait(self.driver, 10, ignored_exceptions=[StaleElementReferenceException])
        wait.until(lambda d: words in d.find_element(By.TAG_NAME, "main").text, words)

    def type(self, name: str, words: str) -> None:
        field = self.driver.find_element(By.NAME, name)
        field.clear()
        field.send_keys(words)

    def press(self, selector: str) -> None:
        self.driver.find_element(By.CSS_SELECTOR, selector).click()


class Journey(BrowserCase):
    demo = False

    def test_from_a_packet_of_seed_to_late_and_why(self) -> None:
        d = self.driver
        d.get(self.served.base)
        self.type("name", "Ottilie")
        self.type("password", "a sentence by the canal")
        self.type("garden", "Landing")
        Select(d.find_element(By.NAME, "timezone")).select_by_value("Europe/Tallinn")
        self.press("form .btn-primary")
        self.wait_for("Four questions")
        d.get(d.current_url.replace("/begin", "/trays"))
        self.wait_for("Nothing stands here yet")
        self.press("a[href$='/trays/new']")
        self.type("id", "A")
        self.press("button[name=then]")
        self.wait_for("Sow in tray A")
        # Two kinds: the first from the plan, the second typed.
        self.type("crop-0", "leek")
        self.type("variety-0", "Grey Sluice")
        for cell in ("r1c1", "r1c2", "r1c3", "r2c1", "r2c2", "r2c3"):
            self.press(f"[data-cell={cell}]")
        self.assertEqual(d.find_element(By.NAME, "cells-0").get_attribute("value"), "r1c1, r1c2, r1c3, r2c1, r2c2, r2c3")
        self.press("[data-more]")
        self.type("crop-1", "lettuce")
        self.type("cells-1", "r4c5-r4c6")
        d.execute_script("document.querySelector('[name=sown_at]').value = '2026-02-05T10:00'")
        self.press("form.sow .btn-primary:not([name])")
        self.wait_for("Half should be up")
        # The thermometer's file.
        start = NOW - timedelta(days=15)
        path = Path(tempfile.mkdtemp()) / "probe.csv"
        path.write_text(
            "Time,Soil C\n"
            + "".join(f"{start + timedelta(hours=h):%Y-%m-%d %H:%M:%S},{9.8 + h % 4 * 0.2:.1f}\n" for h in range(360))
        )
        d.find_element(By.NAME, "file").send_keys(str(path))
        self.press(".readings-in .by-file button")
        self.wait_for("What it would bring")
        self.press("[name=save]")
        self.wait_for("360 readings kept")
        self.wait_for("Late")
        # Three cells are up: pressed one after the other, by mouse and by keyboard.
        self.press("button[name=cell][value=r1c1]")
        self.wait_for("r1c1 marked up")
        cell = d.switch_to.active_element
        self.assertEqual(cell.get_attribute("value"), "r1c1", "the focus stays where it was pressed")
        cell.send_keys(Keys.ARROW_RIGHT)
        d.switch_to.active_element.send_keys(Keys.ENTER)
        self.wait_for("r1c2 marked up")
        self.press("button[name=cell][value=r2c2]")
        self.wait_for("r2c2 marked up")
        verdict = d.find_element(By.CSS_SELECTOR, ".verdict").text
        self.assertRegex(
            verdict, r"Late by \w+ days, (nearly all|most) of it cold soil: at [\d.]+ °C half (are due|were up) .*February"
        )
        self.assertEqual(len(d.find_elements(By.CSS_SELECTOR, ".cell.is-up")), 3)
        # Undo, and the working behind the sentence.
        self.press(".toast form button")
        self.wait_for("Undone")
        self.assertEqual(len(d.find_elements(By.CSS_SELECTOR, ".cell.is-up")), 2)
        self.press(".verdict .how")
        WebDriverWait(d, 5).until(lambda d: d.find_element(By.CSS_SELECTOR, ".working:popover-open").is_displayed())
        self.assertIn("futures", d.find_element(By.CSS_SELECTOR, ".working:popover-open").text)


#: Every view that has a form or a drawing of its own.
VIEWS = (
    "today", "today?room=landing", "trays", "trays/A", "trays/D", "trays/G?days=all", "trays/Q", "sow?tray=E",
    "trays/new", "crops", "crops/leek", "log", "book", "book/sim-0001", "room", "room/lamps/lamp-1", "room/sources/kitchen-scale",
    "plan", "plan/wants", "plan/wants/1", "plan/days/2026-03-05", "plan/labels?outline=1", "plan/frost",
    "plan/mix", "plan/poster", "plan/versions", "plan/compare", "plan/season",
    "plan/calendar", "seeds", "seeds/packet", "seeds/packet/lot-leek-0",
    "why", "why/leek-1", "why/celeriac-1", "why/shiso-1", "why/shiso-1/look", "why/shiso-1/look?asked=1", "tune", "tune/lamps",
    "feed", "pot-up/cosmos-1", "score", "away?days=6", "towels", "harden", "find?q=leek", "help", "begin", "begin/sown",
    "begin/seedlings", "begin/records",
    "practice", "practice?batch=leek-1", "practice/targets?crop=leek", "more",
    "devices", "devices/broker", "people", "readings", "readings/1", "readings/1?span=year", "compare", "compare?by=mat",
    "learned", "season", "season?year=2025", "trials", "trials/which-leek", "story/leek-y1", "story/leek-1",
)  # fmt: skip


class Accessible(BrowserCase):
    def test_axe_is_clean_and_nothing_spills_on_desk_and_phone_by_day_and_night(self) -> None:
        d = self.driver
        d.get(f"{self.served.base}/sign-in")
        self.assertEqual(axe_findings(d), [])
        sign_in(d, self.served.base, "demo", "canal-house")
        garden = d.current_url.rsplit("/", 1)[0]
        self.set_broker()
        for size, theme in ((DESK, "day"), (PHONE, "night"), (DESK, "night")):
            resize(d, size)
            d.add_cookie({"name": "theme", "value": theme})
            for address in VIEWS:
                d.get(f"{garden}/{address}")
                with self.subTest(f"{address} {size} {theme}"):
                    self.assertEqual(axe_findings(d), [])
                    self.assertLessEqual(d.execute_script("return document.documentElement.scrollWidth"), size[0])
        resize(d, DESK)

    def set_broker(self) -> None:
        """A broker with a topic that is kept and one that was heard, so that its page has all its parts."""
        me, address = self.gardener(), "/g/canal-house/devices/broker"
        me.send(address, act="broker", host="broker.home")
        with self.engine.connect() as c:
            garden_id = queries.gardens(c, slug="canal-house")[0].id
        said = [Message(f"home/{where}/A", b'{"soil_temperature": 20.5}', self.now) for where in ("landing", "box-room")]
        brokers.record_unmapped(self.engine, garden_id, said)
        fields = {"path-0": "soil_temperature", "use-0": "soil_temperature degC", "place-0": "A"}
        me.send(address, act="topic", topic="home/landing/A", **fields)

    def test_every_sign_printed_is_in_the_shipped_fonts(self) -> None:
        d = self.driver
        sign_in(d, self.served.base, "demo", "canal-house")
        d.get(d.current_url.rsplit("/", 1)[0] + "/trays/A")
        d.execute_async_script("document.fonts.ready.then(arguments[0])")
        faces = d.execute_script(
            "return [...document.fonts].filter(f => f.status === 'loaded').map(f => f.family.replaceAll('\"', ''))"
        )
        self.assertLessEqual({"Source Sans 3", "Literata"}, set(faces))


class Handles(BrowserCase):
    def test_a_moved_handle_answers_in_the_page_as_the_server_does(self) -> None:
        d = self.driver
        sign_in(d, self.served.base, "demo", "canal-house")
        resize(d, DESK)
        d.get(d.current_url.rsplit("/", 1)[0] + "/tune/lamps")
        before = d.find_element(By.CSS_SELECTOR, "[data-words]").text
        d.execute_script(
            """const handle = document.querySelector('[data-handles] [name=hours]');
            handle.value = '7';
            handle.dispatchEvent(new Event('input', {bubbles: true}));"""
        )
        after = d.find_element(By.CSS_SELECTOR, "[data-words]").text
        self.assertNotEqual(before, after)
        self.assertIn("hours out of its band", after)
        self.assertEqual(d.find_element(By.CSS_SELECTOR, "[data-set-hours]").get_attribute("value"), "7")
        # What the page says at a height is what the server says there.
        d.get(d.current_url.split("?")[0] + "?lamp=lamp-1&height=400&hours=15")
        told = d.find_element(By.CSS_SELECTOR, "#lamp-1 [data-words]").text
        d.execute_script(
            "const h = document.querySelector('#lamp-1 [name=height][type=range]'); h.value = '400';"
            "h.dispatchEvent(new Event('input', {bubbles: true}));"
        )
        self.assertEqual(d.find_element(By.CSS_SELECTOR, "#lamp-1 [data-words]").text, told)


class DaysList(BrowserCase):
    def test_a_task_is_left_until_tomorrow_by_thumb_and_undone(self) -> None:
        d = self.driver
        sign_in(d, self.served.base, "demo", "canal-house")
        resize(d, PHONE)
        garden = d.current_url.rsplit("/", 1)[0]
        d.get(f"{garden}/today")
        row = d.find_element(By.CSS_SELECTOR, ".work-row")
        name = row.get_attribute("id")
        later = row.find_element(By.CSS_SELECTOR, ".leave summary")
        d.execute_script("arguments[0].scrollIntoView({block: 'center'})", later)
        later.click()
        row.find_element(By.CSS_SELECTOR, "input[name=why]").send_keys("guests")
        later = row.find_element(By.CSS_SELECTOR, "button[value=tomorrow]")
        # Out from under the bar at the thumb, as a person would scroll it.
        d.execute_script("arguments[0].scrollIntoView({block: 'center'})", later)
        later.click()
        self.wait_for("Left:")
        self.assertEqual(d.find_elements(By.ID, name), [])
        d.execute_script("window.scrollTo(0, 0)")
        d.find_element(By.CSS_SELECTOR, ".toast form button").click()
        WebDriverWait(d, 10).until(lambda d: d.find_elements(By.ID, name))
        resize(d, DESK)
