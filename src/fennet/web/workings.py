"""The working behind a number, ready to show."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from fennet.core.forecast import Forecast
from fennet.core.working import Input, Working
from fennet.crops import load_sources
from fennet.telling.speech import Speech


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


def working_views(f: Forecast, say: Speech) -> dict[str, WorkingView]:
    """Every working of a forecast, in the reader's units."""
    return {key: _view(f"w-{f.batch.id}-{key}".replace(".", "-"), w, say) for key, w in f.workings.items()}


def _value(value: object, unit: str, say: Speech) -> str:
    if value is None:
        return "not known"
    if isinstance(value, datetime):
        return say.moment(value)
    if unit == "time" and isinstance(value, float):
        return say.moment(value)
    if unit == "°C" and isinstance(value, int | float):
        return say.temperature(float(value))
    if unit == "share" and isinstance(value, int | float):
        return say.percent(float(value))
    if isinstance(value, int | float):
        return f"{say.number(float(value), 4 if abs(value) < 1 else 2)} {unit}".strip()
    return f"{value} {unit}".strip()


def _input(i: Input, say: Speech) -> tuple[str, str, str]:
    known = load_sources()
    source = known[i.source].citation if i.source in known else i.source
    return i.name.replace("_", " "), _value(i.value, i.unit, say), f"{source}{' (estimated)' if i.estimated else ''}"


def _view(id: str, w: Working, say: Speech) -> WorkingView:
    known = load_sources()
    sources = list(dict.fromkeys(known[s].citation if s in known else s for s in w.sources if s))
    return WorkingView(
        id, w.name, _value(w.value, w.unit, say), [_input(i, say) for i in w.inputs], w.formula, sources, w.holds, w.notes
    )
