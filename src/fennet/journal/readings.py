"""Readings in columns: validated a hundred thousand at a time, kept as given with the canonical figure beside them."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.kinds import UNITS_OF, is_id
from fennet.core.records import FloatArray, Lamp, Series, Source
from fennet.core.units import CREDIBLE, LUX_PER_PPFD, canonical
from fennet.journal.aside import SetAside, shown
from fennet.journal.times import EARLIEST, LATEST, format_instant, parse_instant

FIELDS = ("at", "place", "quantity", "value", "unit", "source", "x_mm", "y_mm", "z_mm", "under", "estimated")
_EARLIEST_S, _LATEST_S = EARLIEST.timestamp(), LATEST.timestamp()


class GroupKey(NamedTuple):
    """What readings of one group share."""

    place: str
    quantity: str
    unit: str
    source: str | None
    x_mm: float | None
    y_mm: float | None
    z_mm: float | None
    under: str | None
    estimated: bool | None

    @property
    def series(self) -> tuple[Any, ...]:
        """The identity of a reading but for its time: place, spot, quantity, source."""
        return (self.place, self.quantity, self.source, self.x_mm, self.y_mm, self.z_mm)


@dataclass
class Group:
    """Readings that share a key, sorted by time: seconds UTC, value as given, canonical value (NaN where unknown)."""

    key: GroupKey
    at_s: FloatArray
    value: FloatArray
    canonical: FloatArray


@dataclass
class Known:
    """What readings may refer to."""

    things: Mapping[str, str] = field(default_factory=dict)
    lamps: Mapping[str, Lamp] = field(default_factory=dict)
    sources: Mapping[str, Source] = field(default_factory=dict)


@dataclass
class Taken:
    """The outcome of reading a lot of readings."""

    groups: list[Group]
    aside: list[SetAside]
    repeated: int = 0

    @property
    def n(self) -> int:
        return sum(len(g.at_s) for g in self.groups)


class Collector:
    """Takes raw readings one by one, gives groups back. Time and value are checked as they come, the rest once a group."""

    def __init__(self, known: Known, zone: ZoneInfo, latest_s: float | None = None) -> None:
        self.known, self.zone = known, zone
        self.latest_s = min(_LATEST_S, latest_s) if latest_s is not None else _LATEST_S
        self.aside: list[SetAside] = []
        self._rows: dict[tuple[Any, ...], tuple[GroupKey | None, list[float], list[float], list[str]]] = {}

    def add(self, where: str, at: Any, value: Any, *rest: Any) -> None:
        """One raw reading; `rest` is place, quantity, unit, source, x_mm, y_mm, z_mm, under, estimated."""
        try:
            group = self._rows[rest]
        except (KeyError, TypeError):
            group = self._open(where, rest)
        if group[0] is None:
            # The whole group was refused once already; say so for this row too.
            self.aside.append(SetAside(where, group[3][0], group[3][1], group[3][2]))
            return
        try:
            moment = datetime.fromisoformat(at)
            at_s = moment.timestamp() if moment.tzinfo else parse_instant(at, self.zone).timestamp()
            if not _EARLIEST_S <= at_s < _LATEST_S:
                raise ValueError
        except (ValueError, TypeError):
            try:
                at_s = parse_instant(at, self.zone).timestamp()
            except ValueError as e:
                self.aside.append(SetAside(where, "at", shown(at), str(e)))
                return
        try:
            number = float(value)
            if isinstance(value, bool) or not math.isfinite(number):
                raise ValueError
        except (TypeError, ValueError):
            self.aside.append(SetAside(where, "value", shown(value), "is no number; accepted: a finite number"))
            return
        if at_s > self.latest_s:
            self.aside.append(SetAside(where, "at", shown(at), "lies in the future; accepted: a time up to now"))
            return
        group[1].append(at_s)
        group[2].append(number)
        group[3].append(where)

    def _open(self, where: str, rest: tuple[Any, ...]) -> tuple[GroupKey | None, list[float], list[float], list[str]]:
        key, fault = self._check(rest)
        group: tuple[GroupKey | None, list[float], list[float], list[str]] = (key, [], [], list(fault))
        # An unhashable value inside is never a good key and never kept.
        with contextlib.suppress(TypeError):
            self._rows[rest] = group
        return group

    def _check(self, rest: tuple[Any, ...]) -> tuple[GroupKey | None, tuple[str, ...]]:
        """The key of a group, or which field is at fault, its value and why."""
        place, quantity, unit, source, x, y, z, under, estimated = rest
        if not isinstance(quantity, str) or quantity not in UNITS_OF:
            return None, ("quantity", shown(quantity), f"is not known; accepted: {', '.join(UNITS_OF)}")
        if unit not in UNITS_OF[quantity]:
            return None, ("unit", shown(unit), f"does not measure {quantity}; accepted: {', '.join(UNITS_OF[quantity])}")
        if not isinstance(place, str) or place not in self.known.things:
            return None, (
                "place",
                shown(place),
                "is not in this garden; accepted: the id of a room, place, tray, lamp, mat, fan or batch",
            )
        if source not in (None, "") and not (isinstance(source, str) and is_id(source)):
            return None, ("source", shown(source), "is no id; accepted: 1–64 of A–Z a–z 0–9 . _ -")
        spot: list[float | None] = []
        for name, given in zip(("x_mm", "y_mm", "z_mm"), (x, y, z), strict=True):
            if given in (None, ""):
                spot.append(None)
                continue
            try:
                if isinstance(given, bool) or not abs(float(given)) <= 1e6:
                    raise ValueError
            except (TypeError, ValueError):
                return None, (name, shown(given), "is no length; accepted: millimetres")
            spot.append(float(given))
        lamp_id = under or None
        if lamp_id is not None and lamp_id != "daylight" and self.known.things.get(lamp_id) != "lamp":
            return None, ("under", shown(lamp_id), "is no lamp here; accepted: a lamp's id or daylight")
        if estimated not in (None, "", True, False):
            return None, ("estimated", shown(estimated), "is not yes or no; accepted: true or false")
        lamp = self.known.lamps.get(lamp_id) if lamp_id else None
        if (
            quantity == "light"
            and unit != "umol/m2/s"
            and lamp
            and lamp.lux_per_ppfd is None
            and LUX_PER_PPFD.get(lamp.kind or "", 0.0) is None
        ):
            return None, (
                "unit",
                shown(unit),
                "says nothing of light from a red-and-blue lamp; accepted: umol/m2/s from a quantum sensor",
            )
        return GroupKey(
            place, quantity, unit, source or None, spot[0], spot[1], spot[2], lamp_id, True if estimated else None
        ), ()

    def close(self) -> Taken:
        """Everything taken so far as sorted groups; what is not credible, or contradicts itself, is set aside."""
        groups, repeated = [], 0
        by_series: dict[tuple[Any, ...], list[int]] = {}
        for key, at_list, value_list, wheres in self._rows.values():
            if key is None or not at_list:
                continue
            at_s, value = np.array(at_list), np.array(value_list)
            order = np.argsort(at_s, kind="stable")
            at_s, value = at_s[order], value[order]
            figure = canonical_of(key, at_s, value, self.known)
            low, high = CREDIBLE[key.quantity]
            bad = (figure < low) | (figure > high)
            if key.unit == "feel":
                bad |= (value < 1) | (value > 5)
            if key.unit == "g":
                bad |= value < 0
            if key.quantity == "lamp_on":
                bad |= (value != 0) & (value != 1)
            for i in np.flatnonzero(bad):
                accepted = (
                    "1 to 5"
                    if key.unit == "feel"
                    else "0 or 1"
                    if key.quantity == "lamp_on"
                    else f"{low:g} to {high:g} in canonical units"
                )
                self.aside.append(
                    SetAside(
                        wheres[order[i]], "value", f"{value[i]:g} {key.unit}", f"cannot be {key.quantity}; accepted: {accepted}"
                    )
                )
            keep = ~bad
            same = np.zeros(len(at_s), dtype=bool)
            same[1:] = at_s[1:] == at_s[:-1]
            for i in np.flatnonzero(same & keep):
                keep[i] = False
                if value[i] == value[i - 1]:
                    repeated += 1
                else:
                    self.aside.append(_contradiction(wheres[order[i]], value[i], value[i - 1]))
            groups.append(Group(key, at_s[keep], value[keep], figure[keep]))
            by_series.setdefault(key.series, []).append(len(groups) - 1)
        for indices in by_series.values():
            if len(indices) > 1:
                repeated += self._settle(groups, indices)
        self._rows = {}
        return Taken([g for g in groups if len(g.at_s)], self.aside, repeated)

    def _settle(self, groups: list[Group], indices: Sequence[int]) -> int:
        """One series in several groups (another unit, say): the first word at a time holds."""
        seen: dict[float, tuple[float, str]] = {}
        for i in indices:
            g = groups[i]
            keep = np.ones(len(g.at_s), dtype=bool)
            for j, (t, v) in enumerate(zip(g.at_s, g.value, strict=True)):
                if t in seen and seen[t] != (v, g.key.unit):
                    keep[j] = False
                    self.aside.append(_contradiction(f"{g.key.place} {format_instant(float(t), self.zone)}", v, seen[t][0]))
                seen.setdefault(t, (v, g.key.unit))
            groups[i] = Group(g.key, g.at_s[keep], g.value[keep], g.canonical[keep])
        return 0


def _contradiction(where: str, value: float, earlier: float) -> SetAside:
    return SetAside(
        where, "value", f"{value:g}", f"contradicts {earlier:g} of the same place, source and time; the first is kept"
    )


def canonical_of(key: GroupKey, at_s: FloatArray, value: FloatArray, known: Known) -> FloatArray:
    """The canonical figures of a group under the lamps and calibrations now known."""
    source = known.sources.get(key.source or "")
    lamp = known.lamps.get(key.under or "")
    return canonical(key.quantity, value, key.unit, at_s, key.under, lamp, source.calibration if source else ())


def from_dicts(items: Iterable[Any], collector: Collector, section: str = "readings") -> None:
    """Feed journal entries to a collector."""
    for i, item in enumerate(items):
        if not isinstance(item, dict):
            collector.aside.append(
                SetAside(f"{section}[{i}]", "", shown(item), "is no object; accepted: {at, place, quantity, value, unit}")
            )
            continue
        get = item.get
        collector.add(
            f"{section}[{i}]",
            get("at"),
            get("value"),
            get("place"),
            get("quantity"),
            get("unit"),
            get("source"),
            get("x_mm"),
            get("y_mm"),
            get("z_mm"),
            get("under"),
            get("estimated"),
        )


def as_series(groups: Iterable[Group]) -> list[Series]:
    """Groups as the core reads them: one series a place, spot, quantity and source."""
    merged: dict[tuple[Any, ...], list[Group]] = {}
    for g in groups:
        merged.setdefault(g.key.series, []).append(g)
    out = []
    for parts in merged.values():
        at_s = np.concatenate([g.at_s for g in parts])
        order = np.argsort(at_s, kind="stable")
        value = np.concatenate([g.canonical for g in parts])
        guess = np.concatenate([np.full(len(g.at_s), bool(g.key.estimated)) for g in parts])
        key = parts[0].key
        out.append(Series(key.place, key.quantity, key.source, at_s[order], value[order], guess[order]))
    return out


def plain_number(value: float) -> int | float:
    """A figure as it would be typed: 21, not 21.0."""
    return int(value) if value == int(value) and abs(value) < 1e15 else value


def as_dicts(groups: Iterable[Group], zone: ZoneInfo) -> Iterator[dict[str, Any]]:
    """Readings as journal entries, in order of time."""
    groups = list(groups)
    at_s = np.concatenate([g.at_s for g in groups]) if groups else np.zeros(0)
    which = np.concatenate([np.full(len(g.at_s), i) for i, g in enumerate(groups)]) if groups else np.zeros(0)
    rank = {i: r for r, i in enumerate(sorted(range(len(groups)), key=lambda i: tuple(str(v) for v in groups[i].key)))}
    ranks = np.array([rank[i] for i in range(len(groups))])
    row = np.concatenate([np.arange(len(g.at_s)) for g in groups]) if groups else np.zeros(0)
    order = np.lexsort((ranks[which.astype(int)], at_s)) if groups else np.zeros(0, dtype=int)
    for n in order:
        g = groups[int(which[n])]
        entry: dict[str, Any] = {"at": format_instant(float(at_s[n]), zone)}
        entry |= {
            "place": g.key.place,
            "quantity": g.key.quantity,
            "value": plain_number(float(g.value[int(row[n])])),
            "unit": g.key.unit,
        }
        for name in ("source", "x_mm", "y_mm", "z_mm", "under", "estimated"):
            given = getattr(g.key, name)
            if given is not None:
                entry[name] = plain_number(given) if isinstance(given, float) else given
        yield entry
