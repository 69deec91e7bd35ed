"""From an empty database on a phone: the first true sentence about a tray, a named cause for long seedlings, and a dated plan
with labels, each in a few presses and without a page of setting up."""

from __future__ import annotations

from typing import ClassVar

from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

from tests.web.browser import PHONE, axe_findings, resize
from tests.web.test_journey import BrowserCase

#: What a person needs by the keystroke-level model, on glass: to decide and touch, for each letter, and for each word read.
TOUCH_S, LETTER_S, WORD_S = 2.5, 0.5, 0.25


class OnAPhone(BrowserCase):
    demo = False
    touched: ClassVar[int] = 0
    seconds: ClassVar[float] = 0.0

    def spend(self, touches: int = 0, letters: int = 0) -> None:
        type(self).touched += touches
        type(self).seconds += touches * TOUCH_S + letters * LETTER_S

    def read(self) -> str:
        """What a page says; reading all of it takes its time."""
        unread = self.driver.execute_script("return [...document.querySelectorAll('main option')].map(o => o.text).join(' ')")
        text = self.main()
        type(self).seconds += (len(text.split()) - len(unread.split())) * WORD_S
        return text

    def tap(self, selector: str) -> None:
        found = self.driver.find_element(By.CSS_SELECTOR, selector)
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", found)
        found.click()
        self.spend(1)

    def fill(self, name: str, text: str) -> None:
        self.type(name, text)
        self.spend(1, len(text))

    def choose(self, name: str, value: str) -> None:
        Select(self.driver.find_element(By.NAME, name)).select_by_value(value)
        self.spend(2)

    def main(self) -> str:
        return str(self.driver.find_element(By.TAG_NAME, "main").text)

    def fresh(self) -> None:
        type(self).touched, type(self).seconds = 0, 0.0

    def test_three_ways_to_a_first_answer(self) -> None:
        d = self.driver
        resize(d, PHONE)
        d.get(self.served.base)
        for name, text in (("name", "Bram"), ("password", "a sentence by the canal"), ("garden", "Landing")):
            self.fill(name, text)
        self.tap("form .btn-primary")
        self.wait_for("Four questions")
        self.read()
        self.assertEqual(axe_findings(d), [])
        self.tap("a.btn-link[href$='/today']")
        garden = d.current_url.rsplit("/", 1)[0]
        # Something is sown: when it is up.
        self.read()
        self.tap("a.way[href$='/begin/sown']")
        self.read()
        self.assertEqual(axe_findings(d), [])
        self.fill("crop", "leek")
        self.choose("where", "+sill")
        self.tap("form .btn-primary")
        self.wait_for("Half should be up")
        self.assertLessEqual(type(self).touched, 12, "presses to the first true sentence, the welcome among them")
        self.assertLess(type(self).seconds, 120)
        # Seedlings that look wrong: a named cause.
        self.fresh()
        d.get(f"{garden}/begin/seedlings")
        self.fill("crop", "tomato")
        self.choose("where", "sill-1")
        self.tap("form .btn-primary")
        self.wait_for("Look")
        self.read()
        self.tap("[value='long_thin']")
        for _ in range(6):
            skip = d.find_elements(By.CSS_SELECTOR, "[name=skipped], [name=result]")
            if "/look" not in d.current_url or not skip:
                break
            d.execute_script("arguments[0].click()", skip[0])
            self.spend(1)
        d.get(f"{garden}/why/tomato-1")
        self.assertRegex(self.read(), r"The most likely cause is|It may be")
        self.assertLessEqual(type(self).touched, 14)
        self.assertLess(type(self).seconds, 180)
        # The season: a dated plan, and its labels.
        self.fresh()
        d.get(f"{garden}/plan/wants")
        self.fill("crop", "leek")
        self.fill("plants", "20")
        self.tap("form .btn-primary")
        d.get(f"{garden}/plan")
        self.assertIn("Nobody has said when the last frost is", self.read())
        self.assertRegex(self.main(), "leek")
        d.get(f"{garden}/plan/labels")
        self.assertIn("leek", self.read())
        self.assertLess(type(self).seconds, 300)
