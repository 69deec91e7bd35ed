"""The season's chart under the keys and the pointer, the run sheet on a phone, labels at their true size on paper."""

from __future__ import annotations

import base64
import io
import re
from collections.abc import Callable

from pdfminer.high_level import extract_pages
from pdfminer.layout import LAParams, LTCurve, LTTextContainer
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from fennet.launch.serve import DEMO_NAME, DEMO_PASSWORD
from tests.web.browser import DESK, PHONE, resize, sign_in
from tests.web.test_journey import BrowserCase

G = "/g/canal-house"
MM_PER_POINT = 25.4 / 72


class SeasonCase(BrowserCase):
    def setUp(self) -> None:
        self.driver.delete_all_cookies()
        resize(self.driver, DESK)
        sign_in(self.driver, self.served.base, DEMO_NAME, DEMO_PASSWORD)

    def handle(self, name: str) -> tuple[str, str]:
        """A sowing's handle: its day, and how to find it again."""
        found = self.driver.find_element(By.CSS_SELECTOR, f"[data-sow][aria-label^='{name}']")
        return found.get_attribute("data-day") or "", f"[data-want='{found.get_attribute('data-want')}'][data-sowing-no='1']"

    def until(self, holds: Callable[[], bool]) -> None:
        """Wait for something while the page changes under the question."""
        WebDriverWait(self.driver, 10, ignored_exceptions=[StaleElementReferenceException]).until(lambda _: holds())

    def day_of(self, selector: str) -> str:
        return self.driver.find_element(By.CSS_SELECTOR, f"[data-sow]{selector}").get_attribute("data-day") or ""


class Moving(SeasonCase):
    def test_arrow_keys_try_a_day_and_enter_keeps_it(self) -> None:
        d = self.driver
        d.get(f"{self.served.base}{G}/plan")
        before, same = self.handle("cosmos")
        d.find_element(By.CSS_SELECTOR, f"[data-sow]{same}").send_keys(Keys.PAGE_DOWN, Keys.ARROW_RIGHT)
        self.until(lambda: "Tried: cosmos" in d.find_element(By.CSS_SELECTOR, "[data-trying]").text)
        tried = self.day_of(same)
        self.assertLess(tried, before, "a week back and a day on")
        self.assertEqual(d.switch_to.active_element.get_attribute("data-want"), same.split("'")[1], "the handle keeps the focus")
        d.switch_to.active_element.send_keys(Keys.ESCAPE)
        self.until(lambda: self.day_of(same) == before)
        d.find_element(By.CSS_SELECTOR, f"[data-sow]{same}").send_keys(Keys.PAGE_DOWN)
        self.until(lambda: "Tried: cosmos" in d.find_element(By.CSS_SELECTOR, "[data-trying]").text)
        kept = self.day_of(same)
        d.switch_to.active_element.send_keys(Keys.ENTER)
        self.wait_for("the rest of the plan was fitted around it")
        self.assertEqual(self.day_of(same), kept)
        d.refresh()
        self.assertEqual(self.day_of(same), kept, "what was kept is there after a reload")

    def test_the_pointer_drags_a_sowing(self) -> None:
        d = self.driver
        d.get(f"{self.served.base}{G}/plan")
        before, same = self.handle("shiso")
        handle = d.find_element(By.CSS_SELECTOR, f"[data-sow]{same} .touch")
        ActionChains(d).click_and_hold(handle).move_by_offset(-60, 0).pause(0.3).move_by_offset(-10, 0).release().perform()
        self.until(lambda: "Tried: shiso" in d.find_element(By.CSS_SELECTOR, "[data-trying]").text)
        self.assertLess(self.day_of(same), before)
        d.find_element(By.CSS_SELECTOR, "[data-trying] .btn-outline-primary").click()
        self.until(lambda: self.day_of(same) == before)


class OnThePhone(SeasonCase):
    def test_a_line_is_sown_with_one_press(self) -> None:
        d = self.driver
        resize(d, PHONE)
        d.get(f"{self.served.base}{G}/plan")
        d.find_element(By.CSS_SELECTOR, ".plan-links .btn-outline-primary").click()
        self.until(lambda: "/days/" in d.current_url)
        lines = d.find_elements(By.CSS_SELECTOR, ".sheet-line")
        self.assertTrue(lines)
        button = lines[0].find_element(By.CSS_SELECTOR, ".btn-primary")
        self.assertGreaterEqual(button.size["height"], 44)
        name = button.text.removeprefix("Sown: ")
        # As a thumb would: out from under the bar at the foot.
        d.execute_script("arguments[0].scrollIntoView({block: 'center'})", button)
        button.click()
        self.wait_for(f"cells of {name}")
        self.assertEqual(len(d.find_elements(By.CSS_SELECTOR, ".sheet-line")), len(lines) - 1)


class OnPaper(SeasonCase):
    def printed(self, address: str) -> io.BytesIO:
        self.driver.get(f"{self.served.base}{G}/{address}")
        pdf = self.driver.execute_cdp_cmd("Page.printToPDF", {"preferCSSPageSize": True, "printBackground": True})
        return io.BytesIO(base64.b64decode(pdf["data"]))

    def test_labels_print_to_the_half_millimetre(self) -> None:
        for sheet, page_mm, label_mm, corner_mm in (
            ("a4-24", (210.0, 297.0), (66.0, 34.0), (5.0, 12.0)), ("letter-30", (215.9, 279.4), (66.0, 25.0), (5.9, 14.7)),
            ("stick-15", (100.0, 15.0), (100.0, 15.0), (0.0, 0.0)),
        ):  # fmt: skip
            with self.subTest(sheet):
                pages = list(extract_pages(self.printed(f"plan/labels?sheet={sheet}&outline=1"), laparams=LAParams()))
                batches = re.search(
                    r"(\d+) labels", self.driver.find_element(By.CSS_SELECTOR, ".label-page").get_attribute("textContent") or ""
                )
                assert batches
                self.assertEqual(len(pages), int(batches[1]) if sheet.startswith("stick") else 1, "no page too many")
                page = pages[0]
                self.assertAlmostEqual(page.width * MM_PER_POINT, page_mm[0], delta=0.5)
                self.assertAlmostEqual(page.height * MM_PER_POINT, page_mm[1], delta=0.5)
                frames = [
                    x
                    for x in page
                    if isinstance(x, LTCurve)
                    and abs(x.width * MM_PER_POINT - label_mm[0]) < 2
                    and abs(x.height * MM_PER_POINT - label_mm[1]) < 2
                ]
                self.assertTrue(frames, "the outlines are on the paper")
                for frame in frames:
                    self.assertAlmostEqual(frame.width * MM_PER_POINT, label_mm[0], delta=0.5)
                    self.assertAlmostEqual(frame.height * MM_PER_POINT, label_mm[1], delta=0.5)
                first = min(frames, key=lambda x: (-x.y1, x.x0))
                self.assertAlmostEqual(first.x0 * MM_PER_POINT, corner_mm[0], delta=0.5)
                self.assertAlmostEqual((page.height - first.y1) * MM_PER_POINT, corner_mm[1], delta=0.5)
                words = "".join(x.get_text() for p in pages for x in p if isinstance(x, LTTextContainer))
                self.assertIn("Grey Sluice", words)
                self.assertNotIn("Print at 100", words, "nothing but the labels is printed")

    def test_the_plan_prints_without_its_buttons(self) -> None:
        words = "".join(x.get_text() for p in extract_pages(self.printed("plan")) for x in p if isinstance(x, LTTextContainer))
        self.assertIn("Every sowing, with its dates", words)
        self.assertNotIn("Add a crop", words)
