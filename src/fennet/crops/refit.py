"""Refit the emergence response of every crop with trials and rewrite crops.csv: `python -m fennet.crops.refit`."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from fennet.core.response import SHAPES, Response, fit_response
from fennet.crops.table import group_shapes, trials

RATE_COLUMNS = ("t_base_c", "t_lo_c", "t_hi_c", "t_ceil_c", "r_max_per_day")


def refit(crop: str, left_out: int | None = None) -> Response:
    """The response fitted to a crop's trials, one cell left out if asked."""
    cells = [c for i, c in enumerate(trials()[crop]) if i != left_out]
    soil_c, days = (np.array(column) for column in zip(*cells, strict=True))
    return fit_response(soil_c, days, SHAPES[group_shapes()[crop]])


def main() -> None:
    path = Path(__file__).with_name("crops.csv")
    with path.open(encoding="utf-8", newline="") as f:
        rows = list(csv.DictReader(f))
    for row in rows:
        if row["id"] in trials():
            fitted = refit(row["id"])
            row |= {c: str(round(getattr(fitted, c), 4 if c == "r_max_per_day" else 2)) for c in RATE_COLUMNS}
    with path.open("w", encoding="utf-8", newline="") as f:
        writer = csv.DictWriter(f, list(rows[0]), lineterminator="\n")
        writer.writeheader()
        writer.writerows(rows)


if __name__ == "__main__":
    main()
