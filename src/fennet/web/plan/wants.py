"""Handlers of wants: what is to be grown, how much of it, by when."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, cast

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.records import Journal, SeedLot, Want
from fennet.core.stock import seeds_left
from fennet.crops.schools import schools
from fennet.journal.readings_csv import decode
from fennet.journal.rejected import FormatError
from fennet.operations import lists, wants
from fennet.operations.acting import Refusal
from fennet.operations.exchange import Imported
from fennet.web import record, request_context
from fennet.web.forms import Choice, file_of, made_of, submitted
from fennet.web.plan import answers
from fennet.web.plan.forms import ListForm, WantForm
from fennet.web.writes import write

#: Practice choices that a single want may make for itself.
OWN_CHOICES = ("sow_tender", "frost_risk", "heat", "set_up", "seeds_per_cell", "depth")


@request_context.in_garden
def want(position: int | None = None) -> Any:
    """The form of one want, new or there already."""
    journal = record.journal()
    listed = answers.positions()
    if position is not None and position not in listed:
        abort(404)
    old = journal.wants[listed.index(position)] if position is not None else None
    table = record.answers().table
    left = seeds_left(journal, request_context.now().timestamp())
    form = _form(journal, {**vars(old), "crop": table.get(old.crop).name, **_practice_data(old)} if old else {}, left)
    refusal = None
    if submitted():
        try:
            form.take()
            given = _given(form)
            write(lambda w: wants.put_want(w, given, position))
            flash("Saved. The plan was fitted around it.")
            if form.another.data:
                return redirect(url_for("plan.want", slug=request_context.garden().slug))
            return redirect(url_for("plan.plan", slug=request_context.garden().slug))
        except Refusal as e:
            form.tell(e)
            refusal = e
    return render_template(
        "plan/want.html", old=old, position=position, refusal=refusal, form=form, crops=list(table), choices=OWN_CHOICES,
        crop_name=table.get(old.crop).name if old else "",
    ), 400 if refusal else 200  # fmt: skip


def _form(journal: Journal, data: Mapping[str, Any], left: Mapping[str, int]) -> WantForm:
    """The form of a want with the packets there are and the practice it may choose for itself."""
    by_key = {s.key: s for s in schools()}
    fields = {f"practice-{key}": Choice(by_key[key].asks, by_key[key].values, none="as the garden does") for key in OWN_CHOICES}
    form = cast(WantForm, made_of(fields, WantForm)(data=data))
    form.seed_lot.choices = [(lot.id, _packet(lot, left)) for lot in journal.seed_lots]
    return form


def _packet(lot: SeedLot, left: Mapping[str, int]) -> str:
    """A packet as a list of packets names it."""
    counted = f"{left[lot.id]} left" if lot.id in left else None
    return ", ".join(str(x) for x in (lot.crop.replace("_", " "), lot.variety, lot.packed, counted) if x)


def _practice_data(old: Want) -> dict[str, str]:
    return {f"practice-{key}": old.practice[key] for key in OWN_CHOICES if old.practice.get(key)}


def _given(form: WantForm) -> dict[str, Any]:
    """A want as its form says it."""
    given = form.values(
        "crop", "variety", "plants", "spares", "every_days", "times", "out_by", "confidence", "season", "seed_lot", "note"
    )
    chosen = {key: form[f"practice-{key}"].data for key in OWN_CHOICES if form[f"practice-{key}"].data}
    return {**given, "where": "indoors" if form.where.data == "indoors" else None, "practice": chosen}


@request_context.in_garden
def drop(position: int) -> Any:
    try:
        write(lambda w: wants.drop_want(w, position))
        flash("Left out of the plan. What was sown for it stays in the record.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("plan.plan", slug=request_context.garden().slug))


@request_context.in_garden
def from_file() -> Any:
    """Wants, seed box or sowings from a CSV: what can be taken is, the rest is told line by line."""
    form = ListForm()
    try:
        form.take()
        text = decode(file_of()[1])
        taken = write(lambda w: lists.take(w, text))
    except (Refusal, FormatError) as e:
        flash(str(e), "error")
    else:
        if taken is None:
            taken = Imported(request_context.garden())
        words = ", ".join(f"{n} {section.replace('_', ' ')}" for section, n in taken.taken.items()) or "nothing new"
        flash(f"From the file: {words}" + (f"; {taken.repeated} there already" if taken.repeated else "") + ".")
        for entry in taken.rejected[:20]:
            flash(f"Set aside {entry}.", "error")
        if len(taken.rejected) > 20:
            flash(f"And {len(taken.rejected) - 20} more were set aside.", "error")
    return redirect(url_for("seeds.index" if form.to.data == "seeds" else "plan.plan", slug=request_context.garden().slug))
