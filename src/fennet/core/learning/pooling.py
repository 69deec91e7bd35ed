"""Many small findings of one garden drawn together: what is the garden's, what the kind's, the seed's, and what one season's.

A finding is how far something lay from what the tables say, on a scale on which such distances add up (logs of times, probits
of shares). It is taken for the sum of effects, each shared by all findings that name the same thing: the garden, the kind, the
variety, the lot, the season. Effects are drawn to nothing by how little they rest on (empirical Bayes): the spread of each sort
is learned with them, from what is usual. Seasons and single findings may be odd: their spread has the tails of Student's t, so
that one that lies far off is believed the less for it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fennet.core.records import FloatArray

#: How many effects of one sort what is usual weighs against those of this garden. Source: starting_estimate.
USUAL_WEIGHT = 8.0
#: Degrees of freedom of the tails of what may be odd. Source: convention.
ODD_DF = 2.0
#: Rounds in which spreads and effects settle.
ROUNDS = 25
#: Under so much change a round has settled.
SETTLED = 1e-4


@dataclass(frozen=True)
class Sort:
    """One sort of effect: its name, how far such effects usually lie apart, and whether one of them may be odd."""

    name: str
    sd: float
    odd: bool = False


@dataclass(frozen=True)
class Found:
    """One finding: `value` off the table, its own variance, which effect of each sort it shows (sort → name; sorts that it does
    not name do not bear on it) and how strongly it shows them where that is not 1."""

    value: float
    own_var: float
    names: Mapping[str, str]
    shows: Mapping[str, float]


@dataclass(frozen=True)
class Figure:
    """What a garden has learned of one thing: how far it lies from the table and its sd on the same scale, how many findings it
    rests on, and over how many seasons they were made."""

    off: float
    sd: float
    rests_on: int
    seasons: int
    #: True where it is the grower's own and nothing that was learned.
    own: bool = False


@dataclass(frozen=True)
class Pool:
    """Effects settled. `mean` and `cov` of those in `places` ((sort, name) → number), `sd` of each sort and of one finding as
    they were learned; `design` and `noise` of each finding."""

    sorts: tuple[Sort, ...]
    finding: Sort
    found: tuple[Found, ...]
    places: Mapping[tuple[str, str], int]
    mean: FloatArray
    cov: FloatArray
    sd: Mapping[str, float]
    design: FloatArray
    noise: FloatArray

    def figure(
        self, names: Mapping[str, str], shows: Mapping[str, float] | None = None, of: Sequence[str] | None = None
    ) -> Figure:
        """What is to be expected where such effects come together: of the sorts in `of`, or of all, and one more finding."""
        shows = shows or {}
        row = np.zeros(len(self.mean))
        var = self.sd[self.finding.name] ** 2 if of is None else 0.0
        for s in self.sorts:
            if s.name not in names or (of is not None and s.name not in of):
                continue
            how = shows.get(s.name, 1.0)
            place = self.places.get((s.name, names[s.name]))
            if place is None:
                # None like it was ever seen here.
                var += (how * self.sd[s.name]) ** 2
            else:
                row[place] += how
        var += float(row @ self.cov @ row)
        resting = self._resting(names)
        return Figure(
            float(row @ self.mean), math.sqrt(max(var, 0.0)), len(resting), len({f.names.get("season") for f in resting})
        )

    def _resting(self, names: Mapping[str, str]) -> list[Found]:
        """The findings that share the narrowest thing named that any of them shares."""
        for s in reversed(self.sorts):
            if s.odd or s.name not in names:
                continue
            same = [f for f in self.found if f.names.get(s.name) == names[s.name]]
            if same:
                return same
        return []

    def without(self, i: int) -> Pool:
        """The same with one finding taken back out, by its number; the spreads stay as they were learned."""
        x, noise = self.design[i], float(self.noise[i])
        reach = self.cov @ x
        left = noise - float(x @ reach)
        mean = self.mean + reach * (float(x @ self.mean) - self.found[i].value) / left
        cov = self.cov + np.outer(reach, reach) / left
        keep = np.arange(len(self.found)) != i
        rest = tuple(f for j, f in enumerate(self.found) if j != i)
        return replace(self, found=rest, mean=mean, cov=cov, design=self.design[keep], noise=self.noise[keep])


def pool(sorts: Sequence[Sort], finding: Sort, found: Sequence[Found]) -> Pool:
    """Draw findings together. `sorts` from the widest to the narrowest; `finding` is how one lies from the next though all that
    is named is the same. Deterministic; 300 findings in well under 100 ms. Source: empirical_bayes.

    >>> sorts, one = [Sort("garden", 0.1), Sort("variety", 0.2)], Sort("batch", 0.1)
    >>> slow = [Found(0.3, 0.01, {"garden": "", "variety": "a"}, {}) for _ in range(4)]
    >>> told = pool(sorts, one, slow)
    >>> a, b = told.figure({"garden": "", "variety": "a"}), told.figure({"garden": "", "variety": "b"})
    >>> 0.2 < a.off < 0.3, 0.0 < b.off < 0.1, a.sd < b.sd, a.rests_on
    (True, True, True, 4)
    """
    places: dict[tuple[str, str], int] = {}
    for f in found:
        for s in sorts:
            if s.name in f.names:
                places.setdefault((s.name, f.names[s.name]), len(places))
    n, m = len(found), len(places)
    design = np.zeros((n, m))
    for i, f in enumerate(found):
        for s in sorts:
            if s.name in f.names:
                design[i, places[(s.name, f.names[s.name])]] += f.shows.get(s.name, 1.0)
    value = np.array([f.value for f in found])
    own = np.array([f.own_var for f in found])
    of_sort = {s.name: [k for (name, _), k in places.items() if name == s.name] for s in sorts}
    sd = {s.name: s.sd for s in (*sorts, finding)}
    wider = np.ones(m)
    wider_found = np.ones(n)
    mean, cov, noise = np.zeros(m), np.zeros((m, m)), own
    for _ in range(ROUNDS if n else 0):
        before = mean
        prior = _prior_var(sorts, of_sort, sd, wider, m)
        noise = own + sd[finding.name] ** 2 * wider_found
        cov = np.linalg.inv(design.T @ (design / noise[:, None]) + np.diag(1.0 / prior))
        mean = cov @ (design.T @ (value / noise))
        # What is left of each finding beside its own error: its middle and its variance.
        rest = value - design @ mean
        fitted_var = np.einsum("ij,jk,ik->i", design, cov, design)
        part = sd[finding.name] ** 2 * wider_found / noise
        left2 = (part * rest) ** 2 + part**2 * fitted_var + (1.0 - part) * sd[finding.name] ** 2 * wider_found
        second = mean**2 + np.diag(cov)
        for s in sorts:
            k = of_sort[s.name]
            if k:
                if s.odd:
                    wider[k] = (ODD_DF + second[k] / sd[s.name] ** 2) / (ODD_DF + 1.0)
                weighed = second[k] / wider[k]
                sd[s.name] = math.sqrt((USUAL_WEIGHT * s.sd**2 + float(weighed.sum())) / (USUAL_WEIGHT + len(k)))
        if finding.odd:
            wider_found = (ODD_DF + left2 / sd[finding.name] ** 2) / (ODD_DF + 1.0)
        sd[finding.name] = math.sqrt((USUAL_WEIGHT * finding.sd**2 + float((left2 / wider_found).sum())) / (USUAL_WEIGHT + n))
        if np.abs(mean - before).max(initial=0.0) < SETTLED:
            break
    return Pool(tuple(sorts), finding, tuple(found), places, mean, cov, sd, design, noise)


def _prior_var(
    sorts: Sequence[Sort], of_sort: Mapping[str, Sequence[int]], sd: Mapping[str, float], wider: FloatArray, m: int
) -> FloatArray:
    out = np.empty(m)
    for s in sorts:
        out[list(of_sort[s.name])] = sd[s.name] ** 2
    return out * wider
