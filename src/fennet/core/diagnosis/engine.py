"""One way of arguing for every complaint: suppositions, what each would have done, and the witnesses heard.

A complaint's models lay out *suppositions*: sets of causes that may have acted, each with its probability given the measured
record, shared out by the cause that would then be the main one. *Witnesses* are what a person saw or could look at: each has a
few outcomes, and says how likely each outcome is when a cause acts. The engine puts the two together by Bayes' rule, tells what
every heard witness says for and against each cause, and which unheard one would settle most, in bits.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from fennet.core.records import FloatArray

#: Main cause of a supposition under which nothing is wrong.
NOTHING = "nothing"
#: A witness speaks for or against a cause when it makes it so many times likelier or less. Source: starting_estimate.
SPEAKS_AT = 1.5
#: A witness could speak on a cause when some outcome of it would change that cause's odds so many times. Source:
#: starting_estimate.
BEARS_AT = 2.0


@dataclass(frozen=True)
class Witness:
    """Something seen or to be looked at: its outcomes, and how likely each is when nothing, or a given cause, acts.

    `asks` false: the record alone can say it (a neighbour, the cell map), nobody is sent to look. `signs` and `says` map logged
    signs and words of a logged check to outcomes.
    """

    key: str
    outcomes: tuple[str, ...]
    usual: tuple[float, ...]
    by_cause: Mapping[str, tuple[float, ...]]
    source: str
    asks: bool = True
    signs: Mapping[str, str] = field(default_factory=dict)
    says: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    def chances(self, causes: frozenset[str]) -> FloatArray:
        """Chance of each outcome when these causes act: whichever makes an outcome likeliest, made to add to 1."""
        rows = [self.by_cause[c] for c in causes if c in self.by_cause]
        if not rows:
            return np.array(self.usual)
        best = np.max(np.array(rows), axis=0)
        return np.asarray(best / best.sum())

    def bears_on(self, cause: str) -> bool:
        """Whether hearing it could change a cause's odds much."""
        if cause not in self.by_cause:
            return False
        ratio = np.array(self.by_cause[cause]) / np.array(self.usual)
        return bool(ratio.max() >= BEARS_AT or ratio.min() <= 1 / BEARS_AT)


@dataclass(frozen=True)
class CauseFigures:
    """What is supposed of a cause where no measurement speaks of it: how common it is, and the forms it takes.

    `forms`: (weight, factor on the wait, factor on the share that comes), weights adding to 1.
    """

    key: str
    prior: float
    forms: tuple[tuple[float, float, float], ...]
    source: str


@dataclass(frozen=True)
class Complaint:
    """A complaint as data: its causes in their order, and the witnesses that bear on them."""

    key: str
    causes: Mapping[str, CauseFigures]
    witnesses: Mapping[str, Witness]
    #: The least part of the plants due that must be missing, and the tail probability at which the count is half convincing.
    missing_share: float = 0.2
    tail: float = 0.1
    source: str = "starting_estimate"


@dataclass(frozen=True)
class Suppositions:
    """Sets of causes with their probability, given what was measured.

    `acting[i]` the causes at work in supposition i; `mass[i, j]` the probability that it holds *and* `mains[j]` is the main
    cause (or nothing is wrong). `mass` adds to 1.
    """

    acting: tuple[frozenset[str], ...]
    mains: tuple[str, ...]
    mass: FloatArray


@dataclass(frozen=True)
class Said:
    """One heard witness and what it does to a cause's odds."""

    witness: str
    outcome: str
    times: float


@dataclass(frozen=True)
class Asked:
    """An unheard witness and how much it would settle, in bits."""

    witness: str
    bits: float


@dataclass(frozen=True)
class Argument:
    """Shares of the causes given that something is wrong (adding to 1), the probability that it is, and what speaks."""

    shares: Mapping[str, float]
    present: float
    said: Mapping[str, tuple[Said, ...]]
    missing: Mapping[str, tuple[str, ...]]
    asked: tuple[Asked, ...]


