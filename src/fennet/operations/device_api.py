"""Devices: a token that belongs to one mat or one lamp, what its device last said of itself, and what it is told to do.

What a thermostat and a timer are told is worked out here, whichever door they came by: the web's or the broker's.
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, insert, select, text, update

from fennet.core.bounds import is_plain_text
from fennet.core.kinds import is_id
from fennet.core.light import hours_of
from fennet.core.room import RoomState
from fennet.core.targets import LONGEST_DAY_H
from fennet.core.tuning.guards import HOLD_S, TIMER_HOLD_S, may_heat
from fennet.journal.times import zone_of
from fennet.operations.acting import Refusal, Secret, WriteContext, for_owners
from fennet.operations.readings import BY_HAND
from fennet.operations.tokens import hashed
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MOST_TOKENS = 20
#: Readings of topics bear names that begin so.
BROKERS = "mqtt"

#: A weather station drives nothing: it tells; a reader brings what its probes read.
STATION, READER = "station", "reader"
THERMOSTAT, TIMER = "thermostat", "timer"
#: Beyond this, either way, a figure is no temperature of a tray, °C.
MOST_C = 200.0
#: A clock is put right by no more than this, seconds.
MOST_SHIFT_S = 400 * 86_400.0
#: A clock that runs ahead by more than this is told, seconds; one that runs behind, where so many bodies in turn came so late and
#: alike: what was held back is late by a little less each time.
AHEAD_S, BEHIND_S, ALIKE_S, BODIES_ALIKE = 300.0, 900.0, 90.0, 4
#: What each kind of device drives, and the table it stands in.
DRIVES: dict[str, tuple[str, Any]] = {THERMOSTAT: ("mat", t.MatRow), TIMER: ("lamp", t.LampRow)}


@for_owners
def issue_token(w: WriteContext, kind: str, thing: str, place: str | None = None) -> Secret:
    """A new token for the device that drives a mat or a lamp, for a weather station, or for a reader that lies at `place`
    (`thing` its name); shown once, kept hashed. Raises Refusal."""
    table = table_of(t.DeviceRow)
    token = secrets.token_urlsafe(24)
    if kind == READER:
        _check_reader(w, thing, place)
    elif kind != STATION:
        check_driven(w, kind, thing)
    there = w.c.execute(select(table.c.token_hash).where(table.c.garden_id == w.garden_id)).all()
    if len(there) >= MOST_TOKENS:
        raise Refusal(f"Up to {MOST_TOKENS} tokens are in use; revoke some first.")
    values = {"token_hash": hashed(token), "garden_id": w.garden_id, "kind": kind, "thing": thing, "made_at": w.now}
    w.c.execute(insert(table).values(**values, by=w.actor.name, place=place))
    return Secret(token)


def _check_reader(w: WriteContext, name: str, place: str | None) -> None:
    if not is_id(name):
        raise Refusal("A device's name is 1 to 64 letters, digits, dots, dashes or underscores, without spaces.", "name", name)
    known = queries.things(w.c, w.garden_id)
    if place is not None and place not in known:
        raise Refusal(f"There is no {place} in this garden.", "place", place)
    known_names = [d.thing for d in queries.devices(w.c, w.garden_id, READER)]
    others = [BROKERS, *(other for other in known_names if other != name)]
    if name in (BY_HAND, BROKERS) or any(_within(name, other) or _within(other, name) for other in others):
        # A device may name probes that begin with its own name: no other one may stand among them.
        raise Refusal(f"{name} would be taken for readings of somebody else. Choose another name.", "name", name)
    if name in known_names:
        raise Refusal(f"A device called {name} has a token already. Revoke it first, or choose another name.", "name", name)


def check_driven(w: WriteContext, kind: str, thing: str) -> None:
    """Raises Refusal where there is no such mat or lamp for a thermostat or timer to drive."""
    name, row = DRIVES[kind]
    things = table_of(row)
    if not w.c.execute(select(things.c.id).where(things.c.garden_id == w.garden_id, things.c.id == thing)).first():
        raise Refusal(f"There is no {name} {thing} in this garden.", name, thing)


def _within(name: str, device: str) -> bool:
    """Whether readings called so would be a device's own probes."""
    return name.startswith((f"{device}-", f"{device}."))


def clock_off_s(report: Mapping[str, Any]) -> float | None:
    """By how much a device's clock is off, seconds ahead, by what its last bodies showed; None where nothing says so.

    >>> clock_off_s({"lags": [3700.0]}), clock_off_s({"lags": [-3600.0, -3612.0, -3595.0, -3603.0]})
    (3700.0, -3603.0)
    >>> clock_off_s({"lags": [-4000.0, -3100.0, -2200.0, -1300.0]}), clock_off_s({})
    (None, None)
    """
    lags = [float(x) for x in report.get("lags") or [] if isinstance(x, int | float)]
    if lags and lags[-1] > AHEAD_S:
        return lags[-1]
    last = lags[-BODIES_ALIKE:]
    alike = len(last) == BODIES_ALIKE and max(last) - min(last) <= ALIKE_S
    return lags[-1] if alike and max(last) < -BEHIND_S else None


