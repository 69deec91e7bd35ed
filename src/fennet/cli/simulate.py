"""`./fennet simulate`: the simulated room writes a journal."""

from __future__ import annotations

import json
import sys
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from fennet.cli.refused import Refused
from fennet.journal.times import parse_instant
from fennet.simulated_room.demo import demo_journal
from fennet.simulated_room.season import drawn_room


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
