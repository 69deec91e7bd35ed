"""Handlers of practice and of targets."""

from __future__ import annotations

from typing import Any

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.core.conditions import planting_day_length_h
from fennet.core.crop import BAND_UNITS
from fennet.core.kinds import PRACTICES
from fennet.core.records import Batch, Target
from fennet.core.stages import ENDED, STAGES, stage_at, stage_spans
from fennet.core.targets import practice_of, targets_for
from fennet.crops import UnknownCrop, load_sources
from fennet.crops.schools import schools
from fennet.journal.targets import own_targets
from fennet.operations import room as operations
from fennet.operations.acting import Refusal
from fennet.web import answers, asking, record
from fennet.web.bands import CHANNEL_WORDS, STAGE_WORDS, band_words, figure
from fennet.web.trays.view import batch_name
from fennet.web.writes import write


def _batch() -> Batch | None:
    """The batch this page is about, if it is about one."""
    wanted = request.values.get("batch", "")
    if not wanted:
        return None
    found = next((b for b in record.journal().batches if b.id == wanted), None)
    if found is None:
        abort(404)
    return found


@asking.in_garden
def practice() -> Any:
    batch = _batch()
    refusal = None
    if request.method == "POST":
        choices = {k: request.form[k] for k in PRACTICES if k in request.form}
        try:
            write(lambda w: operations.set_practice(w, choices, batch.id if batch else None))
        except Refusal as e:
            refusal = e
        else:
            flash("Practice kept. Bands and lists follow it from now on.")
            return redirect(url_for("practice.practice", slug=asking.garden().slug, batch=batch.id if batch else None))
    journal = record.journal()
    garden = practice_of(journal.garden)
    chosen = {**garden, **batch.practice} if batch else garden
    living = [b for b in journal.batches if stage_at(stage_spans(b, record.events(), record.at_s()), record.at_s()) not in ENDED]
    return render_template(
        "practice/practice.html",
        schools=schools(),
        chosen=chosen,
        garden=garden,
        batch=batch,
        batches=living,
        refusal=refusal,
        own=batch.practice if batch else {},
    ), 400 if refusal else 200


@asking.in_garden
def targets() -> Any:
    """The bands of a crop or batch at every stage, by the practice in force, with the grower's own beside them."""
    batch = _batch()
    journal, say = record.journal(), asking.speech()
    table = answers.table_for(journal)
    crop = table.get(batch.crop) if batch else _crop(table)
    refusal = None
    if request.method == "POST":
        try:
            _keep(crop.id, batch)
            return redirect(
                url_for(
                    "practice.targets",
                    slug=asking.garden().slug,
                    batch=batch.id if batch else None,
                    crop=None if batch else crop.id,
                )
            )
        except Refusal as e:
            refusal = e
    used = practice_of(journal.garden, batch)
    own = own_targets(journal)
    length_h = planting_day_length_h(journal.garden, say.local(asking.now()).year)
    sources = load_sources()
    rows = []
    for stage in STAGES:
        for band in targets_for(crop, stage, used, own, batch.id if batch else None, length_h).values():
            source = sources[band.source].citation if band.source in sources else band.source.replace("_", " ")
            rows.append(
                (
                    STAGE_WORDS[stage],
                    CHANNEL_WORDS[band.quantity],
                    band_words(band, say),
                    f"{figure(band.quantity, band.ideal_low, say, False)}–{figure(band.quantity, band.ideal_high, say)}",
                    band_words(band, say, dark=True) if band.night else "",
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
        stages=[(s, STAGE_WORDS[s]) for s in STAGES if s not in ENDED],
        quantities=[(q, CHANNEL_WORDS[q], say.degree if q == "soil_temperature" else unit) for q, unit in BAND_UNITS.items()],
        form=request.form,
    ), 400 if refusal else 200


def _crop(table: Any) -> Any:
    first = record.journal().batches
    wanted = request.values.get("crop") or (first[-1].crop if first else "tomato")
    try:
        return table.get(wanted)
    except UnknownCrop:
        abort(404)


def _own(t: Target) -> tuple[str, str, str, str, dict[str, str]]:
    say = asking.speech()
    who = t.batch or (t.crop or "everything").replace("_", " ")
    span = f"{figure(t.quantity, t.low, say, False)}–{figure(t.quantity, t.high, say)}"
    key = {"quantity": t.quantity, "stage": t.stage or "", "who_crop": t.crop or "", "who_batch": t.batch or ""}
    return who, STAGE_WORDS[t.stage] if t.stage else "every stage", CHANNEL_WORDS[t.quantity], span, key


def _keep(crop: str, batch: Batch | None) -> None:
    """Keep or drop one band of the grower's own. Raises Refusal."""
    form, say = request.form, asking.speech()
    quantity = form.get("quantity", "")
    if form.get("drop"):
        gone = Target(
            quantity=quantity,
            low=0,
            high=1,
            stage=form.get("stage") or None,
            crop=form.get("who_crop") or None,
            batch=form.get("who_batch") or None,
        )
        write(lambda w: operations.drop_target(w, gone))
        flash("Your own band is dropped; the crop’s holds again.")
        return
    ends = []
    for name in ("low", "high"):
        text = form.get(name, "").strip().replace(",", ".")
        try:
            value = float(text)
        except ValueError:
            raise Refusal(f"{text!r} is no number; a band is from one figure to another.", name, text) from None
        ends.append(round(say.typed_temperature_c(value), 2) if quantity == "soil_temperature" else value)
    target = Target(
        quantity=quantity,
        low=ends[0],
        high=ends[1],
        stage=form.get("stage") or None,
        crop=None if batch else crop,
        batch=batch.id if batch else None,
    )
    write(lambda w: operations.set_target(w, target))
    flash("Your own band holds from now on; pages name it as yours.")
