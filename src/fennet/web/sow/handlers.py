"""Handlers of sowing."""

from __future__ import annotations

import re
from dataclasses import replace
from functools import partial
from typing import Any, cast

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.crop import Crop
from fennet.core.history import effective_events, occupancies
from fennet.core.learning.lessons import variety_key
from fennet.core.mixing import readable
from fennet.core.planning.sowing_day import COVERING_OF
from fennet.core.records import Batch, Journal, Mix, Pretreatment, SeedLot, Tray
from fennet.core.targets import practice_of
from fennet.crops import CropTable, shipped
from fennet.journal.cells import parse_cells
from fennet.operations import readings, sowing
from fennet.operations.acting import Refusal, WriteContext
from fennet.presentation.sowing import COVERS, STARTS, WARMTHS
from fennet.presentation.variety_notes import variety_words
from fennet.storage import queries
from fennet.web import query, record, request_context
from fennet.web.forms import submitted
from fennet.web.parts import part
from fennet.web.sow.forms import MOST_KINDS, SowForm, sow_form
from fennet.web.trays.view import batch_name
from fennet.web.writes import write

#: Earlier sowings that are offered to be copied.
MOST_BEFORE = 60


@request_context.in_garden
def sow() -> Any:
    ref, journal = request_context.garden(), record.journal()
    trays = [t for t in journal.trays if t.until is None]
    tray_id = (SowForm().tray.data if submitted() else query.text("tray")) or (trays[0].id if trays else "")
    tray = next((t for t in trays if t.id == tray_id), None)
    if trays and tray is None:
        abort(404)
    if tray is None:
        flash("Sowing needs a tray. Make one first.")
        return redirect(url_for("trays.new", slug=ref.slug))
    table = shipped().with_own(queries.own_crops(request_context.reading(), ref.id))
    form, n = _form(journal, tray)
    refusal = None
    if submitted() and not form.more.data:
        try:
            form.take()
            ids = _sow(form, tray, n)
            names = ", ".join(form[f"crop-{i}"].data for i in range(n) if form[f"crop-{i}"].data)
            flash(f"{'Sown' if form.all_sown(n) else 'Set'}: {names} in tray {tray.id}.")
            return redirect(url_for("tray.show", slug=ref.slug, tray_id=tray.id, _anchor=ids[0] if ids else None))
        except Refusal as e:
            form.tell(e)
            refusal = e
    return render_template(
        "sow/sow.html",
        trays=trays,
        tray=tray,
        held=_held(replace(journal, trays=[tray]), table, request_context.now().timestamp()),
        kinds=n,
        crops=list(table),
        refusal=refusal,
        most=MOST_KINDS,
        before=[(b.id, _batch_words(b, table)) for b in reversed(journal.batches) if b.from_batch is None][:MOST_BEFORE],
        form=form,
        past=record.remembered(("past",), _past),
    ), 400 if refusal else 200


def _past() -> list[tuple[str, list[tuple[str, bool]]]]:
    """What this garden's past says of each variety in the seed box, or wanted: where it says anything."""
    a, fmt = record.answers(), request_context.formatter()
    named = [(x.crop, x.variety) for x in a.journal.seed_lots] + [(x.crop, x.variety) for x in a.journal.wants]
    known = [(crop, variety) for crop, variety in named if crop in a.crops]
    kinds = {(a.crops[crop].id, variety_key(variety)): (crop, variety) for crop, variety in reversed(known)}
    out = []
    for crop, variety in kinds.values():
        told = part(f"the past of {crop}", partial(a.variety_notes, a.crops[crop].id, variety), None)
        if told is not None and told.any:
            name = a.crops[crop].name + (f" ‘{variety}’" if variety else "")
            out.append((name, variety_words(told, fmt)))
    return sorted(out)


def _form(journal: Journal, tray: Tray) -> tuple[SowForm, int]:
    """The form with as many kinds as were asked for, and how many they are."""
    practice = practice_of(request_context.garden().garden)
    asked = SowForm()
    n = (asked.kinds.data or 1) if submitted() else query.number("kinds", 1, 1, MOST_KINDS)
    more = bool(submitted() and asked.more.data and n < MOST_KINDS)
    lots = [(lot.id, _lot_words(lot)) for lot in journal.seed_lots]
    made = sow_form(
        n + more, 1 if practice["seeds_per_cell"] == "one" else 2, lots, bool(tray.rows and tray.columns), tray.kind == "open"
    )
    usual = {
        "sown_at": request_context.now(),
        "mix": "seed_mix",
        "covered_with": COVERING_OF[practice["covering"]],
        "cover": {"none": "", "vented": "lid_vented"}.get(practice["cover"], "lid"),
        "fed": "yes" if practice["mix_feed"] == "fed" else "",
    }
    form = made(data=usual | _as_before(journal))
    form.recipe.choices = [(r.name, r.name) for r in readable(journal.recipes)]
    if more:
        fresh = made(formdata=None)
        for name, field in fresh._fields.items():
            if name.endswith(f"-{n}"):
                form._fields[name].data, form._fields[name].raw_data = field.data, None
        form.more.data = True
    return form, n + more


