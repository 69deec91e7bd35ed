"""`./fennet forecast JOURNAL`: no database, no server."""

from __future__ import annotations

from typing import Any
from zoneinfo import ZoneInfo

from fennet.cli.journal_file import answers_of, chosen_batches, load, moment_of, write_document
from fennet.core.forecast import Forecast
from fennet.core.working import Interval
from fennet.journal.times import format_instant


def forecast(path: str, at: str | None, batch: str | None) -> int:
    read = load(path)
    a = answers_of(read, moment_of(read, at))
    found = [a.forecast(b) for b in chosen_batches(a.journal, a.at_s, batch)]
    return write_document(a, "fennet-forecast", {"batches": [as_json(f, a.zone) for f in found if f is not None]})


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
