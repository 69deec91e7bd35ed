"""The people of a garden: members, invitations, new passwords, the address for readers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import flash, redirect, render_template, url_for
from flask_login import current_user

from fennet.operations import people as operations
from fennet.operations import tokens
from fennet.operations.acting import Refusal, Secret, WriteContext
from fennet.storage import people as reads
from fennet.storage import queries
from fennet.web import request_context
from fennet.web.forms import Form
from fennet.web.people.forms import GivenForm, InviteForm, MemberForm, RemoveForm
from fennet.web.writes import write


@request_context.in_garden
def people() -> Any:
    return _page()


def _page(form: Form | None = None, fresh: str = "", fresh_for: str = "") -> Any:
    """Who belongs; for owners who is invited and who may look on. `fresh` is an address that is shown this once."""
    c, ref, now = request_context.reading(), request_context.garden(), request_context.now()
    owner = ref.role == "owner"
    page = render_template(
        "people/people.html",
        members=reads.members(c, ref.id),
        invitations=[x for x in reads.invitations(c, ref.id, now) if x.holds(now)] if owner else [],
        shared=queries.secret_addresses(c, ref.id, "garden") if owner else [],
        invite=form if isinstance(form, InviteForm) else InviteForm(formdata=None),
        remove=form if isinstance(form, RemoveForm) else RemoveForm(formdata=None),
        owner=owner,
        roles=operations.ROLES,
        me=current_user.id,
        fresh=fresh,
        fresh_for=fresh_for,
    )
    return page, 400 if form is not None else 200


def _to_people() -> Any:
    return redirect(url_for("people.people", slug=request_context.garden().slug))


def _given(secret: Secret | None, endpoint: str, what: str) -> Any:
    """The page with an address that is shown this once; without it where the same form came before."""
    if secret is None:
        return _to_people()
    address = request_context.settings().public_url.rstrip("/") + url_for(endpoint, token=secret.token)
    return _page(fresh=address, fresh_for=what)


@request_context.in_garden
def invite() -> Any:
    form = InviteForm()
    try:
        form.take()
        secret = write(lambda w: operations.invite(w, form.role.data))
    except Refusal as e:
        form.tell(e)
        return _page(form)
    return _given(secret, "auth.invited", "Send this to the one you invite. It works once, for seven days")


@request_context.in_garden
def take_back() -> Any:
    form = GivenForm()
    write(lambda w: operations.take_back(w, form.given.data or ""))
    flash("Taken back. That link opens nothing now.")
    return _to_people()


@request_context.in_garden
def member() -> Any:
    """Another role for a member, a new password's link, or out of the garden."""
    form = MemberForm()
    form.take()
    person, act = form.person.data, form.act.data
    if act == "password":
        secret = write(lambda w: operations.reset_link(w, person))
        return _given(secret, "auth.reset", "Give this to the one who forgot their password. It works once, for a day")
    work: Callable[[WriteContext], str]
    if act == "remove":
        work, said = (lambda w: operations.remove(w, person)), "does not belong to this garden any more. What they logged stays."
    else:
        work, said = (lambda w: operations.set_role(w, person, act)), f"is {act} now."
    name = write(work)
    flash(f"{name or 'That person'} {said}")
    return redirect(url_for("home")) if person == current_user.id else _to_people()


@request_context.in_garden
def share() -> Any:
    """A new address for readers, or one taken back."""
    form = GivenForm()
    if old := form.given.data:
        write(lambda w: tokens.revoke_address(w, old))
        flash("Taken back. That address opens nothing now.")
        return _to_people()
    secret = write(lambda w: tokens.make_address(w, "garden"))
    return _given(secret, "people.shared", "Whoever has this address sees trays and dates, and neither people nor times of day")
