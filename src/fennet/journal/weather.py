"""A journal's `weather`: what stations and forecasts said, entry by entry, as the core reads it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from datetime import date
from typing import Any

from fennet.core.bounds import FIRST_DAY, LAST_DAY
from fennet.core.hardening.weather import Hour, Issue, from_days
from fennet.core.records import Garden
from fennet.core.units import celsius
from fennet.journal.readings_csv import open_table
from fennet.journal.rejected import FormatError, Rejection, shown
from fennet.journal.times import parse_instant

KINDS = ("forecast", "actual")
#: No air on a garden's ground was ever outside this, °C; what lies between is asked about as °F.
COLDEST_C, WARMEST_C = -70.0, 55.0
#: Accepted figures of an hour: least, most, and in words.
FIGURES = {
    "temperature_c": (COLDEST_C, WARMEST_C, f"{COLDEST_C:g} to {WARMEST_C:g} °C"),
    "wind_m_s": (0.0, 90.0, "0 to 90 m/s"),
    "cloud_share": (0.0, 1.0, "0 to 1"),
    "rain_mm": (0.0, 2000.0, "0 to 2000 mm"),
    "soil_c": (-40.0, 60.0, "-40 to 60 °C"),
}
#: Hours or days of one issue.
MOST_HOURS = 1000


def read_weather(entries: Iterable[Mapping[str, Any]], garden: Garden) -> tuple[list[Issue], list[Rejection]]:
    """The issues of a journal's weather, and what of them was set aside; the rest stands."""
    issues: list[Issue] = []
    rejected: list[Rejection] = []
    for i, entry in enumerate(entries):
        issue = _issue(entry, f"weather[{i}]", garden, rejected)
        if issue is not None:
            issues.append(issue)
    return issues, rejected


def _issue(entry: Mapping[str, Any], where: str, garden: Garden, rejected: list[Rejection]) -> Issue | None:
    kind = entry.get("kind", "forecast")
    if kind not in KINDS:
        rejected.append(Rejection(where, "kind", shown(kind), f"is not a kind of weather; accepted: {', '.join(KINDS)}"))
        return None
    try:
        issued_s = parse_instant(entry.get("issued_at"), garden.zone).timestamp()
    except ValueError as e:
        rejected.append(Rejection(where, "issued_at", shown(entry.get("issued_at")), str(e)))
        return None
    hours: dict[float, Hour] = {}
    given = {name: entry.get(name) or [] for name in ("hours", "days")}
    for name, rows in given.items():
        if not isinstance(rows, list) or len(rows) > MOST_HOURS:
            rejected.append(Rejection(where, name, shown(rows), f"is not a list of {name}; accepted: up to {MOST_HOURS} of them"))
            continue
        for n, row in enumerate(rows):
            spot = f"{where}.{name}[{n}]"
            if not isinstance(row, Mapping):
                rejected.append(Rejection(spot, "", shown(row), "is not an object; accepted: an object"))
                continue
            made = _hour(row, spot, garden, rejected) if name == "hours" else _day(row, spot, garden, rejected)
            # Hours outrank the day they lie in.
            for h in made:
                if name == "hours" or h.at_s not in hours:
                    hours[h.at_s] = h
    if not hours:
        if not rejected or not rejected[-1].where.startswith(where):
            rejected.append(Rejection(where, "", shown(sorted(entry)), "tells no hour and no day; accepted: hours or days"))
        return None
    return Issue(issued_s, str(entry.get("source") or "")[:120], tuple(hours[t] for t in sorted(hours)), kind == "actual")


def _hour(row: Mapping[str, Any], where: str, garden: Garden, rejected: list[Rejection]) -> list[Hour]:
    try:
        at_s = parse_instant(row.get("at"), garden.zone).timestamp()
    except ValueError as e:
        rejected.append(Rejection(where, "at", shown(row.get("at")), str(e)))
        return []
    figures = {name: _figure(row, name, where, rejected) for name in FIGURES}
    temperature_c = figures.pop("temperature_c")
    if temperature_c is None:
        return []
    return [Hour(at_s, temperature_c, **figures)]


