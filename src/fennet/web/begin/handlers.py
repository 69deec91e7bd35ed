"""Handlers of the first hour."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.journal.reader import open_journal
from fennet.journal.readings_csv import decode
from fennet.journal.rejected import FormatError
from fennet.operations import beginning, lists
from fennet.operations.acting import Refusal
from fennet.operations.beginning import NEW_PLACES, Beginning
from fennet.operations.exchange import Imported, take_journal
from fennet.operations.towns import towns
from fennet.presentation.sowing import WARMTHS
from fennet.web import record, request_context
from fennet.web.begin.forms import BeginForm, RecordsForm, SeedlingsForm, SomewhereForm, SownForm
from fennet.web.forms import file_of, submitted
from fennet.web.writes import write

NEW_WORDS = {"+sill": "a window sill", "+shelf": "a shelf or table", "+mat": "on a heat mat"}


@request_context.in_garden
def begin() -> Any:
    """Four questions, each of which may be left."""
    form = BeginForm()
    refusal = None
    if submitted():
        try:
            form.take()
            told = Beginning(**form.values(
                "town", "latitude", "longitude", "last_frost", "day_c", "night_c", "sills", "lamps", "mats"
            ), facing_deg=float(form.facing.data) if form.facing.data else None)  # fmt: skip
            write(lambda w: beginning.begin(w, told))
            flash("Saved. You can change all of it under Room.")
            return redirect(url_for("today.today", slug=request_context.garden().slug))
        except Refusal as e:
            form.tell(e)
            refusal = e
    page = render_template("begin/begin.html", form=form, towns=list(towns()), refusal=refusal)
    return page, 400 if refusal else 200


@request_context.in_garden
def sown() -> Any:
    """Something that is sown already, wherever it stands: straight to its dates."""
    form = SownForm(data={"sown_at": request_context.now()})
    _places(form)
    refusal = None
    if submitted():
        try:
            form.take()
            warm_c = form.warm_c.data if form.warm_c.data is not None else WARMTHS.get(form.warmth.data or "", ("", None))[1]
            at = form.sown_at.data or form.pressed
            made = write(
                lambda w: beginning.sown_somewhere(
                    w, form.crop.data, form.cells.data or 6, at, form.where.data, warm_c, form.watered.data or None,
                    form.variety.data or None, form.sown_in.data == "open",
                )
            )  # fmt: skip
            return _to_tray(made)
        except Refusal as e:
            form.tell(e)
            refusal = e
    return _page("begin/sown.html", form, refusal)


@request_context.in_garden
def seedlings() -> Any:
    """Plants that are there and look wrong: straight to what is seen on them."""
    form = SeedlingsForm()
    _places(form)
    refusal = None
    if submitted():
        try:
            form.take()
            made = write(
                lambda w: beginning.seedlings_somewhere(
                    w, form.crop.data, form.cells.data or 6, form.since.data or "week", form.where.data, form.start.data or None
                )
            )
            if made is None:
                return redirect(url_for("why.index", slug=request_context.garden().slug))
            return redirect(url_for("why.look", slug=request_context.garden().slug, batch_id=made[1]))
        except Refusal as e:
            form.tell(e)
            refusal = e
    return _page("begin/seedlings.html", form, refusal)


@request_context.in_garden
def records() -> Any:
    """The doors through which records come in: a journal, or a table of packets, wants, sowings or nights, here."""
    refusal, told = None, None
    if submitted():
        try:
            RecordsForm().take()
            _, raw = file_of(asked="Choose a file first.")
            told = _taken(raw)
        except (Refusal, FormatError) as e:
            refusal = e if isinstance(e, Refusal) else Refusal(f"That file could not be read: {str(e)[:300]}", "file")
    page = render_template("begin/records.html", refusal=refusal, told=told)
    return page, 400 if refusal else 200


def _taken(raw: bytes) -> Imported:
    """What a file held, taken into this garden. Raises Refusal, FormatError."""
    ref, now = request_context.garden(), request_context.now()
    if raw.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{"):
        me = request_context.actor()
        told = take_journal(request_context.engine(), open_journal(raw), now, ref.slug, by=me.name, actor=me)
        record.read_again()
        return told
    text = decode(raw)
    done = write(lambda w: lists.take(w, text))
    return done or Imported(ref)


def _to_tray(made: tuple[str, str] | None) -> Any:
    slug = request_context.garden().slug
    if made is None:
        return redirect(url_for("trays.index", slug=slug))
    flash(f"It is in tray {made[0]}.")
    return redirect(url_for("tray.show", slug=slug, tray_id=made[0], _anchor=made[1]))


def _places(form: SomewhereForm) -> None:
    """The places there are, and kinds of place that can be made by saying so."""
    there = [(p.id, p.name or p.id) for p in record.journal().places if p.until is None]
    form.where.choices = there + [(k, NEW_WORDS[k] + (", a new one" if there else "")) for k in NEW_PLACES]


def _page(template: str, form: SomewhereForm, refusal: Refusal | None) -> Any:
    page = render_template(template, form=form, refusal=refusal, crops=list(record.answers().table))
    return page, 400 if refusal else 200
