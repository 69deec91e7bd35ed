"""Handlers of the way in and out."""

from __future__ import annotations

from contextlib import suppress
from typing import Any
from urllib.parse import urlsplit
from zoneinfo import available_timezones

from flask import redirect, render_template, request, session, url_for
from flask_login import UserMixin, current_user, login_user, logout_user
from sqlalchemy.exc import DBAPIError

from fennet.core.bounds import is_plain_text
from fennet.core.records import Garden
from fennet.operations import people as operations
from fennet.operations.acting import Refusal
from fennet.operations.people import LEAST_PASSWORD, NOTED_EVERY, SESSION_KEPT, NewPerson
from fennet.operations.tokens import hashed
from fennet.presentation.formatter import LOCALES
from fennet.storage import people, queries
from fennet.web import request_context
from fennet.web.auth.forms import CodeForm, SignInForm, ThemeForm, WelcomeForm
from fennet.web.limits import SECOND_STEP, SIGN_IN, SIGN_IN_NAME, by_name, failed, limiter

#: Who gave the right password and still owes the code, with the time, for so many seconds.
HALF_IN, HALF_IN_S = "half_in", 300


class SignedIn(UserMixin):
    """A person for the length of a request, and the session they came by."""

    def __init__(self, person: people.Person, token: str) -> None:
        self.person, self.token = person, token
        self.id, self.name, self.temperature_unit, self.locale = person.id, person.name, person.temperature_unit, person.locale
        self.measures, self.shortcuts, self.keeper = person.measures, person.shortcuts, person.keeper

    def get_id(self) -> str:
        return self.token

    @property
    def session_hash(self) -> str:
        return hashed(self.token)


def load(token: str) -> SignedIn | None:
    """Who a session's token stands for; nobody once it was ended, whatever cookie still carries it."""
    now = request_context.now()
    found = people.signed_in(request_context.reading(), hashed(token), now - SESSION_KEPT)
    if found is None:
        return None
    person, last_at = found
    if now - last_at > NOTED_EVERY:
        # One that may only be read is read all the same.
        with suppress(DBAPIError):
            operations.note_use(request_context.reading(), hashed(token), now)
    return SignedIn(person, token)


def way_in() -> Any:
    with request_context.engine().connect() as c:
        known = people.has_people(c)
    if not known:
        return redirect(url_for("auth.welcome"))
    if request.headers.get("X-Requested-With") == "waiting":
        # An entry that waited in a browser must wait on: a page that asks to sign in is no sign that it was kept.
        return "Sign in first; the entry waits.", 401
    return redirect(url_for("auth.sign_in", next=request.full_path if request.method == "GET" else None))


def enter(person_id: int) -> None:
    """A new session at every sign-in: nothing of the old one stays."""
    leave()
    engine, now = request_context.engine(), request_context.now()
    token = operations.begin_session(engine, person_id, request.headers.get("User-Agent", ""), now)
    with engine.connect() as c:
        person = people.person(c, id=person_id)
    assert person is not None
    login_user(SignedIn(person, token), remember=False)
    session.permanent = True


def leave() -> None:
    """End this session, here and in the database."""
    if current_user.is_authenticated:
        operations.end_session(request_context.engine(), current_user.id, current_user.session_hash)
    logout_user()
    session.clear()


@limiter.limit(SIGN_IN, methods=["POST"], deduct_when=failed)
def welcome() -> Any:
    with request_context.engine().connect() as c:
        if people.has_people(c):
            return redirect(url_for("auth.sign_in"))
    form = WelcomeForm()
    form.timezone.choices = [(z, z) for z in sorted(z for z in available_timezones() if "/" in z or z == "UTC")]
    if form.validate_on_submit():
        try:
            new = Garden(name=form.garden.data.strip(), timezone=form.timezone.data)
            who = NewPerson(form.name.data, form.password.data, *as_the_browser())
            person_id = operations.first_owner(request_context.engine(), who, new, request_context.now())
        except Refusal as e:
            form.tell(e)
        else:
            enter(person_id)
            with request_context.engine().connect() as c:
                mine = queries.gardens(c, person_id=person_id)
            # One that is new is asked four things; one that came from elsewhere has them.
            fresh = len(mine) == 1 and mine[0].garden.name == new.name and mine[0].garden.latitude is None
            return redirect(url_for("begin.begin", slug=mine[0].slug) if fresh else url_for("home"))
    return render_template("auth/welcome.html", form=form, least=LEAST_PASSWORD), 400 if form.errors else 200


