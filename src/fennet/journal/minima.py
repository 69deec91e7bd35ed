"""Daily minima: entries of a journal, or a station's own CSV, brought to one series."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np

from fennet.core.bounds import FIRST_DAY, LAST_DAY
from fennet.core.planning.frost import Minima
from fennet.core.units import celsius
from fennet.journal.readings_csv import open_table
from fennet.journal.rejected import FormatError, Rejection, shown

DAY_KEYS = ("on", "date", "day", "at")
#: Keys and columns that hold a minimum, and the unit each speaks of; "" where a unit key says, else °C.
LOW_KEYS = {"min_c": "degC", "min_f": "degF", "minimum_c": "degC", "tmin": "", "min": "", "minimum": "", "value": "", "t_min": ""}
UNITS = {"degc": "degC", "c": "degC", "°c": "degC", "degf": "degF", "f": "degF", "°f": "degF"}
#: No night on a garden's ground was ever outside this, °C.
COLDEST_C, WARMEST_C = -70.0, 45.0
DAY_FORMATS = ("%Y-%m-%d", "%Y%m%d", "%d.%m.%Y", "%d/%m/%Y", "%Y/%m/%d")


@dataclass
class MinimaRead:
    minima: Minima | None
    rejected: list[Rejection] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def read_minima(entries: Sequence[Mapping[str, Any]]) -> MinimaRead:
    """One series of the entries of a journal's `minima`: single days, or a first day with a list. Of two figures for a day the
    later stands and the earlier is told."""
    days: dict[date, float] = {}
    rejected: list[Rejection] = []
    station = ""
    for i, entry in enumerate(entries):
        where = f"minima[{i}]"
        station = station or str(entry.get("station") or "")
        key = next((k for k in LOW_KEYS if k in entry), None)
        if key is None:
            rejected.append(Rejection(where, "", shown(entry), "has no minimum; accepted: {on, min_c} or {from, min_c: […]}"))
            continue
        unit = LOW_KEYS[key] or UNITS.get(str(entry.get("unit", "degC")).lower(), "")
        start = entry.get("from") if isinstance(entry[key], list) else next((entry[k] for k in DAY_KEYS if k in entry), None)
        first = _day(str(start)) if start is not None else None
        if first is None or not unit:
            name, value = ("unit", entry.get("unit")) if not unit else ("on", start)
            rejected.append(
                Rejection(where, name, shown(value), "is not understood; accepted: a day like 1996-04-30, degC or degF")
            )
            continue
        given = entry[key] if isinstance(entry[key], list) else [entry[key]]
        if len(given) > (LAST_DAY - first).days:
            rejected.append(Rejection(where, key, f"{len(given)} nights", "run past 2199; accepted: nights of 1900 to 2199"))
            continue
        for n, value in enumerate(given):
            _keep(days, first + timedelta(days=n), value, unit, where, rejected)
    return MinimaRead(_series(days, station or "the record of minima"), rejected)


def _keep(days: dict[date, float], day: date, value: Any, unit: str, where: str, rejected: list[Rejection]) -> None:
    if value is None or value == "":
        return
    try:
        figure = float(value.replace(",", ".")) if isinstance(value, str) else float(value)
        low_c = figure if unit == "degC" else float(celsius(figure, unit))
    except (ValueError, TypeError):
        rejected.append(Rejection(where, "min", shown(value), "is not a number; accepted: a temperature"))
        return
    if not math.isfinite(low_c) or not COLDEST_C <= low_c <= WARMEST_C:
        rejected.append(
            Rejection(
                where, "min", shown(value), f"cannot be a night's minimum on {day}; accepted: {COLDEST_C:g} to {WARMEST_C:g} °C"
            )
        )
        return
    if day in days and abs(days[day] - low_c) > 0.05:
        rejected.append(Rejection(where, day.isoformat(), shown(value), "is a second figure for that day; the later one is used"))
    days[day] = low_c


def _day(text: str) -> date | None:
    text = text.strip()[:10]
    for form in DAY_FORMATS:
        try:
            day = datetime.strptime(text, form).date()
        except ValueError:
            continue
        return day if FIRST_DAY <= day <= LAST_DAY else None
    return None


def _series(days: Mapping[date, float], station: str) -> Minima | None:
    if not days:
        return None
    first, last = min(days), max(days)
    low = np.full((last - first).days + 1, np.nan)
    for day, value in days.items():
        low[(day - first).days] = value
    return Minima(station, first, low)


def is_minima_csv(header: Sequence[str]) -> bool:
    """Whether a table's columns are a day and a minimum, and nothing makes them readings."""
    names = {h.strip().lower() for h in header}
    return bool(names & set(DAY_KEYS)) and bool(names & set(LOW_KEYS)) and "quantity" not in names


