"""Links for one use: an invitation to a garden, a new password. The link's own address hands its secret on to the session and
leaves no trace of it in the address of the page that follows."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, session, url_for
from flask_login import current_user

from fennet.operations import people as operations
from fennet.operations.acting import Refusal
from fennet.operations.people import LEAST_PASSWORD, NewPerson
from fennet.operations.tokens import hashed
from fennet.storage import people, queries
from fennet.web import request_context
from fennet.web.auth.forms import JoinForm, NewPasswordForm
from fennet.web.auth.handlers import as_the_browser, enter, leave
from fennet.web.forms import submitted
from fennet.web.limits import GUESSES, failed, limiter

INVITED, RESET = "invited", "reset"


def _link(kept: str) -> people.Link:
    """The link this browser came by. Raises Refusal where it does not hold."""
    token = str(session.get(kept) or "")
    return operations.checked_link(people.link(request_context.reading(), hashed(token)), request_context.now())


def invited(token: str) -> Any:
    session[INVITED] = token[:100]
    return redirect(url_for("auth.join"))


@limiter.limit(GUESSES, deduct_when=failed)
def join() -> Any:
    """Join a garden: as who is signed in, or as somebody new."""
    link = _link(INVITED)
    garden = queries.garden_by_id(request_context.reading(), link.garden_id or 0, link.role or "viewer")
    if garden is None:
        raise Refusal("That link is no invitation.")
    form = JoinForm()
    if submitted():
        try:
            who: int | NewPerson
            if current_user.is_authenticated:
                who = current_user.id
            else:
                form.take()
                who = NewPerson(form.name.data, form.password.data, *as_the_browser())
            token = str(session.get(INVITED) or "")
            person_id, slug = operations.accept(request_context.engine(), token, who, request_context.now())
            if current_user.is_authenticated:
                session.pop(INVITED, None)
            else:
                enter(person_id)
            flash(f"You belong to {garden.garden.name} now.")
            return redirect(url_for("today.today", slug=slug))
        except Refusal as e:
            form.tell(e)
    page = render_template("auth/join.html", form=form, garden=garden, link=link, least=LEAST_PASSWORD)
    return page, 400 if form.errors or getattr(form, "form_errors", None) else 200


def reset(token: str) -> Any:
    session[RESET] = token[:100]
    return redirect(url_for("auth.new_password"))


@limiter.limit(GUESSES, deduct_when=failed)
def new_password() -> Any:
    """Choose a new password by a link an owner gave."""
    if _link(RESET).person_id is None:
        raise Refusal("That link is not for a new password.")
    form = NewPasswordForm()
    if form.validate_on_submit():
        try:
            name = operations.use_reset(
                request_context.engine(), str(session.get(RESET) or ""), form.password.data, request_context.now()
            )
        except Refusal as e:
            form.tell(e)
        else:
            leave()
            flash(f"The new password holds, {name}. Sign in with it.")
            return redirect(url_for("auth.sign_in"))
    page = render_template("auth/new_password.html", form=form, least=LEAST_PASSWORD)
    return page, 400 if form.errors else 200
