"""Handlers of wants: what is to be grown, how much of it, by when."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.core.kinds import PRACTICES
from fennet.core.stock import seeds_left
from fennet.crops.schools import schools
from fennet.journal.aside import FormatError
from fennet.journal.readings_csv import decode
from fennet.operations import lists, planning
from fennet.operations.acting import Refusal
from fennet.web import asking, record
from fennet.web.plan import answers
from fennet.web.writes import write

#: Practice choices that a single want may make for itself.
OWN_CHOICES = ("sow_tender", "frost_risk", "heat", "set_up", "seeds_per_cell", "depth")


@asking.in_garden
def want(position: int | None = None) -> Any:
    """The form of one want, new or there already."""
    journal = record.journal()
    listed = answers.positions()
    if position is not None and position not in listed:
        abort(404)
    old = journal.wants[listed.index(position)] if position is not None else None
    refusal = None
    if request.method == "POST":
        try:
            write(lambda w: planning.put_want(w, _typed(), position))  # fmt: skip
            flash("Kept; the plan was fitted round it.")
            if request.form.get("another"):
                return redirect(url_for("plan.want", slug=asking.garden().slug))
            return redirect(url_for("plan.plan", slug=asking.garden().slug))
        except Refusal as e:
            refusal = e
    choices = [(s, dict(old.practice).get(s.key, "") if old else "") for s in schools() if s.key in OWN_CHOICES]
    table = answers.table_of_crops(journal)
    return render_template(
        "plan/want.html", old=old, position=position, refusal=refusal, form=request.form, crops=list(table), choices=choices,
        lots=journal.seed_lots, left=seeds_left(journal, asking.now().timestamp()),
        crop_name=table.get(old.crop).name if old else "",
    ), 400 if refusal else 200  # fmt: skip


def _typed() -> dict[str, Any]:
    form = request.form
    whole = {name: form.get(name, "").strip() or None for name in ("plants", "spares", "every_days", "times")}
    sure = form.get("confidence", "").strip().replace(",", ".")
    try:
        confidence = float(sure) / 100 if sure else None
    except ValueError:
        raise Refusal(f"How sure: {sure!r} is no number; accepted: 50 to 99 %.", "confidence", sure) from None
    practice = {
        name: form[f"practice-{name}"] for name in OWN_CHOICES if form.get(f"practice-{name}", "") in PRACTICES[name]
    }  # fmt: skip
    return {
        "crop": form.get("crop", "").strip(), "variety": form.get("variety", "").strip() or None, **whole,
        "out_by": form.get("out_by") or None, "where": "indoors" if form.get("where") == "indoors" else None,
        "season": "autumn" if form.get("season") == "autumn" else None, "confidence": confidence,
        "seed_lot": form.get("seed_lot") or None, "practice": practice, "note": form.get("note", "").strip() or None,
    }  # fmt: skip


@asking.in_garden
def drop(position: int) -> Any:
    try:
        write(lambda w: planning.drop_want(w, position))
        flash("Left out of the plan. What was sown for it stays in the record.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("plan.plan", slug=asking.garden().slug))


@asking.in_garden
def from_file() -> Any:
    """Wants, seed box or sowings from a CSV: what can be taken is, the rest is told line by line."""
    back = request.form.get("back", "plan")
    try:
        given = request.files.get("file")
        if given is None or not given.filename:
            raise Refusal("Choose a file first.", "file")
        text = decode(given.read())
        taken = write(lambda w: lists.take(w, text))
        assert taken is not None
    except (Refusal, FormatError) as e:
        flash(str(e), "error")
    else:
        words = ", ".join(f"{n} {section.replace('_', ' ')}" for section, n in taken.taken.items()) or "nothing new"
        flash(f"From the file: {words}" + (f"; {taken.repeated} there already" if taken.repeated else "") + ".")
        for entry in taken.aside[:20]:
            flash(f"Set aside {entry}.", "error")
        if len(taken.aside) > 20:
            flash(f"And {len(taken.aside) - 20} more were set aside.", "error")
    return redirect(url_for("seeds.index" if back == "seeds" else "plan.plan", slug=asking.garden().slug))
