"""Files between their preview and their saving: kept in the database, so that any server process finds them."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import Engine, delete, exists, func, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert

from fennet.journal.logger_csv import LoggerMapping
from fennet.operations.acting import Actor, WriteContext
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

#: Files between preview and saving: so long, and so many of a garden.
KEPT_FOR, MOST_KEPT = timedelta(days=1), 12


def put(w: WriteContext, key: str, name: str, content: bytes) -> None:
    u, j = table_of(t.UploadRow), table_of(t.ImportJobRow)
    waits = exists().where(j.c.garden_id == u.c.garden_id, j.c.key == u.c.key, j.c.state == "waiting")
    newer = u.alias("newer")
    later = select(func.count()).where(newer.c.garden_id == w.garden_id, newer.c.at >= u.c.at).scalar_subquery()
    too_many = (u.c.garden_id == w.garden_id) & (later >= MOST_KEPT)
    w.c.execute(delete(u).where((u.c.at < w.now - KEPT_FOR) | too_many, ~waits))
    w.c.execute(insert(u).values(garden_id=w.garden_id, key=key, name=name[:200], content=content, at=w.now))


def get(engine: Engine, actor: Actor, key: str) -> tuple[str, bytes] | None:
    u = table_of(t.UploadRow)
    with engine.connect() as c:
        row = c.execute(select(u.c.name, u.c.content).where(u.c.garden_id == actor.ref.id, u.c.key == key)).first()
    return (row[0], bytes(row[1])) if row else None


def drop(w: WriteContext, key: str) -> None:
    u = table_of(t.UploadRow)
    w.c.execute(delete(u).where(u.c.garden_id == w.garden_id, u.c.key == key))


def keep_mapping(w: WriteContext, name: str, mapping: LoggerMapping) -> None:
    """Keep how a logger's file is read, by name."""
    m = table_of(t.LoggerMappingRow)
    body = mapping.body()
    kept = upsert(m).values(garden_id=w.garden_id, name=name[:80], body=body)
    w.c.execute(kept.on_conflict_do_update(index_elements=["garden_id", "name"], set_={"body": body}))
