"""Handlers of a sowing day: a run sheet whose lines log themselves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, cast

from flask import abort, flash, redirect, render_template, url_for
from wtforms import Field

from fennet.core.planning.sowing_day import Line, lines_of
from fennet.core.records import Batch, Journal, Mix, Pretreatment
from fennet.core.room import room_at
from fennet.core.stock import seeds_left
from fennet.core.targets import practice_of
from fennet.journal.cells import parse_cells, spoken_cells
from fennet.operations import sowing
from fennet.operations.acting import Refusal
from fennet.presentation.planning import day_words, note_words, sowing_words
from fennet.presentation.sowing import COVERINGS
from fennet.web import query, record, request_context
from fennet.web.forms import Form, Hidden, Words, made_of, submitted
from fennet.web.plan import answers
from fennet.web.plan.forms import DayLineForm
from fennet.web.writes import write

#: Trays that one sowing may be parted over.
MOST_TRAYS = 12
_FIELDS: dict[str, Field] = {f"tray-{i}": Hidden(longest=64) for i in range(MOST_TRAYS)}
_FIELDS |= {f"cells-{i}": Words("Cells", 2_000) for i in range(MOST_TRAYS)}
LineForm = made_of(_FIELDS, DayLineForm)
PRETREAT_WORDS = {
    "soak": "soaked overnight",
    "nick": "nicked",
    "cold_moist": "kept cold and moist",
    "hot_water": "treated in hot water",
}


@dataclass(frozen=True)
class LineView:
    """One line as the page shows it."""

    line: Line
    position: int
    name: str
    key: str
    packet: str
    left: int | None
    cells: list[tuple[str, str, int]]
    depth: str
    cover: str
    where: str
    setpoint: str
    pretreated: str
    notes: list[str]
    caution: str
    bag: str


@request_context.in_garden
def day(day: str) -> Any:
    """What one day sows; a line sends itself when it is done."""
    chosen = answers.today() if day == "today" else query.day(day)
    if chosen is None:
        abort(404)
    plan, journal = answers.plan(), record.journal()
    fmt, now_s = request_context.formatter(), request_context.now().timestamp()
    lines = lines_of(plan, chosen, journal, record.events(), room_at(journal, record.events(), now_s), now_s)
    if submitted():
        form = LineForm()
        try:
            form.take()
            flash(_sown(form, lines, journal))
        except Refusal as e:
            flash(e.reason, "error")
        return redirect(url_for("plan.day", slug=request_context.garden().slug, day=day))
    left = seeds_left(journal, now_s)
    days = sorted({p.sow_on for p in plan.sowings if p.sow_on})
    done = [b for b in journal.batches if fmt.local(b.sown_at).date() == chosen and b.from_batch is None]
    return render_template(
        "plan/day.html",
        day=chosen,
        title=day_words(chosen, fmt),
        lines=[_view(x, left, fmt) for x in lines],
        done=done,
        days=[(d, day_words(d, fmt), sum(1 for p in plan.sowings if p.sow_on == d)) for d in days],
        starts=[(sowing_words(p), PRETREAT_WORDS[p.draft.crop.pretreatment]) for p in plan.sowings if p.pretreat_from == chosen],
        early=chosen > answers.today(),
        crops=record.answers().table,
    )


def _view(x: Line, left: dict[str, int], fmt: Any) -> LineView:
    d = x.p.draft
    lot = d.lot
    packet = ", ".join(filter(None, [lot.source, f"packed {lot.packed}" if lot.packed else ""])) if lot else ""
    treated = PRETREAT_WORDS.get(d.crop.pretreatment, "")
    where = f"on {x.mat}" if x.mat else ("on a mat, none is free now" if x.p.on_mat else "without a mat")
    caution = "Treated seed: gloves, and not for eating." if lot and lot.treated else ""
    return LineView(
        x,
        answers.positions()[d.at],
        sowing_words(x.p),
        d.key,
        packet,
        left.get(lot.id) if lot else None,
        [(tray, spoken_cells(cells), len(cells)) for tray, cells in x.places],
        "on the surface" if x.depth_mm <= 0 else f"{fmt.length(x.depth_mm)} deep",
        "nothing: pressed in" if x.covered_with == "none" else COVERINGS[x.covered_with],
        where,
        fmt.temperature(x.setpoint_c, 0) if x.setpoint_c is not None else "",
        treated,
        [note_words(n, fmt, d.crop.name) for n in d.notes if n.kind in ("short_of_seed", "dead_seed", "past", "buy_plants")],
        caution,
        fmt.temperature(x.p.heat.soil_c, 0) if x.p.heat else "",
    )


def _sown(form: Form, lines: list[Line], journal: Journal) -> str:
    """Log one line: what was really sown, where, on which mat. Raises Refusal."""
    line = next((x for x in lines if f"{answers.positions()[x.p.draft.at]}:{x.p.draft.key}" == form["line"].data), None)
    if line is None:
        raise Refusal("That line is done or no longer planned; this is the new sheet.")
    d = line.p.draft
    if d.much.set_up == "towel":
        return _laid(form, line)
    trays = {t.id: t for t in journal.trays}
    given: list[tuple[str, list[str]]] = []
    for i in range(MOST_TRAYS):
        tray_id, text = form[f"tray-{i}"].data, form[f"cells-{i}"].data
        if not tray_id or not text:
            continue
        if tray_id not in trays:
            raise Refusal(f"There is no tray {tray_id} in this garden.", "tray", tray_id)
        try:
            given.append((tray_id, parse_cells(text, trays[tray_id])))
        except ValueError as e:
            raise Refusal(str(e), "cells", text) from None
    seeds = form["seeds"].data
    if seeds is None:
        raise Refusal("Seeds in a cell are missing; accepted: 1 to 200.", "seeds")
    treated = (Pretreatment(kind=cast(Any, d.crop.pretreatment)),) if form["pretreated"].data else ()
    one = [
        (
            tray,
            [
                sowing.Sowing(
                    d.crop.id,
                    tuple(cells),
                    seeds,
                    line.depth_mm,
                    d.want.variety,
                    d.lot.id if d.lot else None,
                    cast(Any, line.covered_with),
                    treated,
                    answers.positions()[d.at],
                    d.key,
                )
            ],
        )
        for tray, cells in given
    ]
    template = Batch(
        id="new",
        crop=d.crop.id,
        sown_at=request_context.now(),
        cells=1,
        set_up=cast(Any, d.much.set_up),
        mix=Mix(kind="seed_mix"),
        practice=dict(d.want.practice),
    )
    actions: list[tuple[str, dict[str, Any]]] = []
    for tray, _ in given:
        if form["covered"].data:
            actions.append(("cover", sowing.cover_set(tray, practice_of(request_context.garden().garden))))
        if form["mat"].data and line.mat and tray == given[0][0]:
            actions.append(("mat", {"mat": line.mat, "tray": tray, "on": True, "setpoint_c": round(line.setpoint_c or 0, 1)}))
    at = form.pressed
    ids = write(lambda w: sowing.sow_in_trays(w, one, template, at, actions)) or []
    cells_sown = sum(len(cells) for _, cells in given)
    return (
        f"Sown: {cells_sown} cells of {sowing_words(line.p)} ({', '.join(ids)}). Set it aside before the next packet is opened."
    )


def _laid(form: Form, line: Line) -> str:
    """Log a towel: seeds by the number. Raises Refusal."""
    d, seeds = line.p.draft, form["towel"].data
    if seeds is None:
        raise Refusal("Seeds in the towel: a whole number is needed.", "towel")
    treated = (Pretreatment(kind=cast(Any, d.crop.pretreatment)),) if form["pretreated"].data else ()
    one = sowing.Sowing(
        d.crop.id, (), 1, None, d.want.variety, d.lot.id if d.lot else None, None, treated, answers.positions()[d.at], d.key
    )
    template = Batch(id="new", crop=d.crop.id, sown_at=request_context.now(), seeds=1, practice=dict(d.want.practice))
    made = write(lambda w: sowing.lay_in_towel(w, one, seeds, template))
    return f"{seeds} seeds of {sowing_words(line.p)} lie in the towel ({made}). Open it daily; each live one gets a cell."
