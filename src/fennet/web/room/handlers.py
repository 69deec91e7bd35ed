"""Handlers of the room's setting up."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from flask import abort, flash, redirect, render_template, url_for

from fennet.core.light import clock_of
from fennet.core.records import Calibration, Journal
from fennet.core.room import RoomState, outlet_loads, room_at
from fennet.operations import room as operations
from fennet.operations import starter
from fennet.operations.acting import Refusal
from fennet.web import query, record, request_context
from fennet.web.forms import Form, local_time, made_of, submitted
from fennet.web.room.fields import ASKS, CAUTIONS, SECTION_WORDS, field_of
from fennet.web.room.forms import CalibrationForm, GardenForm, ThingForm
from fennet.web.today.handlers import view_now
from fennet.web.writes import write


@dataclass(frozen=True)
class Thing:
    """One thing of the room as listed: its id and what is known of it in a line."""

    id: str
    words: str


def _state() -> RoomState:
    return room_at(record.journal(), record.events(), request_context.now().timestamp())


@request_context.in_garden
def room() -> Any:
    journal, state = record.journal(), _state()
    lists = {section: [Thing(x.id, _line(section, x, state)) for x in getattr(journal, section)] for section in SECTION_WORDS}
    shown = query.text("room", longest=64)
    day = view_now(shown)
    return render_template(
        "room/room.html", lists=lists, words=SECTION_WORDS, cautions=CAUTIONS, v=day, loads=outlet_loads(journal),
        garden=GardenForm(formdata=None, obj=request_context.garden().garden), empty=not journal.places,
    )  # fmt: skip


def _line(section: str, x: Any, state: RoomState) -> str:
    """What a list says of a thing."""
    fmt = request_context.formatter()
    parts: list[str] = []
    if section == "places":
        parts = [x.kind or "", f"{fmt.length(x.width_mm)} wide" if x.width_mm else "width not given"]
    elif section == "lamps":
        s = state.lamps[x.id]
        parts = [
            f"over {s.place}" if s.place else "not hung yet",
            f"at {fmt.length(s.height_mm)}" if s.height_mm is not None else "",
        ]
    elif section == "mats":
        m = state.mats[x.id]
        set_to = f"set to {fmt.temperature(m.setpoint_c)}" if m.setpoint_c is not None else ""
        parts = [f"under {', '.join(m.trays)}" if m.trays else "under no tray", set_to]
    elif section == "trays":
        t = state.trays[x.id]
        parts = [
            f"{x.rows} × {x.columns}" if x.rows and x.columns else x.kind or "",
            f"on {t.place}" if t.place else "not placed yet",
        ]
    elif section == "fans":
        parts = [x.place or ""]
    elif section == "outlets":
        parts = [f"{x.limit_w:g} W" if x.limit_w else "rating not given"]
    elif section == "sources":
        parts = [x.kind or "", f"in {x.sited}" if x.sited else "", "calibrated" if x.calibration else ""]
    else:
        parts = [x.name or ""]
    if getattr(x, "until", None):
        parts.append("gone")
    return ", ".join(p for p in parts if p)


@request_context.in_garden
def start() -> Any:
    """The starter arrangement in one press."""
    try:
        write(lambda w: starter.start(w))
        flash("Two shelves, two lamps, a mat, a sill and two trays are set up. Change what is different in your room.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("room.room", slug=request_context.garden().slug))


@request_context.in_garden
def thing(section: str, thing_id: str = "") -> Any:
    """The form of one thing, new or there already; a new one may begin as a copy of another."""
    if section not in ASKS:
        abort(404)
    journal = record.journal()
    there = next((x for x in getattr(journal, section) if x.id == thing_id), None)
    if thing_id and there is None:
        abort(404)
    like_id = query.text("like", longest=64)
    like = next((x for x in getattr(journal, section) if x.id == like_id), None)
    now = _values(section, there or like)
    if there is None:
        now["id"] = _next_id(journal, section, like_id)
        now.pop("x_mm", None) if section == "trays" else None
    form = made_of({a.name: field_of(a, journal) for a in ASKS[section]}, ThingForm)(data=now)
    refusal = None
    if submitted():
        if there is not None:
            form["id"].data, form["id"].required = there.id, ""
        try:
            form.take()
            saved = _save(form, section, there)
        except Refusal as e:
            form.tell(e)
            refusal = e
        else:
            flash(f"{saved} saved.")
            again = form["then"].data == "another"
            slug = request_context.garden().slug
            return redirect(
                url_for("room.thing", slug=slug, section=section, like=saved) if again else url_for("room.room", slug=slug)
            )
    return render_template(
        "room/thing.html", section=section, words=SECTION_WORDS[section], asks=ASKS[section], form=form, there=there,
        refusal=refusal, caution=CAUTIONS.get(section, ""), calibration=CalibrationForm(formdata=None),
        calibrations=there.calibration if section == "sources" and there else None,
    ), 400 if refusal else 200  # fmt: skip


def _values(section: str, x: Any) -> dict[str, Any]:
    """What is known of a thing, by the names of its form."""
    if x is None:
        return {}
    state = _state()
    out: dict[str, Any] = {a.name: getattr(x, a.name, None) for a in ASKS[section]}
    if section == "trays":
        out |= {"place": state.trays[x.id].place, "x_mm": state.trays[x.id].x_mm}
    elif section == "lamps":
        lamp = state.lamps[x.id]
        on, off = lamp.periods[0] if lamp.periods else (None, None)
        out |= {"place": lamp.place, "height_mm": lamp.height_mm, "on": _clock(on), "off": _clock(off)}
    elif section == "mats":
        mat = state.mats[x.id]
        out |= {"tray": mat.trays[0] if mat.trays else None, "setpoint_c": mat.setpoint_c}
    elif section == "fans":
        out["hours_per_day"] = state.fans[x.id].hours_per_day
    return {
        k: request_context.formatter().local(v).date() if isinstance(v, datetime) else v for k, v in out.items() if v is not None
    }


def _clock(minutes: int | None) -> str | None:
    return None if minutes is None else clock_of(minutes)


def _next_id(journal: Journal, section: str, like: str) -> str:
    """A free name for one more thing of a kind: the next letter for a tray, the next number for the rest."""
    taken = {x.id for s in SECTION_WORDS for x in getattr(journal, s)}
    if section == "trays":
        return next((c for c in "ABCDEFGHIJKLMNOPQRSTUVWXYZ" if c not in taken), "")
    stem = (like.rstrip("0123456789").rstrip("-") if like[-1:].isdigit() else "") or SECTION_WORDS[section][1].replace(
        "place", "shelf"
    )
    return next(f"{stem}-{n}" for n in range(1, 10_000) if f"{stem}-{n}" not in taken)


def _save(form: Form, section: str, there: Any) -> str:
    """Keep a thing and how it is arranged. Its id. Raises Refusal."""
    given: dict[str, Any] = {}
    before = _values(section, there)
    for ask in ASKS[section]:
        field = form[ask.name]
        if ask.arranged or (not field.raw_data and ask.name != "id"):
            continue
        given[ask.name] = _as_instant(field.data) if ask.name in ("since", "until") else field.data
    actions = _arrangement(form, section, str(given["id"]), before)
    done = write(lambda w: operations.put(w, section, given, actions))
    for trouble in done[1] if done is not None else []:
        flash(f"{trouble.words} {trouble.mend}", "error")
    return str(given["id"])


def _as_instant(day: date | None) -> datetime | None:
    """The beginning of a day in the garden's zone."""
    return None if day is None else local_time(f"{day.isoformat()}T00:00")


