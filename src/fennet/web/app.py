"""The application factory: what every request goes through."""

from __future__ import annotations

import gc
from contextlib import suppress
from typing import Any

from flask import Flask, Response, g, redirect, render_template, request, url_for
from flask_login import AnonymousUserMixin
from flask_wtf.csrf import CSRFError, CSRFProtect
from sqlalchemy.exc import DBAPIError, PendingRollbackError
from sqlalchemy.exc import TimeoutError as NoConnectionError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from fennet.operations.acting import Refusal
from fennet.presentation.glossary import MEANINGS
from fennet.storage.database import connect
from fennet.web import (
    auth,
    begin,
    book,
    care,
    compare,
    crops,
    device_api,
    devices,
    faults,
    find,
    garden,
    harden,
    imports,
    keeping,
    learned,
    limits,
    log,
    mend,
    parts,
    people,
    photos,
    plan,
    practice,
    readings,
    record,
    request_context,
    room,
    season,
    seeds,
    shelf,
    sow,
    story,
    today,
    towel,
    tray,
    trays,
    trials,
    tune,
    why,
)
from fennet.web.addresses import addresses
from fennet.web.forms import sending
from fennet.web.proxies import TrustedProxies, networks
from fennet.web.settings import MEGABYTE, Settings
from fennet.web.shelf import handlers as shelf_of

CONTENT_SECURITY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self'; script-src 'self'; object-src 'none'; base-uri 'none'; "
    "form-action 'self'; frame-ancestors 'none'"
)


def settle() -> None:
    """What is there once the app is made stays for as long as the process does: it is not looked through for what can go, and
    what comes and goes with a request is looked through less often."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


def create_app(settings: Settings) -> Flask:
    """An application on one database. Nothing is read from the environment here."""
    app = Flask(__name__)
    app.config.update(
        SECRET_KEY=settings.secret,
        SESSION_COOKIE_NAME=f"fennet-{settings.instance}{'-demo' if settings.demo else ''}",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=settings.secure_cookies,
        PERMANENT_SESSION_LIFETIME=60 * 60 * 24 * 60,
        MAX_CONTENT_LENGTH=settings.largest_upload,
        MAX_FORM_MEMORY_SIZE=2 * MEGABYTE,
        WTF_CSRF_TIME_LIMIT=None,
        # The referrer check needs HTTPS end to end; the token and the same-site cookie do the work behind a proxy too.
        WTF_CSRF_SSL_STRICT=False,
    )
    # An address typed with a stroke at its end means the same page.
    app.url_map.strict_slashes = False
    app.extensions["fennet_settings"] = settings
    app.extensions["fennet_engine"] = connect(settings.database_url)
    app.extensions["fennet_snapshots"] = record.Snapshots()
    # Macros are imported without a page's context; a fresh key for each form is not of one page.
    app.jinja_env.globals["sending"] = sending
    app.jinja_env.globals["meanings"] = MEANINGS
    app.jinja_env.globals["may"] = request_context.may
    app.jinja_env.globals["url_for"] = addresses()
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    if settings.proxies:
        trusted = networks(settings.proxy_addresses)
        app.wsgi_app = TrustedProxies(app.wsgi_app, settings.proxies, trusted)  # type: ignore[method-assign]
    csrf = CSRFProtect(app)
    # A device has no session and no form: its token in a header is what it is let in by.
    csrf.exempt(device_api.blueprint)
    limits.init_app(app, app.extensions["fennet_engine"])
    auth.init_app(app)
    for view in (
        auth,
        garden,
        today,
        log,
        trays,
        tray,
        why,
        tune,
        towel,
        care,
        sow,
        plan,
        seeds,
        book,
        room,
        practice,
        photos,
        crops,
        device_api,
        mend,
        harden,
        begin,
        find,
        people,
        keeping,
        shelf,
        devices,
        readings,
        imports,
        compare,
        learned,
        season,
        story,
        trials,
    ):
        app.register_blueprint(view.blueprint)
    app.before_request(parts.begin)
    app.after_request(_headers)
    app.teardown_appcontext(request_context.end_reading)
    app.context_processor(_common)
    app.add_url_rule("/", "home", _home)
    app.add_url_rule("/healthy", "healthy", lambda: ("ok", 200, {"Content-Type": "text/plain"}))
    _errors(app)
    return app


def _home() -> Any:
    """The first garden's day, or the way in."""
    known = request_context.my_gardens()
    return redirect(url_for("today.today", slug=known[0].slug) if known else url_for("garden.none"))


