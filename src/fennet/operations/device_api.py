"""Devices: a token that belongs to one mat or one lamp, and what its device last said of itself."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, delete, insert, select, update

from fennet.core.kinds import is_id
from fennet.operations.acting import Refusal, Secret, WriteContext, for_owners
from fennet.operations.readings import BY_HAND
from fennet.operations.tokens import hashed
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MOST_TOKENS = 20


#: A weather station drives nothing: it tells; a reader brings what its probes read.
STATION, READER = "station", "reader"
#: A clock is put right by no more than this, seconds.
MOST_SHIFT_S = 400 * 86_400.0
#: What each kind of device drives, and the table it stands in.
DRIVES: dict[str, tuple[str, Any]] = {"thermostat": ("mat", t.MatRow), "timer": ("lamp", t.LampRow)}


@for_owners
def issue_token(w: WriteContext, kind: str, thing: str, place: str | None = None) -> Secret:
    """A new token for the device that drives a mat or a lamp, for a weather station, or for a reader that lies at `place`
    (`thing` its name); shown once, kept hashed. Raises Refusal."""
    table = table_of(t.DeviceRow)
    token = secrets.token_urlsafe(24)
    if kind == READER:
        _check_reader(w, thing, place)
    elif kind != STATION:
        name, row = DRIVES[kind]
        things = table_of(row)
        if not w.c.execute(select(things.c.id).where(things.c.garden_id == w.garden_id, things.c.id == thing)).first():
            raise Refusal(f"There is no {name} {thing} in this garden.", name, thing)
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
    if name == BY_HAND or any(_within(name, other) or _within(other, name) for other in known_names if other != name):
        # A device may name probes that begin with its own name: no other one may stand among them.
        raise Refusal(f"{name} would be taken for readings of somebody else. Choose another name.", "name", name)
    if name in known_names:
        raise Refusal(f"A device called {name} has a token already. Revoke it first, or choose another name.", "name", name)


def _within(name: str, device: str) -> bool:
    """Whether readings called so would be a device's own probes."""
    return name.startswith((f"{device}-", f"{device}."))


@for_owners
def put_clock_right(w: WriteContext, token_hash: str, ahead_s: float) -> None:
    """From now on a reader's times are moved back by what its clock was ahead, on the grower's word; 0 takes it as it is."""
    if not abs(ahead_s) <= MOST_SHIFT_S:
        raise Refusal("That clock is too far off to be put right here. Set it on the device.")
    table = table_of(t.DeviceRow)
    mine = (table.c.garden_id == w.garden_id, table.c.token_hash == token_hash, table.c.kind == READER)
    w.c.execute(update(table).where(*mine).values(shift_s=-ahead_s))


@for_owners
def revoke_token(w: WriteContext, token_hash: str) -> None:
    """Take a token back: its device hears nothing from now on, and goes off by itself."""
    table = table_of(t.DeviceRow)
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.token_hash == token_hash))


def record_report(engine: Engine, token_hash: str, report: Mapping[str, Any], now: datetime) -> None:
    """Keep what a device last said of itself; it is no reading and no deed, so no page is made anew for it."""
    table = table_of(t.DeviceRow)
    with engine.begin() as c:
        c.execute(update(table).where(table.c.token_hash == token_hash).values(last_at=now, report=dict(report)))
