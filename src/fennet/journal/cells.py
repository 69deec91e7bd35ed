"""Cells as a person types them: `r1c1-r2c4, r4c6`."""

from __future__ import annotations

import re

from fennet.core.records import Tray

_CELL = re.compile(r"r(\d{1,2})c(\d{1,2})")


def parse_cells(text: str, tray: Tray) -> list[str]:
    """The cells named, in the tray's order, each once. A dash spans the rectangle between two corners; `all` is the tray.

    Raises ValueError for what is not a cell, or lies outside the tray.
    """
    names = tray.cell_names()
    if text.strip().lower() == "all":
        return names
    chosen: set[str] = set()
    for part in re.split(r"[,;\s]+", text.strip().lower()):
        if not part:
            continue
        ends = [_CELL.fullmatch(end) for end in part.split("-")]
        if len(ends) > 2 or not all(ends):
            raise ValueError(f"{part!r} names no cells; accepted: r1c1, a span like r1c1-r2c4, or all")
        rows, columns = ([int(e.group(i)) for e in ends if e] for i in (1, 2))
        for r in range(min(rows), max(rows) + 1):
            for c in range(min(columns), max(columns) + 1):
                if f"r{r}c{c}" not in names:
                    raise ValueError(f"Tray {tray.id} has no cell r{r}c{c}; it has r1c1 to {names[-1] if names else 'none'}.")
                chosen.add(f"r{r}c{c}")
    return [name for name in names if name in chosen]


def spoken_cells(cells: list[str] | tuple[str, ...]) -> str:
    """Cells as parse_cells takes them, as short as rectangles of whole runs make it.

    >>> spoken_cells(["r1c1", "r1c2", "r2c1", "r2c2", "r3c1"])
    'r1c1-r2c2, r3c1'
    """
    runs: list[tuple[int, int, int, int]] = []
    rows: dict[int, list[int]] = {}
    for cell in cells:
        found = _CELL.fullmatch(cell)
        if found:
            rows.setdefault(int(found[1]), []).append(int(found[2]))
    for row in sorted(rows):
        for first, last in _stretches(sorted(rows[row])):
            above = next((i for i, r in enumerate(runs) if r[1] == row - 1 and r[2:] == (first, last)), None)
            if above is None:
                runs.append((row, row, first, last))
            else:
                runs[above] = (runs[above][0], row, first, last)
    return ", ".join(f"r{a}c{c}" if (a, c) == (b, d) else f"r{a}c{c}-r{b}c{d}" for a, b, c, d in runs)


def _stretches(numbers: list[int]) -> list[tuple[int, int]]:
    out: list[tuple[int, int]] = []
    for n in numbers:
        if out and n == out[-1][1] + 1:
            out[-1] = (out[-1][0], n)
        else:
            out.append((n, n))
    return out
