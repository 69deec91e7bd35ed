"""The bench drawing: one room in elevation, to scale from the record's measures.

Millimetres of the room become units of the drawing; words keep their size. Heights between shelves are true; where a shelf's
own height is not known they are stacked with room for a lamp.
"""

from __future__ import annotations

from fennet.core.conditions import Conditions
from fennet.core.history import counts_of
from fennet.core.light import LampState, clock_of, mean_ppfd_umol
from fennet.core.records import Batch, Event, Journal, Place
from fennet.core.room import USUAL_TRAY_HEIGHT_MM, RoomState, footprint_mm, leaf_distance_mm
from fennet.presentation.formatter import Formatter
from fennet.web.bands import channel_view, figure
from fennet.web.today.drawn import ROOMLESS, SIDE_MM, Bench, DrawnLamp, DrawnPlace, DrawnTray, Ray, Row, Seedling, TrayNow

#: Measures where the record has none, mm. Source: starting_estimate.
USUAL_SHELF_MM, USUAL_TRAY_MM, STACK_MM, HEADROOM_MM = 1200.0, 360.0, 550.0, 420.0
#: Room kept under a shelf's board for the words below its trays, and the most that is drawn between two shelves, mm.
UNDER_MM, MOST_GAP_MM = 150.0, 620.0
COVER_MM, GAP_MM = 60.0, 24.0
#: PPFD that is drawn as the fullest light, µmol m⁻² s⁻¹.
FULL_LIGHT = 250.0
RAYS = 16


def bench(
    journal: Journal,
    state: RoomState,
    now: dict[str, TrayNow],
    canopies: dict[str, float | None],
    room: str,
    events: list[Event],
    at_s: float,
    fmt: Formatter,
) -> Bench:
    """One room's places from the highest to the lowest, each with its lamps and trays, and the same in rows of words."""
    places = [p for p in journal.places if (p.room or ROOMLESS) == room and _there(p, at_s)]
    columns = _columns(places)
    rows: list[Row] = []
    drawn: list[list[DrawnPlace]] = []
    for column in columns:
        y = 20.0
        drawn.append([])
        for i, place in enumerate(column):
            lamps = state.over(place.id)
            need = _need(place, lamps, [now[t] for t, s in state.trays.items() if s.place == place.id and t in now], canopies)
            above = column[i - 1] if i else None
            gap = need
            if above is not None:
                apart = above.z_mm - place.z_mm if above.z_mm is not None and place.z_mm is not None else STACK_MM
                gap = max(need, min(MOST_GAP_MM, apart) - UNDER_MM)
            top = y
            y += gap
            drawn[-1].append(_place(journal, place, state, now, canopies, SIDE_MM, top, y, events, fmt, rows))
            y += UNDER_MM
    loose = [t for t, s in state.trays.items() if s.place is None or s.place == room]
    loose = [t for t in loose if t in now and (now[t].inside or now[t].untold)]
    return Bench(drawn, rows, loose)


def _there(place: Place, at_s: float) -> bool:
    return not (place.until and place.until.timestamp() < at_s) and not (place.since and place.since.timestamp() > at_s)


def _columns(places: list[Place]) -> list[list[Place]]:
    """Places that stand over one another are one column, highest first; the others stand beside them."""
    out: list[list[Place]] = []
    for p in sorted(places, key=lambda p: (p.x_mm or 0.0, -(p.z_mm or 0.0))):
        start, end = p.x_mm or 0.0, (p.x_mm or 0.0) + (p.width_mm or USUAL_SHELF_MM)
        for column in out:
            first = column[0]
            low, high = first.x_mm or 0.0, (first.x_mm or 0.0) + (first.width_mm or USUAL_SHELF_MM)
            if start < high - 50 and low < end - 50:
                column.append(p)
                break
        else:
            out.append([p])
    return [sorted(column, key=lambda p: -(p.z_mm or 0.0)) for column in out]


def _need(place: Place, lamps: list[LampState], trays: list[TrayNow], canopies: dict[str, float | None]) -> float:
    """The height a place must be drawn with, mm: its lamps and what stands on it."""
    tops = [(t.tray.height_mm or USUAL_TRAY_HEIGHT_MM) + (canopies.get(t.tray.id) or 40.0) + COVER_MM for t in trays]
    return max([HEADROOM_MM - 170.0, *((x.height_mm or 200.0) + 95.0 for x in lamps), *(top + 60.0 for top in tops)])


