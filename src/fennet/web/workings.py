"""The working behind a number, ready to show."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from fennet.core.forecast import Forecast
from fennet.core.working import Input, Working
from fennet.crops import load_sources
from fennet.presentation.formatter import Formatter


@dataclass(frozen=True)
class WorkingView:
    id: str
    name: str
    value: str
    inputs: list[tuple[str, str, str]]
    formula: str
    sources: list[str]
    holds: str
    notes: tuple[str, ...]


#: What the figures of the crop table are called on a page.
FIGURE_WORDS = {
    "t_base_c": "base: no progress below",
    "t_lo_c": "plateau from",
    "t_hi_c": "plateau to",
    "t_ceil_c": "ceiling: no progress above",
    "r_max_per_day": "rate on the plateau",
    "share_none_below_c": "share of live seed that comes, given time: a line that rises from",
    "share_full_from_c": "share: all comes from",
    "share_full_to_c": "share: all comes up to",
    "share_none_at_c": "share: falls to none at",
    "wait_sigma": "spread of waits",
    "depth_mm": "depth",
    "covered_share": "share that comes when covered",
    "untreated_share": "share that comes untreated",
    "half_life_y": "years from 95 to 50 % alive, kept room-cool and dry",
    "soil_low_c": "band of the soil when sown, from",
    "soil_ideal_low_c": "ideal from",
    "soil_ideal_high_c": "ideal to",
    "soil_high_c": "band of the soil when sown, to",
}


def figure_rows(figures: list[Input], fmt: Formatter) -> list[tuple[str, str, str]]:
    """Figures of a crop as name, value and source, in the reader's units."""
    return [_input(f, fmt) for f in figures]


def working_views(f: Forecast, fmt: Formatter) -> dict[str, WorkingView]:
    """Every working of a forecast, in the reader's units."""
    return {key: working_view(f"w-{f.batch.id}-{key}".replace(".", "-"), w, fmt) for key, w in f.workings.items()}


def _value(value: object, unit: str, fmt: Formatter) -> str:
    if value is None:
        return "not known"
    if isinstance(value, datetime):
        return fmt.moment(value)
    if unit == "time" and isinstance(value, float):
        return fmt.moment(value)
    if unit == "1/d" and isinstance(value, int | float) and value > 0:
        return f"1 in {fmt.number(1 / value)} days"
    if unit == "°C" and isinstance(value, int | float):
        return fmt.temperature(float(value))
    if unit == "share" and isinstance(value, int | float):
        return fmt.percent(float(value))
    if isinstance(value, int | float):
        return f"{fmt.number(float(value), 4 if abs(value) < 1 else 2)} {unit}".strip()
    return f"{value} {unit}".strip()


def _input(i: Input, fmt: Formatter) -> tuple[str, str, str]:
    known = load_sources()
    source = known[i.source].citation if i.source in known else i.source.replace("_", " ")
    return (
        FIGURE_WORDS.get(i.name, i.name.replace("_", " ")),
        _value(i.value, i.unit, fmt),
        f"{source}{' (estimated)' if i.estimated else ''}",
    )


def working_view(id: str, w: Working, fmt: Formatter) -> WorkingView:
    known = load_sources()
    sources = list(dict.fromkeys(known[s].citation if s in known else s for s in w.sources if s))
    return WorkingView(
        id, w.name, _value(w.value, w.unit, fmt), [_input(i, fmt) for i in w.inputs], w.formula, sources, w.holds, w.notes
    )