def _arrangement(form: Form, section: str, id: str, before: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
    """What was moved or set on the form, as deeds: only what differs from how it is."""

    def of(name: str) -> Any:
        return form[name].data

    changed = {
        a.name for a in ASKS[section] if a.arranged and form[a.name].given.strip() != form[a.name].shown(before.get(a.name))
    }
    out: list[tuple[str, dict[str, Any]]] = []
    if section == "trays" and changed and of("place"):
        out.append(("placed", {"tray": id, "place": of("place"), **({"x_mm": of("x_mm")} if of("x_mm") is not None else {})}))
    elif section == "lamps" and (changed or (before and (of("place") or "") != before.get("place", ""))):
        fields = {"lamp": id, "height_mm": of("height_mm"), "on": of("on"), "off": of("off"), "place": of("place")}
        out.append(("lamp", {k: v for k, v in fields.items() if v is not None}))
    elif section == "mats" and changed:
        if "tray" in changed:
            mats = _state().mats
            out += [("mat", {"mat": id, "tray": t, "on": False}) for t in (mats[id].trays if id in mats else ())]
            if of("tray"):
                out.append(("mat", {"mat": id, "tray": of("tray"), "on": True}))
        if of("setpoint_c") is not None:
            out.append(("mat", {"mat": id, "setpoint_c": round(of("setpoint_c"), 2)}))
    elif section == "fans" and changed and of("hours_per_day") is not None:
        out.append(("fan", {"fan": id, "hours_per_day": of("hours_per_day")}))
    return out


@request_context.in_garden
def calibrate() -> Any:
    """Two points of a probe or a scale for moisture."""
    form = CalibrationForm()
    source = form["source"].data or ""
    if all(s.id != source for s in record.journal().sources):
        abort(404)
    try:
        form.take()
        points = Calibration(
            quantity="moisture", dry=form["dry"].data, capacity=form["capacity"].data, unit=form["unit"].data or "raw",
            from_at=_as_instant(form["from"].data),
        )  # fmt: skip
        write(lambda w: operations.calibrate(w, source, points))
        flash(f"{source} is calibrated, past readings too.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("room.thing", slug=request_context.garden().slug, section="sources", thing_id=source))


@request_context.in_garden
def garden() -> Any:
    """Where the garden is: for the length of its days and its frost."""
    form = GardenForm()
    try:
        form.take()
        changes = form.values("latitude", "longitude", "last_frost")
        write(lambda w: operations.change_garden(w, changes))
        flash("Kept.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("room.room", slug=request_context.garden().slug))
