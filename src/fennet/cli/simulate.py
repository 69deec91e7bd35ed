"""`./fennet simulate`: the simulated room writes a journal."""

from __future__ import annotations

import argparse
import json
import sys
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from fennet.cli.main import Refused
from fennet.journal.times import parse_instant
from fennet.simulated_room.demo import demo_journal
from fennet.simulated_room.season import drawn_room


def simulate(a: argparse.Namespace) -> int:
    if not 1 <= a.batches <= 500 or not 1 <= a.days <= 400:
        raise Refused(f"--batches {a.batches} --days {a.days}; accepted: 1 to 500 batches, 1 to 400 days")
    try:
        end = parse_instant(a.end, ZoneInfo("UTC")) if a.end else datetime.now(UTC).replace(second=0, microsecond=0)
    except ValueError as e:
        raise Refused(f"--end: {a.end!r} {e}") from None
    journal = demo_journal(end) if a.demo else drawn_room(a.seed, a.batches, a.days, end)
    text = json.dumps(journal, ensure_ascii=False, indent=None)
    if a.out:
        Path(a.out).write_text(text + "\n", encoding="utf-8")
    else:
        sys.stdout.write(text + "\n")
    return 0
