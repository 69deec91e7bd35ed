"""What the Book shows: entries of some things, kinds and days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial

from sqlalchemy import Connection

from fennet.core.history import place_stays, tray_stays
from fennet.core.records import Event, Journal
from fennet.journal.times import zone_of
from fennet.operations.acting import Refusal
from fennet.operations.readings import HandReading
from fennet.presentation.entries import QUANTITY_WORDS, deed_words, measured_words, subject_of
from fennet.presentation.formatter import Formatter
from fennet.storage import queries
from fennet.web import query
from fennet.web.parts import part

#: What is shown of how many days when nothing is asked, and the most on one page.
USUAL_DAYS, MOST = 14, 400
#: Kinds as a person would look for them, with the kinds of event they hold; "readings" and "days" are of readings.
KINDS: dict[str, tuple[str, ...]] = {
    "counts": ("count",),
    "water and feed": ("watered", "fed"),
    "light": ("lamp", "moved_to_light"),
    "heat and covers": ("mat", "cover", "fan"),
    "moves": ("placed", "potted_up", "moved", "thinned", "topped", "washed"),
    "signs and losses": ("sign", "lost", "gave_up", "check"),
    "outdoors": ("outing", "planted", "harvest", "taste"),
    "heights": ("height",),
    "notes": ("note", "set"),
}
READINGS, LOGGERS = "readings by hand", "loggers by day"
HAND_KINDS = ("person", "light", "moisture")


@dataclass(frozen=True)
class Filter:
    """What is asked for: a thing (tray, place, room, batch, lamp) or all, a kind or all, from a day to a day."""

    thing: str
    kind: str
    first: date
    last: date

    def span(self, zone: str) -> tuple[datetime, datetime]:
        z = zone_of(zone)
        end = self.last + timedelta(days=1)
        return (
            datetime(self.first.year, self.first.month, self.first.day, tzinfo=z),
            datetime(end.year, end.month, end.day, tzinfo=z),
        )


@dataclass(frozen=True)
class Line:
    """One line of the Book."""

    at: datetime
    when: str
    about: str
    what: str
    kind: str
    by: str
    event: str = ""
    token: str = ""


def filter_from(today: date) -> Filter:
    """The filter of this page's address. Raises Refusal for a day that is none, and for more days than one look can show."""

    def day(name: str, otherwise: date) -> date:
        text = query.text(name, longest=40)
        if not text:
            return otherwise
        found = query.day(text)
        if found is None:
            raise Refusal(f"{text!r} is not a day; accepted: 2026-03-12, of 1900 to 2199.", name, text)
        return found

    last = day("to", today)
    first = day("from", last - timedelta(days=USUAL_DAYS - 1))
    if first > last:
        raise Refusal(f"The days run from {first} to {last}: the first must not be later than the last.", "from", str(first))
    return Filter(query.text("thing"), query.text("kind"), first, last)


def reach(journal: Journal, events: list[Event], thing: str) -> set[str] | None:
    """The ids that a filter by one thing lets through: a room with its places, a place with the trays that stood there, a tray
    with its batches. None lets everything through."""
    if not thing:
        return None
    out = {thing}
    places = {p.id for p in journal.places if p.room == thing} | ({thing} & {p.id for p in journal.places})
    out |= places
    trays = {t.id for t in journal.trays if t.id == thing or any(s.where in places | {thing} for s in place_stays(t.id, events))}
    out |= trays
    out |= {b.id for b in journal.batches if any(s.where in trays for s in tray_stays(b, events))}
    if places:
        out |= {x.id for x in journal.lamps if x.place in places} | {x.id for x in journal.fans if x.place in places}
    return out


def _entry(e: Event, fmt: Formatter) -> Line:
    return Line(e.at, fmt.moment(e.at), subject_of(e.fields), deed_words(e.kind, e.fields, fmt), e.kind, e.by or "", e.id)


def lines(
    c: Connection, journal: Journal, events: list[Event], garden_id: int, wanted: Filter, fmt: Formatter, most: int = MOST
) -> list[Line]:
    """The lines a filter asks for, the newest first; at most `most`."""
    first, end = wanted.span(journal.garden.timezone)
    ids = reach(journal, events, wanted.thing)
    out: list[Line] = []
    if wanted.kind in ("", *KINDS):
        kinds = KINDS.get(wanted.kind)
        for e in events:
            if not first <= e.at < end or (kinds is not None and e.kind not in kinds):
                continue
            named = {str(v) for k, v in e.fields.items() if k in ("batch", "tray", "lamp", "mat", "fan", "place", "to_batch")}
            if ids is None or named & ids:
                # An entry that cannot be told in words is still there to be opened and taken back.
                bare = Line(e.at, fmt.moment(e.at), "", e.kind.replace("_", " "), e.kind, e.by or "", e.id)
                out.append(part(f"entry {e.id}", partial(_entry, e, fmt), bare, light=True))
    hand = [s.id for s in journal.sources if s.kind in HAND_KINDS] + ["by-hand"]
    loggers = [s.id for s in journal.sources if s.kind not in HAND_KINDS and s.id != "by-hand"]
    places = sorted(ids) if ids is not None else None
    if wanted.kind in ("", READINGS):
        for r in queries.readings_given(c, garden_id, first, end, places, hand, most, newest=True):
            bare_words = f"{r.quantity.replace('_', ' ')} {r.value:g} {r.unit}"
            told = part("a reading", partial(measured_words, r.quantity, r.value, r.unit, fmt), bare_words, light=True)
            words = told + (", a guess" if r.estimated else "")
            token = (
                HandReading(r.place, r.quantity, r.value, r.unit, r.at, r.source or "").token
                if r.source == "by-hand" or r.unit == "g"
                else ""
            )
            out.append(Line(r.at, fmt.moment(r.at), r.place, words, "reading", r.source or "", token=token))
    if wanted.kind == LOGGERS and loggers:
        z = zone_of(journal.garden.timezone)
        for day, place, quantity, source, n, low, high in queries.reading_days(
            c, garden_id, journal.garden.timezone, first, end, places, loggers
        ):
            at = datetime(day.year, day.month, day.day, 12, tzinfo=z)
            span = (
                f"{fmt.temperature(low, unit=False)}–{fmt.temperature(high)}"
                if "temperature" in quantity
                else f"{low:g}–{high:g}"
            )
            out.append(
                Line(at, fmt.day(at), place, f"{QUANTITY_WORDS.get(quantity, quantity)} {span}, {n} readings", "logger", source)
            )
    out.sort(key=lambda line: line.at, reverse=True)
    return out[:most]
