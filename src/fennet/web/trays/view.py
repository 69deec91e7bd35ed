"""What the list of trays shows, shelf by shelf."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.core.forecast import Forecast
from fennet.core.history import place_stays, standing
from fennet.core.records import Batch, Journal, Tray
from fennet.telling.sentences import verdict_sentence
from fennet.telling.speech import Speech
from fennet.web import answers


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


@dataclass(frozen=True)
class Shelf:
    name: str
    trays: list[TrayLine]


def batch_name(batch: Batch, crop_name: str) -> str:
    return f"{crop_name} ‘{batch.variety}’" if batch.variety else crop_name


def band_words(f: Forecast | None, say: Speech) -> tuple[str, str]:
    """The soil now and, in words, where it stands against the crop's band."""
    if f is None or f.soil.basis == "none":
        return "", ""
    now_c = float(f.soil.soil_c[-1])
    text = f"soil {say.temperature(now_c)}"
    if f.soil.trouble:
        return text, ""
    if now_c < f.crop.soil_low_c:
        return text, f"{say.temperature_span(f.crop.soil_low_c - now_c)} under its band"
    if now_c > f.crop.soil_high_c:
        return text, f"{say.temperature_span(now_c - f.crop.soil_high_c)} over its band"
    return text, ""


def shelves(journal: Journal, now_s: float, garden_id: int, say: Speech) -> list[Shelf]:
    """Trays by the place they stand on now, places in the order they were set up, trays without one last."""
    events = standing(journal.events, now_s)
    table = answers.table_for(journal)
    names = {p.id: p.name or p.id for p in journal.places} | {r.id: r.name or r.id for r in journal.rooms}
    by_place: dict[str, list[TrayLine]] = {}
    for tray in journal.trays:
        stays = place_stays(tray.id, events)
        forecasts = [(b, answers.answer(journal, b, now_s, garden_id)) for b in journal.batches if b.tray == tray.id]
        lines, seedlings = [], []
        for batch, f in forecasts:
            crop = table.get(batch.crop)
            if f is None:
                continue
            lead, _, rest = verdict_sentence(f, say).partition(":")
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
        soil, mark = band_words(waiting[0] if waiting else next((f for _, f in forecasts if f), None), say)
        if not waiting:
            mark = ""
        by_place.setdefault(stays[-1].where if stays else "", []).append(TrayLine(tray, lines, soil, mark, seedlings[:24]))
    order = [*(p.id for p in journal.places), *(r.id for r in journal.rooms), ""]
    return [Shelf(names.get(place, "Place not said yet"), by_place[place]) for place in order if place in by_place]
