"""`./fennet simulate`: the simulated room writes a journal, or feeds a running server as a logger would."""

from __future__ import annotations

import json
import os
import sys
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from fennet.cli.refused import Refused
from fennet.journal.times import parse_instant
from fennet.simulated_room.demo import demo_journal
from fennet.simulated_room.feed import BODY, FAULTS, poster, readings_of
from fennet.simulated_room.feed import feed as send
from fennet.simulated_room.season import drawn_room


def feed(address: str, name: str, seed: int, days: int, speed: float, faults: str) -> int:
    """Post what the simulated room reads to a running server, as a logger does. Its token comes by FENNET_DEVICE_TOKEN."""
    token = os.environ.get("FENNET_DEVICE_TOKEN", "")
    if not token:
        raise Refused("--feed: FENNET_DEVICE_TOKEN is not set; accepted: the token that the page Devices showed")
    asked = [f for f in faults.split(",") if f]
    if set(asked) - set(FAULTS):
        raise Refused(f"--faults {faults}; accepted: {','.join(FAULTS)}")
    if not 1 <= days <= 60 or not (speed == 0 or 1 <= speed <= 1e6):
        raise Refused(f"--days {days} --speed {speed:g}; accepted: 1 to 60 days, a speed from 1, or 0 for as fast as it goes")
    if not address.startswith(("http://", "https://")):
        raise Refused(f"--feed {address}; accepted: the address of a server, like http://127.0.0.1:8440")
    rows = readings_of(seed, days, datetime.now(UTC).replace(second=0, microsecond=0), name)
    wait_s = 0.0 if speed == 0 else days * 86_400 / max(1, len(rows)) * BODY / speed
    try:
        fed = send(poster(address.rstrip("/") + "/api/readings", token), rows, asked, seed, wait_s)
    except KeyboardInterrupt:
        return 0
    told = f"{fed.accepted} kept, {fed.repeated} there already, {fed.set_aside} set aside"
    print(f"{fed.sent} readings in {fed.bodies} bodies: {told}")
    for words in fed.refused:
        print(f"fennet: {words}", file=sys.stderr)
    return 1 if fed.refused else 0


def simulate(seed: int, days: int, batches: int, out: str | None, demo: bool, end: str | None) -> int:
    if not 1 <= batches <= 500 or not 1 <= days <= 400:
        raise Refused(f"--batches {batches} --days {days}; accepted: 1 to 500 batches, 1 to 400 days")
    try:
        ends = parse_instant(end, ZoneInfo("UTC")) if end else datetime.now(UTC).replace(second=0, microsecond=0)
    except ValueError as e:
        raise Refused(f"--end: {end!r} {e}") from None
    journal = demo_journal(ends) if demo else drawn_room(seed, batches, days, ends)
    text = json.dumps(journal, ensure_ascii=False, indent=None)
    if out:
        Path(out).write_text(text + "\n", encoding="utf-8")
    else:
        sys.stdout.write(text + "\n")
    return 0
