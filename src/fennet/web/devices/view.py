"""What the page of devices shows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from fennet.core.tuning.probes import SILENT_H
from fennet.operations.device_api import READER
from fennet.operations.posted import AHEAD_S
from fennet.presentation.formatter import Formatter
from fennet.storage.queries import Device

KINDS = {"thermostat": "thermostat of a mat", "timer": "timer of a lamp", "station": "weather station", "reader": "readings,"}


@dataclass(frozen=True)
class DeviceLine:
    """One device: what it is, when it was heard, what is wrong; whether its clock can be put right."""

    token_hash: str
    name: str
    what: str
    heard: str
    trouble: str
    clock_off: bool


def device_lines(known: list[Device], fmt: Formatter, now: datetime) -> list[DeviceLine]:
    out = []
    for d in known:
        what = KINDS.get(d.kind, d.kind) + (f" {d.place or 'no place said'}" if d.kind == READER else "")
        heard = "never heard yet" if d.last_at is None else f"heard {fmt.moment(d.last_at)}"
        if d.shift_s:
            heard += f"; its times are moved by {fmt.number(d.shift_s / 60, 0)} min"
        ahead_s = d.report.get("ahead_s")
        off = isinstance(ahead_s, int | float) and ahead_s > AHEAD_S
        trouble = []
        if d.last_at is not None and now - d.last_at > timedelta(hours=SILENT_H):
            trouble.append("silent since; look at its battery and its signal")
        if off and ahead_s is not None:
            trouble.append(f"its clock is {fmt.number(float(ahead_s) / 60, 0)} min ahead, so what it sends is set aside")
        elif d.report.get("set_aside"):
            trouble.append(f"{d.report['set_aside']} of its last readings were set aside: {d.report.get('why', '')}")
        out.append(DeviceLine(d.token_hash, d.thing, what, heard, "; ".join(trouble), off))
    return out