#: Views by what a grower would ask, on the desk and at the thumb.
VIEWS = [
    ("today.today", "Today"),
    ("trays.index", "Trays"),
    ("why.index", "Why"),
    ("tune.mats", "Tune"),
    ("sow.sow", "Sow"),
    ("plan.plan", "Plan"),
    ("harden.harden", "Harden"),
    ("book.book", "Book"),
]
THUMB_VIEWS = [("today.today", "Today"), ("trays.index", "Trays"), ("log.log", "Log"), ("plan.plan", "Plan")]
#: What is wanted less often: under the person's name on the desk.
MENU_VIEWS = [
    ("seeds.index", "Seed box"),
    ("towel.towels", "Towels"),
    ("season.season", "Look back"),
    ("trials.index", "Trials"),
    ("tune.score", "Track record"),
    ("room.room", "Set up the room"),
    ("practice.practice", "Practice"),
    ("crops.index", "Crops"),
    ("readings.index", "Readings"),
    ("compare.compare", "Compare"),
    ("learned.learned", "Learned here"),
    ("devices.devices", "Devices"),
    ("people.people", "People"),
    ("find.find", "Find"),
    ("find.help", "Words and keys"),
]
#: And behind "More" at the thumb: all that has no place in the bar.
MORE_VIEWS = [*(v for v in VIEWS if v not in THUMB_VIEWS), *MENU_VIEWS]


def _common() -> dict[str, Any]:
    return {
        "ctx": request_context,
        "settings": request_context.settings(),
        "views": _open_to_me(VIEWS),
        "thumb_views": _open_to_me(THUMB_VIEWS),
        "menu_views": _open_to_me(MENU_VIEWS),
        "more_views": _open_to_me(MORE_VIEWS),
        "missing": parts.told,
        "record_faults": record.faults,
        "backup_trouble": keeping.backup_trouble,
        "nothing_grows": lambda: not record.journal().batches,
        "shelf_whose": shelf_of.whose,
        "shelf_person": shelf_of.person,
        "theme": request.cookies.get("theme", "auto"),
    }


def _open_to_me(views: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """The views that whoever reads this may open."""
    return [v for v in views if request_context.may(v[0])]


def _headers(response: Response) -> Response:
    response.headers.setdefault("Content-Security-Policy", CONTENT_SECURITY)
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Permissions-Policy"] = "camera=(), microphone=(), geolocation=()"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    if request_context.settings().secure_cookies:
        response.headers["Strict-Transport-Security"] = "max-age=31536000"
    if response.mimetype == "text/html":
        response.headers["Cache-Control"] = "no-store"
    elif request.endpoint == "static":
        response.headers["Cache-Control"] = "public, max-age=3600"
    return response


def _errors(app: Flask) -> None:
    def page(code: int, title: str, words: str) -> tuple[str, int]:
        return render_template("error.html", title=title, words=words), code

    @app.errorhandler(RequestEntityTooLarge)
    def too_large(_: RequestEntityTooLarge) -> tuple[str, int]:
        most = request_context.settings().largest_upload // MEGABYTE
        given = f"It has {request.content_length / MEGABYTE:.0f} MB; " if request.content_length else ""
        return page(
            413,
            "That file is too large",
            f"{given}up to {most} MB can be sent here. Import a larger record with ./fennet import.",
        )

    @app.errorhandler(CSRFError)
    def stale(_: CSRFError) -> tuple[str, int]:
        title, words = "That form was too old", "Go back, load the page again and send it once more. Nothing was changed."
        # One that waited in a browser goes on waiting, for a page with a fresh token.
        return page(409 if request.headers.get("X-Requested-With") == "waiting" else 400, title, words)

    @app.errorhandler(DBAPIError)
    @app.errorhandler(NoConnectionError)
    @app.errorhandler(PendingRollbackError)
    def database(error: DBAPIError | NoConnectionError | PendingRollbackError) -> tuple[str, int]:
        code, title, words = faults.told(error, is_change=request.method not in ("GET", "HEAD"))
        app.logger.error("database, %s: %s", request.endpoint, getattr(error, "orig", None) or error)
        # The page that says so must not ask the database who is reading.
        g._login_user = AnonymousUserMixin()
        g.pop("garden", None)
        with suppress(DBAPIError):
            request_context.end_reading()
        return page(code, title, words)

    @app.errorhandler(Refusal)
    def refused(error: Refusal) -> tuple[str, int]:
        return page(400, "That cannot be done", error.reason)

    @app.errorhandler(HTTPException)
    def plain(error: HTTPException) -> Any:
        words = {
            404: ("Page not found", "There is no page at this address, or it belongs to a garden that is not yours."),
            403: ("You cannot do this here", "You may look at this garden but not do this in it. An owner can let you do more."),
            405: ("That page cannot be opened directly", "Go back and use the form there."),
            429: ("Too many tries", "Wait a minute and try again."),
        }.get(error.code or 500)
        if error.code is None or error.code < 400:
            return error
        return page(error.code, *(words or ("That did not work", error.description or "")))

    @app.errorhandler(Exception)
    def broken(error: Exception) -> tuple[str, int]:
        app.logger.exception("unexpected: %s", error)
        return page(500, "Something went wrong", "It was written to the server's log. What you had saved before is safe.")
