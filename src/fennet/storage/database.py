"""The connection to PostgreSQL, and its migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, cast

import psycopg
from psycopg import Cursor
from pydantic_core import from_json
from sqlalchemy import Connection, Engine, text
from sqlalchemy.exc import DBAPIError
from sqlmodel import create_engine

MIGRATIONS = Path(__file__).with_name("migrations")
#: One number for the advisory lock under which two starting servers migrate one after the other.
MIGRATION_LOCK = 7_300_001


def connect(url: str, pool_size: int = 8) -> Engine:
    """An engine for a postgresql:// URL; a pool that survives a restart of the server."""
    for scheme in ("postgresql://", "postgres://"):
        if url.startswith(scheme):
            url = "postgresql+psycopg://" + url.removeprefix(scheme)
    return create_engine(
        url,
        pool_size=pool_size,
        max_overflow=4,
        pool_pre_ping=True,
        json_deserializer=from_json,
        connect_args={"connect_timeout": 5, "options": "-c timezone=UTC"},
    )


@contextmanager
def driver(c: Connection, binary: bool = False) -> Iterator[Cursor[Any]]:
    """The driver's own cursor, for what the library above it cannot do; its errors are those of every other statement."""
    try:
        # Through the pool's own proxy it is known by no more than what all drivers share.
        with cast(psycopg.Connection, c.connection.driver_connection).cursor(binary=binary) as cursor:
            yield cursor
    except psycopg.Error as e:
        gone = c.connection.closed or isinstance(e, psycopg.OperationalError)
        raise DBAPIError.instance(None, None, e, psycopg.Error, connection_invalidated=gone) from e


def migrate(engine: Engine) -> None:
    """Bring the database to the newest tables. Safe when two processes do it at once."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    # Alembic's file options read % as interpolation.
    config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
    with engine.begin() as connection:
        connection.execute(text("select pg_advisory_xact_lock(:n)"), {"n": MIGRATION_LOCK})
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