def argue(s: Suppositions, complaint: Complaint, heard: Mapping[str, str], cannot_ask: frozenset[str] = frozenset()) -> Argument:
    """Put suppositions and heard witnesses (witness → outcome) together. `cannot_ask`: witnesses that nobody can be asked now.

    Raises KeyError for a witness or ValueError for an outcome that the complaint does not know.
    Source: Bayes' rule; likelihoods by each witness's own key.

    >>> crust = Witness("top", ("soft", "crust"), (0.9, 0.1), {"crusted": (0.2, 0.8)}, "starting_estimate")
    >>> c = Complaint("slow", {}, {"top": crust})
    >>> s = Suppositions((frozenset(), frozenset({"crusted"})), ("other", "crusted"), np.array([[0.5, 0.0], [0.0, 0.5]]))
    >>> {k: round(v, 2) for k, v in argue(s, c, {"top": "crust"}).shares.items()}
    {'crusted': 0.89, 'other': 0.11}
    >>> argue(s, c, {}).asked[0].witness
    'top'
    """
    mass = s.mass.copy()
    # Many suppositions let the same causes act: each set is looked up once.
    kinds = {a: i for i, a in enumerate(dict.fromkeys(s.acting))}
    which = np.array([kinds[a] for a in s.acting])
    chances = {w.key: _chances(w, tuple(kinds))[which] for w in complaint.witnesses.values()}
    for key, outcome in heard.items():
        mass *= chances[key][:, complaint.witnesses[key].outcomes.index(outcome)][:, None]
    mass /= max(mass.sum(), 1e-300)
    by_main = dict(zip(s.mains, mass.sum(axis=0), strict=True))
    present = 1.0 - by_main.get(NOTHING, 0.0)
    shares = _shares(by_main)
    said = {cause: _said(s, mass, complaint, chances, heard, cause) for cause in s.mains if cause != NOTHING}
    unheard = [w for w in complaint.witnesses.values() if w.key not in heard]
    missing = {c: tuple(w.key for w in unheard if w.bears_on(c)) for c in said}
    asked = [Asked(w.key, _bits(mass, chances[w.key])) for w in unheard if w.asks and w.key not in cannot_ask]
    return Argument(shares, present, said, missing, tuple(sorted(asked, key=lambda a: -a.bits)))


def _chances(witness: Witness, acting: Sequence[frozenset[str]]) -> FloatArray:
    """Chance of each outcome under each supposition: worked out once for causes that mean the same to this witness."""
    known = witness.by_cause
    found: dict[frozenset[str], FloatArray] = {}
    out = []
    for causes in acting:
        bearing = causes.intersection(known)
        if bearing not in found:
            found[bearing] = witness.chances(bearing)
        out.append(found[bearing])
    return np.array(out)


def _shares(by_main: Mapping[str, float]) -> dict[str, float]:
    """Shares of the causes, nothing left aside, in falling order."""
    causes = {c: float(p) for c, p in by_main.items() if c != NOTHING}
    total = sum(causes.values())
    if total <= 0:
        return {c: 1.0 / len(causes) for c in causes}
    return {c: p / total for c, p in sorted(causes.items(), key=lambda x: -x[1])}


def _said(
    s: Suppositions,
    mass: FloatArray,
    complaint: Complaint,
    chances: Mapping[str, FloatArray],
    heard: Mapping[str, str],
    cause: str,
) -> tuple[Said, ...]:
    """What each heard witness does to the odds that a cause acts: its chance with the cause over its chance without."""
    has = np.array([cause in a for a in s.acting])
    held = mass.sum(axis=1)
    out = []
    for key, outcome in heard.items():
        witness = complaint.witnesses[key]
        if cause not in witness.by_cause:
            continue
        j = witness.outcomes.index(outcome)
        chance = chances[key][:, j]
        without = held[~has] / np.maximum(chance[~has], 1e-12)
        # Without the cause: as the other suppositions would have it before this witness spoke, or nothing at all.
        other = float((without * chance[~has]).sum() / without.sum()) if without.sum() > 0 else witness.usual[j]
        times = witness.by_cause[cause][j] / max(other, 1e-6)
        if times >= SPEAKS_AT or times <= 1 / SPEAKS_AT:
            out.append(Said(key, outcome, float(times)))
    return tuple(sorted(out, key=lambda x: -abs(np.log(max(x.times, 1e-9)))))


def _bits(mass: FloatArray, chances: FloatArray) -> float:
    """Expected fall of the uncertainty over the main cause from hearing a witness with these chances of each outcome."""
    before = _entropy(mass.sum(axis=0))
    by_outcome = np.einsum("io,ij->oj", chances, mass)
    weight = by_outcome.sum(axis=1)
    after = sum(w * _entropy(row / w) for w, row in zip(weight, by_outcome, strict=True) if w > 1e-12)
    return max(0.0, before - float(after))


def _entropy(p: FloatArray) -> float:
    """Uncertainty of a distribution, bits.

    >>> round(_entropy(np.array([0.5, 0.5])), 6)
    1.0
    """
    q = p[p > 1e-12]
    return float(-(q * np.log2(q)).sum())
