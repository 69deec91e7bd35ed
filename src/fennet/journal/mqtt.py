"""Messages of a home's broker (MQTT): which figures a payload holds, where it says when, and what a topic's figures mean.

A topic is mapped as a file's columns are: each figure of its payload, by its path, is what it measures at which place. A message
without a time of its own is of the moment it is heard; one that the broker had kept may be of any time, and is no reading then.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core.kinds import UNITS_OF
from fennet.journal.logger_csv import NOT_A_READING, SURELY_RESTARTED, Use, figure_of, measure_of, time_of
from fennet.journal.rejected import FormatError, shown
from fennet.journal.times import parse_instant

#: A payload longer than this is none of a probe's.
MOST_PAYLOAD = 256 * 1024
#: So many figures of one payload are shown, so deep.
MOST_LEAVES, DEEPEST = 60, 6
LONGEST_TOPIC = 200
#: No probe shows more.
MOST_FIGURE = 1e15
#: The path of a payload that is a figure and nothing else.
WHOLE = ""
_SAYS_WHEN = re.compile(r"(^|\.|_)(at|time|ts|timestamp|time_?stamp|last_?seen|date_?time|measured_?at|epoch)$", re.I)
_DEGREE = re.compile(r"(°|deg)?[CF]$", re.I)
_NOT_MEASURED = re.compile(r"link\s*q|quality|interval|uptime|offset|calibrat|update|version", re.I)


@dataclass(frozen=True)
class TopicMapping:
    """How one topic is read: where its payload says when (empty: nowhere), and what each figure is; `column` is its path."""

    topic: str
    uses: tuple[Use, ...]
    time_path: str = ""


@dataclass(frozen=True)
class Message:
    """One message as it was heard."""

    topic: str
    payload: bytes
    heard_at: datetime
    retained: bool = False


@dataclass(frozen=True)
class Figure:
    """One reading of a message: when, its value as given, what it is."""

    at: str
    value: Any
    use: Use


def checked_topic(text: str) -> str:
    """A topic that one sensor writes. Raises ValueError in words that follow what was given."""
    return _checked(text, wildcards=False)


def checked_filter(text: str) -> str:
    """What to listen to: a topic, or many by + for one part and # for all that follows. Raises ValueError.

    >>> checked_filter("home/+/soil"), checked_filter("home/#")
    ('home/+/soil', 'home/#')
    >>> checked_filter("home/#/soil")
    Traceback (most recent call last):
        ...
    ValueError: has # before its end; accepted: # as the last part alone, like home/#
    """
    return _checked(text, wildcards=True)


def _checked(text: str, wildcards: bool) -> str:
    text = text.strip()
    if not 1 <= len(text.encode()) <= LONGEST_TOPIC or not text.isprintable():
        raise ValueError(f"is no topic; accepted: 1 to {LONGEST_TOPIC} plain letters, like home/landing/soil")
    parts = text.split("/")
    if not wildcards and any(c in text for c in "+#"):
        raise ValueError("stands for many topics; accepted: one topic without + or #")
    if any("#" in p for p in parts[:-1]) or ("#" in parts[-1] and parts[-1] != "#"):
        raise ValueError("has # before its end; accepted: # as the last part alone, like home/#")
    if any("+" in p and p != "+" for p in parts):
        raise ValueError("has + beside letters; accepted: + as a whole part, like home/+/soil")
    if parts[0].startswith("$"):
        raise ValueError("is the broker's own; accepted: a topic that does not begin with $")
    return text


def leaves_of(payload: bytes) -> dict[str, Any]:
    """The figures and words of a payload by their path. Raises FormatError for what is neither a figure nor JSON.

    >>> leaves_of(b'{"soil": {"temperature": 19.5}, "at": "2026-03-01T08:00Z"}')
    {'soil.temperature': 19.5, 'at': '2026-03-01T08:00Z'}
    >>> leaves_of(b"19,5 C")
    {'': '19,5 C'}
    """
    if len(payload) > MOST_PAYLOAD:
        raise FormatError(f"a payload of {len(payload):,} bytes; accepted: up to {MOST_PAYLOAD:,}")
    try:
        text = payload.decode("utf-8").strip()
    except UnicodeDecodeError:
        raise FormatError("is no text; accepted: a figure, or JSON in UTF-8") from None
    if not text:
        raise FormatError("is empty; accepted: a figure, or JSON")
    if text[0] not in "{[":
        return {WHOLE: _storable(text)}
    try:
        said = json.loads(text)
    except (ValueError, RecursionError):
        raise FormatError(f"{shown(text)} is broken off or no JSON; accepted: a figure, or JSON") from None
    out: dict[str, Any] = {}
    _gather(said, "", out, 0)
    return out


def _gather(value: Any, path: str, out: dict[str, Any], depth: int) -> None:
    if len(out) >= MOST_LEAVES or depth > DEEPEST:
        return
    if isinstance(value, Mapping):
        for name, inner in value.items():
            _gather(inner, f"{path}.{name}" if path else str(name), out, depth + 1)
    elif isinstance(value, list):
        for i, inner in enumerate(value):
            _gather(inner, f"{path}.{i}" if path else str(i), out, depth + 1)
    elif path.isprintable():
        out[path[:LONGEST_TOPIC]] = _storable(value)


def _storable(value: Any) -> Any:
    """A leaf as it can be kept and shown: plain words, finite figures."""
    if value is None or isinstance(value, bool) or (isinstance(value, int | float) and abs(value) < MOST_FIGURE):
        return value
    text = value if isinstance(value, str) else str(float(value)) if isinstance(value, float) else "a figure beyond all measure"
    return "".join(c for c in text[:200] if c.isprintable())


def number_of(value: Any) -> float | None:
    """A leaf as a figure; None where it is none."""
    if isinstance(value, bool):
        return None
    if isinstance(value, int | float):
        return float(value) if abs(value) < MOST_FIGURE else None
    return figure_of(value, True) if isinstance(value, str) else None


def moment_of(value: Any, zone: ZoneInfo) -> datetime:
    """When a leaf says it was: a time as ISO 8601 (the garden's zone where it names none), or seconds or thousandths since 1970.
    Raises ValueError."""
    text = f"{value:.3f}" if isinstance(value, float) else str(value)
    if not isinstance(value, bool):
        for form in ("unix", "unix_ms"):
            if (found := time_of(text, form)) is not None:
                return found
    return parse_instant(value, zone)


def guess(topic: str, leaves: Mapping[str, Any], known: Mapping[str, str], zone: ZoneInfo) -> TopicMapping:
    """A first guess at what a topic's figures are; `known` are the garden's trays and places by id, with their names. A figure
    whose name says nothing is left out.

    >>> guess("home/T1", {"temperature": 19.5, "humidity": 61}, {"T1": "T1"}, ZoneInfo("UTC")).uses[0]
    Use(column='temperature', place='T1', quantity='air_temperature', unit='degC')
    """
    # Where a topic names no place of several, only the grower can say.
    place = next(iter(known), "") if len(known) == 1 else ""
    known = {id: _words(name) for id, name in known.items()}
    uses: list[Use] = []
    when = ""
    unit = next(
        (str(v).removeprefix("deg") for p, v in leaves.items() if re.search("unit", p, re.I) and _DEGREE.match(str(v))), ""
    )
    humid = any(re.search("humid", path, re.I) for path in leaves)
    for path, value in leaves.items():
        if _SAYS_WHEN.search(path):
            try:
                moment_of(value, zone)
            except ValueError:
                continue
            when = when or path
            continue
        name, figure = _words(f"{topic} {path}"), number_of(value)
        last = _words(path or topic.rsplit("/", 1)[-1])
        if figure is None or NOT_A_READING.search(last) or _NOT_MEASURED.search(last):
            continue
        # Its own name tells what it is; the topic's other parts tell where, and what where its own name does not.
        cells = [f"{value} {unit}"]
        own, whole = (measure_of(words, cells, [figure], place, known) for words in (last, name))
        found = (own and Use(path, whole.place if whole else own.place, own.quantity, own.unit)) or whole
        if found is None:
            continue
        temperature = found.quantity == "soil_temperature" and humid and not re.search("soil|mix|probe", name, re.I)
        uses.append(Use(path, found.place, "air_temperature" if temperature else found.quantity, found.unit))
    seen: set[tuple[str, str]] = set()
    first = [u for u in uses if not ((u.place, u.quantity) in seen or seen.add((u.place, u.quantity)))]  # type: ignore[func-returns-value]
    return TopicMapping(topic, tuple(first), when)


def _words(text: str) -> str:
    return re.sub(r"[_/.\-]+", " ", text)


def checked_mapping(mapping: TopicMapping) -> TopicMapping:
    """A mapping that can be. Raises FormatError where two figures are one quantity at one place, or a unit does not fit."""
    checked_topic(mapping.topic)
    pairs = [(u.place, u.quantity) for u in mapping.uses]
    twice = next((x for x in pairs if pairs.count(x) > 1), None)
    if twice is not None:
        raise FormatError(f"Two figures are {twice[1].replace('_', ' ')} at {twice[0]}; accepted: each once.")
    for u in mapping.uses:
        if u.unit not in UNITS_OF.get(u.quantity, ()):
            raise FormatError(
                f"{u.quantity} in {u.unit}; accepted: {', '.join(UNITS_OF.get(u.quantity, ())) or 'a known quantity'}."
            )
    return mapping


def source_of(topic: str) -> str:
    """The name that a topic's readings bear.

    >>> source_of("home/box room/soil 2")
    'mqtt-home-box-room-soil-2'
    """
    return ("mqtt-" + re.sub(r"[^A-Za-z0-9._]+", "-", topic).strip("-"))[:64].rstrip("-")


def figures_of(mapping: TopicMapping, message: Message, zone: ZoneInfo) -> tuple[list[Figure], list[str]]:
    """The readings of a message, and why what else it was meant to hold is none."""
    try:
        leaves = leaves_of(message.payload)
    except FormatError as e:
        return [], [str(e)]
    here = [u for u in mapping.uses if u.column in leaves]
    if not here:
        # A sensor may send what changed and nothing else; one that sends nothing it was mapped for sends something new.
        wanted = ", ".join(u.column or "a figure" for u in mapping.uses)
        return [], [f"holds none of {wanted}"] if mapping.uses else []
    if mapping.time_path:
        try:
            at = moment_of(leaves.get(mapping.time_path), zone)
        except ValueError as e:
            return [], [f"{mapping.time_path}: {shown(leaves.get(mapping.time_path))} {e}"]
        if at < SURELY_RESTARTED:
            return [], [f"{mapping.time_path}: {at:%Y-%m-%d} is long past: the sensor's clock began anew"]
    elif message.retained:
        return [], ["kept by the broker, of nobody knows when: it has no time of its own"]
    else:
        at = message.heard_at
    out, aside = [], []
    for use in here:
        value = number_of(leaves[use.column])
        if value is None:
            aside.append(f"{use.column or 'its payload'}: {shown(leaves[use.column])} is no figure")
        else:
            out.append(Figure(at.astimezone(UTC).isoformat(), value, use))
    return out, aside


def mapping_of(topic: str, time_path: str | None, uses: Sequence[Mapping[str, Any]]) -> TopicMapping:
    """A mapping as it is kept."""
    return TopicMapping(topic, tuple(Use(**u) for u in uses), time_path or "")