def _day(row: Mapping[str, Any], where: str, garden: Garden, rejected: list[Rejection]) -> list[Hour]:
    try:
        day = date.fromisoformat(str(row.get("day"))[:10])
    except ValueError:
        rejected.append(Rejection(where, "day", shown(row.get("day")), "is not a day; accepted: a day like 2026-05-02"))
        return []
    low, high = (_figure({"temperature_c": row.get(k)}, "temperature_c", where, rejected, k) for k in ("low_c", "high_c"))
    if low is None or high is None:
        return []
    if not FIRST_DAY <= day <= LAST_DAY or low > high:
        told = f"{shown(row.get('low_c'))} over {shown(row.get('high_c'))}"
        rejected.append(Rejection(where, "low_c", told, "cannot be; accepted: a lowest under the highest, 1900 to 2199"))
        return []
    rest = (_figure(row, name, where, rejected) for name in ("wind_m_s", "cloud_share", "rain_mm"))
    return from_days(day, low, high, garden, *rest)


def _figure(
    row: Mapping[str, Any], name: str, where: str, rejected: list[Rejection], told_as: str | None = None
) -> float | None:  # fmt: skip
    value = row.get(name)
    if value is None:
        if name == "temperature_c":
            rejected.append(Rejection(where, told_as or name, "nothing", "is missing; accepted: a temperature in °C"))
        return None
    least, most, accepted = FIGURES[name]
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value) or not least <= value <= most:
        words = f"cannot be; accepted: {accepted}"
        if name.endswith("_c") and isinstance(value, int | float) and WARMEST_C < value <= 130:
            words += f"; as °F that is {float(celsius(float(value), 'degF')):.0f} °C"
        rejected.append(Rejection(where, told_as or name, shown(value), words))
        return None
    return float(value)


#: Columns of a station's own file, the unit each speaks of; the first of them is the moment.
AT_COLUMNS = ("at", "time", "datetime", "date_time")
COLUMNS = {
    "temperature_c": ("temperature_c", ""), "temp_c": ("temperature_c", ""), "temperature_f": ("temperature_c", "degF"),
    "temp_f": ("temperature_c", "degF"), "temperature": ("temperature_c", ""), "wind_m_s": ("wind_m_s", ""),
    "wind_km_h": ("wind_m_s", "km/h"), "cloud_share": ("cloud_share", ""), "cloud_pct": ("cloud_share", "%"),
    "rain_mm": ("rain_mm", ""), "soil_c": ("soil_c", ""),
}  # fmt: skip


def weather_from_csv(text: str, issued_at: str, source: str, kind: str = "forecast") -> dict[str, Any]:
    """A station's CSV, hour by hour, as one issue. Raises FormatError for a file without a moment and a temperature."""
    table = open_table(text)
    names = [h.strip().lower() for h in table.header]
    at = next((names.index(n) for n in AT_COLUMNS if n in names), None)
    found = {i: COLUMNS[n] for i, n in enumerate(names) if n in COLUMNS}
    if at is None or not any(figure == "temperature_c" for figure, _ in found.values()):
        raise FormatError(
            f"line 1: columns {', '.join(table.header)[:120]}; accepted: a moment ({', '.join(AT_COLUMNS)}) and a temperature, "
            f"of {', '.join(COLUMNS)}"
        )
    hours: list[dict[str, Any]] = []
    for _, row in table.rows():
        hour: dict[str, Any] = {"at": row[at].strip() if at < len(row) else ""}
        for i, (figure, unit) in found.items():
            if i < len(row) and row[i].strip():
                hour[figure] = _converted(row[i], unit)
        hours.append(hour)
    return {"issued_at": issued_at, "kind": kind, "source": source, "hours": hours}


def _converted(text: str, unit: str) -> float | str:
    """A figure as the journal keeps it; what is not a number stays as it came, to be told."""
    try:
        value = float(text.strip().replace(",", "."))
    except ValueError:
        return text.strip()[:60]
    if unit == "degF":
        return round(float(celsius(value, "degF")), 2)
    return round(value * {"km/h": 1 / 3.6, "%": 0.01}.get(unit, 1.0), 4)
