"""Handlers of trials."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping
from typing import Any, cast

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.core.records import Batch, Mix, Tray
from fennet.core.room import free_cells
from fennet.core.trials.layout import cell_plan, kept_plan
from fennet.core.trials.power import Needed
from fennet.core.trials.result import Result
from fennet.core.trials.trial import Trial, TrialGroup
from fennet.operations import trials as operations
from fennet.operations.acting import Refusal, WriteContext
from fennet.web import query, record, request_context
from fennet.web.forms import submitted
from fennet.web.parts import part
from fennet.web.trials.forms import MOST_ASKED, SowTrialForm, TrialForm
from fennet.web.trials.view import MARKS, TrialView, trial_view
from fennet.web.writes import write


@request_context.in_garden
def index() -> Any:
    """Every trial with its answer so far, and a form for a new one."""
    a = record.answers()
    form, refusal = TrialForm(), None
    lots = [(x.id, f"{x.crop.replace('_', ' ')} {x.variety or ''} {x.packed or ''}".strip()) for x in a.journal.seed_lots]
    for i in range(MOST_ASKED):
        form[f"lot-{i}"].choices = lots
    if submitted():
        try:
            made = write(lambda w: operations.mark(w, _asked(form)))
            flash("Marked. What is found now was asked beforehand.")
            return redirect(url_for("trials.trial", slug=request_context.garden().slug, trial_id=made))
        except Refusal as e:
            form.tell(e)
            refusal = e
    told = [_view(r) for r in a.trials()]
    return render_template(
        "trials/index.html", told=told, form=form, refusal=refusal, most=MOST_ASKED, crops=list(a.table)
    ), 400 if refusal else 200


def _asked(form: Any) -> Trial:
    """The trial as the form says it. Raises Refusal."""
    form.take()
    named = [i for i in range(MOST_ASKED) if form[f"group-{i}"].data]
    groups = [
        TrialGroup(
            name=form[f"group-{i}"].data, variety=form[f"variety-{i}"].data or None, seed_lot=form[f"lot-{i}"].data or None,
            depth_mm=form[f"depth-{i}"].data,
        ) for i in named
    ]  # fmt: skip
    if len(groups) < 2:
        raise Refusal("A trial has two groups or more: name them.", "group-0")
    see = form.see.data
    if see is not None and form.measure.data != "emergence":
        see = see / 100.0
    return Trial(
        id="new", name=form.name.data, crop=form.crop.data, differs=cast(Any, form.differs.data),
        measure=cast(Any, form.measure.data), groups=groups, see=see, cells=form.cells.data,
    )  # fmt: skip


def _result(trial_id: str) -> Result:
    found = next((r for r in record.answers().trials() if r.trial.id == trial_id), None)
    if found is None:
        abort(404)
    return found


def _needed(trial: Trial) -> Needed | None:
    def made() -> Needed | None:
        try:
            return record.answers().cells_needed(trial)
        except ValueError:
            return None

    return part("the cells it needs", made, None)


def _view(r: Result) -> TrialView:
    crop = record.answers().table.get(r.trial.crop).name
    return trial_view(r, crop, _needed(r.trial), request_context.formatter())


@request_context.in_garden
def trial(trial_id: str) -> Any:
    """One trial: what is asked, the plan of its cells, and the answer."""
    r, a = _result(trial_id), record.answers()
    every = free_cells(a.journal, a.events, a.at_s)
    free = {t: cells for t, cells in every.items() if len(cells) >= len(r.trial.groups)}
    form = SowTrialForm()
    form.tray.choices = [(t, f"{t}, {len(cells)} free cells") for t, cells in free.items()]
    kept = kept_plan(r.trial)
    asked = query.text("tray", (r.trial.tray if kept else None) or next(iter(free), ""), longest=64)
    tray = next((t for t in a.journal.trays if t.id == asked), None)
    plan: list[list[tuple[str, str]]] = []
    view = _view(r)
    as_kept = bool(kept) and tray is not None and tray.id == r.trial.tray
    if tray is not None and not view.sown and (as_kept or tray.id in free):
        wanted = (r.trial.cells or 0) * len(r.trial.groups)
        groups = kept if as_kept else cell_plan(free[tray.id][: wanted or None], len(r.trial.groups), r.trial.id)
        plan = _laid_out(tray, groups, every.get(tray.id, ()))
        form.tray.data = tray.id
    gone = [c for c in kept if c not in every.get(r.trial.tray or "", ())] if as_kept and not view.sown else []
    return render_template("trials/trial.html", v=view, form=form, plan=plan, tray=tray, kept=as_kept, gone=gone)


@request_context.in_garden
def lay_out(trial_id: str) -> Any:
    """Draw the plan for a tray, and keep it with the trial."""

    def kept(w: WriteContext, tray: Tray, free: list[str], seeds: int) -> str:
        operations.lay_out(w, trial_id, tray, free)
        return f"Kept: the plan for tray {tray.id} stays as it is until you draw it anew."

    return _in_tray(trial_id, kept)


def _in_tray(trial_id: str, work: Callable[[WriteContext, Tray, list[str], int], str]) -> Any:
    """Do something with a trial in the tray that was chosen, given its free cells and the seeds a cell, and say what was done."""
    r, a, form = _result(trial_id), record.answers(), SowTrialForm()
    free = free_cells(a.journal, a.events, a.at_s)
    form.tray.choices = [(t, t) for t in free]
    try:
        form.take()
        tray = next((t for t in a.journal.trays if t.id == form.tray.data), None)
        if tray is None:
            abort(404)
        flash(write(lambda w: work(w, tray, free[tray.id], form.seeds.data or 1)) or "Done already.")
    except Refusal as e:
        flash(e.reason)
    return redirect(url_for("trials.trial", slug=request_context.garden().slug, trial_id=r.trial.id))


#: What stands in a cell that another batch holds.
TAKEN = "–"


def _laid_out(tray: Tray, groups: Mapping[str, int], free: Collection[str]) -> list[list[tuple[str, str]]]:
    """The cells of a tray by rows, each with its group's letter, empty where it stays empty, with a dash where it is taken."""
    columns = range(1, (tray.columns or 0) + 1)
    names = [[f"r{row}c{column}" for column in columns] for row in range(1, (tray.rows or 0) + 1)]
    return [[(name, MARKS[groups[name]] if name in groups else "" if name in free else TAKEN) for name in row] for row in names]


