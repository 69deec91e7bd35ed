"""`./fennet tune JOURNAL`: no database, no server."""

from __future__ import annotations

import json
import sys

from fennet.cli.forecast import load, moment_of
from fennet.core.tuning.lamps import tune_lamps
from fennet.core.tuning.mats import tune_mats
from fennet.journal.targets import own_targets
from fennet.journal.times import format_instant, zone_of
from fennet.telling.lamps import as_json as lamp_json
from fennet.telling.speech import Speech
from fennet.telling.tuning import as_json


def tune(path: str, at: str | None) -> int:
    read = load(path)
    at_s = moment_of(read, at)
    journal = read.with_series()
    zone = zone_of(journal.garden.timezone)
    crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
    mats = [as_json(s, Speech(zone)) for s in tune_mats(journal, crops, at_s)]
    lamps = [lamp_json(s, Speech(zone)) for s in tune_lamps(journal, crops, at_s, zone, own_targets(journal))]
    document = {"format": "fennet-settings", "version": 1, "at": format_instant(at_s, zone), "mats": mats, "lamps": lamps}
    json.dump(document, sys.stdout, ensure_ascii=False, indent=1)
    print()
    return 0
