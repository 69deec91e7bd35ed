"""A simulated thermostat: it asks the open door what to hold, heats a simulated tray, and goes off when nobody answers.

It stands for a device that a grower would buy, and is shown as simulated wherever it appears. Its own guards do not trust the
server: a cap, a cut-out, a probe that must speak and must not read like the air, and off when contact is lost.
"""

from __future__ import annotations

import json
import math
import os
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

EVERY_S = 20.0
CUT_OUT_C, CAP_C = 40.0, 38.0
HYSTERESIS_C = 0.4
#: On for so long with the probe hardly over the air means that it lies in the open.
OPEN_PROBE_S, OPEN_PROBE_C = 3 * 3600.0, 1.0


@dataclass
class SimulatedThermostat:
    """A tray on a mat with a probe: °C; `answer` the last that the door said."""

    air_c: float = 17.0
    soil_c: float = 18.0
    lift_c: float = 11.0
    lag_s: float = 2.5 * 3600
    setpoint_c: float | None = None
    held_until_s: float = -math.inf
    heating: bool = False
    why: str = "no answer yet"
    heated_s: float = 0.0
    probe_fails: bool = False
    #: Latched until a person confirms another set-point.
    in_the_open: bool = False

    def told(self, answer: dict[str, object], now_s: float) -> None:
        """What the door said: a set-point to hold for a while, or not to heat."""
        setpoint, hold = answer.get("setpoint_c"), answer.get("hold_s")
        if answer.get("heat") is True and isinstance(setpoint, int | float) and isinstance(hold, int | float):
            self.in_the_open = self.in_the_open and self.setpoint_c in (None, float(setpoint))
            self.setpoint_c, self.held_until_s, self.why = float(setpoint), now_s + float(hold), "as set"
        else:
            self.setpoint_c, self.why = None, str(answer.get("why") or "not to heat")

    def step(self, now_s: float, seconds: float) -> None:
        """Go on for some seconds: guards first, then the thermostat, then the soil."""
        allowed = self.setpoint_c is not None
        if now_s > self.held_until_s and allowed:
            allowed, self.why = False, "lost contact"
        if self.probe_fails:
            allowed, self.why = False, "probe silent"
        elif allowed and self.soil_c >= CUT_OUT_C:
            allowed, self.why = False, "cut-out"
        self.in_the_open = self.in_the_open or (self.heated_s >= OPEN_PROBE_S and self.soil_c - self.air_c < OPEN_PROBE_C)
        if allowed and self.in_the_open:
            allowed, self.why = False, "probe reads like the air"
        target = min(self.setpoint_c or 0.0, CAP_C)
        self.heating = allowed and self.soil_c < target + (HYSTERESIS_C if self.heating else -HYSTERESIS_C)
        self.heated_s = self.heated_s + seconds if self.heating else 0.0
        toward = self.air_c + (self.lift_c if self.heating else 0.0)
        self.soil_c += (toward - self.soil_c) * (1.0 - math.exp(-seconds / self.lag_s))

    def report(self) -> dict[str, object]:
        return {
            "probe_c": None if self.probe_fails else round(self.soil_c, 1),
            "holding_c": self.setpoint_c,
            "heating": self.heating,
            "why": self.why,
            "simulated": True,
        }


def ask(address: str, token: str, body: dict[str, object]) -> dict[str, object]:
    """One call at the door. Raises OSError where it does not answer."""
    request = urllib.request.Request(
        address, json.dumps(body).encode(), {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    )
    with urllib.request.urlopen(request, timeout=10) as answer:
        found = json.loads(answer.read())
        return found if isinstance(found, dict) else {}


def called(address: str, token: str, report: dict[str, object], told: Callable[[dict[str, object]], None]) -> bool:
    """Report at the door and hear what it says; False once the token is no longer good.

    Where nobody answers, a device goes on as it was told until its time is up, then off.
    """
    try:
        told(ask(address, token, report))
    except urllib.error.HTTPError as e:
        return e.code != 401
    except (OSError, ValueError):
        pass
    return True


def main(address: str, token: str) -> int:
    """Run until stopped or told that the token is no longer good."""
    device, last = SimulatedThermostat(), time.monotonic()
    while True:
        now = time.monotonic()
        device.step(now, now - last)
        last = now
        if not called(address, token, device.report(), partial(device.told, now_s=now)):
            return 0
        time.sleep(EVERY_S)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], os.environ["FENNET_DEVICE_TOKEN"]))
