"""How often a door may be knocked at. Counted in the database, so that all server processes agree; only what fails counts, so
nobody is kept out by coming in."""

from __future__ import annotations

from flask import Flask, Response, request
from flask_limiter import Limiter
from flask_limiter.util import get_remote_address
from sqlalchemy import Engine

from fennet.storage.knocks import KnockStorage

#: While the database is away each process counts for itself; a page that says so must not fail over the count.
limiter = Limiter(get_remote_address, in_memory_fallback_enabled=True, swallow_errors=True)
#: By address; and by the name that is tried, whatever addresses the tries seem to come from.
SIGN_IN, SIGN_IN_NAME = "8 per minute; 60 per hour", "20 per minute; 100 per hour"
#: Codes of the second step, by person; a code has a million values.
SECOND_STEP = "5 per minute; 30 per hour"
#: Tokens and secret addresses that open nothing, by address.
GUESSES = "20 per minute; 200 per hour"
#: Bodies of readings, by device.
POSTS = "240 per minute"


def init_app(app: Flask, engine: Engine) -> None:
    app.config["RATELIMIT_STORAGE_URI"] = f"{KnockStorage.STORAGE_SCHEME[0]}://"
    app.config["RATELIMIT_STORAGE_OPTIONS"] = {"engine": engine}
    limiter.init_app(app)


def by_name() -> str:
    """The name that is tried, as one counts."""
    return f"name {request.form.get('name', '')[:100].strip().lower()}"


def failed(response: Response) -> bool:
    return 400 <= response.status_code < 500


def refused_token(response: Response) -> bool:
    return response.status_code == 401
