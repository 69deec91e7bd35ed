"""Reading what is kept of gardens' brokers and their topics."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, select

from fennet.storage import tables as t
from fennet.storage.mapping import table_of


@dataclass(frozen=True)
class Broker:
    """Where a garden's broker is and how it is opened; what is listened to until when; how the connection stands."""

    garden_id: int
    host: str
    port: int
    tls: bool
    ca: str | None
    username: str | None
    password: str | None = field(repr=False)
    listens: str
    listen_until: datetime | None
    heard_at: datetime | None
    state: str
    trouble: str


@dataclass(frozen=True)
class Topic:
    """A topic that was heard or mapped: what its last message held, how it is read, and what was wrong with it last."""

    topic: str
    leaves: Mapping[str, Any]
    heard_at: datetime | None
    retained: bool
    n: int
    kept: int
    trouble: str
    time_path: str | None
    uses: list[Any] | None


def brokers(c: Connection, garden_id: int | None = None) -> list[Broker]:
    """The brokers of all gardens, or of one."""
    b = table_of(t.BrokerRow)
    asked = select(b) if garden_id is None else select(b).where(b.c.garden_id == garden_id)
    return [Broker(**r) for r in c.execute(asked.order_by(b.c.garden_id)).mappings()]


def topics(c: Connection, garden_id: int, mapped: bool | None = None) -> list[Topic]:
    """A garden's topics by name: all, those that are mapped, or those that are not."""
    x = table_of(t.BrokerTopicRow)
    asked = select(x).where(x.c.garden_id == garden_id).order_by(x.c.topic)
    if mapped is not None:
        asked = asked.where(x.c.uses.is_not(None) if mapped else x.c.uses.is_(None))
    rows = c.execute(asked).mappings()
    return [Topic(**{k: v for k, v in r.items() if k != "garden_id"} | {"leaves": r["leaves"] or {}}) for r in rows]
