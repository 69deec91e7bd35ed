"""How an answer is told: ranges, and the working that every computed number can show.

Forecasts, findings (diagnosis) and settings (tuning) are all told with these types, so that a page or a file
can show any answer without knowing the model behind it.
"""

from __future__ import annotations

from dataclasses import dataclass, field
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


@dataclass(frozen=True)
class Check:
    """Something a person can do in a minute that would settle most of a doubt."""

    do: str
    because: str


@dataclass(frozen=True)
class Remedy:
    do: str
    effect: str
    by: datetime | None = None


@dataclass(frozen=True)
class Cause:
    """A candidate for the main cause: `share` is a probability; days and ratios are told apart from it."""

    cause: str
    share: float
    speaks_for: tuple[str, ...] = ()
    speaks_against: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()


@dataclass(frozen=True)
class Finding:
    """A complaint about a batch, argued: how likely it is present, its causes in order, the check and the remedies."""

    complaint: str
    present: float
    verdict: str
    causes: tuple[Cause, ...]
    next_check: Check | None = None
    actions: tuple[Remedy, ...] = ()
    workings: dict[str, Working] = field(default_factory=dict)


@dataclass(frozen=True)
class Setting:
    """A proposed setting with what it is expected to bring; a person confirms every change."""

    thing: str
    what: str
    value: float | str
    unit: str
    expect: dict[str, Interval[float]] = field(default_factory=dict)
    instead: tuple[Remedy, ...] = ()
    workings: dict[str, Working] = field(default_factory=dict)
