"""Trays under one lamp side by side: what light each had, in how many hours, and against how much warmth."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fennet.core.conditions import Conditions
from fennet.core.crop import Crop
from fennet.core.light import DAY_S, DayOfLight, constant_dli_mol, hours_of
from fennet.core.lighting.photothermal import Photothermal, photothermal
from fennet.core.lighting.shelf_map import ShelfMap
from fennet.core.tuning.under_lamp import LampCase

#: Days compared.
OVER_D = 7


@dataclass(frozen=True)
class Compared:
    """One batch of the shelf over the last days: mean daily light and hours, days known, days in band, light against warmth."""

    tray: str
    batch: str
    mol: float | None
    hours: float | None
    days: int
    in_band: int
    ratio: Photothermal | None


@dataclass(frozen=True)
class LightWeek:
    """A batch's last seven whole days: mean daily light and hours over the days that are known, and light against warmth."""

    days: tuple[DayOfLight, ...]
    mol: float | None
    hours: float | None
    ratio: Photothermal | None


def light_week(crop: Crop, c: Conditions, at_s: float) -> LightWeek:
    """The last seven whole days of light of a batch, from its conditions. Source: arithmetic, liu_heins_2002."""
    days = tuple(d for d in c.days if d.to_s <= at_s and d.from_s >= at_s - (OVER_D + 1) * DAY_S and d.mol is not None)
    mol = float(np.mean([d.mol for d in days])) if days else None
    hours = float(np.mean([d.lit_h for d in days])) if days else None
    warm = mean_c(c, at_s)
    return LightWeek(days, mol, hours, photothermal(crop, mol, warm) if mol is not None and warm is not None else None)


def compared(case: LampCase, found: Mapping[str, Conditions], at_s: float) -> list[Compared]:
    """The batches under a lamp over the last seven whole days, from their own conditions (batch → Conditions).

    Source: arithmetic, liu_heins_2002.
    """
    out = []
    for t, b in case.batches:
        c = found.get(b.batch.id)
        if c is None:
            continue
        w = light_week(b.crop, c, at_s)
        inside = sum(b.light.low <= (d.mol or 0.0) <= b.light.high for d in w.days)
        out.append(Compared(t.tray.id, b.batch.id, w.mol, w.hours, len(w.days), inside, w.ratio))
    return out


def area_in_band(case: LampCase, drawn: ShelfMap) -> dict[str, float]:
    """Of each tray on a shelf's map the part (0–1) where a day as the lamp is timed now lies in the light band of every batch in
    it; without a timer nothing. Source: arithmetic."""
    if not case.state.periods:
        return {}
    hours = hours_of(case.state.periods)
    per_umol = constant_dli_mol(1.0, hours)
    out = {}
    for t in case.trays:
        on_map = next((x for x in drawn.trays if x.tray == t.tray.id), None)
        if on_map is None:
            continue
        low, high = max(b.light.low for b in t.batches), min(b.light.high for b in t.batches)
        out[t.tray.id] = on_map.share_in((low - t.other_mol) / per_umol, (high - t.other_mol) / per_umol)
    return out


def mean_c(c: Conditions, at_s: float, over_d: float = OVER_D) -> float | None:
    """Mean temperature around a batch over some days, °C; None where it was hardly read."""
    values: Sequence[float] = [
        float(v) for s in c.soil for t, v in zip(s.at_s, s.value, strict=True) if at_s - over_d * DAY_S <= t <= at_s
    ]
    return float(np.mean(values)) if len(values) >= 2 else None
