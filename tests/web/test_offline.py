"""Without signal, in Chromium: pages as last seen, entries that wait and are sent once, nothing left for the next person."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from fennet.launch.serve import DEMO_NAME, DEMO_PASSWORD
from fennet.operations import gardens
from fennet.storage import queries
from tests.database import new_person
from tests.web.browser import PHONE, browser, resize, sign_in
from tests.web.site import Served, SiteCase

G = "/g/canal-house"


class AtTheShelf(SiteCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        with cls.engine.begin() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            gardens.join(c, ref, new_person(c, "Vi", "a sentence to sign in with"), "viewer")
        cls.site = Served(cls.app)
        cls.addClassCleanup(lambda: cls.site.stop())
        cls.driver = browser(shelf=True)
        cls.addClassCleanup(cls.driver.quit)
        resize(cls.driver, PHONE)

    def text(self) -> str:
        return self.driver.find_element(By.TAG_NAME, "body").text

    def pages_kept(self) -> int:
        return int(
            self.driver.execute_async_script("""
            const done = arguments[0];
            caches.keys().then(async (names) => {
                const name = names.find((n) => n.startsWith("fennet-pages"));
                done(name ? (await (await caches.open(name)).keys()).length : 0);
            });
        """)
        )

    def test_the_day_the_trays_and_the_run_sheet_are_read_and_entries_are_sent_once(self) -> None:
        d = self.driver
        d.get(f"{self.site.base}/sign-in")
        sign_in(d, self.site.base, DEMO_NAME, DEMO_PASSWORD)
        d.get(f"{self.site.base}{G}/today")
        kept = len(self.gardener().client.get(f"{G}/shelf.json").get_json()["pages"])
        WebDriverWait(d, 90).until(lambda _: self.pages_kept() >= kept)
        port = self.site.server.server_port
        self.site.stop()
        self.site.server.server_close()
        for page, words in (
            ("today", "Later"),
            ("trays/S", "snapdragon"),
            ("plan/days/today", "Labels first"),
            ("trays", "Grey Sluice"),
        ):
            d.get(f"{self.site.base}{G}/{page}")
            self.assertIn("No signal: this is as last seen", self.text(), page)
            self.assertIn(words.lower(), self.text().lower(), page)
        d.get(f"{self.site.base}{G}/book")
        self.assertIn("This page was not kept here", self.text())
        for _ in range(2):
            # The same page twice: each press is an entry of its own.
            d.get(f"{self.site.base}{G}/trays/S")
            d.find_element(By.CSS_SELECTOR, "button[value='S watered below']").click()
            WebDriverWait(d, 10).until(lambda _: "here for a signal" in self.text())
        self.assertIn("2 entries wait", self.text())
        before = self.entries()
        type(self).site = Served(self.app, port)
        d.get(f"{self.site.base}{G}/trays/S")
        WebDriverWait(d, 20).until(lambda _: "What waited here is logged" in self.text())
        self.assertEqual(self.entries() - before, 2)
        # Signed out: nothing is kept for whoever comes next, with signal or without.
        d.get(f"{self.site.base}/me")
        d.execute_script("document.querySelector('form[data-sign-out]').requestSubmit()")
        WebDriverWait(d, 20).until(lambda _: "/sign-in" in d.current_url and self.pages_kept() == 0)
        d.execute_script("localStorage.setItem('fennet-waiting', JSON.stringify([{action: arguments[0], fields: [['key', 'k1'], "
                         "['line', 'S feel 4']], at: new Date().toISOString(), person: 'somebody'}]))",
                         f"{self.site.base}{G}/log")  # fmt: skip
        sign_in(d, self.site.base, "Vi", "a sentence to sign in with")
        WebDriverWait(d, 10).until(lambda _: "One entry of somebody else waits" in self.text())
        self.assertEqual(self.entries() - before, 2, "nobody sends what somebody else left")

    def test_what_cannot_be_logged_is_told_in_the_pages_words_and_stays_until_put_away(self) -> None:
        d = self.driver
        d.get(f"{self.site.base}/me")
        if d.find_elements(By.CSS_SELECTOR, "form[data-sign-out]"):
            d.execute_script("document.querySelector('form[data-sign-out]').requestSubmit()")
            WebDriverWait(d, 20).until(lambda _: "/sign-in" in d.current_url)
        d.execute_script("localStorage.clear()")
        sign_in(d, self.site.base, DEMO_NAME, DEMO_PASSWORD)
        d.execute_script("localStorage.setItem('fennet-waiting', JSON.stringify([{action: arguments[0], fields: [['key', 'k2'], "
                         "['line', 'nowhere watered']], at: new Date().toISOString(), person: document.body.dataset.person}]))",
                         f"{self.site.base}{G}/log")  # fmt: skip
        d.get(f"{self.site.base}{G}/today")
        WebDriverWait(d, 20).until(lambda _: "Not logged: nowhere watered" in self.text())
        d.get(f"{self.site.base}{G}/trays")
        WebDriverWait(d, 20).until(lambda _: "Not logged: nowhere watered" in self.text())
        d.find_element(By.CSS_SELECTOR, "[data-waiting] button").click()
        self.assertNotIn("Not logged", self.text())

    def entries(self) -> int:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            return sum(e.kind == "watered" and e.fields.get("tray") == "S" for e in queries.events(c, ref.id))

    def test_it_can_be_installed(self) -> None:
        visitor = self.gardener()
        manifest = visitor.client.get("/fennet.webmanifest").get_json()
        for icon in manifest["icons"]:
            self.assertEqual(visitor.client.get(icon["src"]).status_code, 200)
        worker = visitor.client.get("/worker.js")
        self.assertEqual((worker.mimetype, worker.headers["Cache-Control"]), ("text/javascript", "no-cache"))
        self.assertIn("/static/css/fennet.css", worker.get_data(as_text=True))
        pages = visitor.client.get(f"{G}/shelf.json").get_json()["pages"]
        for page in pages:
            self.assertEqual(visitor.client.get(page).status_code, 200, page)
