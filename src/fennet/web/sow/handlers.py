"""Handlers of sowing."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, cast

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.core.crop import Crop
from fennet.core.history import occupancies, standing
from fennet.core.planning.sowing_day import COVERING_OF
from fennet.core.records import Batch, Journal, Mix, Pretreatment, SeedLot, Tray
from fennet.core.targets import practice_of
from fennet.crops import CropTable, shipped
from fennet.journal.cells import parse_cells
from fennet.operations import sowing
from fennet.operations.acting import Refusal
from fennet.storage import queries
from fennet.web import asking, record
from fennet.web.writes import write

MOST_KINDS = 8
FIELDS = ("crop", "variety", "cells", "seeds", "depth", "lot", "packed", "rate", "storage", "source", "pretreatment")
MIXES = {
    "seed_mix": "seed mix",
    "potting_mix": "potting mix",
    "coir": "coir",
    "garden_soil": "garden soil",
    "other": "another mix",
}
STORAGES = {"room": "room-cool and dry", "cold_dry": "cold and dry, a jar in the refrigerator", "warm_damp": "warm or damp"}
COVERINGS = {"mix": "sieved mix", "vermiculite": "vermiculite", "perlite": "perlite", "none": "nothing"}
PRETREATMENTS = {"": "none", "soak": "soaked", "nick": "nicked", "cold_moist": "kept cold and moist", "hot_water": "hot water"}


@dataclass(frozen=True)
class KindRow:
    """One kind of the form as typed."""

    index: int
    values: dict[str, str]

    def __getattr__(self, name: str) -> str:
        return self.values.get(name, "")


@asking.in_garden
def sow() -> Any:
    ref = asking.garden()
    with asking.engine().connect() as c:
        trays = [t for t in queries.records(c, ref.id, "trays") if t.rows and t.columns]
        lots = queries.records(c, ref.id, "seed_lots")
        tray_id = request.values.get("tray") or (trays[0].id if trays else "")
        tray = next((t for t in trays if t.id == tray_id), None)
        if trays and tray is None:
            abort(404)
        table = shipped().with_own(queries.own_crops(c, ref.id))
        held = _held(replace(record.journal(), trays=[tray]), table, asking.now().timestamp()) if tray else {}
    if tray is None:
        flash("Sowing needs a tray. Make one first.")
        return redirect(url_for("trays.new", slug=ref.slug))
    n = min(MOST_KINDS, max(1, int(request.values.get("kinds", "1") if request.values.get("kinds", "1").isdigit() else 1)))
    rows = [KindRow(i, {f: request.form.get(f"{f}-{i}", "").strip() for f in FIELDS}) for i in range(n)]
    refusal = None
    if request.method == "POST" and not request.form.get("more"):
        try:
            ids = _sow(tray, [r for r in rows if r.crop or r.cells])
            names = ", ".join(r.crop for r in rows if r.crop)
            flash(f"Sown: {names} in tray {tray.id}.")
            return redirect(url_for("tray.show", slug=ref.slug, tray_id=tray.id, _anchor=ids[0] if ids else None))
        except Refusal as e:
            refusal = e
    if request.form.get("more"):
        rows.append(KindRow(len(rows), {}))
    practice = practice_of(ref.garden)
    usual = {
        "usual_seeds": 1 if practice["seeds_per_cell"] == "one" else 2,
        "usual_cover": COVERING_OF[practice["covering"]],
    }
    choices = {"mixes": MIXES, "storages": STORAGES, "coverings": COVERINGS, "pretreatments": PRETREATMENTS}
    return render_template(
        "sow/sow.html",
        trays=trays,
        tray=tray,
        held=held,
        rows=rows,
        crops=list(table),
        lots=lots,
        refusal=refusal,
        now_typed=asking.speech().typed(asking.now()),
        most=MOST_KINDS,
        form=request.form,
        **choices,
        **usual,
    ), 400 if refusal else 200


def _held(journal: Journal, table: CropTable, now_s: float) -> dict[str, Crop]:
    """Cells of the tray that are taken now, with the crop that holds them."""
    events = standing(journal.events, now_s)
    tray = journal.trays[0].id
    stays = ((b, s) for b in journal.batches for s in occupancies(b, events))
    return {s.cell: table.get(b.crop) for b, s in stays if s.tray == tray and s.to_s > now_s}


def _number(text: str, what: str, whole: bool = False) -> float:
    try:
        value = float(text.replace(",", "."))
        if whole and value != int(value):
            raise ValueError
    except (ValueError, OverflowError):
        raise Refusal(f"{what}: {text!r} is no {'whole ' if whole else ''}number.", what) from None
    return value


def _sow(tray: Tray, rows: list[KindRow]) -> list[str]:
    sowings = [_sowing(tray, row) for row in rows]
    mix = request.form.get("mix", "seed_mix")
    covered_with = request.form.get("covered_with", "mix")
    template = Batch(
        id="new",
        crop="new",
        sown_at=asking.now(),
        cells=1,
        set_up="in_mix",
        mix=Mix(kind=cast(Any, mix if mix in MIXES else "other")),
    )
    sowings = [sowing.replace_covering(s, cast(Any, covered_with if covered_with in COVERINGS else None)) for s in sowings]
    made = write(
        lambda w: sowing.sow(
            w, tray.id, sowings, template, asking.typed_time(request.form.get("sown_at")), bool(request.form.get("covered"))
        )
    )
    return made or []


def _sowing(tray: Tray, row: KindRow) -> sowing.Sowing:
    if not row.crop:
        raise Refusal("A crop is missing: type its name.", "crop")
    lot: str | SeedLot | None = row.lot or None
    if lot is None and (row.packed or row.rate or row.source):
        rate = _number(row.rate, "rate") / 100 if row.rate else None
        packed = int(_number(row.packed, "packed", whole=True)) if row.packed else None
        if rate is not None and not 0 <= rate <= 1:
            raise Refusal("The packet's rate is a percentage from 0 to 100.", "rate", row.rate)
        if packed is not None and not 1950 <= packed <= asking.now().year:
            raise Refusal(f"The year it was packed lies from 1950 to {asking.now().year}.", "packed", row.packed)
        storage = row.storage if row.storage in STORAGES else None
        lot = SeedLot(
            id="new",
            crop=row.crop[:64],
            variety=row.variety or None,
            packed=packed,
            rate=rate,
            source=row.source or None,
            storage=cast(Any, storage),
        )
    try:
        cells = parse_cells(row.cells, tray)
    except ValueError as e:
        raise Refusal(str(e), "cells", row.cells) from None
    treated = (Pretreatment(kind=cast(Any, row.pretreatment)),) if row.pretreatment in PRETREATMENTS and row.pretreatment else ()
    return sowing.Sowing(
        row.crop,
        tuple(cells),
        int(_number(row.seeds or "1", "seeds", whole=True)),
        _number(row.depth, "depth") if row.depth else None,
        row.variety or None,
        lot,
        None,
        treated,
    )
