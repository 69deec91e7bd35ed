"""Trials: asked beforehand, sown side by side by lot, taken back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from pydantic import ValidationError
from sqlalchemy import delete, update

from fennet.core.records import Batch, Tray
from fennet.core.trials.layout import cell_plan, kept_plan
from fennet.core.trials.trial import Trial
from fennet.journal.trials import entry_of, trial_of
from fennet.operations.acting import Refusal, WriteContext, for_owners, refused
from fennet.operations.logging import new_id
from fennet.operations.sowing import Sowing, sow_in_trays
from fennet.operations.typed_records import crop_id, keep_entry
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MOST_TRIALS = 200
FIELD_WORDS = {"see": "what would matter", "cells": "cells of each", "name": "the name", "depth_mm": "the depth"}


def mark(w: WriteContext, trial: Trial) -> str:
    """Keep a trial before it is sown; its id. Raises Refusal."""
    if len({g.name for g in trial.groups}) < len(trial.groups):
        raise Refusal("Two groups have one name; give each its own.", "groups")
    if len(queries.open_entries(w.c, w.garden_id).get("trials", [])) >= MOST_TRIALS:
        raise Refusal(f"Up to {MOST_TRIALS} trials are kept; delete an old one first.")
    made = replace(trial, id=new_id("t"), crop=crop_id(w, trial.crop), made_at=w.now)
    entry = entry_of(made)
    try:
        # What could not be read again is not kept.
        trial_of(entry)
    except ValidationError as e:
        raise refused(e, FIELD_WORDS) from None
    keep_entry(w, "trials", entry)
    return made.id


def lay_out(w: WriteContext, trial_id: str, tray: Tray, free: list[str]) -> None:
    """Draw by lot which group each free cell of a tray is for, and keep that with the trial: what is printed is what is sown.
    Raises Refusal where the cells do not reach, or the trial is sown already."""
    trial = _unsown(w, trial_id)
    # The plan that was shown is kept; drawn again it is another one.
    anew = bool(kept_plan(trial)) and trial.tray == tray.id
    _replace(w, _with_plan(trial, tray, _drawn(trial, tray, free, new_id("d") if anew else trial.id)))


def sow(w: WriteContext, trial_id: str, tray: Tray, free: list[str], template: Batch) -> list[str]:
    """Sow a trial's groups side by side in a tray, by the plan kept for it or else by one drawn now; the batches' ids. Raises
    Refusal where cells of the plan were taken since, the cells do not reach, or the trial is sown already."""
    trial = _unsown(w, trial_id)
    plan = kept_plan(trial) if trial.tray == tray.id else {}
    taken = [c for c in plan if c not in free]
    if taken:
        raise Refusal(
            f"Of the plan {', '.join(taken[:6])}{' and more' if len(taken) > 6 else ''} in tray {tray.id} "
            f"{'is' if len(taken) == 1 else 'are'} no longer free. Draw it anew.", "tray", tray.id,
        )  # fmt: skip
    plan = plan or _drawn(trial, tray, free, trial.id)
    seeds = template.seeds_per_cell or 1
    sowings = [
        Sowing(trial.crop, tuple(c for c, g in plan.items() if g == n), seeds, x.depth_mm, x.variety, x.seed_lot)
        for n, x in enumerate(trial.groups)
    ]
    ids = sow_in_trays(w, [(tray.id, sowings)], replace(template, seeds_per_cell=None), w.now)
    laid_out = _with_plan(trial, tray, plan)
    groups = [replace(g, batches=[i]) for g, i in zip(laid_out.groups, ids, strict=True)]
    _replace(w, replace(laid_out, groups=groups))
    return ids


def _unsown(w: WriteContext, trial_id: str) -> Trial:
    trial = there(w, trial_id)
    if any(g.batches for g in trial.groups):
        raise Refusal("This trial is sown already.", "tray")
    return trial


def _drawn(trial: Trial, tray: Tray, free: list[str], lot: str) -> dict[str, int]:
    k, wanted = len(trial.groups), (trial.cells or 0) * len(trial.groups)
    if len(free) < k:
        raise Refusal(f"Tray {tray.id} has {len(free)} free cells; {k} groups need at least {k}.", "tray", tray.id)
    return cell_plan(free[: wanted or len(free)], k, lot)


def _with_plan(trial: Trial, tray: Tray, plan: Mapping[str, int]) -> Trial:
    groups = [replace(g, planned=[c for c, n in plan.items() if n == i]) for i, g in enumerate(trial.groups)]
    return replace(trial, tray=tray.id, groups=groups)


def answer_with(w: WriteContext, trial_id: str, batches: Mapping[str, list[str]]) -> None:
    """Say which batches answer for which group, where they were sown by hand. Raises Refusal."""
    trial = there(w, trial_id)
    known = {b.id for b in queries.records(w.c, w.garden_id, "batches")}
    for name, ids in batches.items():
        for i in ids:
            if i not in known:
                raise Refusal(f"There is no batch {i!r}; accepted: a batch of this garden.", name, i)
    _replace(w, replace(trial, groups=[replace(g, batches=batches.get(g.name, g.batches)) for g in trial.groups]))


@for_owners
def drop(w: WriteContext, trial_id: str) -> None:
    """Delete a trial; its batches stay."""
    there(w, trial_id)
    k = table_of(t.JournalSectionRow)
    w.c.execute(delete(k).where(k.c.garden_id == w.garden_id, k.c.section == "trials", k.c.body["id"].astext == trial_id))


def there(w: WriteContext, trial_id: str) -> Trial:
    """A trial by its id. Raises Refusal."""
    for entry in queries.open_entries(w.c, w.garden_id).get("trials", []):
        if entry.get("id") == trial_id:
            try:
                return trial_of(entry)
            except ValueError:
                break
    raise Refusal("There is no such trial.", "trial", trial_id)


def _replace(w: WriteContext, trial: Trial) -> None:
    k = table_of(t.JournalSectionRow)
    where = (k.c.garden_id == w.garden_id, k.c.section == "trials", k.c.body["id"].astext == trial.id)
    w.c.execute(update(k).where(*where).values(body=entry_of(trial)))