@for_owners
def put_clock_right(w: WriteContext, token_hash: str) -> None:
    """From now on a reader's times are moved by what its clock was off, on the grower's word. Raises Refusal where nothing says
    that it is off any more: pressed twice, it is moved once."""
    table = table_of(t.DeviceRow)
    mine = (table.c.garden_id == w.garden_id, table.c.token_hash == token_hash, table.c.kind == READER)
    device = w.c.execute(select(table.c.report, table.c.shift_s).where(*mine)).first()
    off_s = clock_off_s(device.report or {}) if device is not None else None
    if device is None or off_s is None:
        raise Refusal("Nothing says any more that its clock is off; load the page again.")
    shift_s = device.shift_s - off_s
    if abs(shift_s) > MOST_SHIFT_S:
        raise Refusal("That clock is too far off to be put right here. Set it on the device.")
    # What its last bodies showed was by the clock as it was.
    report = {k: v for k, v in device.report.items() if k != "lags"}
    w.c.execute(update(table).where(*mine).values(shift_s=shift_s, report=report))


@for_owners
def revoke_token(w: WriteContext, token_hash: str) -> None:
    """Take a token back: its device hears nothing from now on, and goes off by itself."""
    table = table_of(t.DeviceRow)
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.token_hash == token_hash))


#: As text: a device that sends every minute pays for it.
_REPORT = text("update device set last_at = :at, report = cast(:report as jsonb) where token_hash = :token")


def record_report(c: Connection, token_hash: str, report: Mapping[str, Any], now: datetime) -> None:
    """Keep what a device last said of itself; it is no reading and no deed, so no page is made anew for it."""
    c.execute(_REPORT, {"at": now, "report": json.dumps(report), "token": token_hash})


@dataclass(frozen=True)
class DeviceAnswer:
    """What a thermostat or timer is told, and what it said of itself, fit to be kept and shown."""

    answer: dict[str, Any]
    report: dict[str, Any]


def report_of(said: Mapping[str, Any], **read: Any) -> dict[str, Any]:
    """What a device says of itself: its reason in plain letters, whatever else it sent left out."""
    why = "".join(c for c in str(said.get("why") or "")[:80] if is_plain_text(c))
    return {**read, "why": why, "simulated": said.get("simulated") is True}


def answer_thermostat(room: RoomState, mat: str, said: Mapping[str, Any]) -> DeviceAnswer:
    """What a mat's thermostat is to hold now and for how long; without another answer by then it goes off."""
    probe = said.get("probe_c")
    # A figure that no probe can show is none: it may be of any size, or no number at all.
    probe_c = None
    if isinstance(probe, int | float) and not isinstance(probe, bool) and abs(probe) <= MOST_C:
        probe_c = float(probe)
    state = room.mats.get(mat)
    setpoint_c = state.setpoint_c if state is not None else None
    heat, why = may_heat(setpoint_c, state is not None and state.on and bool(state.trays), probe_c)
    answer = {"mat": mat, "heat": heat, "setpoint_c": setpoint_c if heat else None, "hold_s": HOLD_S, "why": why}
    named = {"format": "fennet-thermostat", "version": 1, **answer}
    return DeviceAnswer(named, report_of(said, probe_c=probe_c, heating=said.get("heating") is True))


def answer_timer(room: RoomState, lamp: str, said: Mapping[str, Any], now: datetime, timezone: str) -> DeviceAnswer:
    """When a lamp is lit, by the garden's clock; without an answer in time its timer goes dark."""
    periods = room.lamps[lamp].periods if lamp in room.lamps else None
    too_long = periods is not None and hours_of(periods) > LONGEST_DAY_H
    local = now.astimezone(zone_of(timezone))
    lit_h = said.get("lit_h")
    known_h = float(lit_h) if isinstance(lit_h, int | float) and not isinstance(lit_h, bool) and 0 <= lit_h <= 24 else None
    why = "no hours were set" if periods is None else "over eighteen hours a day" if too_long else ""
    answer = {
        "format": "fennet-timer", "version": 1, "lamp": lamp, "periods": [] if too_long else list(periods or ()),
        "minute": local.hour * 60 + local.minute, "hold_s": TIMER_HOLD_S, "why": why,
    }  # fmt: skip
    return DeviceAnswer(answer, report_of(said, lit=said.get("lit") is True, lit_h=known_h))
