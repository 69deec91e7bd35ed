"""Already growing, on the plan's page: its dates as they stand by what has happened."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime

from fennet.core.crop import Crop
from fennet.core.hardening.dates import BatchDates
from fennet.presentation.formatter import Formatter
from fennet.presentation.planning import day_words
from fennet.presentation.sowing import came_words
from fennet.web.trays.view import batch_name


@dataclass(frozen=True)
class GrowingRow:
    batch: str
    name: str
    came: str
    half_up: str
    harden: str
    out: str
    first: str


def growing_rows(found: Sequence[tuple[BatchDates, Crop]], fmt: Formatter) -> list[GrowingRow]:
    """A row for every batch that grows, and for those that are out and not picked yet."""
    return [_row(d, crop, fmt) for d, crop in found if d.planted_s is None or d.first is not None]


def _row(d: BatchDates, crop: Crop, fmt: Formatter) -> GrowingRow:
    def day(when: date | None) -> str:
        return "" if when is None else day_words(when, fmt)

    half = "" if d.half_up is None else ("since " if d.half_up.settled else "") + fmt.day_range(d.half_up)
    out = day(d.out_on) if d.planted_s is None else f"planted {day(datetime.fromtimestamp(d.planted_s, UTC).date())}"
    came = f"{came_words(d.batch)} {day(fmt.local(d.batch.sown_at).date())}"
    first = "" if d.first is None else fmt.day_range(d.first.at_s)
    return GrowingRow(d.batch.id, batch_name(d.batch, crop.name), came, half, day(d.harden_from), out, first)
