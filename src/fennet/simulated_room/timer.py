"""A simulated timer plug: it asks the open door when a lamp is lit, switches a simulated lamp, and goes off when nobody answers.

It stands for a plug that a grower would buy, and is shown as simulated wherever it appears. It does not trust the server: more
than eighteen hours a day are cut, and lost contact for longer than it was told to hold means dark.
"""

from __future__ import annotations

import math
import os
import sys
import time
from dataclasses import dataclass, field
from functools import partial

from fennet.simulated_room.thermostat import EVERY_S, called

LONGEST_H = 18.0


@dataclass
class SimulatedTimer:
    """A plug with a clock: `lit_today_h` what it lit since midnight, `periods` minutes after midnight as the door told them."""

    periods: list[tuple[int, int]] = field(default_factory=list)
    held_until_s: float = -math.inf
    lit: bool = False
    lit_today_h: float = 0.0
    why: str = "no answer yet"
    last_minute: int = -1
    #: The door's clock against its own, minutes.
    ahead_min: int = 0

    def told(self, answer: dict[str, object], now_s: float, own_minute: int) -> None:
        """What the door said: the periods of a day by the garden's clock, to hold for a while."""
        minute = answer.get("minute")
        if isinstance(minute, int):
            self.ahead_min = minute - own_minute
        hold, given = answer.get("hold_s"), answer.get("periods")
        if not isinstance(hold, int | float) or not isinstance(given, list):
            self.why = str(answer.get("why") or "nothing to hold")
            return
        self.periods = [(int(a), int(b)) for a, b in given]
        self.held_until_s, self.why = now_s + float(hold), "as set"

    def step(self, now_s: float, own_minute: int, seconds: float) -> None:
        """Go on for some seconds; `own_minute` of the day by its own clock."""
        minute = (own_minute + self.ahead_min) % 1440
        if minute < self.last_minute:
            self.lit_today_h = 0.0
        self.last_minute = minute
        wanted = any(a <= minute < b if a < b else (minute >= a or minute < b) for a, b in self.periods)
        self.lit = wanted and now_s <= self.held_until_s and self.lit_today_h < LONGEST_H
        if wanted and now_s > self.held_until_s:
            self.why = "lost contact"
        elif wanted and self.lit_today_h >= LONGEST_H:
            self.why = "eighteen hours a day are enough"
        if self.lit:
            self.lit_today_h += seconds / 3600.0

    def report(self) -> dict[str, object]:
        return {"lit": self.lit, "lit_h": round(self.lit_today_h, 2), "why": self.why, "simulated": True}


def main(address: str, token: str) -> int:
    """Run until stopped or told that the token is no longer good."""
    device, last = SimulatedTimer(), time.monotonic()
    while True:
        now, clock = time.monotonic(), time.localtime()
        minute = clock.tm_hour * 60 + clock.tm_min
        device.step(now, minute, now - last)
        last = now
        if not called(address, token, device.report(), partial(device.told, now_s=now, own_minute=minute)):
            return 0
        time.sleep(EVERY_S)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], os.environ["FENNET_DEVICE_TOKEN"]))
