"""Refit the emergence response of every crop with trials and rewrite crops.csv: `python -m fennet.crops.refit`."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from fennet.core.response import SHAPES, SHARE_SHAPES, Response, ShareShape, fit_response, fit_share
from fennet.crops.table import group_shapes, share_trials, trials

RATE_COLUMNS = ("t_base_c", "t_lo_c", "t_hi_c", "t_ceil_c", "r_max_per_day")
#: Columns of the share, and the field of the fit that each holds.
SHARE_COLUMNS = {
    "share_none_below_c": "none_below_c",
    "share_full_from_c": "full_from_c",
    "share_full_to_c": "full_to_c",
    "share_none_at_c": "none_at_c",
}


def refit(crop: str, left_out: int | None = None) -> Response:
    """The rate fitted to a crop's trials, one cell left out if asked."""
    cells = [c for i, c in enumerate(trials()[crop]) if i != left_out]
    soil_c, days = (np.array(column) for column in zip(*cells, strict=True))
    return fit_response(soil_c, days, SHAPES[group_shapes()[crop]])


def refit_share(crop: str, left_out: int | None = None) -> ShareShape:
    """The share fitted to a crop's trials, one cell left out if asked."""
    cells = [c for i, c in enumerate(share_trials()[crop]) if i != left_out]
    soil_c, shares = (np.array(column) for column in zip(*cells, strict=True))
    came_c = [soil_c for soil_c, _ in trials()[crop]]
    return fit_share(soil_c, shares, SHARE_SHAPES[group_shapes()[crop]], (min(came_c), max(came_c)))


def main() -> None:
    path = Path(__file__).with_name("crops.csv")
    with path.open(encoding="utf-8", newline="") as f:
        rows = list(csv.DictReader(f))
    for row in rows:
        # Kin of the same species share their trials; where the kin was bred to another pace, their share alone.
        of = row["kin"] or row["id"]
        if of in trials() and row["kin_for"] != "share":
            fitted = refit(of)
            row |= {c: str(round(getattr(fitted, c), 4 if c == "r_max_per_day" else 2)) for c in RATE_COLUMNS}
            row["response_source"] = "harrington_minges_1954"
        if of in share_trials():
            share = refit_share(of)
            row |= {column: str(round(getattr(share, name), 1)) for column, name in SHARE_COLUMNS.items()}
            row["share_source"] = "harrington_minges_share"
    with path.open("w", encoding="utf-8", newline="") as f:
        writer = csv.DictWriter(f, list(rows[0]), lineterminator="\n")
        writer.writeheader()
        writer.writerows(rows)


if __name__ == "__main__":
    main()
