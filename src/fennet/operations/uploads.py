"""Files between their preview and their saving: kept in the database, so that any server process finds them."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import Engine, delete, insert, select

from fennet.operations.acting import Actor, writing
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

KEPT_FOR = timedelta(days=1)


def put(engine: Engine, actor: Actor, key: str, name: str, content: bytes, now: datetime) -> None:
    u = table_of(t.UploadRow)
    with writing(engine, actor) as c:
        c.execute(delete(u).where(u.c.at < now - KEPT_FOR))
        c.execute(insert(u).values(garden_id=actor.ref.id, key=key, name=name[:200], content=content, at=now))


def get(engine: Engine, actor: Actor, key: str) -> tuple[str, bytes] | None:
    u = table_of(t.UploadRow)
    with engine.connect() as c:
        row = c.execute(select(u.c.name, u.c.content).where(u.c.garden_id == actor.ref.id, u.c.key == key)).first()
    return (row[0], bytes(row[1])) if row else None


def drop(engine: Engine, actor: Actor, key: str) -> None:
    u = table_of(t.UploadRow)
    with writing(engine, actor) as c:
        c.execute(delete(u).where(u.c.garden_id == actor.ref.id, u.c.key == key))
