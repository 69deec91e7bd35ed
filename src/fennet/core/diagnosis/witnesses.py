"""Which witnesses a batch's record holds: signs and checks that were logged, neighbours, the cell map."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from scipy.special import ndtr

from fennet.core.crop import Crop
from fennet.core.diagnosis.cell_map import bare_pattern
from fennet.core.diagnosis.engine import Complaint, Witness
from fennet.core.exposure import DAY_S
from fennet.core.history import counts_of
from fennet.core.learning.garden import crop_of
from fennet.core.records import Batch, Event, Journal
from fennet.core.room import tray_of
from fennet.core.seed import USUAL_RATE
from fennet.core.sowing import TOWEL_WAIT

#: A neighbour counts as due when sound seed at target would show this share, as come at this part of it, as late under that.
#: Source: starting_estimate.
DUE_SHARE, CAME_PART, LATE_PART = 0.35, 0.6, 0.3
#: Kinds whose plateau begins within so many degrees want much the same heat, °C. Source: starting_estimate.
SAME_HEAT_C = 4.0
NEIGHBOUR_FOR_S = 120 * DAY_S


def outcome_of(witness: Witness, words: str) -> str | None:
    """The outcome that the words of a logged check mean: an outcome's own name, or a word that stands for it.

    >>> w = Witness("top", ("soft", "crust"), (0.9, 0.1), {}, "x", says={"crust": ("hard",)})
    >>> outcome_of(w, "Crust"), outcome_of(w, "quite hard"), outcome_of(w, "blue")
    ('crust', 'crust', None)
    """
    plain = words.strip().lower().replace("-", " ").replace("_", " ")
    for outcome in witness.outcomes:
        if plain == outcome.replace("_", " "):
            return outcome
    for outcome in witness.outcomes:
        if outcome.replace("_", " ") in plain or any(word in plain for word in witness.says.get(outcome, ())):
            return outcome
    return None


def heard(
    journal: Journal, crops: Mapping[str, Crop], batch: Batch, events: Sequence[Event], complaint: Complaint, at_s: float
) -> dict[str, str]:
    """Witness → outcome, as far as the record holds them at a moment; the latest of two counts. `events` are effective events."""
    out: dict[str, str] = {}
    tray = tray_of(batch, events, at_s)
    for e in events:
        if not (batch.sown_at.timestamp() <= e.at_s <= at_s):
            continue
        if e.kind == "sign" and (e.fields.get("batch") == batch.id or (e.fields.get("tray") or "") == tray):
            for w in complaint.witnesses.values():
                if e.fields["sign"] in w.signs:
                    out[w.key] = w.signs[e.fields["sign"]]
        elif e.kind == "check" and e.fields.get("batch") == batch.id:
            what, result = str(e.fields.get("what") or ""), str(e.fields.get("result") or "")
            own = complaint.witnesses.get(what.strip().lower().replace(" ", "_").replace("-", "_"))
            for w in [own] if own else complaint.witnesses.values():
                found = outcome_of(w, result)
                if found is not None and w.asks and (own or w.key == _meant(complaint, what)):
                    out[w.key] = found
    if "same_tray_other_seed" in complaint.witnesses:
        out.update(_neighbours(journal, crops, batch, events, tray, at_s))
    ups = [
        e.fields["cell_list"] for e in events if e.kind == "count" and e.fields["batch"] == batch.id and e.fields.get("cell_list")
    ]
    if batch.cell_list and ups and "cell_map" in complaint.witnesses:
        pattern = bare_pattern(batch.cell_list, {c for cells in ups for c in cells})
        if pattern is not None:
            out["cell_map"] = pattern
    return {k: v for k, v in out.items() if k in complaint.witnesses}


#: Words of a check's `what` that name a witness where its key was not used.
MEANT = {
    "dug_seed": ("dug", "dig", "press"), "seed_depth": ("depth", "deep"), "mix_top": ("crust", "surface", "top of"),
    "mix_feel": ("feel", "squeeze", "weight", "lift"), "wet_top": ("film", "alga", "fluff", "flies"),
    "seed_year": ("packet", "year"), "cover_of_seed": ("cover",), "seed_was_treated": ("soak", "nick", "treat"),
}  # fmt: skip


def _meant(complaint: Complaint, what: str) -> str | None:
    plain = what.lower()
    return next((k for k, words in MEANT.items() if k in complaint.witnesses and any(w in plain for w in words)), None)


def _neighbours(
    journal: Journal, crops: Mapping[str, Crop], batch: Batch, events: Sequence[Event], tray: str | None, at_s: float
) -> dict[str, str]:
    """What other batches say: other seed in this tray that wants much the same heat, the same seed in another tray."""
    mine = crop_of(crops, batch)
    found: dict[str, list[str]] = {"same_tray_other_seed": [], "same_seed_elsewhere": []}
    for other in journal.batches:
        age_s = at_s - other.sown_at.timestamp()
        if other.id == batch.id or other.crop not in crops or not 0 < age_s < NEIGHBOUR_FOR_S:
            continue
        same_seed = (batch.seed_lot is not None and other.seed_lot == batch.seed_lot) or (
            batch.seed_lot is None and other.seed_lot is None and other.crop == batch.crop
            and other.variety is not None and other.variety == batch.variety
        )  # fmt: skip
        same_tray = tray is not None and other.tray == batch.tray
        if same_seed == same_tray:
            continue
        how = None if not other.from_seed else _came(crop_of(crops, other), other, events, at_s)
        if how is None:
            continue
        heat_c = crops[other.crop].t_lo_c - mine.t_lo_c
        if same_seed:
            found["same_seed_elsewhere"].append(how)
        elif (heat_c > -SAME_HEAT_C) if how == "came" else (heat_c < SAME_HEAT_C):
            found["same_tray_other_seed"].append(how)
    return {k: max(set(v), key=lambda x: (v.count(x), x)) for k, v in found.items() if v}


def _came(crop: Crop, batch: Batch, events: Sequence[Event], at_s: float) -> str | None:
    """Whether a batch stands as sound seed at target would, late, or neither can be said yet."""
    counts = counts_of(batch, events)
    rate = float(crop.response.rate_per_day(crop.target_soil_c)) / (TOWEL_WAIT if batch.set_up == "towel" else 1.0)
    d = (at_s - batch.sown_at.timestamp()) / DAY_S * rate
    seed = USUAL_RATE * float(ndtr(np.log(max(d, 1e-9)) / crop.wait_sigma))
    n_seeds = batch.n_seeds_per_cell if counts.unit == "cells" else 1
    due = 1.0 - (1.0 - seed) ** n_seeds
    share = counts.up / counts.of
    if share >= CAME_PART * max(due, DUE_SHARE):
        return "came"
    if due < DUE_SHARE:
        return None
    return "late_too" if share <= LATE_PART * due else None
