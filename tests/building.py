"""Small records for tests: a tray of seed, a thermometer, counts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from fennet.core.forecast import Forecast, forecast
from fennet.core.records import Batch, Event, Journal, SeedLot, Series
from fennet.crops import shipped

SOWN = datetime(2026, 2, 3, 8, tzinfo=UTC)
DAY_S = 86_400.0


def on(day: float) -> datetime:
    return SOWN + timedelta(days=day)


def soil(temperature: float | Callable[[np.ndarray], np.ndarray], days: float, place: str = "A", every_h: float = 1.0,
         quantity: str = "soil_temperature", first_day: float = 0.0, estimated: bool = False) -> Series:  # fmt: skip
    """A thermometer's record from `first_day` to `days` after sowing, constant or a function of the day."""
    day = np.arange(first_day, days + 1e-9, every_h / 24)
    value = temperature(day) if callable(temperature) else np.full(len(day), float(temperature))
    return Series(place, quantity, "probe", SOWN.timestamp() + day * DAY_S, value, np.full(len(day), estimated))


def event(kind: str, day: float, id: str = "", **fields: Any) -> Event:
    return Event(kind=kind, at=on(day), id=id or f"{kind}-{day}", fields=fields)


def counts(*pairs: tuple[float, int], batch: str = "b1", field: str = "cells_up") -> list[Event]:
    return [event("count", day, batch=batch, **{field: n}) for day, n in pairs]


def record(series: Sequence[Series], events: Sequence[Event] = (), lot: SeedLot | None = None, **batch: Any) -> Journal:
    fields: dict[str, Any] = {"id": "b1", "crop": "onion", "sown_at": SOWN, "tray": "A", "cells": 12, "seeds_per_cell": 2} | batch
    return Journal(batches=[Batch(**fields)], series=list(series), events=list(events), seed_lots=[lot] if lot else [])


def asked(journal: Journal, day: float, **options: Any) -> Forecast:
    batch = journal.batches[0]
    return forecast(journal, shipped().get(batch.crop), batch, on(day).timestamp(), **options)


def days_after(at_s: float) -> float:
    return (at_s - SOWN.timestamp()) / DAY_S
