"""Handlers of the towels."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.exposure import DAY_S
from fennet.core.history import counts_of, ended_s, moved_on
from fennet.core.records import Batch
from fennet.core.room import free_cells
from fennet.operations import logging, sowing, towel
from fennet.operations.acting import Refusal
from fennet.operations.sowing import MOST_SEEDS
from fennet.presentation.sentences import verdict_sentence
from fennet.web import answers, record, request_context
from fennet.web.forms import Choice, Form, Whole, Words
from fennet.web.trays.view import batch_name
from fennet.web.writes import write


class RootedForm(Form):
    total = Whole("Rooted so far, in all", 0, 5_000, required="How many rooted is missing: a whole number is needed.")


class LayForm(Form):
    crop = Words("Crop", 64, required="A crop is missing: type its name.", render_kw={"list": "crops"})
    variety = Words("Variety", 120)
    seeds = Whole("Seeds", 1, MOST_SEEDS, required="How many seeds is missing.", default=20)
    lot = Choice("From the seed box", none="not said")


class CellsForm(Form):
    n = Whole("Give a cell each to", 1, 5_000, required="How many is missing: a whole number is needed.")
    tray = Choice("in tray")


#: Towels that ended are shown so long.
SHOWN_FOR_S = 21 * DAY_S


@dataclass(frozen=True)
class Towel:
    """One towel: its verdict, what rooted on which day, and what is still in it."""

    id: str
    name: str
    facts: str
    sentence: str
    rooted: int
    of: int
    left: int
    rows: list[tuple[str, str, str]]
    ended: bool


@request_context.in_garden
def towels() -> Any:
    return _page()


def _page(told: Form | None = None, of: str = "") -> Any:
    a, fmt = record.answers(), request_context.formatter()
    journal, events, at_s, table = a.journal, a.events, a.at_s, a.table
    shown = []
    for b in sorted(journal.batches, key=lambda b: b.sown_at, reverse=True):
        over = ended_s(b, events)
        if b.set_up != "towel" or b.sown_at.timestamp() > at_s or (over is not None and at_s - over > SHOWN_FOR_S):
            continue
        counts = counts_of(b, events)
        f = answers.forecast(a, b)
        rows, before = [], 0
        for t, total in zip(counts.at_s, counts.total, strict=True):
            rows.append(
                (
                    fmt.moment(t),
                    f"{total} of {counts.of}",
                    f"{total - before} more, after {fmt.days((t - b.sown_at.timestamp()) / DAY_S)}",
                )
            )
            before = total
        facts = f"{counts.of} seeds, laid {fmt.moment(b.sown_at)}"
        left = counts.up - moved_on(b.id, events)
        sentence = verdict_sentence(f, fmt) if f is not None else ""
        shown.append(
            Towel(
                b.id, batch_name(b, table.get(b.crop).name), facts, sentence, counts.up, counts.of, left, rows, over is not None
            )
        )
    trays = [(tray, len(cells)) for tray, cells in free_cells(journal, events, at_s).items() if cells]
    return render_template(
        "towel/towels.html",
        towels=shown,
        trays=trays,
        of=of,
        told=told,
        blank=RootedForm(formdata=None),
        lay=told if of == "lay" else _lay_form(),
        crops=list(table),
    ), 400 if told is not None else 200


def _lay_form() -> LayForm:
    form = LayForm()
    form.lot.choices = [(x.id, f"{x.crop.replace('_', ' ')} {x.variety or ''} {x.packed or ''}".strip())
                        for x in record.journal().seed_lots]  # fmt: skip
    return form


@request_context.in_garden
def lay() -> Any:
    """Seed laid in a damp towel now."""
    form = _lay_form()
    template = Batch(id="new", crop="new", sown_at=request_context.now(), seeds=1, set_up="towel")
    try:
        form.take()
        seeds = form.seeds.data
        kind = sowing.Sowing(form.crop.data, (), 1, variety=form.variety.data or None, lot=form.lot.data or None)
        made = write(lambda w: sowing.lay_in_towel(w, kind, seeds, template))
    except Refusal as e:
        form.tell(e)
        return _page(form, "lay")
    flash(f"{form.seeds.data} seeds lie in the towel ({made}). Open it daily; each live one gets a cell.")
    return redirect(url_for("towel.towels", slug=request_context.garden().slug, _anchor=made))


def _towel(batch_id: str) -> Batch:
    found = next((b for b in record.journal().batches if b.id == batch_id and b.set_up == "towel"), None)
    if found is None:
        abort(404)
    return found


@request_context.in_garden
def count(batch_id: str) -> Any:
    """Roots counted in the bag, a running total."""
    _towel(batch_id)
    form = RootedForm()
    try:
        form.take()
        event = write(lambda w: logging.log_count(w, batch_id, "rooted", form.total.data, form.pressed))
    except Refusal as e:
        form.tell(e)
        return _page(form, batch_id)
    if event is not None:
        flash(f"{form.total.data} rooted logged.", f"undo:{event.id}")
    return redirect(url_for("towel.towels", slug=request_context.garden().slug))


@request_context.in_garden
def move(batch_id: str) -> Any:
    """Live seed gets a cell each."""
    _towel(batch_id)
    form = CellsForm()
    form.tray.choices = [(t.id, t.id) for t in record.journal().trays]
    try:
        form.take()
        tray, n = str(form.tray.data or ""), form.n.data
        made = write(lambda w: towel.move_live(w, batch_id, tray, n, None))
    except Refusal as e:
        form.tell(e)
        return _page(form, batch_id)
    flash(f"{n} moved into {tray} as {made}. They are about halfway to coming up.")
    return redirect(url_for("tray.show", slug=request_context.garden().slug, tray_id=tray))
