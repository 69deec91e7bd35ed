"""The complaints that ship with Fennet, as data for `core.diagnosis`."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import lru_cache
from importlib.resources import files
from typing import Any

from fennet.core.diagnosis.engine import CauseFigures, Complaint, Witness

#: A cause that changes neither a wait nor a share.
NO_FORMS = ((1.0, 1.0, 1.0),)


@lru_cache
def shipped_complaints() -> dict[str, Complaint]:
    """Every complaint by its key. Raises ValueError for rows that do not fit together: a fault of the program."""
    text = files("fennet.crops").joinpath("complaints.toml").read_text(encoding="utf-8")
    return {key: complaint_of(key, entry) for key, entry in tomllib.loads(text).items()}


def complaint_of(key: str, entry: Mapping[str, Any]) -> Complaint:
    """One complaint from its table. Raises ValueError naming the row at fault.

    >>> row = {"prior": 0.1, "forms": [[1.0, 1.0, 0.5]], "source": "starting_estimate"}
    >>> complaint_of("slow", {"causes": {"dry": row}, "witnesses": {}}).causes["dry"].prior
    0.1
    """
    causes = {
        c: CauseFigures(c, row["prior"], tuple((f[0], f[1], f[2]) for f in row.get("forms", NO_FORMS)), row["source"])
        for c, row in entry["causes"].items()
    }
    for cause in causes.values():
        if abs(sum(f[0] for f in cause.forms) - 1.0) > 1e-9:
            raise ValueError(f"{key}.causes.{cause.key}: forms must weigh 1 together")
    witnesses = {w: _witness(f"{key}.witnesses.{w}", w, row, causes) for w, row in entry["witnesses"].items()}
    figures = {name: entry[name] for name in ("missing_share", "tail", "source") if name in entry}
    return Complaint(key, causes, witnesses, **figures)


def _witness(where: str, key: str, row: Mapping[str, Any], causes: Mapping[str, CauseFigures]) -> Witness:
    outcomes = tuple(row["outcomes"])
    tables = {"usual": row["usual"], **row["causes"]}
    for name, chances in tables.items():
        if len(chances) != len(outcomes) or abs(sum(chances) - 1.0) > 1e-9:
            raise ValueError(f"{where}.{name}: one chance for each outcome, adding to 1")
        if name != "usual" and name not in causes:
            raise ValueError(f"{where}.{name}: no such cause")
    for name in [*row.get("signs", {}).values(), *row.get("says", {})]:
        if name not in outcomes:
            raise ValueError(f"{where}: {name} is no outcome of it")
    by_cause = {c: tuple(v) for c, v in row["causes"].items()}
    says = {o: tuple(words) for o, words in row.get("says", {}).items()}
    return Witness(key, outcomes, tuple(row["usual"]), by_cause, row["source"], row.get("asks", True), row.get("signs", {}), says)
