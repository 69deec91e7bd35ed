"""What the pages of devices and of the broker show."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core.tuning.probes import SILENT_H
from fennet.journal.mqtt import guess, mapping_of, moment_of, number_of
from fennet.operations.device_api import READER, clock_off_s
from fennet.presentation.formatter import Formatter
from fennet.storage.brokers import Broker, Topic
from fennet.storage.queries import Device
from fennet.web.tray.forms import MEASURES

KINDS = {"thermostat": "thermostat of a mat", "timer": "timer of a lamp", "station": "weather station", "reader": "readings,"}


@dataclass(frozen=True)
class DeviceLine:
    """One device: what it is, when it was heard, what is wrong; whether its clock can be put right."""

    token_hash: str
    name: str
    what: str
    heard: str
    trouble: str
    clock_off: bool


def device_lines(known: list[Device], fmt: Formatter, now: datetime) -> list[DeviceLine]:
    out = []
    for d in known:
        what = (
            KINDS.get(d.kind, d.kind)
            + (f", by {d.topic}" if d.topic else "")
            + (f" {d.place or 'no place said'}" if d.kind == READER else "")
        )
        heard = "never heard yet" if d.last_at is None else f"heard {fmt.moment(d.last_at)}"
        if d.shift_s:
            heard += f"; its times are moved by {duration(d.shift_s, fmt)}"
        off_s = clock_off_s(d.report)
        trouble = []
        if d.last_at is not None and now - d.last_at > timedelta(hours=SILENT_H):
            trouble.append("silent since; look at its battery and its signal")
        if off_s is not None:
            way = f"{duration(abs(off_s), fmt)} {'ahead' if off_s > 0 else 'behind'}"
            then = "so what it sends is set aside" if off_s > 0 else "if it sends what it read just then"
            trouble.append(f"its clock seems {way}, {then}")
        elif d.report.get("set_aside"):
            trouble.append(f"{d.report['set_aside']} of its last readings were set aside: {d.report.get('why', '')}")
        out.append(DeviceLine(d.token_hash, d.thing, what, heard, "; ".join(trouble), off_s is not None))
    return out


def duration(seconds: float, fmt: Formatter) -> str:
    """How far a clock is off, in the unit that says most."""
    for size_s, words in ((86_400.0, "days"), (3_600.0, "h"), (60.0, "min")):
        if abs(seconds) >= 2 * size_s or size_s == 60.0:
            return f"{fmt.number(seconds / size_s, 0 if size_s == 60.0 else 1)} {words}"
    raise AssertionError


@dataclass(frozen=True)
class FigureRow:
    """One figure of a topic's last message: its path, what it said, what it is taken for, as the form's choice and place."""

    path: str
    said: str
    chosen: str
    place: str


@dataclass(frozen=True)
class TopicView:
    """One topic: what it last said, when, what is wrong with it, and how each figure is or would be read."""

    topic: str
    mapped: bool
    heard: str
    trouble: str
    what: str
    rows: list[FigureRow]
    time_paths: list[tuple[str, str]]
    time_path: str


def topic_views(topics: list[Topic], known: dict[str, str], zone: ZoneInfo, fmt: Formatter) -> list[TopicView]:
    return [_topic_view(x, known, zone, fmt) for x in topics]


def _topic_view(x: Topic, known: dict[str, str], zone: ZoneInfo, fmt: Formatter) -> TopicView:
    mapping = mapping_of(x.topic, x.time_path, x.uses) if x.uses else guess(x.topic, x.leaves, known, zone)
    uses = {u.column: u for u in mapping.uses}
    rows = []
    for path in {**dict.fromkeys(uses), **x.leaves}:
        use = uses.get(path)
        if use is None and number_of(x.leaves[path]) is None:
            continue
        said = x.leaves.get(path)
        words = "nothing lately" if said is None else str(said)[:40]
        place = use.place if use is not None else next((u.place for u in mapping.uses), "")
        rows.append(FigureRow(path, words, f"{use.quantity} {use.unit}" if use is not None else "", place))
    heard = "not heard yet" if x.heard_at is None else f"heard {fmt.moment(x.heard_at)}"
    if x.uses:
        heard += f", {x.kept:,} of {x.n:,} messages kept"
    what = ", ".join(
        f"{MEASURES.get(f'{u.quantity} {u.unit}', u.quantity)} at {known.get(u.place, u.place)}" for u in mapping.uses
    )
    times = [(p, f"{p or 'the payload'} ({str(v)[:40]})") for p, v in x.leaves.items() if _may_be_time(v, zone)]
    if mapping.time_path and mapping.time_path not in dict(times):
        times.append((mapping.time_path, mapping.time_path))
    return TopicView(x.topic, bool(x.uses), heard, x.trouble, what, rows, times, mapping.time_path)


def _may_be_time(value: Any, zone: ZoneInfo) -> bool:
    try:
        moment_of(value, zone)
    except ValueError:
        return False
    return True


def state_words(broker: Broker, fmt: Formatter, now: datetime) -> str:
    """How the connection stands, in one sentence."""
    last = f" Last heard {fmt.moment(broker.heard_at)}." if broker.heard_at is not None else " Nothing heard yet."
    said = {
        "connected": f"Connected to {broker.host}.{last}",
        "refused": f"{broker.host} refuses the connection: {broker.trouble}.",
        "away": f"{broker.host} does not answer: {broker.trouble or 'it is away'}. It is tried again by itself.{last}",
        "calling": f"Connecting to {broker.host}.",
    }
    words = said.get(broker.state, f"Fennet connects to {broker.host} within seconds.")
    return words + (f" {broker.trouble}." if broker.state == "connected" and broker.trouble else "")


def driven_lines(known: list[Device], fmt: Formatter) -> list[tuple[str, str, str]]:
    """Devices that a topic reaches: their key, what they are, when they were heard."""
    return [
        (d.token_hash, f"{d.thing} by {d.topic}", "never heard yet" if d.last_at is None else f"heard {fmt.moment(d.last_at)}")
        for d in known
        if d.topic
    ]
