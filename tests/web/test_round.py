"""What keeping the record costs: a day's round in presses and in keys, the room set up by hand, and what happens without signal."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

from datetime import timedelta

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select, WebDriverWait

from tests.web.browser import DESK, PHONE, resize, sign_in
from tests.web.test_journey import BrowserCase

#: A day's round: two watered, one count, three feel marks, one lamp raised, over six trays.
MOST_PRESSES, MOST_KEYS = 20, 110
#: Ten minutes at two seconds a press or choice, and five keys a second while typing.
MOST_SET_UP_S = 600.0
PRESS_S, KEY_S = 2.0, 0.2


class Round(BrowserCase):
    presses = 0

    def setUp(self) -> None:
        self.presses = 0
        # Each test at an hour of its own: a reading of the same minute would be the same reading.
        type(self).now += timedelta(hours=1)
        sign_in(self.driver, self.served.base, "demo", "canal-house")
        self.garden = self.driver.current_url.rsplit("/", 1)[0]

    def tap(self, selector: str, said: str = "") -> None:
        """One press; then what the page must say."""
        element = WebDriverWait(self.driver, 10).until(lambda d: d.find_element(By.CSS_SELECTOR, selector))
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
        self.driver.execute_script("arguments[0].click()", element)
        self.presses += 1
        if said:
            self.wait_for(said)

    def entries(self) -> int:
        page = self.driver.execute_async_script(
            "fetch(arguments[0]).then(r => r.text()).then(arguments[1])", f"{self.garden}/book.csv?from=2026-02-20&to=2026-02-20"
        )
        return len(page.strip().splitlines())

    def test_by_thumb_in_at_most_twenty_presses(self) -> None:
        resize(self.driver, PHONE)
        self.driver.get(f"{self.garden}/today")
        before = self.entries()
        self.tap(".thumb a[href$='/trays']")
        self.tap(".box[href$='/trays/F']", "F, cosmos")
        self.tap("button[value='F watered below']", "Logged. F: watered")
        self.tap(".round a:last-child", "G, parsley")
        self.tap("button[value='G watered below']", "Logged. G: watered")
        self.tap(".round a:last-child", "H, shiso")
        self.tap("button[value='H feel 3']", "Logged. H: feels even")
        self.tap("button[value^='lamp-2 at ']", "Logged. lamp-2: at ")
        self.tap(".round a:last-child", "S, snapdragon")
        self.tap("button[value='S feel 2']", "Logged. S: feels pale top")
        self.tap(".round a:last-child", "P, leek")
        self.tap("button[value='P feel 4']", "Logged. P: feels dark")
        self.tap(".thumb a[href$='/trays']")
        self.tap(".box[href$='/trays/A']", "A, leek")
        self.tap("button[value='leek-1 +1 up']", "Logged. leek-1:")
        self.assertEqual(self.entries() - before, 7, "seven entries and no more")
        self.assertLessEqual(self.presses, MOST_PRESSES)
        for button in self.driver.find_elements(By.CSS_SELECTOR, ".thumb-bar button, .thumb a, .cell"):
            if button.is_displayed():
                self.assertGreaterEqual(min(button.size["height"], button.size["width"]), 44, button.text)

    def test_by_log_line_in_at_most_a_hundred_and_ten_keys(self) -> None:
        resize(self.driver, DESK)
        self.driver.get(f"{self.garden}/today")
        before = self.entries()
        keys = 0
        lines = (("F G water", "F: watered; G: watered"), ("H feel 3", "H: feels even"), ("S feel 2", "S: feels pale top"), ("P feel 4", "P: feels dark"), ("B +1 up", "celeriac-1: 1 more up"), ("lamp-2 300mm", "lamp-2: at 300 mm"))  # fmt: skip
        self.driver.find_element(By.TAG_NAME, "body").send_keys("/")
        keys += 1
        for line, said in lines:
            field = self.driver.switch_to.active_element
            self.assertEqual(field.get_attribute("name"), "line", "the field keeps the focus from line to line")
            field.send_keys(line)
            WebDriverWait(self.driver, 10).until(
                lambda d, s=said: s in d.find_element(By.CSS_SELECTOR, ".in-frame .line-told").text
            )
            field.send_keys(Keys.ENTER)
            keys += len(line) + 1
            self.wait_for(f"Logged. {said}")
        self.assertEqual(self.entries() - before, 7)
        self.assertLessEqual(keys, MOST_KEYS)

    def test_the_line_suggests_mends_and_remembers(self) -> None:
        resize(self.driver, DESK)
        self.driver.get(f"{self.garden}/trays")
        self.driver.find_element(By.TAG_NAME, "body").send_keys("/")
        field: WebElement = self.driver.switch_to.active_element
        field.send_keys("S cov")
        WebDriverWait(self.driver, 10).until(lambda d: d.find_elements(By.CSS_SELECTOR, ".in-frame [role=option]"))
        field.send_keys(Keys.TAB)
        self.assertEqual(field.get_attribute("value"), "S cover off")
        field.clear()
        field.send_keys("S waterd")
        WebDriverWait(self.driver, 10).until(lambda d: d.find_element(By.CSS_SELECTOR, ".line-told button").text == "S watered")
        self.driver.find_element(By.CSS_SELECTOR, ".line-told button").click()
        WebDriverWait(self.driver, 10).until(lambda d: "S: watered; now" in d.find_element(By.CSS_SELECTOR, ".line-told").text)
        field.send_keys(Keys.ENTER)
        self.wait_for("Logged. S: watered")
        field = self.driver.find_element(By.ID, "line")
        field.send_keys(Keys.ARROW_UP)
        self.assertEqual(field.get_attribute("value"), "S watered")

    def test_a_lamp_is_moved_by_the_arrow_keys_and_logged_with_enter(self) -> None:
        resize(self.driver, DESK)
        self.driver.get(f"{self.garden}/today")
        lamp = self.driver.find_element(By.CSS_SELECTOR, "[data-lamp='lamp-1']")
        start = int(lamp.get_attribute("aria-valuenow") or 0)
        self.driver.execute_script("arguments[0].focus()", lamp)
        for _ in range(4):
            self.driver.switch_to.active_element.send_keys(Keys.ARROW_DOWN)
        self.assertIn("not logged yet", self.driver.switch_to.active_element.get_attribute("aria-valuetext"))
        self.driver.switch_to.active_element.send_keys(Keys.ENTER)
        self.wait_for(f"Logged. lamp-1: at {start - 40} mm")

    def test_what_is_pressed_without_signal_waits_and_is_sent_once(self) -> None:
        resize(self.driver, PHONE)
        self.driver.get(f"{self.garden}/trays/S")
        before = self.entries()
        offline = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
        self.driver.execute_cdp_cmd("Network.enable", {})
        self.driver.execute_cdp_cmd("Network.emulateNetworkConditions", offline)
        self.tap("button[value='S feel 5']")
        self.tap("button[value='S watered below']")
        WebDriverWait(self.driver, 10).until(
            lambda d: "2 entries wait here" in d.find_element(By.CSS_SELECTOR, "[data-waiting]").text
        )
        self.driver.execute_cdp_cmd(
            "Network.emulateNetworkConditions", {**offline, "offline": False, "downloadThroughput": -1, "uploadThroughput": -1}
        )
        self.driver.execute_script("window.dispatchEvent(new Event('online'))")
        self.wait_for("What waited here is logged.")
        self.assertEqual(self.driver.find_elements(By.CSS_SELECTOR, "[data-waiting]"), [])
        self.driver.refresh()
        self.assertEqual(self.entries() - before, 2)

    def test_long_histories_zoom(self) -> None:
        resize(self.driver, DESK)
        self.driver.get(f"{self.garden}/trays/G")
        self.tap("[data-zoom] summary")
        WebDriverWait(self.driver, 15).until(lambda d: len(d.find_elements(By.CSS_SELECTOR, ".zoom canvas")) == 4)


class SettingUp(BrowserCase):
    demo = False
    keys = presses = 0

    def fill(self, **values: str) -> None:
        for name, value in values.items():
            field = self.driver.find_element(By.ID, f"a-{name}")
            if field.tag_name == "select":
                if Select(field).first_selected_option.get_attribute("value") != value:
                    Select(field).select_by_value(value)
                    self.presses += 2
            elif field.get_attribute("value") != value:
                self.driver.execute_script("arguments[0].value = arguments[1]", field, value)
                self.presses += 1
                self.keys += len(value)

    def keep(self, another: bool = False) -> None:
        self.driver.execute_script(
            "arguments[0].click()",
            self.driver.find_element(By.CSS_SELECTOR, "button[name=then]" if another else "form .btn-primary"),
        )
        self.presses += 1
        self.wait_for("saved.")

    def open(self, section: str, like: str = "") -> None:
        self.driver.get(f"{self.garden}/room/{section}" + (f"?like={like}" if like else ""))
        self.presses += 1

    def test_the_demos_room_by_hand_in_under_ten_minutes(self) -> None:
        d = self.driver
        d.get(self.served.base)
        self.type("name", "Ottilie")
        self.type("password", "a sentence by the canal")
        self.type("garden", "Canal house")
        self.press("form .btn-primary")
        self.wait_for("Four questions")
        self.garden = d.current_url.rsplit("/", 1)[0]
        self.open("rooms")
        for id, name in (("box-room", "Box-room"), ("landing", "Stair-landing"), ("yard", "Back yard")):
            self.fill(id=id, name=name)
            self.keep(another=True)
        self.open("outlets")
        self.fill(id="box-wall", limit_w="2300")
        self.keep()
        self.open("places")
        shelf = {"kind": "shelf", "room": "box-room", "width_mm": "1200", "depth_mm": "450", "x_mm": "0"}
        for place in (
            {"id": "box-top", "name": "Upper shelf", "z_mm": "1480", **shelf}, {"id": "box-mid", "name": "Middle shelf", "z_mm": "900", **shelf},
            {"id": "box-low", "name": "Lower shelf", "z_mm": "350", **shelf}, {"id": "landing-sill", "name": "Under the skylight", "kind": "sill", "room": "landing", "width_mm": "1400", "depth_mm": "300", "z_mm": "900", "facing_deg": "95"},
            {"id": "porch", "name": "Porch bench", "kind": "porch", "room": "yard", "width_mm": "1100", "depth_mm": "400", "z_mm": "500", "facing_deg": "180"},
        ):  # fmt: skip
            self.fill(**place)
            self.keep(another=True)
        self.open("lamps")
        for id, over, height, on, off in (
            ("lamp-1", "box-top", "400", "07:00", "21:30"),
            ("lamp-2", "box-mid", "270", "06:30", "19:30"),
        ):
            self.fill(
                id=id,
                kind="white_led",
                place=over,
                height_mm=height,
                on=on,
                off=off,
                watts="36",
                outlet="box-wall",
                lumens="3600",
                length_mm="1000",
                min_distance_mm="60",
            )
            self.keep(another=True)
        self.open("fans")
        self.fill(id="fan-1", place="box-top", hours_per_day="12", watts="4", outlet="box-wall")
        self.keep()
        self.open("trays")
        for id, place, x, rows, columns in (
            ("A", "landing-sill", "40", 4, 6), ("Q", "landing-sill", "480", 3, 4), ("B", "box-low", "20", 4, 6), ("C", "box-low", "420", 4, 6), ("D", "box-top", "20", 4, 6),
            ("F", "box-top", "420", 3, 5), ("G", "box-mid", "20", 3, 6), ("H", "box-mid", "420", 3, 5), ("S", "box-mid", "780", 3, 6), ("E", "porch", "20", 4, 6), ("P", "porch", "420", 3, 4),
        ):  # fmt: skip
            self.fill(
                id=id,
                kind="cells",
                place=place,
                x_mm=x,
                rows=str(rows),
                columns=str(columns),
                cell_ml="50",
                width_mm=str(60 * columns),
                depth_mm=str(60 * rows),
                height_mm="60",
            )
            self.keep(another=True)
        self.open("mats")
        for id, tray, set_to in (("mat-1", "B", "21"), ("mat-2", "C", "26.5")):
            self.fill(
                id=id,
                tray=tray,
                setpoint_c=set_to,
                control="thermostat",
                watts="20",
                outlet="box-wall",
                trays_max="1",
                width_mm="350",
                depth_mm="250",
            )
            self.keep(another=True)
        self.open("sources")
        for id, sited in (
            ("probe-landing", "A"),
            ("probe-box-low", "B"),
            ("probe-tomatillo", "C"),
            ("probe-box-top", "D"),
            ("probe-shiso", "H"),
            ("probe-air", "box-room"),
        ):
            self.fill(id=id, kind="thermometer", sited=sited)
            self.keep(another=True)
        d.get(f"{self.garden}/today?room=box-room")
        self.assertEqual(len(d.find_elements(By.CSS_SELECTOR, ".bench-tray")), 7)
        self.assertEqual(len(d.find_elements(By.CSS_SELECTOR, "[data-lamp]")), 2)
        took_s = self.presses * PRESS_S + self.keys * KEY_S
        self.assertLess(took_s, MOST_SET_UP_S, f"{self.presses} presses and {self.keys} keys")
        print(f"the room by hand: {self.presses} presses, {self.keys} keys, about {took_s / 60:.1f} minutes")
