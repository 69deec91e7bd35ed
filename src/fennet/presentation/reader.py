"""A garden to readers who do not belong to it: what grows where and what is due. Days only: nothing of people or times of day."""

from __future__ import annotations

from dataclasses import dataclass

from fennet.answering.answers import Answers
from fennet.core.history import life_events, place_stays
from fennet.core.room import in_trays
from fennet.presentation.formatter import Formatter
from fennet.presentation.sentences import verdict_sentence


@dataclass(frozen=True)
class ReaderLine:
    """One batch: its name, when it was sown, how it stands, what it brings next."""

    name: str
    sown: str
    stands: str
    next: str


@dataclass(frozen=True)
class ReaderTray:
    name: str
    place: str
    lines: list[ReaderLine]


def reader_view(a: Answers, fmt: Formatter) -> list[ReaderTray]:
    """Every tray that something lives in, with what lives there."""
    places = {p.id: p.name or p.id for p in a.journal.places} | {r.id: r.name or r.id for r in a.journal.rooms}
    next_of = {d.batch.id: d for d in a.growing_dates()}
    alive = in_trays(a.living, a.events, a.at_s)
    out = []
    for tray in a.journal.trays:
        inside = alive.get(tray.id, [])
        if not inside:
            continue
        stays = place_stays(tray.id, a.events)
        lines = []
        for batch in inside:
            forecast = a.forecast(batch)
            grown = life_events(batch, a.events, "potted_up") or forecast is None or forecast.verdict == "finished"
            stands = f"{forecast.counts.up} of {forecast.counts.of} up" if forecast is not None and batch.from_seed else "growing"
            dates = next_of.get(batch.id)
            comes = f"Goes out about {fmt.calendar_day(dates.out_on)}" if dates is not None and dates.out_on is not None else ""
            name = a.table.get(batch.crop).name
            lines.append(
                ReaderLine(
                    f"{name} ‘{batch.variety}’" if batch.variety else name,
                    f"{'sown' if batch.from_seed else 'here since'} {fmt.day(batch.sown_at)}",
                    stands if grown or forecast is None else verdict_sentence(forecast, fmt),
                    comes,
                )
            )
        out.append(ReaderTray(tray.name or tray.id, places.get(stays[-1].where, "") if stays else "", lines))
    return out
