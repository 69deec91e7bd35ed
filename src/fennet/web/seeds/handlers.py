"""Handlers of the seed box."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from flask import abort, flash, redirect, render_template, url_for

from fennet.core.records import SeedLot
from fennet.core.seed_advice import advice, too_old
from fennet.core.stock import seeds_left
from fennet.core.targets import practice_of
from fennet.crops import UnknownCrop
from fennet.operations import seed_box
from fennet.operations.acting import Refusal
from fennet.web import record, request_context
from fennet.web.forms import submitted
from fennet.web.plan import answers
from fennet.web.seeds.forms import PacketForm, TestForm
from fennet.web.workings import WorkingView, working_view
from fennet.web.writes import write

ADVICE_WORDS = {
    "give_up": "give it up, or sow it all in a towel",
    "test": "test twenty first",
    "thick": "sow thick",
    "sound": "sound",
    "empty": "none left",
    "too_old": "older than you sow: your practice is this year’s only",
}


@dataclass(frozen=True)
class PacketView:
    """A packet as listed: what is left, the share alive with its 80 % range, and what to do with it."""

    lot: SeedLot
    crop: str
    left: str
    alive: str
    range: str
    advice: str
    advice_key: str
    working: WorkingView
    low_pct: int
    high_pct: int
    mid_pct: int


def _views() -> list[PacketView]:
    journal, fmt = record.journal(), request_context.formatter()
    table, today = record.answers().table, answers.today()
    left = seeds_left(journal, request_context.now().timestamp())
    out = []
    for n, lot in enumerate(journal.seed_lots):
        try:
            crop, state = table.get(lot.crop), record.answers().seed_of(lot, today)
        except UnknownCrop:
            continue
        low, high = (float(x) for x in state.quantiles(np.array([0.1, 0.9])))
        key = advice(state, left.get(lot.id), too_old(lot.packed, today.year, practice_of(journal.garden)))
        out.append(
            PacketView(
                lot,
                crop.name,
                str(left[lot.id]) if lot.id in left else "not counted",
                fmt.percent(state.mean),
                f"{round(low * 100)}–{round(high * 100)} %",
                ADVICE_WORDS[key],
                key,
                working_view(f"w-lot-{n}", state.working, fmt),
                round(low * 100),
                round(high * 100),
                round(state.mean * 100),
            )
        )
    return sorted(out, key=lambda v: (v.crop, v.lot.variety or "", -(v.lot.packed or 0)))


@request_context.in_garden
def index() -> Any:
    return render_template("seeds/index.html", packets=_views())


@request_context.in_garden
def packet(lot_id: str | None = None) -> Any:
    """The form of one packet, new or there already, with its home tests."""
    journal = record.journal()
    old = next((x for x in journal.seed_lots if x.id == lot_id), None)
    if lot_id is not None and old is None:
        abort(404)
    form, refusal = PacketForm(data=_known(old)), None
    if submitted():
        try:
            form.take()
            given = form.values("crop", "variety", "source", "mother", "packed", "storage", "rate", "seeds")
            given["treated"] = True if form.treated.data else None
            kept = write(lambda w: seed_box.put_lot(w, given, lot_id))
            flash("Packet saved.")
            if form.another.data:
                return redirect(url_for("seeds.packet", slug=request_context.garden().slug))
            return redirect(url_for("seeds.index", slug=request_context.garden().slug, _anchor=kept))
        except Refusal as e:
            form.tell(e)
            refusal = e
    table = record.answers().table
    view = next((v for v in _views() if v.lot.id == lot_id), None)
    return render_template(
        "seeds/packet.html",
        old=old,
        view=view,
        refusal=refusal,
        form=form,
        test=TestForm(formdata=None, on=answers.today()),
        crops=list(table),
        crop_name=table.get(old.crop).name if old else "",
        batches=[b for b in journal.batches if old and b.seed_lot == old.id],
    ), 400 if refusal else 200


def _known(old: SeedLot | None) -> dict[str, Any]:
    """What is known of a packet, as its form shows it."""
    if old is None:
        return {}
    journal = record.journal()
    left = seeds_left(journal, request_context.now().timestamp())
    return {**vars(old), "crop": record.answers().table.get(old.crop).name, "seeds": left.get(old.id)}


@request_context.in_garden
def test(lot_id: str) -> Any:
    """Enter a home test."""
    form = TestForm()
    try:
        form.take()
        given = form.values("on", "sown", "germinated")
        write(lambda w: seed_box.enter_test(w, lot_id, given))
        flash("Test saved. The packet’s value was worked out again.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("seeds.packet", slug=request_context.garden().slug, lot_id=lot_id))


@request_context.in_garden
def drop(lot_id: str) -> Any:
    try:
        write(lambda w: seed_box.drop_lot(w, lot_id))
        flash("Packet removed.")
    except Refusal as e:
        flash(e.reason, "error")
        return redirect(url_for("seeds.packet", slug=request_context.garden().slug, lot_id=lot_id))
    return redirect(url_for("seeds.index", slug=request_context.garden().slug))
