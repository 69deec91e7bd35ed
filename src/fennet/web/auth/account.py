"""What is a person's own: how they read, their password, the second step, where they are signed in."""

from __future__ import annotations

from typing import Any

import segno
from flask import flash, redirect, render_template, session, url_for
from flask_login import current_user, login_required

from fennet.operations import gardens
from fennet.operations import people as operations
from fennet.operations.acting import Refusal
from fennet.presentation.agents import told
from fennet.presentation.formatter import LOCALES
from fennet.storage import people
from fennet.web import request_context
from fennet.web.auth.forms import EndForm, MeForm, PasswordForm, SecondStepForm, SecondStepOffForm
from fennet.web.forms import submitted

#: The key that is on its way to a phone, until a code from there shows that it came.
NEW_KEY = "new_key"


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


@login_required
def change_password() -> Any:
    form = PasswordForm()
    if form.validate_on_submit():
        try:
            operations.change_password(
                request_context.engine(), current_user.person, form.old.data, form.password.data, current_user.session_hash
            )
        except Refusal as e:
            form.tell(e)
        else:
            flash("Changed. Every other device has to sign in again.")
            return redirect(url_for("auth.me"))
    page = render_template("auth/password.html", form=form, least=operations.LEAST_PASSWORD)
    return page, 400 if form.errors else 200


@login_required
def second_step() -> Any:
    """Turn the second step on (a picture for the phone, then a code from it) or off."""
    on = current_user.person.totp_key is not None
    form: Any = SecondStepOffForm() if on else SecondStepForm()
    spare: list[str] = []
    if submitted():
        try:
            form.take()
            if on:
                operations.turn_off_second_step(request_context.engine(), current_user.person, form.password.data)
                flash("Signing in takes the password alone again.")
                return redirect(url_for("auth.second_step"))
            spare = operations.turn_on_second_step(
                request_context.engine(), current_user.person, session.get(NEW_KEY, ""), form.code.data, request_context.now()
            )
        except Refusal as e:
            form.tell(e)
    if not on and not (submitted() and session.get(NEW_KEY)):
        session[NEW_KEY] = operations.new_key()
    key = "" if on else session[NEW_KEY]
    picture = "" if on else segno.make(operations.key_address(key, current_user.name), error="m").svg_data_uri(scale=4)
    page = render_template("auth/second_step.html", form=form, on=on, key=key, picture=picture, spare=spare)
    return page, 400 if form.errors else 200


@login_required
def sessions() -> Any:
    """Where one is signed in; end one, or all others."""
    form = EndForm()
    if submitted():
        engine, mine = request_context.engine(), current_user.session_hash
        if form.session.data:
            operations.end_session(engine, current_user.id, form.session.data)
        else:
            operations.end_other_sessions(engine, current_user.id, mine)
        flash("Ended. That device has to sign in again.")
        return redirect(url_for("auth.sessions"))
    since = request_context.now() - operations.SESSION_KEPT
    known = people.sessions(request_context.reading(), current_user.id, since)
    return render_template("auth/sessions.html", form=form, sessions=known, told=told, mine=current_user.session_hash)
