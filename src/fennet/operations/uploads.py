"""Files between their preview and their saving: kept in the database, so that any server process finds them."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime, timedelta

from sqlalchemy import Engine, delete, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert

from fennet.journal.readings_csv import Mapping
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


def keep_mapping(engine: Engine, actor: Actor, name: str, mapping: Mapping) -> None:
    """Keep how a logger's file is read, by name; the place belongs to the tray it is read for, not to the logger."""
    m = table_of(t.LoggerMappingRow)
    body = {k: v for k, v in asdict(mapping).items() if k != "place" and v is not None}
    with writing(engine, actor) as c:
        kept = upsert(m).values(garden_id=actor.ref.id, name=name[:80], body=body)
        c.execute(kept.on_conflict_do_update(index_elements=["garden_id", "name"], set_={"body": body}))
