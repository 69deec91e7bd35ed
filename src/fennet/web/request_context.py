"""Who asks, for which garden, at what time, in which words: what handlers and templates share within one request."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import wraps
from typing import Any, cast

from flask import abort, current_app, g, request
from flask_login import current_user
from sqlalchemy import Connection, Engine

from fennet.journal.times import zone_of
from fennet.operations.acting import Actor
from fennet.presentation.formatter import Formatter
from fennet.storage import queries
from fennet.storage.queries import GardenRef
from fennet.web import roles
from fennet.web.settings import Settings


def settings() -> Settings:
    return cast(Settings, current_app.extensions["fennet_settings"])


def _engine() -> Engine:
    return cast(Engine, current_app.extensions["fennet_engine"])


def engine() -> Engine:
    """The engine, for what takes a connection of its own; the one that this request reads on is handed back first. A request
    holds one connection at a time, so that however many come at once, none waits for a second one that the others hold."""
    end_reading()
    return _engine()


def reading() -> Connection:
    """One connection for all that a request reads; handed back when the request ends. Writes take their own, in operations."""
    if "reading" not in g:
        # Each statement stands for itself: a transaction around them would hold nothing together and cost two ways to the server.
        g.reading = _engine().connect().execution_options(isolation_level="AUTOCOMMIT")
    return cast(Connection, g.reading)


def end_reading(_: BaseException | None = None) -> None:
    connection = g.pop("reading", None)
    if connection is not None:
        connection.close()


@contextmanager
def reading_through(connection: Connection) -> Iterator[None]:
    """Within a write all that the request reads is read on the write's own connection."""
    end_reading()
    g.reading, g.writing = connection, True
    try:
        yield
    finally:
        g.pop("reading", None)
        g.pop("writing", None)


def is_writing() -> bool:
    """Whether this request is inside a write that has not come to stand yet."""
    return bool(g.get("writing"))


def now() -> datetime:
    return settings().clock()


def my_gardens() -> list[GardenRef]:
    """The gardens of whoever is signed in."""
    if not current_user.is_authenticated:
        return []
    if "gardens" not in g:
        g.gardens = queries.gardens(reading(), current_user.id)
    return cast(list[GardenRef], g.gardens)


def garden() -> GardenRef:
    """The garden of this address."""
    return cast(GardenRef, g.garden)


def here() -> GardenRef | None:
    """The garden of this address, where there is one."""
    return cast("GardenRef | None", g.get("garden"))


def may(endpoint: str, sends: bool = False) -> bool:
    """Whether whoever reads this may open a page of this garden, or send a form to it."""
    ref = here()
    return ref is None or roles.may(ref.role, endpoint, sends)


def actor() -> Actor:
    return Actor(current_user.name, garden(), current_user.id)


def formatter() -> Formatter:
    """The words of this reader in this garden's zone."""
    if "formatter" not in g:
        zone = zone_of(garden().garden.timezone if here() else "UTC")
        g.formatter = (
            Formatter(
                zone, current_user.locale, current_user.temperature_unit, current_user.measures, now().astimezone(zone).date()
            )
            if current_user.is_authenticated
            else Formatter(zone, today=now().astimezone(zone).date())
        )
    return cast(Formatter, g.formatter)


def in_garden(handler: Callable[..., Any]) -> Callable[..., Any]:
    """A page of one garden: 404 for anybody who does not belong to it."""

    @wraps(handler)
    def guarded(slug: str, **kwargs: Any) -> Any:
        if not current_user.is_authenticated:
            return current_app.login_manager.unauthorized()  # type: ignore[attr-defined]
        ref = next((r for r in my_gardens() if r.slug == slug), None)
        if ref is None:
            abort(404)
        g.garden = ref
        if not roles.may(ref.role, request.endpoint or "", request.method not in ("GET", "HEAD")):
            abort(403)
        return handler(**kwargs)

    return guarded


def identity() -> int:
    """What an answer kept by this application is filed under: whose garden."""
    return garden().id