@request_context.in_garden
def sow(trial_id: str) -> Any:
    """Sow it by its plan, now."""
    crop = _result(trial_id).trial.crop

    def sown(w: WriteContext, tray: Tray, free: list[str], seeds: int) -> str:
        template = Batch(
            id="new", crop=crop, sown_at=request_context.now(), cells=1, seeds_per_cell=seeds, set_up="in_mix",
            mix=Mix(kind="seed_mix"),
        )  # fmt: skip
        ids = operations.sow(w, trial_id, tray, free, template)
        return f"Sown by lot in tray {tray.id}: {', '.join(ids)}. Count each group by its own cells."

    return _in_tray(trial_id, sown)


@request_context.in_garden
def batches(trial_id: str) -> Any:
    """Say which batches answer for which group, where they were sown by hand."""
    r = _result(trial_id)
    named = {g.name: re.findall(r"[^\s,;]+", request.form.get(f"batches-{i}", "")[:400]) for i, g in enumerate(r.trial.groups)}
    try:
        write(lambda w: operations.answer_with(w, r.trial.id, named))
        flash("Noted: these batches answer.")
    except Refusal as e:
        flash(e.reason)
    return redirect(url_for("trials.trial", slug=request_context.garden().slug, trial_id=r.trial.id))


@request_context.in_garden
def drop(trial_id: str) -> Any:
    """Delete a trial; its batches stay."""
    write(lambda w: operations.drop(w, _result(trial_id).trial.id))
    flash("The trial is deleted; its batches stay.")
    return redirect(url_for("trials.index", slug=request_context.garden().slug))
