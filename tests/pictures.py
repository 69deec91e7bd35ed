"""Take the pictures of docs/screenshots from a running demo: `python -m tests.pictures ADDRESS docs/screenshots`."""

from __future__ import annotations

import sys
from datetime import date
from pathlib import Path

from tests.web.browser import DESK, PHONE, browser, picture, resize, sign_in

#: name → (address below the garden, size, theme, whole page)
VIEWS = {
    "today": ("today", DESK, "day"),
    "sill-phone": ("/g/jorrit-s-sill/trays", PHONE, "night"),
    "today-phone": ("today", PHONE, "day"),
    "trays": ("trays", DESK, "day"),
    "tray": ("trays/A", DESK, "day"),
    "tray-phone": ("trays/F", PHONE, "day"),
    "harden": ("harden", DESK, "day"),
    "log-phone": ("log", PHONE, "night"),
    "why": ("why/leek-1", DESK, "day"),
    "tune": ("tune", DESK, "day"),
    "lamps": ("tune/lamps", DESK, "day"),
    "book": ("book", DESK, "day"),
    "season": (f"season?year={date.today().year - 1}", DESK, "day"),
    "story": ("story/leek-y1", DESK, "day"),
    "learned": ("learned", DESK, "day"),
    "sow": ("sow?tray=E", DESK, "day"),
    "plan": ("plan", DESK, "day"),
    "readings": ("readings/1?span=month", DESK, "day"),
    "seeds": ("seeds", DESK, "day"),
}


def main(base: str, folder: str, only: str = "") -> None:
    driver = browser()
    out = Path(folder)
    try:
        driver.get(f"{base}/sign-in")
        sign_in(driver, base, "demo", "canal-house")
        garden = driver.current_url.rsplit("/", 1)[0]
        for name, (address, size, theme) in VIEWS.items():
            if only and only != name:
                continue
            resize(driver, size)
            driver.add_cookie({"name": "theme", "value": theme})
            driver.get(f"{base}{address}" if address.startswith("/") else f"{garden}/{address}")
            picture(driver, out / f"{name}.png")
            driver.execute_script("window.scrollTo(0, 0)")
    finally:
        driver.quit()


if __name__ == "__main__":
    main(*sys.argv[1:])
