"""A porch or a cold house by day: where plants stand on days that keep them from going out, back in at dusk."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fennet.core.crop import Crop
from fennet.core.hardening.outings import LEAST_DAY_C, TOO_HOT_C, Outing
from fennet.core.records import Journal, Series

#: A reading of a porch says so long how warm it is there. Source: growers_rule.
SPEAKS_FOR_S = 3 * 3600.0


@dataclass(frozen=True)
class Porch:
    """A place under a roof for a day in: what was read there last, °C, and when, seconds UTC (None where nobody read anything
    lately), and what the kind wants."""

    place: str
    least_c: float
    now_c: float | None = None
    read_s: float | None = None

    @property
    def suits(self) -> bool | None:
        """Whether it is warm enough, and not too hot; None where nobody knows."""
        return None if self.now_c is None else self.least_c <= self.now_c <= TOO_HOT_C


def porch_for(journal: Journal, crop: Crop, outing: Outing | None, at_s: float) -> Porch | None:
    """The porch for a day on which an outing is not to be (seconds UTC); None where it is, or there is no porch. Of several the
    one read last. Source: growers_rule."""
    if outing is None or outing.go:
        return None
    least_c = max(LEAST_DAY_C, crop.planting.least_night_c)
    found: list[Porch] = []
    for p in journal.places:
        gone = p.until is not None and p.until.timestamp() <= at_s
        if p.kind == "porch" and not gone:
            found.append(_read(journal.series, p.id, least_c, at_s))
    return max(found, key=lambda x: x.read_s or 0.0, default=None)


def _read(series: Sequence[Series], place: str, least_c: float, at_s: float) -> Porch:
    best: tuple[float, float] | None = None
    for s in series:
        known = s.until(at_s)
        if s.place == place and s.quantity == "air_temperature" and len(known.at_s) and known.at_s[-1] > at_s - SPEAKS_FOR_S:
            last = (float(known.at_s[-1]), float(known.value[-1]))
            best = max(best, last) if best is not None else last
    return Porch(place, least_c) if best is None else Porch(place, least_c, best[1], best[0])
