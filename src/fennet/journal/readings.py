"""Readings in columns: validated a hundred thousand at a time, kept as given with the canonical figure beside them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from fennet.core.bounds import EARLIEST, LATEST
from fennet.core.kinds import UNITS_OF, is_id
from fennet.core.lighting.shone_on import ShoneOn
from fennet.core.records import FloatArray, Lamp, Series, Source
from fennet.core.units import CANONICAL_UNIT, CREDIBLE, GIVEN_MOST, GIVEN_RANGE, IN_LUX, LUX_PER_PPFD, canonical
from fennet.journal.rejected import Rejection, shown
from fennet.journal.times import format_instant, parse_instant, seconds_of

#: How many texts a group holds before they are turned into figures.
BULK = 2_000
#: How many series and units one file or journal may bring readings of.
MOST_GROUPS, MOST_IN_A_JOURNAL = 300, 5_000
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
    #: From when to when a thing is there, seconds UTC, where that is known.
    lives: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    #: What hung over a place at a time, made when a reading in lux first asks.
    shone_on: Callable[[], ShoneOn] | None = None


@dataclass
class Taken:
    """The outcome of reading a lot of readings."""

    groups: list[Group]
    rejected: list[Rejection]
    repeated: int = 0

    @property
    def n(self) -> int:
        return sum(len(g.at_s) for g in self.groups)


@dataclass
class _Pending:
    """Raw readings of one group: times and values as given, and where each stood."""

    key: GroupKey | None
    fault: tuple[str, ...]
    at: list[Any] = field(default_factory=list)
    value: list[Any] = field(default_factory=list)
    where: list[int] = field(default_factory=list)
    done: list[tuple[FloatArray, FloatArray, NDArray[np.intp]]] = field(default_factory=list)


class Collector:
    """Takes raw readings one by one, gives groups back. What rows share is checked once a group, the rest in bulk at the end.

    `label` turns a row's number into where it stands, for the list of what was set aside.
    """

    def __init__(
        self,
        known: Known,
        zone: ZoneInfo,
        latest_s: float | None = None,
        label: Callable[[int], str] = "line {}".format,
        most_groups: int = MOST_GROUPS,
    ) -> None:
        self.known, self.zone, self.label, self.most_groups = known, zone, label, most_groups
        self.latest_s = min(_LATEST_S, latest_s) if latest_s is not None else _LATEST_S
        self.rejected: list[Rejection] = []
        #: The newest time that was read, taken or not, seconds UTC.
        self.newest_s: float | None = None
        self._groups: dict[tuple[Any, ...], _Pending] = {}

    def add(self, where: int, at: Any, value: Any, *rest: Any) -> None:
        """One raw reading; `rest` is place, quantity, unit, source, x_mm, y_mm, z_mm, under, estimated."""
        group = self.group(rest)
        group.at.append(at)
        group.value.append(value)
        group.where.append(where)
        if len(group.where) >= BULK:
            self.convert(group)

    def group(self, rest: tuple[Any, ...]) -> _Pending:
        """The group that rows with these shared fields belong to; a reader of many rows keeps it at hand."""
        try:
            return self._groups[rest]
        except KeyError:
            key = rest
        except TypeError:
            # Something unhashable inside is never a good key: the row gets a group of its own, to be told why.
            key = (len(self._groups), repr(rest)[:200])
        if len(self._groups) >= self.most_groups:
            # Each group is a series to look up and to draw: one for every row is a slip of the file.
            return self._groups.setdefault(("too many",), _Pending(None, self._too_many()))
        made = self._groups[key] = _Pending(*self._check(rest))
        return made

    def _too_many(self) -> tuple[str, ...]:
        words = f"one file names up to {self.most_groups} different places, spots, sources and units; this is one more"
        return "source", "", words

    def convert(self, group: _Pending) -> None:
        """Turn what a group holds as text into figures now: a million texts would cost more memory than time."""
        if group.key is not None and group.where:
            group.done.append(self._converted(group))
            group.at, group.value, group.where = [], [], []

    def _converted(self, group: _Pending) -> tuple[FloatArray, FloatArray, NDArray[np.intp]]:
        """Times in seconds, values, and where each stood; what is not a time or no number is set aside."""
        try:
            at_s = seconds_of(group.at)
            value = np.array(group.value, dtype=float)
            plain = (
                value.ndim == 1
                and len(at_s) == len(group.at)
                and bool(np.isfinite(value).all())
                and bool not in set(map(type, group.value))
            )
        except (ValueError, TypeError, LookupError, OverflowError):
            plain = False
        where = np.array(group.where, dtype=int)
        if not plain:
            at_s, value, where = self._one_by_one(group)
        if len(at_s):
            self.newest_s = max(float(at_s.max()), self.newest_s if self.newest_s is not None else -math.inf)
        inside = (at_s >= _EARLIEST_S) & (at_s <= self.latest_s)
        for i in np.flatnonzero(~inside):
            words = (
                "lies in the future; accepted: a time up to now"
                if at_s[i] > self.latest_s
                else "lies outside 1900–2199; accepted: a time of this garden"
            )
            self.rejected.append(Rejection(self.label(int(where[i])), "at", format_instant(float(at_s[i]), self.zone), words))
        return at_s[inside], value[inside], where[inside]

    def _one_by_one(self, group: _Pending) -> tuple[FloatArray, FloatArray, NDArray[np.intp]]:
        good: list[tuple[float, float, int]] = []
        for at, raw, where in zip(group.at, group.value, group.where, strict=True):
            try:
                at_s = parse_instant(at, self.zone).timestamp()
            except ValueError as e:
                self.rejected.append(Rejection(self.label(where), "at", shown(at), str(e)))
                continue
            try:
                number = float(raw)
                if isinstance(raw, bool) or not math.isfinite(number):
                    raise ValueError
            except (TypeError, ValueError, OverflowError):
                self.rejected.append(
                    Rejection(self.label(where), "value", shown(raw), "is not a number; accepted: a finite number")
                )
                continue
            good.append((at_s, number, where))
        columns = np.array(good, dtype=float).reshape(-1, 3)
        return columns[:, 0], columns[:, 1], columns[:, 2].astype(int)

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
            return None, ("source", shown(source), "is not an id; accepted: 1–64 of A–Z a–z 0–9 . _ -")
        spot: list[float | None] = []
        for name, given in zip(("x_mm", "y_mm", "z_mm"), (x, y, z), strict=True):
            if given in (None, ""):
                spot.append(None)
                continue
            try:
                if isinstance(given, bool) or not abs(float(given)) <= 1e6:
                    raise ValueError
            except (TypeError, ValueError):
                return None, (name, shown(given), "is not a length; accepted: millimetres")
            spot.append(float(given))
        lamp_id = under or None
        if lamp_id is not None and not (
            isinstance(lamp_id, str) and (lamp_id == "daylight" or self.known.things.get(lamp_id) == "lamp")
        ):
            return None, ("under", shown(lamp_id), "is not a lamp here; accepted: a lamp's id or daylight")
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
        for pending in self._groups.values():
            key = pending.key
            if key is None:
                # The whole group was refused once; each row is told why.
                self.rejected += [Rejection(self.label(where), *pending.fault) for where in pending.where]
                continue
            self.convert(pending)
            if not pending.done:
                continue
            at_s, value, wheres = (np.concatenate(parts) for parts in zip(*pending.done, strict=True))
            order = np.argsort(at_s, kind="stable")
            at_s, value, wheres = at_s[order], value[order], wheres[order]
            figure = canonical_of(key, at_s, value, self.known)
            low, high = CREDIBLE[key.quantity]
            bad = (figure < low) | (figure > high)
            if key.unit == "feel":
                bad |= (value < 1) | (value > 5)
            # What is kept as given without a figure of its own yet must still be one that can be shown.
            least, most = GIVEN_RANGE.get(key.unit, (-GIVEN_MOST, GIVEN_MOST))
            bad |= (value < least) | (value > most)
            if key.quantity == "lamp_on":
                bad |= (value != 0) & (value != 1)
            for i in np.flatnonzero(bad):
                accepted = (
                    "1 to 5"
                    if key.unit == "feel"
                    else "0 or 1"
                    if key.quantity == "lamp_on"
                    else f"{least:g} to {most:,.0f} {key.unit}"
                    if value[i] < least or value[i] > most
                    else f"{low:g} to {high:g} {CANONICAL_UNIT[key.quantity]}"
                )
                self.rejected.append(
                    Rejection(
                        self.label(int(wheres[i])),
                        "value",
                        f"{value[i]:g} {key.unit}",
                        f"cannot be {key.quantity.replace('_', ' ')}; accepted: {accepted}",
                    )
                )
            first_s, last_s = self.known.lives.get(key.place, (float("-inf"), float("inf")))
            for i in np.flatnonzero(((at_s < first_s) | (at_s > last_s)) & ~bad):
                bad[i] = True
                limit = (
                    f"from {format_instant(first_s, self.zone)} on"
                    if at_s[i] < first_s
                    else (f"up to {format_instant(last_s, self.zone)}")
                )
                words = f"{key.place} did not exist then; accepted: a time {limit}"
                self.rejected.append(
                    Rejection(self.label(int(wheres[i])), "at", format_instant(float(at_s[i]), self.zone), words)
                )
            keep = ~bad
            same = np.zeros(len(at_s), dtype=bool)
            same[1:] = at_s[1:] == at_s[:-1]
            for i in np.flatnonzero(same & keep):
                keep[i] = False
                if value[i] == value[i - 1]:
                    repeated += 1
                else:
                    self.rejected.append(_contradiction(self.label(int(wheres[i])), value[i], value[i - 1]))
            groups.append(Group(key, at_s[keep], value[keep], figure[keep]))
            by_series.setdefault(key.series, []).append(len(groups) - 1)
        for indices in by_series.values():
            if len(indices) > 1:
                repeated += self._settle(groups, indices)
        self._groups = {}
        return Taken([g for g in groups if len(g.at_s)], self.rejected, repeated)

    def _settle(self, groups: list[Group], indices: Sequence[int]) -> int:
        """One series in several groups (another unit, say): the first word at a time holds."""
        seen: dict[float, tuple[float, str]] = {}
        for i in indices:
            g = groups[i]
            keep = np.ones(len(g.at_s), dtype=bool)
            for j, (t, v) in enumerate(zip(g.at_s, g.value, strict=True)):
                if t in seen and seen[t] != (v, g.key.unit):
                    keep[j] = False
                    self.rejected.append(_contradiction(f"{g.key.place} {format_instant(float(t), self.zone)}", v, seen[t][0]))
                seen.setdefault(t, (v, g.key.unit))
            groups[i] = Group(g.key, g.at_s[keep], g.value[keep], g.canonical[keep])
        return 0


def _contradiction(where: str, value: float, earlier: float) -> Rejection:
    return Rejection(
        where, "value", f"{value:g}", f"contradicts {earlier:g} of the same place, source and time; the first is kept"
    )


def canonical_of(key: GroupKey, at_s: FloatArray, value: FloatArray, known: Known) -> FloatArray:
    """The canonical figures of a group under the lamps and calibrations now known."""
    source = known.sources.get(key.source or "")
    lamp = known.lamps.get(key.under or "")
    shone = None
    if key.quantity == "light" and key.unit in IN_LUX and key.under is None and known.shone_on is not None:
        # Nobody said under what it was read: what the record has hanging there is taken.
        shone = known.shone_on().lux_per_ppfd(key.place, at_s)
    return canonical(key.quantity, value, key.unit, at_s, key.under, lamp, source.calibration if source else (), shone)


def from_dicts(items: Iterable[Any], collector: Collector) -> None:
    """Feed journal entries to a collector."""
    for i, item in enumerate(items):
        if not isinstance(item, dict):
            words = "is not an object; accepted: {at, place, quantity, value, unit}"
            collector.rejected.append(Rejection(collector.label(i), "", shown(item), words))
            continue
        get = item.get
        collector.add(
            i,
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
        sky = np.concatenate([np.full(len(g.at_s), g.key.under == "daylight") for g in parts])
        key = parts[0].key
        out.append(
            Series(
                key.place,
                key.quantity,
                key.source,
                at_s[order],
                value[order],
                guess[order],
                sky[order] if sky.any() else None,
                spot_of(key.x_mm, key.y_mm, key.z_mm),
            )
        )
    return out


def spot_of(x_mm: float | None, y_mm: float | None, z_mm: float | None) -> tuple[float | None, float | None, float | None] | None:
    """A spot of a place, or None where none of its measures is given."""
    return None if x_mm is None and y_mm is None and z_mm is None else (x_mm, y_mm, z_mm)


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
