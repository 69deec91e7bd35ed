"""Handlers of feeding and potting up."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.care.feeding import label_dose
from fennet.core.records import Event, Journal
from fennet.operations import care
from fennet.operations.acting import Refusal, WriteContext
from fennet.web import record, request_context
from fennet.web.care.forms import DropForm, FeedForm, PotUpForm, PrickOutForm, ProductForm
from fennet.web.care.view import PotView, feed_view, pot_view
from fennet.web.forms import Form, submitted
from fennet.web.plan import answers as plans
from fennet.web.writes import write

CAUTION = "Follow the label. Measure, keep feed from children and pets, and never in drink bottles."


@request_context.in_garden
def feed() -> Any:
    """Which trays are fed when, how strong, and how much of what; one press logs it."""
    form = FeedForm()
    if not submitted():
        return _feed_page(form, ProductForm(formdata=None))

    def log(w: WriteContext) -> list[Event]:
        # Whether they are too young is judged by the record as it stands.
        view = feed_view(record.answers_in_turn(), request_context.formatter())
        young = any(r.young for r in view.rows if r.tray in trays)
        return care.log_fed(w, trays, form.product.data or "", form.mg.data, form.sure.data, young)

    try:
        form.take()
        trays = form.tray.data or []
        if not trays:
            raise Refusal("No tray is ticked.", "tray")
        made = write(log)
    except Refusal as e:
        form.tell(e)
        return _feed_page(form, ProductForm(formdata=None), e)
    if made:
        flash(f"{', '.join(trays)} fed at {form.mg.data:g} mg of nitrogen a litre.", f"undo:{made[-1].id}")
    return redirect(url_for("care.feed", slug=request_context.garden().slug))


def _feed_page(form: FeedForm, product: ProductForm, refusal: Refusal | None = None) -> Any:
    view = record.remembered(("feed",), lambda: feed_view(record.answers(), request_context.formatter()))
    if form.mg.data is None and not form.mg.given and view.rows:
        form.mg.data = view.rows[0].mg
    page = render_template("care/feed.html", v=view, refusal=refusal, form=form, product=product, caution=CAUTION)
    return page, 400 if refusal else 200


@request_context.in_garden
def products() -> Any:
    """A feed onto the shelf with its label's figures, or off it."""
    form, dropping = ProductForm(), DropForm()
    try:
        if name := dropping.drop.data:
            write(lambda w: care.drop_feed(w, name))
            flash("Removed. What you fed with it stays in the record.")
        else:
            form.take()
            entry: dict[str, Any] = {"id": form.name.data, "name": form.name.data, "n_pct": form.n_pct.data}
            entry |= {"p_pct": form.p_pct.data or 0.0, "k_pct": form.k_pct.data or 0.0}
            powder = form.form.data == "powder" or form.measure.data == "g"
            dose = label_dose(form.dose.data or 0.0, form.measure.data or "ml", form.into.data or "litre", powder)
            entry["dose_g_per_l" if powder else "dose_ml_per_l"] = round(dose, 4)
            write(lambda w: care.put_feed(w, entry))
            flash(f"{form.name.data} added to your feeds.")
    except Refusal as e:
        form.tell(e)
        return _feed_page(FeedForm(formdata=None), form, e)
    return redirect(url_for("care.feed", slug=request_context.garden().slug))


@request_context.in_garden
def pot_up(batch_id: str) -> Any:
    """Cells to pots, or a crowd to cells: how many, into what, where they stand, buried or not."""
    a = record.answers()
    batch = next((b for b in a.journal.batches if b.id == batch_id and b.sown_at.timestamp() <= a.at_s), None)
    if batch is None:
        abort(404)
    view = pot_view(a, plans.plan(), batch, request_context.formatter())
    pricking = submitted() and bool(PrickOutForm().tray.raw_data)
    prick, pot = _pot_forms(view, a.journal, pricking)
    refusal: Refusal | None = None
    if submitted():
        form: Form = prick if pricking else pot
        try:
            form.take()
            return _pricked(prick, batch_id) if pricking else _potted(pot, batch_id)
        except Refusal as e:
            form.tell(e)
            refusal = e
    page = render_template("care/pot_up.html", v=view, refusal=refusal, prick=prick, pot=pot)
    return page, 400 if refusal else 200


def _pot_forms(view: PotView, journal: Journal, pricking: bool) -> tuple[PrickOutForm, PotUpForm]:
    """Both forms of the page; what was sent is in the one that was sent."""
    buried = view.stem != "level"
    asked = {} if pricking else {"formdata": None}
    prick = PrickOutForm(**asked, data={"n": view.cells_n, "buried": buried})
    asked = {"formdata": None} if pricking or not submitted() else {}
    pot = PotUpForm(**asked, data={"n": view.alive, "pot_mm": view.pot_mm, "buried": buried})
    prick.tray.choices = list(dict([*view.trays, *((t.id, t.id) for t in journal.trays if t.id not in dict(view.trays))]).items())
    pot.place.choices = list(
        dict([*view.places, *((p.id, p.id) for p in journal.places if p.id not in dict(view.places))]).items()
    )
    return prick, pot


def _pricked(form: PrickOutForm, batch_id: str) -> Any:
    n, tray = form.n.data, str(form.tray.data or "")
    to = write(lambda w: care.prick_out(w, batch_id, tray, n, form.buried.data))
    flash(f"{n} pricked out into {tray} as {to}. Its history goes with it.")
    return redirect(url_for("tray.show", slug=request_context.garden().slug, tray_id=tray))


def _potted(form: PotUpForm, batch_id: str) -> Any:
    if form.place.data is None:
        raise Refusal("Say where the pots stand.", "place")

    def work(w: WriteContext) -> tuple[str, str]:
        a = record.answers_in_turn()
        return care.pot_up(
            w, a.journal, a.events, batch_id, form.n.data, form.pot_mm.data, form.place.data, form.buried.data, form.anyway.data
        )

    tray, to = write(work) or ("", batch_id)
    flash(f"{form.n.data} potted up into {tray}{'' if to == batch_id else f' as {to}'}. Its history goes with it.")
    return redirect(url_for("tray.show", slug=request_context.garden().slug, tray_id=tray))
