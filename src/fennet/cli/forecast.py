"""`./fennet forecast JOURNAL`: no database, no server."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from fennet.cli.main import Refused
from fennet.core.forecast import Forecast
from fennet.core.forecast import forecast as core_forecast
from fennet.core.records import Batch, Journal
from fennet.core.working import Interval
from fennet.journal.aside import FormatError
from fennet.journal.reader import Read, open_journal, read_journal
from fennet.journal.times import format_instant, parse_instant, zone_of


def load(path: str) -> Read:
    """A journal from a file; what was set aside is told on stderr. Raises Refused for a file that cannot be read."""
    try:
        read = read_journal(open_journal(Path(path).read_bytes()))
    except OSError as e:
        raise Refused(f"{path}: {e.strerror or e}; accepted: a journal file") from None
    except FormatError as e:
        raise Refused(f"{path}: {e}") from None
    for note in read.notes:
        print(f"{path}: {note}", file=sys.stderr)
    for entry in read.aside:
        print(f"{path}: set aside {entry}", file=sys.stderr)
    return read


def moment_of(read: Read, at: str | None) -> float:
    """The moment asked about: as given, else the latest time of the record."""
    zone = zone_of(read.journal.garden.timezone)
    if at is not None:
        try:
            return parse_instant(at, zone).timestamp()
        except ValueError as e:
            raise Refused(f"--at: {at!r} {e}") from None
    times = [float(g.at_s[-1]) for g in read.groups]
    times += [e.at.timestamp() for e in read.journal.events] + [b.sown_at.timestamp() for b in read.journal.batches]
    if not times:
        raise Refused("journal: no reading, event or batch; accepted: a journal with at least one batch")
    return max(times)


def chosen_batches(journal: Journal, at_s: float, batch: str | None) -> list[Batch]:
    """The batches sown by a moment, or the one asked for. Raises Refused where there is none of that name."""
    chosen = [b for b in journal.batches if b.sown_at.timestamp() <= at_s and batch in (None, b.id)]
    if batch is not None and not chosen:
        accepted = ", ".join(b.id for b in journal.batches) or "none"
        raise Refused(f"--batch: {batch!r} is not in the journal at that time; accepted: {accepted}")
    return chosen


def forecast(path: str, at: str | None, batch: str | None) -> int:
    read = load(path)
    at_s = moment_of(read, at)
    journal = read.with_series()
    zone = zone_of(journal.garden.timezone)
    chosen = chosen_batches(journal, at_s, batch)
    answers = [as_json(core_forecast(journal, read.crops.get(b.crop), b, at_s), zone) for b in chosen]
    document = {"format": "fennet-forecast", "version": 1, "at": format_instant(at_s, zone), "batches": answers}
    json.dump(document, sys.stdout, ensure_ascii=False, indent=1)
    print()
    return 0


def as_json(f: Forecast, zone: ZoneInfo) -> dict[str, Any]:
    """A forecast with the keys of docs/formats.md."""

    def time_range(i: Interval[float] | None) -> dict[str, str] | None:
        return None if i is None else {q: format_instant(round(getattr(i, q)), zone) for q in ("p10", "p50", "p90")}

    def number_range(i: Interval[float] | None) -> dict[str, int] | None:
        return None if i is None else {q: int(getattr(i, q)) for q in ("p10", "p50", "p90")}

    def rounded(value: float | None, digits: int) -> float | None:
        return None if value is None else round(value, digits)

    delay = {cause: round(days, 3) for cause, days in f.delay_days.items()}
    return {
        "batch": f.batch.id,
        "crop": f.crop.id,
        "verdict": f.verdict,
        "reason": f.reason,
        "emerged": f.counts.up,
        "of": f.counts.of,
        "unit": f.counts.unit,
        "half_up": time_range(f.half_up),
        "first_up": time_range(f.first_up),
        "final_count": number_range(f.final_count),
        "days_at_target": rounded(f.days_at_target, 3),
        "delay_days": delay,
        "call_it_on": format_instant(f.call_it_s, zone)[:10] if f.call_it_s is not None else None,
        "chance_of_more": rounded(f.chance_of_more, 4),
        "estimated": f.estimated,
        "as_recorded": f.as_recorded or None,
        "soil": {
            "basis": f.soil.basis,
            "level": f.soil.level,
            "mean_c": rounded(f.soil.mean_c, 2) if f.soil.n_readings else None,
        },
        "expected_now": number_range(f.expected_now),
        "at_target_now": number_range(f.at_target_now),
        "rest_days_at_target": rounded(f.rest_days_at_target, 2),
    }