def _place(
    journal: Journal,
    place: Place,
    state: RoomState,
    now: dict[str, TrayNow],
    canopies: dict[str, float | None],
    x0: float,
    top: float,
    y: float,
    events: list[Event],
    fmt: Formatter,
    rows: list[Row],
) -> DrawnPlace:
    width = place.width_mm or USUAL_SHELF_MM
    standing = [now[t] for t, s in state.trays.items() if s.place == place.id and t in now]
    spots = _spots(standing, state, width)
    trays = [_tray(t, state, x0 + spots[t.tray.id], y, canopies, events, fmt) for t in standing]
    lamps = [_lamp(journal, x, standing, spots, canopies, x0, width, y, fmt) for x in state.over(place.id)]
    name = place.name or place.id
    for t in sorted(standing, key=lambda t: spots[t.tray.id]):
        rows += _rows(name, t, state, fmt)
    told = f"{name}: {', '.join(f'{t.id} {t.name}' for t in trays) or 'nothing stands here'}"
    return DrawnPlace(place.id, name, place.kind or "shelf", x0, y, width, top, y + UNDER_MM, trays, lamps, told)


def _spots(trays: list[TrayNow], state: RoomState, width: float) -> dict[str, float]:
    """Where each tray's left edge lies, mm from the place's; those without a spot fill up from the left."""
    out: dict[str, float] = {}
    taken: list[tuple[float, float]] = []
    for t in trays:
        x, w = state.trays[t.tray.id].x_mm, _width(t, state)
        if x is not None:
            out[t.tray.id] = x
            taken.append((x, x + w))
    for t in trays:
        if t.tray.id in out:
            continue
        w, x = _width(t, state), 20.0
        for a, b in sorted(taken):
            if x + w + GAP_MM <= a:
                break
            x = max(x, b + GAP_MM)
        out[t.tray.id] = x
        taken.append((x, x + w))
    return out


def _width(t: TrayNow, state: RoomState) -> float:
    size = footprint_mm(t.tray, state.trays[t.tray.id].turned_deg)
    return size[0] if size else USUAL_TRAY_MM


def _tray(
    t: TrayNow, state: RoomState, x: float, y: float, canopies: dict[str, float | None], events: list[Event], fmt: Formatter
) -> DrawnTray:
    width, height = _width(t, state), t.tray.height_mm or USUAL_TRAY_HEIGHT_MM
    here = state.trays[t.tray.id]
    seedlings: list[Seedling] = []
    ups, names = [], []
    n = max(1, len(t.inside))
    for i, (b, _, _, crop) in enumerate(t.inside):
        counts = counts_of(b, events)
        ups.append(f"{counts.up} of {counts.of}")
        names.append(crop.name)
        stem = canopies.get(t.tray.id) or 22.0
        seedlings += _row_of(counts.up, counts.of, crop.seed_leaf, x + width * i / n, width / n, max(20.0, min(stem, 260.0)))
    under: list[tuple[str, str]] = []
    for _, c, f, _ in t.inside:
        soil = c.channels["soil_temperature"]
        if soil.value is not None and not under:
            what = "air" if c.soil_is_air else "soil"
            under.append((what, f"{what} {figure('soil_temperature', soil.value, fmt)}"))
        if f is not None and f.half_up and not f.half_up.settled and f.verdict in ("not_yet", "late", "on_time"):
            under.append(("due", f"{'late, ' if f.verdict == 'late' else ''}half {fmt.day_range(f.half_up)}"))
    grave = next((m for m in t.matters if m.grave), None) or (t.matters[0] if t.matters else None)
    mark = grave.mark if grave else ""
    names += t.untold
    words = [f"{crop.name} {ups[i]} up{_out_words(b, c, fmt)}" for i, (b, c, _, crop) in enumerate(t.inside)]
    told = "; ".join([*words, *(f"{name} could not be worked out" for name in t.untold)]) or "empty"
    return DrawnTray(
        t.tray.id,
        ", ".join(names) or "empty",
        _short(", ".join(names) or "empty"),
        x,
        y - height,
        width,
        height,
        seedlings,
        ", ".join(ups),
        here.cover,
        here.mat or "",
        under[:2],
        grave.what if grave else "",
        mark,
        f"Tray {t.tray.id}, {told}",
    )


def _short(name: str) -> str:
    return name if len(name) <= 20 else f"{name[:18]}…"


def _out_words(b: Batch, c: Conditions, fmt: Formatter) -> str:
    views = [channel_view(ch, b.id, fmt, working=False) for ch in c.channels.values() if ch.out]
    return "".join(f", {v.name.lower()} {v.mark}" for v in views)


