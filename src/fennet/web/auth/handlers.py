"""Handlers of the way in."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit
from zoneinfo import available_timezones

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError
from flask import flash, redirect, render_template, request, session, url_for
from flask_login import UserMixin, current_user, login_required, login_user, logout_user

from fennet.core.bounds import is_plain_text
from fennet.core.records import Garden
from fennet.operations import gardens
from fennet.operations.acting import Refusal
from fennet.presentation.formatter import LOCALES
from fennet.storage import queries
from fennet.web import query, request_context
from fennet.web.auth.forms import MeForm, SignInForm, ThemeForm, WelcomeForm
from fennet.web.limits import SIGN_IN, limiter

hasher = PasswordHasher()
#: Checked when the name is unknown, so that an unknown name takes as long as a wrong password.
NOBODY = hasher.hash("nobody signs in with this")


class SignedIn(UserMixin):
    """A person for the length of a request."""

    def __init__(self, person: queries.Person) -> None:
        self.id, self.name, self.temperature_unit, self.locale = person.id, person.name, person.temperature_unit, person.locale
        self.session_mark, self.measures, self.shortcuts = person.session_mark, person.measures, person.shortcuts

    def get_id(self) -> str:
        return f"{self.id}:{self.session_mark}"


def load(session_id: str) -> SignedIn | None:
    number, _, mark = session_id.partition(":")
    found = query.position(number)
    if found is None:
        return None
    person = queries.person(request_context.reading(), id=found)
    return SignedIn(person) if person and person.session_mark == mark else None


def way_in() -> Any:
    with request_context.engine().connect() as c:
        known = queries.has_people(c)
    if not known:
        return redirect(url_for("auth.welcome"))
    if request.headers.get("X-Requested-With") == "waiting":
        # An entry that waited in a browser must wait on: a page that asks to sign in is no sign that it was kept.
        return "Sign in first; the entry waits.", 401
    return redirect(url_for("auth.sign_in", next=request.full_path if request.method == "GET" else None))


def _enter(person_id: int) -> None:
    """A new session at every sign-in: nothing of the old one stays."""
    session.clear()
    with request_context.engine().connect() as c:
        person = queries.person(c, id=person_id)
    assert person is not None
    login_user(SignedIn(person), remember=False)
    session.permanent = True


@limiter.limit(SIGN_IN, methods=["POST"])
def welcome() -> Any:
    with request_context.engine().connect() as c:
        if queries.has_people(c):
            return redirect(url_for("auth.sign_in"))
    form = WelcomeForm()
    form.timezone.choices = [(z, z) for z in sorted(z for z in available_timezones() if "/" in z or z == "UTC")]
    if form.validate_on_submit():
        try:
            new = Garden(name=form.garden.data.strip(), timezone=form.timezone.data)
            person_id = gardens.first_owner(
                request_context.engine(),
                form.name.data,
                form.password.data,
                hasher.hash(form.password.data),
                new,
                request_context.now(),
                *_as_the_browser(),
            )
        except Refusal as e:
            form.tell(e)
        else:
            _enter(person_id)
            with request_context.engine().connect() as c:
                mine = queries.gardens(c, person_id=person_id)
            # One that is new is asked four things; one that came from elsewhere has them.
            fresh = len(mine) == 1 and mine[0].garden.name == new.name and mine[0].garden.latitude is None
            return redirect(url_for("begin.begin", slug=mine[0].slug) if fresh else url_for("home"))
    return render_template("auth/welcome.html", form=form, least=gardens.LEAST_PASSWORD), 400 if form.errors else 200


def _as_the_browser() -> tuple[str, str, str]:
    """Degrees, the way of dates, and lengths as the browser's language has them."""
    wanted = request.accept_languages.best_match([name.replace("_", "-") for name in LOCALES], "en-GB").replace("-", "_")
    american = wanted == "en_US"
    return ("degF", wanted, "imperial") if american else ("degC", wanted, "metric")


@limiter.limit(SIGN_IN, methods=["POST"])
def sign_in() -> Any:
    with request_context.engine().connect() as c:
        if not queries.has_people(c):
            return redirect(url_for("auth.welcome"))
    form = SignInForm()
    if form.validate_on_submit():
        with request_context.engine().connect() as c:
            person = queries.person(c, name=form.name.data.strip())
        try:
            hasher.verify(person.password_hash if person else NOBODY, form.password.data)
            right = person is not None
        except (Argon2Error, InvalidHashError):
            right = False
        if right and person:
            _enter(person.id)
            return redirect(inside(request.args.get("next")) or url_for("home"))
        form.tell(Refusal("That name and password do not match.", "password"))
    return render_template("auth/sign_in.html", form=form), 400 if form.errors else 200


def inside(target: str | None) -> str | None:
    """An address of this site, or nothing."""
    try:
        parts = urlsplit(target or "")
    except ValueError:
        return None
    plain = target is not None and is_plain_text(target) and not set(target) & set("\\\r\n\t")
    return target if plain and target and target.startswith("/") and not target.startswith("//") and not parts.netloc else None


def sign_out() -> Any:
    logout_user()
    session.clear()
    return redirect(url_for("auth.sign_in"))


@login_required
def me() -> Any:
    now = {k: getattr(current_user, k) for k in ("temperature_unit", "locale", "measures", "shortcuts")}
    form = MeForm(**now)
    form.locale.choices = list(LOCALES.items())
    if form.validate_on_submit():
        gardens.set_preferences(
            request_context.engine(),
            current_user.id,
            form.temperature_unit.data,
            form.locale.data,
            form.measures.data,
            form.shortcuts.data,
        )
        flash("Saved.")
        return redirect(url_for("auth.me"))
    return render_template("auth/me.html", form=form), 400 if form.errors else 200


def theme() -> Any:
    """Day, night or as the device says; kept in a cookie so that it holds before sign-in too."""
    form = ThemeForm()
    chosen = form.theme.data
    response = redirect(inside(form.back.data) or url_for("home"))
    if chosen in ("day", "night", "auto"):
        response.set_cookie("theme", chosen, max_age=31_536_000, samesite="Lax", secure=request_context.settings().secure_cookies)
    return response