def minima_from_csv(text: str, unit: str | None = None, station: str | None = None) -> tuple[list[dict[str, Any]], MinimaRead]:
    """A station's CSV as journal entries, one a year, and what was set aside. `unit` overrules what the file says.

    Columns: a day (on, date, day, at) and a minimum (min_c, min_f, tmin, min, value), a `unit` and a `station` if it likes.
    Missing days stay missing. Raises FormatError for a file without those columns or without a single figure.
    """
    table = open_table(text)
    names = [h.strip().lower() for h in table.header]
    day_at = next((names.index(k) for k in DAY_KEYS if k in names), None)
    low_name = next((k for k in LOW_KEYS if k in names), None)
    if day_at is None or low_name is None:
        raise FormatError(
            f"line 1: columns {', '.join(table.header)}; accepted: a day ({', '.join(DAY_KEYS)}) "
            f"and a minimum ({', '.join(LOW_KEYS)})"
        )
    low_at, unit_at = names.index(low_name), names.index("unit") if "unit" in names else None
    station_at = names.index("station") if "station" in names else None
    days: dict[date, float] = {}
    rejected: list[Rejection] = []
    for line, row in table.rows():
        where = f"line {line}"
        row = row + [""] * (len(names) - len(row))
        day = _day(row[day_at])
        if day is None:
            rejected.append(
                Rejection(
                    where, names[day_at], shown(row[day_at]), "is not a day; accepted: 1996-04-30 or 30.04.1996, of 1900 to 2199"
                )
            )
            continue
        said = UNITS.get(row[unit_at].strip().lower(), "") if unit_at is not None else "degC"
        in_unit = unit or LOW_KEYS[low_name] or said
        if not in_unit:
            rejected.append(Rejection(where, "unit", shown(row[unit_at or 0]), "is not a unit; accepted: degC, degF"))
            continue
        station = station or (row[station_at].strip() if station_at is not None else None)
        _keep(days, day, row[low_at].strip(), in_unit, where, rejected)
    if not days:
        raise FormatError(f"no row holds a day and a minimum{'; ' + str(rejected[0]) if rejected else ''}")
    name = station or "uploaded station"
    entries = []
    for year in range(min(days).year, max(days).year + 1):
        mine = [d for d in days if d.year == year]
        if mine:
            first, last = min(mine), max(mine)
            lows = [days.get(first + timedelta(days=i)) for i in range((last - first).days + 1)]
            entries.append(
                {"station": name, "from": first.isoformat(), "min_c": [None if x is None else round(x, 1) for x in lows]}
            )
    read = MinimaRead(_series(days, name), rejected)
    if read.minima is not None:
        missing = int(np.isnan(read.minima.low_c).sum())
        if missing:
            read.notes.append(f"{missing} days between the first and the last are missing; they stay so")
        if in_fahrenheit(read.minima):
            read.notes.append("these nights are as warm as °F read for °C: check the unit")
    return entries, read


def in_fahrenheit(minima: Minima) -> bool:
    """Whether figures kept as °C look like °F: half the nights of a year over 27."""
    return bool(np.nanmedian(minima.low_c) > 27.0)