def _as_before(journal: Journal) -> dict[str, Any]:
    """What an earlier sowing was, for one that is to be like it; nothing where none is asked for."""
    asked = query.text("like", longest=64)
    b = next((b for b in journal.batches if b.id == asked), None)
    if b is None:
        return {}
    mix = b.mix or Mix()
    said: dict[bool | None, str] = {True: "yes", False: "no", None: ""}
    treated = b.pretreatment[0].kind if b.pretreatment else ""
    return {
        "crop-0": record.answers().table.get(b.crop).name, "variety-0": b.variety, "depth-0": b.depth_mm, "lot-0": b.seed_lot,
        "seeds-0": b.seeds_per_cell or b.seeds, "pretreatment-0": treated, "start-0": b.start or "seed",
        "per-cell-0": b.practice.get("per_cell", ""), "covered_with": b.covered_with or "", "mix": mix.kind or "other",
        "recipe": mix.recipe or "", "fed": said[mix.fed], "clean": said[mix.clean],
        "own": "" if mix.own is None else "own" if mix.own else "bought", "wetted": mix.wetted or "",
    }  # fmt: skip


def _mix(form: SowForm) -> Mix:
    """The mix as the form says it; what is not said stays unknown."""
    said = {"yes": True, "no": False}
    own = {"own": True, "bought": False}.get(form.own.data or "")
    return Mix(
        kind=cast(Any, form.mix.data or "other"), clean=said.get(form.clean.data or ""), fed=said.get(form.fed.data or ""),
        recipe=form.recipe.data or None, own=True if form.recipe.data else own, wetted=cast(Any, form.wetted.data or None),
    )  # fmt: skip


def _lot_words(lot: SeedLot) -> str:
    variety = f" ‘{lot.variety}’" if lot.variety else ""
    return f"{lot.crop.replace('_', ' ')}{variety}{f', {lot.packed}' if lot.packed else ''}"


def _batch_words(b: Batch, table: CropTable) -> str:
    name = batch_name(b, table.get(b.crop).name)
    return f"{name}, {request_context.formatter().day(b.sown_at)} {b.sown_at.year}"


def _held(journal: Journal, table: CropTable, now_s: float) -> dict[str, Crop]:
    """Cells of the tray that are taken now, with the crop that holds them."""
    events = effective_events(journal.events, now_s)
    tray = journal.trays[0].id
    stays = ((b, s) for b in journal.batches for s in occupancies(b, events))
    return {s.cell: table.get(b.crop) for b, s in stays if s.tray == tray and s.to_s > now_s}


def _sow(form: SowForm, tray: Tray, n: int) -> list[str]:
    """Sow every kind that was filled in. Raises Refusal."""
    chosen = [i for i in range(n) if form[f"crop-{i}"].data or ("cells-0" in form and form[f"cells-{i}"].data)]
    sowings = [_sowing(form, tray, i) for i in chosen]
    template = Batch(
        id="new",
        crop="new",
        sown_at=request_context.now(),
        cells=1,
        set_up="in_mix",
        mix=_mix(form),
    )
    at = form.sown_at.data or form.pressed
    # A lid is for what has still to come up or to root.
    rises = any(s.from_seed or s.start in ("cutting", "slip") for s in sowings)
    cover = {"on": COVERS[form.cover.data][1], "how": form.cover.data} if form.cover.data in COVERS and rises else None
    also = [t for t in re.split(r"[\s,;]+", form.also.data or "") if t]
    warm_c = form.warm_c.data if form.warm_c.data is not None else WARMTHS.get(form.warmth.data or "", ("", None))[1]

    def work(w: WriteContext) -> list[str]:
        ids = sowing.sow(w, tray.id, sowings, template, at, cover or False, form.watered.data or None, also)
        if warm_c is not None:
            readings.write_by_hand(
                w,
                [
                    readings.HandReading(t, "soil_temperature", round(warm_c, 1), "degC", at, estimated=True)
                    for t in dict.fromkeys([tray.id, *also])
                ],
            )
        return ids

    return write(work) or []


def _sowing(form: SowForm, tray: Tray, i: int) -> sowing.Sowing:
    """One kind of the form. Raises Refusal."""

    def of(name: str) -> Any:
        return form[f"{name}-{i}"].data if f"{name}-{i}" in form else None

    if not of("crop"):
        raise Refusal("A crop is missing: type its name.", f"crop-{i}")
    start = of("start") if of("start") in STARTS else "seed"
    sown = start == "seed"
    lot: str | SeedLot | None = of("lot") if sown else None
    if sown and lot is None and (of("packed") or of("rate") is not None or of("source")):
        lot = SeedLot(
            id="new", crop=of("crop"), variety=of("variety"), packed=of("packed"), rate=of("rate"), source=of("source"),
            storage=of("storage"),
        )  # fmt: skip
    cells: list[str] = []
    if tray.rows and tray.columns:
        try:
            cells = parse_cells(of("cells") or "", tray)
        except ValueError as e:
            raise Refusal(str(e), f"cells-{i}", of("cells") or "") from None
    treated = (Pretreatment(kind=of("pretreatment")),) if of("pretreatment") else ()
    return sowing.Sowing(
        of("crop"),
        tuple(cells),
        of("seeds") or 1,
        of("depth"),
        of("variety"),
        lot,
        cast(Any, form.covered_with.data) if sown else None,
        treated if sown else (),
        start=None if sown else cast(Any, start),
        source=None if sown else of("source"),
        size_mm=None if sown else of("size"),
        practice={"per_cell": of("per-cell")} if sown and of("per-cell") else {},
    )
