"""How a finding is told: a complaint about a batch with its causes, what speaks, the one check, and what to do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from fennet.core.diagnosis.engine import Argument, Said
from fennet.core.records import Batch
from fennet.core.working import Interval, Working


@dataclass(frozen=True)
class Evidence:
    """One thing that speaks for or against a cause; `figures` are what its words need, canonical units in their names."""

    key: str
    figures: Mapping[str, float | str | None] = field(default_factory=dict)


def from_said(s: Said) -> Evidence:
    """What a heard witness does to a cause's odds, as evidence."""
    return Evidence("witness", {"witness": s.witness, "outcome": s.outcome, "times": s.times})


def split_said(said: Sequence[Said]) -> tuple[list[Evidence], list[Evidence]]:
    """Heard witnesses that speak for a cause, and those against it."""
    return [from_said(s) for s in said if s.times > 1], [from_said(s) for s in said if s.times <= 1]


@dataclass(frozen=True)
class ArguedCause:
    """A candidate for the main cause: `share` is its probability; `cells` what more would be up by now without it; `ratio` what
    it multiplies a height or a risk by."""

    cause: str
    share: float
    cells: float
    speaks_for: tuple[Evidence, ...] = ()
    speaks_against: tuple[Evidence, ...] = ()
    missing: tuple[str, ...] = ()
    ratio: float | None = None


@dataclass(frozen=True)
class NextCheck:
    """The look that settles most: a witness of the complaint, and the bits it is worth."""

    witness: str
    bits: float


#: A check is worth a walk from so many bits on. Source: starting_estimate.
CHECK_FROM_BITS = 0.05


def checks_of(told: Argument) -> tuple[NextCheck, ...]:
    """The unheard looks that are worth a walk, the one that settles most first."""
    return tuple(NextCheck(a.witness, a.bits) for a in told.asked if a.bits >= CHECK_FROM_BITS)


@dataclass(frozen=True)
class Remedy:
    """Something to do against a cause, the days it should gain where a model says so, and when to have done it.

    What it is done to and by: the tray, its mat or lamp; the band it is brought into and what it is set to; seed that is alive,
    and how deep it goes; the crop, and the last day that is in time (seconds UTC).
    """

    action: str
    cause: str
    gain_days: Interval[float] | None = None
    by_s: float | None = None
    tray: str | None = None
    mat: str | None = None
    low_c: float | None = None
    high_c: float | None = None
    to_c: float | None = None
    alive: float | None = None
    depth_mm: float | None = None
    lamp: str | None = None
    height_mm: float | None = None
    hours: float | None = None
    mol_per_day: float | None = None
    crop: str | None = None
    last_s: float | None = None


@dataclass(frozen=True)
class SlowFigures:
    """`up` of `of` after `days`; at `target_c` half would be up in `days_at_target`. `uncounted`: plants that nobody counted."""

    days: float
    up: int
    of: int
    days_at_target: float
    target_c: float
    uncounted: bool = False
    towel: bool = False


@dataclass(frozen=True)
class LeggyFigures:
    """Days of growth; the last height against the expected; a fall of the height, from and to, which no plant does;
    `eye_against_ruler` where somebody saw long thin stems that the ruler calls short enough."""

    age_d: float
    stretch: float | None = None
    height_mm: float | None = None
    expected_mm: float | None = None
    shrunk_mm: tuple[float, float] | None = None
    eye_against_ruler: bool = False


@dataclass(frozen=True)
class DampingFigures:
    """Risk, 0 to 100; how many fell, the cells among them by the day of the batch; since when it was warned of (seconds UTC)."""

    index: float
    up: bool
    fallen: int = 0
    warned_s: float | None = None
    fell_on: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class SignsFigures:
    """What was seen; why this kind may be purple by nature."""

    signs: tuple[str, ...]
    purple: str = ""


Figures = SlowFigures | LeggyFigures | DampingFigures | SignsFigures


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
    figures: Figures
    workings: Mapping[str, Working] = field(default_factory=dict)
    #: Every look worth a walk, the one that settles most first.
    checks: tuple[NextCheck, ...] = ()

    @property
    def main(self) -> ArguedCause | None:
        return self.causes[0] if self.causes else None
