"""Devices: a token that belongs to one mat or one lamp, and what its device last said of itself."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, delete, insert, select, update

from fennet.operations.acting import Refusal, Secret, WriteContext, for_owners
from fennet.operations.tokens import hashed
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MOST_TOKENS = 20


#: A weather station drives nothing: it tells.
STATION = "station"
#: What each kind of device drives, and the table it stands in.
DRIVES: dict[str, tuple[str, Any]] = {"thermostat": ("mat", t.MatRow), "timer": ("lamp", t.LampRow)}


@for_owners
def issue_token(w: WriteContext, kind: str, thing: str) -> Secret:
    """A new token for the device that drives a mat or a lamp, or for a weather station (`thing` its name); shown once, kept
    hashed. Raises Refusal."""
    table = table_of(t.DeviceRow)
    token = secrets.token_urlsafe(24)
    if kind != STATION:
        name, row = DRIVES[kind]
        things = table_of(row)
        if not w.c.execute(select(things.c.id).where(things.c.garden_id == w.garden_id, things.c.id == thing)).first():
            raise Refusal(f"There is no {name} {thing} in this garden.", name, thing)
    there = w.c.execute(select(table.c.token_hash).where(table.c.garden_id == w.garden_id)).all()
    if len(there) >= MOST_TOKENS:
        raise Refusal(f"Up to {MOST_TOKENS} tokens are in use; revoke some first.")
    values = {"token_hash": hashed(token), "garden_id": w.garden_id, "kind": kind, "thing": thing, "made_at": w.now}
    w.c.execute(insert(table).values(**values, by=w.actor.name))
    return Secret(token)


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
