"""What the list of trays shows, shelf by shelf."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from fennet.answering.answers import Answers
from fennet.core.conditions import STALE_S
from fennet.core.exposure import DAY_S
from fennet.core.forecast import Forecast
from fennet.core.history import place_stays
from fennet.core.records import Batch, Tray
from fennet.core.room import in_trays
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import verdict_sentence
from fennet.web import answers
from fennet.web.bands import grown_sentence, is_grown
from fennet.web.parts import Untold, part, untold

#: How far back a list looks at a batch's conditions: the last reading counts, not the season.
LOOKS_BACK_S = 4 * DAY_S


@dataclass(frozen=True)
class BatchLine:
    batch: Batch
    name: str
    verdict: str
    lead: str
    rest: str
    up: str
    seed_leaf: str
    estimated: bool


@dataclass(frozen=True)
class TrayLine:
    tray: Tray
    lines: list[BatchLine]
    soil: str
    soil_mark: str
    seedlings: list[str]
    untold: list[Untold]


@dataclass(frozen=True)
class Shelf:
    name: str
    trays: list[TrayLine]


def batch_name(batch: Batch, crop_name: str) -> str:
    return f"{crop_name} ‘{batch.variety}’" if batch.variety else crop_name


def band_words(f: Forecast | None, fmt: Formatter) -> tuple[str, str]:
    """The soil now, or the air where only that was read, and, in words, where it stands against the crop's band."""
    if f is None or f.soil.basis in ("none", "house"):
        return "", ""
    if f.at_s - f.soil.last_s > STALE_S["soil_temperature"] and f.soil.basis != "guess":
        return "", ""
    now_c = float(f.soil.soil_c[-1])
    text = f"{'air' if f.soil.basis == 'air' else 'soil'} {fmt.temperature(now_c)}"
    if f.soil.gap_reason:
        return text, ""
    if now_c < f.crop.soil_low_c:
        return text, f"{fmt.temperature_span(f.crop.soil_low_c - now_c)} below its range"
    if now_c > f.crop.soil_high_c:
        return text, f"{fmt.temperature_span(now_c - f.crop.soil_high_c)} above its range"
    return text, ""


def shelves(a: Answers, fmt: Formatter) -> list[Shelf]:
    """Trays by the place they stand on now, places in the order they were set up, trays without one last."""
    journal = a.journal
    names = {p.id: p.name or p.id for p in journal.places} | {r.id: r.name or r.id for r in journal.rooms}
    by_place: dict[str, list[TrayLine]] = {}
    alive = in_trays(a.living, a.events, a.at_s)
    for tray in journal.trays:
        stays = place_stays(tray.id, a.events)
        inside = alive.get(tray.id, [])
        bare = TrayLine(tray, [], "", "", [], [])
        line = part(f"tray {tray.id}", partial(_line, a, tray, inside, fmt), bare, tray.id)
        line = replace(line, untold=[*untold([(tray.id, f"tray {tray.id}")]), *line.untold])
        by_place.setdefault(stays[-1].where if stays else "", []).append(line)
    order = [*(p.id for p in journal.places), *(r.id for r in journal.rooms), ""]
    return [Shelf(names.get(place, "Place not said yet"), by_place[place]) for place in order if place in by_place]


def _line(a: Answers, tray: Tray, inside: list[Batch], fmt: Formatter) -> TrayLine:
    """One tray with what lives in it."""
    table = a.table
    forecasts = [(b, answers.forecast(a, b)) for b in inside]
    lines, seedlings = [], []
    for batch, f in forecasts:
        crop = table.get(batch.crop)
        if f is None:
            continue
        sentence = verdict_sentence(f, fmt)
        if f.verdict == "finished":
            state = a.conditions(batch, LOOKS_BACK_S)
            sentence = grown_sentence(state, fmt) if is_grown(state.stage, f) else sentence
        lead, _, rest = sentence.partition(":")
        lines.append(
            BatchLine(
                batch,
                batch_name(batch, crop.name),
                f.verdict,
                lead,
                rest.strip(),
                f"{f.counts.up} of {f.counts.of}",
                crop.seed_leaf,
                f.estimated,
            )
        )
        seedlings += [crop.seed_leaf] * f.counts.up
    waiting = [f for _, f in forecasts if f and f.verdict not in ("finished",)]
    soil, mark = band_words(waiting[0] if waiting else next((f for _, f in forecasts if f), None), fmt)
    if not waiting:
        mark = ""
    missing = untold((b.id, batch_name(b, table.get(b.crop).name)) for b, f in forecasts if f is None)
    return TrayLine(tray, lines, soil, mark, seedlings[:24], missing)
