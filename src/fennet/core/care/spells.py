"""Droughts and standing wet in a record of moisture: when each began and ended."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fennet.core.records import FloatArray

#: Standing water is told after a day of it, a drought after half a day under the band. Source: growers_rule.
WET_PCT, WET_FOR_H, DRY_FOR_H = 95.0, 24.0, 12.0
#: A drought is that far under the foot of the band, % of capacity. Source: starting_estimate.
UNDER_PCT = 8.0


@dataclass(frozen=True)
class Spell:
    """A stretch (seconds UTC) of drought or standing wet; `worst_pct` the least or the most it held."""

    kind: str
    from_s: float
    to_s: float
    worst_pct: float


def moisture_spells(at_s: FloatArray, moisture_pct: FloatArray, low_pct: FloatArray) -> list[Spell]:
    """Droughts and standing wet of an even record. Arrays of one length; `low_pct` the foot of the band at each moment, NaN where
    none holds; NaN moisture ends a spell. Source: growers_rule.

    >>> at = np.arange(0, 3 * 86400, 1800.0)
    >>> [s.kind for s in moisture_spells(at, np.full(len(at), 30.0), np.full(len(at), 50.0))]
    ['drought']
    """
    dry = moisture_pct < low_pct - UNDER_PCT
    wet = moisture_pct > WET_PCT
    out = []
    for kind, held, least_h in (("drought", dry, DRY_FOR_H), ("standing_wet", wet, WET_FOR_H)):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], held.astype(int), [0]])))
        for first, last in zip(edges[::2], edges[1::2], strict=True):
            a, b = float(at_s[first]), float(at_s[last - 1])
            if (b - a) / 3600.0 >= least_h:
                inside = moisture_pct[first:last]
                out.append(Spell(kind, a, b, float(inside.min() if kind == "drought" else inside.max())))
    return sorted(out, key=lambda s: s.from_s)