def as_the_browser() -> tuple[str, str, str]:
    """Degrees, the way of dates, and lengths as the browser's language has them."""
    wanted = request.accept_languages.best_match([name.replace("_", "-") for name in LOCALES], "en-GB").replace("-", "_")
    american = wanted == "en_US"
    return ("degF", wanted, "imperial") if american else ("degC", wanted, "metric")


@limiter.limit(SIGN_IN, methods=["POST"], deduct_when=failed)
@limiter.limit(SIGN_IN_NAME, key_func=by_name, methods=["POST"], deduct_when=failed)
def sign_in() -> Any:
    with request_context.engine().connect() as c:
        if not people.has_people(c):
            return redirect(url_for("auth.welcome"))
    form = SignInForm()
    if form.validate_on_submit():
        with request_context.engine().connect() as c:
            person = people.person(c, name=form.name.data.strip())
        if operations.is_password(person, form.password.data) and person is not None:
            onward = inside(request.args.get("next"))
            if person.totp_key is None:
                enter(person.id)
                return redirect(onward or url_for("home"))
            leave()
            session[HALF_IN] = [person.id, round(request_context.now().timestamp())]
            return redirect(url_for("auth.code", next=onward))
        form.tell(Refusal("That name and password do not match.", "password"))
    return render_template("auth/sign_in.html", form=form), 400 if form.errors else 200


def _half_in() -> int | None:
    """Who gave the right password a moment ago and has still to give the code."""
    person_id, at_s = session.get(HALF_IN) or (None, 0)
    return person_id if 0 <= request_context.now().timestamp() - at_s <= HALF_IN_S else None


@limiter.limit(SECOND_STEP, key_func=lambda: f"code {_half_in()}", methods=["POST"], deduct_when=failed)
def code() -> Any:
    """The second step: the code that shows on the person's phone, or one of those kept for a lost one."""
    person_id = _half_in()
    if person_id is None:
        return redirect(url_for("auth.sign_in"))
    form = CodeForm()
    if form.validate_on_submit():
        if operations.passes_second_step(request_context.engine(), person_id, form.code.data, request_context.now()):
            enter(person_id)
            return redirect(inside(request.args.get("next")) or url_for("home"))
        form.tell(Refusal("That code does not open. Take the one that shows now; each works once.", "code"))
    return render_template("auth/code.html", form=form), 400 if form.errors else 200


def inside(target: str | None) -> str | None:
    """An address of this site, or nothing."""
    try:
        parts = urlsplit(target or "")
    except ValueError:
        return None
    plain = target is not None and is_plain_text(target) and not set(target) & set("\\\r\n\t")
    return target if plain and target and target.startswith("/") and not target.startswith("//") and not parts.netloc else None


def sign_out() -> Any:
    leave()
    response = redirect(url_for("auth.sign_in"))
    # What this browser kept for the shelf without signal goes too.
    response.headers["Clear-Site-Data"] = '"cache"'
    return response


def theme() -> Any:
    """Day, night or as the device says; kept in a cookie so that it holds before sign-in too."""
    form = ThemeForm()
    chosen = form.theme.data
    response = redirect(inside(form.back.data) or url_for("home"))
    if chosen in ("day", "night", "auto"):
        response.set_cookie("theme", chosen, max_age=31_536_000, samesite="Lax", secure=request_context.settings().secure_cookies)
    return response
