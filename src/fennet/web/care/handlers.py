"""Handlers of feeding and potting up."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.operations import care
from fennet.operations.acting import Refusal
from fennet.web import asking, record
from fennet.web.care.view import feed_view, pot_view
from fennet.web.writes import write

CAUTION = "The label is the law. Measure, keep feed from children and pets, and never in drink bottles."


def _number(name: str, words: str, fallback: float | None = None) -> float:
    """A number of a form. Raises Refusal."""
    text = request.form.get(name, "").strip().replace(",", ".")
    if not text and fallback is not None:
        return fallback
    try:
        return float(text)
    except ValueError:
        raise Refusal(f"{text or 'nothing'!r} is no {words}; a number is needed.", name, text) from None


@asking.in_garden
def feed() -> Any:
    """Which trays are fed when, how strong, and how much of what; one press logs it."""
    if request.method == "GET":
        return _feed_page()
    try:
        trays = request.form.getlist("tray")
        if not trays:
            raise Refusal("No tray is ticked.", "tray", "")
        mg = _number("mg", "strength")
        if mg <= 0:
            raise Refusal(f"{mg:g} mg; a strength is above 0.", "mg", f"{mg:g}")
        view = feed_view(record.journal(), record.events(), record.at_s(), asking.speech())
        young = any(r.young for r in view.rows if r.tray in trays)
        product, sure = request.form.get("product", "").strip()[:80], "sure" in request.form
        made = write(lambda w: care.log_fed(w, trays, product, mg, sure, young))
    except Refusal as e:
        return _feed_page(e)
    if made:
        flash(f"{', '.join(trays)} fed at {mg:g} mg of nitrogen a litre.", f"undo:{made[-1].id}")
    return redirect(url_for("care.feed", slug=asking.garden().slug))


def _feed_page(refusal: Refusal | None = None) -> Any:
    journal, events, at_s, say = record.journal(), record.events(), record.at_s(), asking.speech()
    view = record.remembered(("feed",), lambda: feed_view(journal, events, at_s, say))
    page = render_template("care/feed.html", v=view, refusal=refusal, form=request.form, caution=CAUTION)
    return page, 400 if refusal else 200


@asking.in_garden
def products() -> Any:
    """A feed onto the shelf with its label's figures, or off it."""
    try:
        if "drop" in request.form:
            write(lambda w: care.drop_feed(w, request.form["drop"]))
            flash("Off the shelf; what was fed with it stays on record.")
        else:
            name = request.form.get("name", "").strip()[:60]
            if not name:
                raise Refusal("A feed needs a name.", "name", "")
            entry: dict[str, Any] = {"id": name, "name": name, "n_pct": _number("n_pct", "share of nitrogen")}
            for field in ("p_pct", "k_pct"):
                entry[field] = _number(field, "share", 0.0)
            dose = _number("dose", "dose")
            entry["dose_ml_per_l" if request.form.get("form") == "liquid" else "dose_g_per_l"] = dose
            write(lambda w: care.put_feed(w, entry))
            flash(f"{name} is on the shelf.")
    except Refusal as e:
        return _feed_page(e)
    return redirect(url_for("care.feed", slug=asking.garden().slug))


def _plants() -> int:
    """How many plants a form moves. Raises Refusal."""
    n = _number("n", "number of plants")
    if n != int(n):
        raise Refusal(f"{n:g} plants; a whole number is needed.", "n", f"{n:g}")
    return int(n)


@asking.in_garden
def pot_up(batch_id: str) -> Any:
    """Cells to pots, or a crowd to cells: how many, into what, where they stand, buried or not."""
    journal, events, at_s = record.journal(), record.events(), record.at_s()
    batch = next((b for b in journal.batches if b.id == batch_id and b.sown_at.timestamp() <= at_s), None)
    if batch is None:
        abort(404)
    refusal: Refusal | None = None
    slug = asking.garden().slug
    if request.method == "POST":
        try:
            n = _plants()
            if "tray" in request.form:
                tray = request.form["tray"]
                to = write(lambda w: care.prick_out(w, batch_id, tray, n, "buried" in request.form))
                flash(f"{n} pricked out into {tray} as {to}. Its history goes with it.")
                return redirect(url_for("tray.show", slug=slug, tray_id=tray))
            pot_mm = _number("pot_mm", "width of a pot")
            place = request.form.get("place", "")
            if all(p.id != place for p in journal.places):
                raise Refusal(f"There is no place {place} in this garden.", "place", place)
            buried, anyway = "buried" in request.form, "anyway" in request.form
            done = write(lambda w: care.pot_up(w, journal, events, batch_id, n, pot_mm, place, buried, anyway))
            tray, to = done or ("", batch_id)
            flash(f"{n} potted up into {tray}{'' if to == batch_id else f' as {to}'}. Its history goes with it.")
            return redirect(url_for("tray.show", slug=slug, tray_id=tray))
        except Refusal as e:
            refusal = e
    view = pot_view(journal, batch, events, at_s, asking.speech())
    page = render_template("care/pot_up.html", v=view, refusal=refusal, form=request.form)
    return page, 400 if refusal else 200
