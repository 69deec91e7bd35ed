"""How an answer is told: ranges, and the working that every computed number can show.

Forecasts, findings and settings all carry these types, so that a page or a file can show the working of any answer without
knowing the model behind it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Generic, TypeVar

T = TypeVar("T", float, datetime)


@dataclass(frozen=True)
class Interval(Generic[T]):
    """An 80 % range with its middle. What has happened already has all three alike."""

    p10: T
    p50: T
    p90: T

    @property
    def settled(self) -> bool:
        return self.p10 == self.p90


@dataclass(frozen=True)
class Input:
    """One figure that went into an answer, with its unit and where it came from (a source key, a reading, a setting)."""

    name: str
    value: float | int | str | datetime | None
    unit: str = ""
    source: str = ""
    estimated: bool = False


@dataclass(frozen=True)
class Working:
    """What stands behind a number: the inputs, the formula in words, the source, and where it holds."""

    name: str
    inputs: tuple[Input, ...]
    formula: str
    sources: tuple[str, ...]
    holds: str
    value: float | int | str | datetime | None = None
    unit: str = ""
    notes: tuple[str, ...] = ()
