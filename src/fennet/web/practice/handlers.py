"""Handlers of practice and of targets."""

from __future__ import annotations

from itertools import groupby
from typing import Any

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.conditions import planting_day_length_h
from fennet.core.crop import BAND_UNITS
from fennet.core.kinds import NEEDS_FIGURE, PRACTICE_FIGURES, PRACTICES
from fennet.core.records import Batch, Target
from fennet.core.stages import ENDED, STAGES
from fennet.core.targets import practice_of, targets_for
from fennet.crops import UnknownCrop, load_sources
from fennet.crops.schools import schools
from fennet.operations import room as operations
from fennet.operations.acting import Refusal
from fennet.presentation.practice import DECIDED
from fennet.web import query, record, request_context
from fennet.web.bands import CHANNEL_WORDS, STAGE_WORDS, band_words, figure
from fennet.web.forms import submitted
from fennet.web.practice.forms import BatchForm, PracticeForm, TargetForm, WarmthForm
from fennet.web.trays.view import batch_name
from fennet.web.writes import write


def _batch() -> Batch | None:
    """The batch this page is about, if it is about one."""
    wanted = (BatchForm().batch.data or "") if submitted() else query.text("batch", longest=64)
    if not wanted:
        return None
    found = next((b for b in record.journal().batches if b.id == wanted), None)
    if found is None:
        abort(404)
    return found


@request_context.in_garden
def practice() -> Any:
    batch = _batch()
    form, refusal = PracticeForm(), None
    if submitted():
        try:
            form.take()
            # What the form does not carry stays as it is; an empty choice of a batch gives it the garden's.
            choices = {k: form[k].data or "" for k in PRACTICES if form[k].raw_data}
            for name in PRACTICE_FIGURES:
                if form[name].raw_data:
                    choices[name] = "" if form[name].data is None else f"{form[name].data:.5g}"
            write(lambda w: operations.set_practice(w, choices, batch.id if batch else None))
        except Refusal as e:
            refusal = e
        else:
            flash("Practice saved. Bands and lists follow it from now on.")
            return redirect(url_for("practice.practice", slug=request_context.garden().slug, batch=batch.id if batch else None))
    journal = record.journal()
    garden = practice_of(journal.garden)
    chosen = practice_of(journal.garden, batch)
    stages = record.answers().stages
    living = [b for b in journal.batches if stages[b.id] not in ENDED]
    return render_template(
        "practice/practice.html",
        parts=[(part, list(of_part)) for part, of_part in groupby(schools(), lambda s: s.part)],
        decided=DECIDED,
        figure_of={key: figure for (key, _), figure in NEEDS_FIGURE.items()},
        chosen=chosen,
        garden=garden,
        batch=batch,
        batches=living,
        refusal=refusal,
        own=batch.practice if batch else {},
        form=form
        if refusal
        else PracticeForm(formdata=None, data={name: float(chosen[name]) for name in PRACTICE_FIGURES if name in chosen}),
    ), 400 if refusal else 200


@request_context.in_garden
def targets() -> Any:
    """The bands of a crop or batch at every stage, by the practice in force, with the grower's own beside them."""
    batch = _batch()
    journal, fmt = record.journal(), request_context.formatter()
    table = record.answers().table
    crop = table.get(batch.crop) if batch else _crop(table)
    form, refusal = _target_form(), None
    if submitted():
        try:
            _keep(form, crop.id, batch)
            return redirect(
                url_for(
                    "practice.targets",
                    slug=request_context.garden().slug,
                    batch=batch.id if batch else None,
                    crop=None if batch else crop.id,
                )
            )
        except Refusal as e:
            form.tell(e)
            refusal = e
    used = practice_of(journal.garden, batch)
    own = record.answers().targets
    length_h = planting_day_length_h(journal.garden, fmt.local(request_context.now()).year)
    sources = load_sources()
    rows = []
    for stage in STAGES:
        for band in targets_for(crop, stage, used, own, batch.id if batch else None, length_h).values():
            source = sources[band.source].citation if band.source in sources else band.source.replace("_", " ")
            rows.append(
                (
                    STAGE_WORDS[stage],
                    CHANNEL_WORDS[band.quantity],
                    band_words(band, fmt),
                    f"{figure(band.quantity, band.ideal_low, fmt, False)}–{figure(band.quantity, band.ideal_high, fmt)}",
                    band_words(band, fmt, dark=True) if band.night else "",
                    band.named,
                    f"{source}{', estimated' if band.estimated else ''}",
                    "; ".join(band.notes),
                )
            )
    crops = sorted((c.id, c.name) for c in table)
    return render_template(
        "practice/targets.html",
        crop=crop,
        batch=batch,
        rows=rows,
        crops=crops,
        refusal=refusal,
        own=[_own(t) for t in own],
        name=batch_name(batch, crop.name) if batch else crop.name,
        form=form,
    ), 400 if refusal else 200


def _crop(table: Any) -> Any:
    first = record.journal().batches
    wanted = ((BatchForm().crop.data or "") if submitted() else query.text("crop", longest=64)) or (
        first[-1].crop if first else "tomato"
    )
    try:
        return table.get(wanted)
    except UnknownCrop:
        abort(404)


def _own(t: Target) -> tuple[str, str, str, str, dict[str, str]]:
    fmt = request_context.formatter()
    who = t.batch or (t.crop or "everything").replace("_", " ")
    span = f"{figure(t.quantity, t.low, fmt, False)}–{figure(t.quantity, t.high, fmt)}"
    key = {"quantity": t.quantity, "stage": t.stage or "", "who_crop": t.crop or "", "who_batch": t.batch or ""}
    return who, STAGE_WORDS[t.stage] if t.stage else "every stage", CHANNEL_WORDS[t.quantity], span, key


def _target_form() -> TargetForm:
    """The form of a band of one's own; temperatures are read in the reader's degrees."""
    asked = TargetForm()
    form = WarmthForm() if asked.quantity.data == "soil_temperature" else asked
    fmt = request_context.formatter()
    units = {q: fmt.degree if q == "soil_temperature" else unit for q, unit in BAND_UNITS.items()}
    form.quantity.choices = [(q, f"{CHANNEL_WORDS[q]}, {unit}") for q, unit in units.items()]
    form.stage.choices = [(s, STAGE_WORDS[s]) for s in STAGES if s not in ENDED]
    return form


def _keep(form: TargetForm, crop: str, batch: Batch | None) -> None:
    """Keep or drop one band of the grower's own. Raises Refusal."""
    if form.drop.data:
        gone = Target(
            quantity=form.quantity.given, low=0, high=1, stage=form.stage.given or None, crop=form.who_crop.data,
            batch=form.who_batch.data,
        )  # fmt: skip
        write(lambda w: operations.drop_target(w, gone))
        flash("Your own band is removed; the crop’s applies again.")
        return
    form.take()
    if form.low.data is None or form.high.data is None:
        missing = "low" if form.low.data is None else "high"
        raise Refusal("A band is from one figure to another; one is missing.", missing)
    ends = [round(x, 2) for x in (form.low.data, form.high.data)]
    target = Target(
        quantity=form.quantity.data or "", low=ends[0], high=ends[1], stage=form.stage.data,
        crop=None if batch else crop, batch=batch.id if batch else None,
    )  # fmt: skip
    write(lambda w: operations.set_target(w, target))
    flash("Your own band applies from now on and is named as yours.")
