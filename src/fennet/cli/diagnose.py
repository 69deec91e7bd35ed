"""`./fennet diagnose JOURNAL`: no database, no server."""

from __future__ import annotations

import json
import sys

from fennet.cli.forecast import chosen_batches, load, moment_of
from fennet.core.diagnosis.findings import findings
from fennet.core.history import standing
from fennet.crops.complaints import shipped_complaints
from fennet.journal.times import format_instant, zone_of
from fennet.telling.diagnosis import as_json
from fennet.telling.speech import Speech


def diagnose(path: str, at: str | None, batch: str | None) -> int:
    read = load(path)
    at_s = moment_of(read, at)
    journal = read.with_series()
    zone = zone_of(journal.garden.timezone)
    say = Speech(zone)
    crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}

    def text_of(moment_s: float) -> str:
        return format_instant(round(moment_s), zone)

    events = standing(journal.events, at_s)
    told = [
        {
            "batch": b.id,
            "crop": crops[b.crop].id,
            "complaints": [as_json(f, say, text_of) for f in findings(journal, crops, shipped_complaints(), b, at_s, events)],
        }
        for b in chosen_batches(journal, at_s, batch)
    ]
    document = {"format": "fennet-findings", "version": 1, "at": text_of(at_s), "batches": told}
    json.dump(document, sys.stdout, ensure_ascii=False, indent=1)
    print()
    return 0
