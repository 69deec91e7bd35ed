"""How a finding is told: a complaint about a batch with its causes, what speaks, the one check, and what to do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fennet.core.records import Batch
from fennet.core.working import Interval, Working


@dataclass(frozen=True)
class Evidence:
    """One thing that speaks for or against a cause; `figures` are what its words need, canonical units in their names."""

    key: str
    figures: Mapping[str, float | str | None] = field(default_factory=dict)


@dataclass(frozen=True)
class ArguedCause:
    """A candidate for the main cause: `share` is its probability; `cells` what more would be up by now without it."""

    cause: str
    share: float
    cells: float
    speaks_for: tuple[Evidence, ...] = ()
    speaks_against: tuple[Evidence, ...] = ()
    missing: tuple[str, ...] = ()


@dataclass(frozen=True)
class NextCheck:
    """The look that settles most: a witness of the complaint, and the bits it is worth."""

    witness: str
    bits: float


@dataclass(frozen=True)
class Remedy:
    """Something to do against a cause, the days it should gain where a model says so, and when to have done it."""

    deed: str
    cause: str
    gain_days: Interval[float] | None = None
    figures: Mapping[str, float | str | None] = field(default_factory=dict)
    by_s: float | None = None


@dataclass(frozen=True)
class Finding:
    """A complaint argued. `state`: not_due_yet, on_time, as_it_should, slow (nothing up), few (some up), cannot_tell."""

    batch: Batch
    complaint: str
    state: str
    present: float
    causes: tuple[ArguedCause, ...]
    next_check: NextCheck | None
    remedies: tuple[Remedy, ...]
    look_again_s: float | None
    figures: Mapping[str, float | str | None] = field(default_factory=dict)
    workings: Mapping[str, Working] = field(default_factory=dict)

    @property
    def main(self) -> ArguedCause | None:
        return self.causes[0] if self.causes else None
