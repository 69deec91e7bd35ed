"""Readings that a device posts: checked, its clock put right, kept in one transaction; sent again they change nothing."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import Engine

from fennet.journal.readings_csv import decode, open_table
from fennet.journal.rejected import FormatError, Rejection
from fennet.journal.times import format_instant, parse_instant, zone_of
from fennet.operations import device_api, readings
from fennet.operations.acting import Actor, WriteContext, in_turn
from fennet.storage.queries import Device

MOST_READINGS, MOST_BYTES = 20_000, 4 * 1024 * 1024


class TooMany(ValueError):
    """More readings than one body may hold."""


@dataclass(frozen=True)
class SetAside:
    """One reading that was not taken: its place in the body, which field, why."""

    index: int | None
    field: str
    reason: str


@dataclass(frozen=True)
class Posted:
    """What became of a body: kept, there already, set aside; by how much its newest time is ahead of this machine, seconds."""

    accepted: int
    repeated: int
    set_aside: list[SetAside]
    ahead_s: float | None


def rows_of(body: bytes, is_csv: bool) -> list[Any]:
    """The readings of a body as they were given. Raises FormatError, TooMany."""
    if is_csv:
        table = open_table(decode(body))
        if not table.is_own:
            raise FormatError("line 1: accepted: a header at,place,quantity,value,unit,source; place and source may be left out")
        found: list[Any] = []
        for _, row in table.rows():
            found.append({name: cell or None for name, cell in zip(table.header, row, strict=False)})
            if len(found) > MOST_READINGS:
                raise TooMany
        return found
    try:
        said = json.loads(body)
    except (ValueError, RecursionError):
        raise FormatError("accepted: a JSON array of readings") from None
    if isinstance(said, dict) and isinstance(said.get("readings"), list):
        said = said["readings"]
    if not isinstance(said, list):
        raise FormatError("accepted: a JSON array of readings")
    if len(said) > MOST_READINGS:
        raise TooMany
    return said


def take_posted(engine: Engine, actor: Actor, device: Device, rows: Sequence[Any], now: datetime) -> Posted:
    """Keep what a device posted. Its readings lie at its own place and bear its name unless they say otherwise; another device's
    name is set aside. Raises Refusal where the garden is busy for too long."""
    zone = zone_of(actor.ref.garden.timezone)
    collector = readings.collector_for(engine, actor, now)
    collector.label = str
    aside: list[SetAside] = []
    own = (f"{device.thing}-", f"{device.thing}.")
    moved = device.shift_s != 0.0
    for i, row in enumerate(rows):
        if not isinstance(row, Mapping):
            aside.append(SetAside(i, "", "is no reading; accepted: an object with at, quantity, value and unit"))
            continue
        get = row.get
        source = get("source") or device.thing
        if source != device.thing and not (isinstance(source, str) and source.startswith(own)):
            aside.append(SetAside(i, "source", f"is not this device's; accepted: {device.thing}, or {device.thing}- and more"))
            continue
        at = _moved(get("at"), device.shift_s, zone)[0] if moved else get("at")
        place = get("place") or device.place
        value = get("value")
        value = _number(value) if isinstance(value, str) else value
        spot = (get("x_mm"), get("y_mm"), get("z_mm"), get("under"), get("estimated"))
        group = collector.group((place, get("quantity"), get("unit"), source, *spot))
        group.at.append(at)
        group.value.append(value)
        group.where.append(i)
    taken = collector.close()
    ahead_s = collector.newest_s - now.timestamp() if collector.newest_s is not None else None

    def keep(w: WriteContext) -> Posted:
        outcome = readings.take(w, taken)
        rejected = sorted([*aside, *_set_aside(outcome.rejected, rows, device, zone)], key=lambda x: x.index or 0)
        done = Posted(outcome.accepted, outcome.repeated, rejected, ahead_s)
        # In the same transaction: what a device is told is kept, and what the page says of it, come together.
        device_api.record_report(w.c, device.token_hash, _report(done, device.report), now)
        return done

    done = in_turn(engine, actor, now, keep)
    assert done is not None
    return done


def _report(done: Posted, before: Mapping[str, Any]) -> dict[str, Any]:
    """What a device's page says of its last bodies."""
    lags = list(before.get("lags") or [])[-device_api.BODIES_ALIKE :]
    if done.ahead_s is not None:
        lags.append(round(done.ahead_s, 1))
    first = done.set_aside[0].reason if done.set_aside else ""
    figures = {"n": done.accepted + done.repeated, "set_aside": len(done.set_aside), "lags": lags}
    return device_api.report_of({"why": first}, **figures)


def _moved(at: Any, shift_s: float, zone: ZoneInfo) -> tuple[Any, datetime | None]:
    """A time with its clock put right, and the moment it is; what is no time stays as it came, to be told."""
    try:
        instant = parse_instant(at, zone) + timedelta(seconds=shift_s)
    except (ValueError, OverflowError, TypeError):
        return at, None
    return (instant.isoformat() if shift_s else at), instant


def _number(value: Any) -> Any:
    """A value of a CSV as a number where it is one."""
    if not isinstance(value, str):
        return value
    try:
        return float(value.replace(",", "."))
    except ValueError:
        return value


def _set_aside(rejected: Sequence[Rejection], rows: Sequence[Any], device: Device, zone: ZoneInfo) -> list[SetAside]:
    """Rejections by the reading's place in the body. One that differs from what is kept says place and time alone: the body is
    gone through once for all of those."""
    by_moment: dict[str, int] = {}
    if any(not (r.where.isascii() and r.where.isdecimal()) for r in rejected):
        for i, row in enumerate(rows):
            _, instant = _moved(row.get("at"), device.shift_s, zone) if isinstance(row, Mapping) else (None, None)
            if instant is not None:
                where = f"{row.get('place') or device.place} {format_instant(instant.timestamp(), zone)}"
                by_moment.setdefault(where, i)
    out = []
    for r in rejected:
        index = int(r.where) if r.where.isascii() and r.where.isdecimal() else by_moment.get(r.where)
        told = r.reason if index is not None else f"{r.where} {r.reason}"
        out.append(SetAside(index, r.field, f"{r.value} {told}".strip()))
    return out
