"""Headless Chromium for tests and pictures: exact page sizes, no background traffic."""

from __future__ import annotations

import base64
import os
import tempfile
from pathlib import Path
from typing import Any

from selenium.webdriver import Chrome, ChromeOptions
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

DESK, PHONE = (1280, 800), (390, 844)
AXE = Path(__file__).parents[1] / "vendor" / "axe.min.js"


def browser(shelf: bool = False) -> Chrome:
    """A browser; unless it keeps pages for the `shelf` it allows no worker, as some do, and asks for nothing unseen."""
    options = ChromeOptions()
    options.binary_location = os.environ.get("CHROMIUM", "/usr/bin/chromium")
    for flag in (
        "--headless",
        "--disable-gpu",
        "--accept-lang=en-GB",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--disable-dev-shm-usage",
        "--force-color-profile=srgb",
        f"--user-data-dir={tempfile.mkdtemp(prefix='fennet-chromium-')}",
    ):
        options.add_argument(flag)
    if os.geteuid() == 0:
        options.add_argument("--no-sandbox")
    driver = Chrome(options=options, service=Service(os.environ.get("CHROMEDRIVER", "/usr/bin/chromedriver")))
    driver.set_page_load_timeout(30)
    if not shelf:
        none = "Object.defineProperty(navigator, 'serviceWorker', {get: () => undefined})"
        driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": none})
    resize(driver, DESK)
    return driver


def resize(driver: Chrome, size: tuple[int, int]) -> None:
    """The page's size to the pixel; a phone's is a touch screen too."""
    width, height = size
    driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": size == PHONE}
    )


def picture(driver: Chrome, path: Path, whole: bool = False) -> None:
    """A PNG of what is seen, or of the whole page."""
    options: dict[str, Any] = {"format": "png"}
    if whole:
        size = driver.execute_script("return [document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
        options |= {"captureBeyondViewport": True, "clip": {"x": 0, "y": 0, "width": size[0], "height": size[1], "scale": 1}}
    path.write_bytes(base64.b64decode(driver.execute_cdp_cmd("Page.captureScreenshot", options)["data"]))


def axe_findings(driver: Chrome) -> list[str]:
    """What axe holds against the page, a line each; empty is clean. Rules: WCAG 2.2 AA."""
    driver.execute_script(AXE.read_text(encoding="utf-8"))
    result = driver.execute_async_script(
        "const done = arguments[arguments.length - 1];"
        "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']}).then(done)"
    )
    return [f"{v['id']}: {node['target']} {node['failureSummary']}" for v in result["violations"] for node in v["nodes"]]


def sign_in(driver: Chrome, base: str, name: str, password: str) -> None:
    driver.get(f"{base}/sign-in")
    driver.find_element(By.NAME, "name").send_keys(name)
    driver.find_element(By.NAME, "password").send_keys(password)
    driver.find_element(By.CSS_SELECTOR, "form .btn-primary").click()
    WebDriverWait(driver, 10).until(lambda d: "/g/" in d.current_url)