def _row_of(up: int, of: int, leaf: str, x: float, width: float, stem: float) -> list[Seedling]:
    """Seedlings side by side: as many as are up, spread over the width their batch has."""
    most = max(1, int(width // 17))
    n = min(up, most)
    if n == 0:
        return []
    step = (width - 16.0) / max(of if of <= most else most, 1)
    size = max(26.0, min(40.0, step * 1.5))
    return [
        Seedling(round(x + 8.0 + step * (i + 0.5), 1), leaf, round(size, 1), round(stem * (0.92 + 0.16 * ((i * 7) % 5) / 5), 1))
        for i in range(n)
    ]


def _lamp(
    journal: Journal,
    lamp: LampState,
    trays: list[TrayNow],
    spots: dict[str, float],
    canopies: dict[str, float | None],
    x0: float,
    width: float,
    y: float,
    fmt: Formatter,
) -> DrawnLamp:
    own = next(x for x in journal.lamps if x.id == lamp.lamp)
    length = min(own.length_mm or width * 0.8, width)
    x = x0 + (width - length) / 2
    height = lamp.height_mm if lamp.height_mm is not None else 200.0
    bar_y = y - height
    lit = [c for t in trays for _, c, _, _ in t.inside if c.channels["daily_light"].value]
    mean = _mean_ppfd(lit)
    hours = _timer_words(lamp)
    words = f"{lamp.lamp}, {hours}" + (f", {fmt.number(mean, 0)} µmol" if mean else "")
    distance, nearest = None, None
    for t in trays:
        gap = leaf_distance_mm(lamp.height_mm, t.tray, canopies.get(t.tray.id))
        if gap is not None and t.inside and (nearest is None or gap < nearest[0]):
            nearest = (gap, t)
    if nearest is not None:
        gap, t = nearest
        right = min(x0 + spots[t.tray.id] + _span(t) + 10.0, x0 + width - 6.0)
        distance = (round(right, 1), round(bar_y, 1), round(bar_y + max(gap, 4.0), 1), fmt.length(gap))
    shade = min(1.0, (mean or 0.0) / FULL_LIGHT)
    n = max(4, int(RAYS * length / 1000))
    rays = [
        Ray(
            round(x + length * (i + 0.5) / n, 1),
            round(x + length * (i + 0.5) / n + (i - n / 2) * 3.0, 1),
            round(bar_y + 16.0, 1),
            round(y - 4.0, 1),
        )
        for i in range(n)
    ]
    out = any(c.channels["daily_light"].out or c.channels["light_hours"].out for c in lit)
    told = f"{words}, {fmt.length(height)} over the shelf" + (f", {distance[3]} from the leaves" if distance else "")
    return DrawnLamp(
        lamp.lamp,
        x,
        round(bar_y, 1),
        length,
        26.0,
        words,
        rays if shade > 0 or lamp.periods else [],
        round(0.25 + 0.75 * shade, 2),
        bool(lamp.periods),
        distance,
        out,
        told,
        lamp.height_mm,
        f"{lamp.lamp} at {max(10.0, height - 20):.0f}mm",
        f"{lamp.lamp} at {height + 20:.0f}mm",
    )


def _mean_ppfd(lit: list[Conditions]) -> float | None:
    """Brightness under a lamp while it is lit, over the trays that know theirs."""
    pairs = [(c.channels["daily_light"].value, c.channels["light_hours"].value) for c in lit]
    found = [m for m in (mean_ppfd_umol(mol or 0.0, h or 0.0) for mol, h in pairs) if m is not None]
    return sum(found) / len(found) if found else None


def _timer_words(lamp: LampState) -> str:
    if lamp.periods is None:
        return "timer not known"
    return ", ".join(f"{clock_of(a)}–{clock_of(b)}" for a, b in lamp.periods) or "off"


def _span(t: TrayNow) -> float:
    return t.tray.width_mm or USUAL_TRAY_MM


def _rows(place: str, t: TrayNow, state: RoomState, fmt: Formatter) -> list[Row]:
    here = state.trays[t.tray.id]
    surroundings = ", ".join(
        w
        for w in (
            f"cover {here.cover}" if here.cover != "off" else "",
            f"on {here.mat}" if here.mat else "",
            ", ".join(x.lamp for x in state.over(here.place)),
        )
        if w
    )
    if not t.inside and not t.untold:
        return [Row(place, t.tray.id, "empty", "", "", "", "", "", surroundings)]
    out = [Row(place, t.tray.id, name, "not worked out", "", "", "", "", surroundings) for name in t.untold]
    for b, c, f, crop in t.inside:
        views = {q: channel_view(ch, b.id, fmt, working=False) for q, ch in c.channels.items()}
        cell = {q: f"{v.value}{f', {v.mark}' if v.mark else ''}" for q, v in views.items()}
        up = f"{f.counts.up} of {f.counts.of}" if f else c.stage.replace("_", " ")
        out.append(
            Row(
                place,
                t.tray.id,
                crop.name,
                up,
                cell["soil_temperature"],
                cell["daily_light"],
                cell["light_hours"],
                cell["moisture"],
                surroundings,
            )
        )
    return out
