"""The door for a thermostat: a token that belongs to one mat, what it may heat to, and what it last said of itself."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, delete, insert, select, update

from fennet.operations.acting import Actor, Refusal, writing
from fennet.operations.planning import hashed
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MOST_DOORS = 20


def open_door(engine: Engine, actor: Actor, mat: str, now: datetime) -> str:
    """A new token for a mat's thermostat; shown once, kept hashed. Raises Refusal."""
    table, mats = table_of(t.ThermostatRow), table_of(t.MatRow)
    token = secrets.token_urlsafe(24)
    with writing(engine, actor) as c:
        if not c.execute(select(mats.c.id).where(mats.c.garden_id == actor.ref.id, mats.c.id == mat)).first():
            raise Refusal(f"There is no mat {mat} in this garden.", "mat", mat)
        there = c.execute(select(table.c.token_hash).where(table.c.garden_id == actor.ref.id)).all()
        if len(there) >= MOST_DOORS:
            raise Refusal(f"Up to {MOST_DOORS} tokens are given out; take some back first.")
        c.execute(insert(table).values(token_hash=hashed(token), garden_id=actor.ref.id, mat=mat, made_at=now, by=actor.name))
    return token


def close_door(engine: Engine, actor: Actor, token_hash: str) -> None:
    """Take a token back: its thermostat hears nothing from now on, and goes off by itself."""
    table = table_of(t.ThermostatRow)
    with writing(engine, actor) as c:
        c.execute(delete(table).where(table.c.garden_id == actor.ref.id, table.c.token_hash == token_hash))


def heard(engine: Engine, token_hash: str, report: Mapping[str, Any], now: datetime) -> None:
    """Keep what a thermostat last said of itself; it is no reading and no deed, so no page is made anew for it."""
    table = table_of(t.ThermostatRow)
    with engine.begin() as c:
        c.execute(update(table).where(table.c.token_hash == token_hash).values(last_at=now, report=dict(report)))
