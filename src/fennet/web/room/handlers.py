"""Handlers of the room's setting up."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from flask import abort, flash, redirect, render_template, request, url_for

from fennet.core.records import Calibration, Journal
from fennet.core.room import RoomState, outlet_loads, room_at
from fennet.journal.times import localize, zone_of
from fennet.operations import room as operations
from fennet.operations import starter
from fennet.operations.acting import Refusal
from fennet.web import asking, record
from fennet.web.room.fields import ASKS, CAUTIONS, SECTION_WORDS, choices
from fennet.web.today.handlers import view_now
from fennet.web.writes import write


@dataclass(frozen=True)
class Thing:
    """One thing of the room as listed: its id and what is known of it in a line."""

    id: str
    words: str


def _state() -> RoomState:
    return room_at(record.journal(), record.events(), asking.now().timestamp())


@asking.in_garden
def room() -> Any:
    journal, state = record.journal(), _state()
    lists = {section: [Thing(x.id, _line(section, x, state)) for x in getattr(journal, section)] for section in SECTION_WORDS}
    shown = request.args.get("room", "")
    day = view_now(shown)
    return render_template(
        "room/room.html", lists=lists, words=SECTION_WORDS, cautions=CAUTIONS, v=day, loads=outlet_loads(journal),
        garden=asking.garden().garden, empty=not journal.places,
    )  # fmt: skip


def _line(section: str, x: Any, state: RoomState) -> str:
    """What a list says of a thing."""
    say = asking.speech()
    parts: list[str] = []
    if section == "places":
        parts = [x.kind or "", f"{say.length(x.width_mm)} wide" if x.width_mm else "width not given"]
    elif section == "lamps":
        s = state.lamps[x.id]
        parts = [
            f"over {s.place}" if s.place else "hangs nowhere",
            f"at {say.length(s.height_mm)}" if s.height_mm is not None else "",
        ]
    elif section == "mats":
        m = state.mats[x.id]
        set_to = f"set to {say.temperature(m.setpoint_c)}" if m.setpoint_c is not None else ""
        parts = [f"under {', '.join(m.trays)}" if m.trays else "under nothing", set_to]
    elif section == "trays":
        t = state.trays[x.id]
        parts = [
            f"{x.rows} × {x.columns}" if x.rows and x.columns else x.kind or "",
            f"on {t.place}" if t.place else "stands nowhere",
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


@asking.in_garden
def start() -> Any:
    """The starter arrangement in one press."""
    try:
        write(lambda w: starter.start(w))
        flash("A stand of two shelves, two lamps, a mat, a sill and two trays are there. Change what is otherwise with you.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("room.room", slug=asking.garden().slug))


@asking.in_garden
def thing(section: str, thing_id: str = "") -> Any:
    """The form of one thing, new or there already; a new one may begin as a copy of another."""
    if section not in ASKS:
        abort(404)
    journal = record.journal()
    there = next((x for x in getattr(journal, section) if x.id == thing_id), None)
    if thing_id and there is None:
        abort(404)
    refusal = None
    if request.method == "POST":
        try:
            saved = _save(journal, section, there)
        except Refusal as e:
            refusal = e
        else:
            flash(f"{saved} is kept.")
            again = request.form.get("then") == "another"
            slug = asking.garden().slug
            return redirect(
                url_for("room.thing", slug=slug, section=section, like=saved) if again else url_for("room.room", slug=slug)
            )
    like = next((x for x in getattr(journal, section) if x.id == request.args.get("like")), None)
    now = _values(section, there or like)
    if there is None:
        now["id"] = _next_id(journal, section, request.args.get("like", ""))
        now.pop("x_mm", None) if section == "trays" else None
    shown = {a.name: request.form.get(a.name, now.get(a.name, "")) for a in ASKS[section]}
    asks = [(a, choices(journal, a)) for a in ASKS[section]]
    return render_template(
        "room/thing.html", section=section, words=SECTION_WORDS[section], asks=asks, values=shown, there=there, refusal=refusal,
        caution=CAUTIONS.get(section, ""), degree=asking.speech().degree,
        calibrations=there.calibration if section == "sources" and there else None,
    ), 400 if refusal else 200  # fmt: skip


def _values(section: str, x: Any) -> dict[str, str]:
    """What is known of a thing, as typed."""
    if x is None:
        return {}
    state, say = _state(), asking.speech()
    out: dict[str, Any] = {a.name: getattr(x, a.name, None) for a in ASKS[section]}
    if section == "trays":
        out |= {"place": state.trays[x.id].place, "x_mm": state.trays[x.id].x_mm}
    elif section == "lamps":
        lamp = state.lamps[x.id]
        on, off = lamp.periods[0] if lamp.periods else (None, None)
        out |= {"place": lamp.place, "height_mm": lamp.height_mm, "on": _clock(on), "off": _clock(off)}
    elif section == "mats":
        mat = state.mats[x.id]
        set_to = say.shown_temperature(mat.setpoint_c) if mat.setpoint_c is not None else None
        out |= {"tray": mat.trays[0] if mat.trays else None, "setpoint_c": set_to}
    elif section == "fans":
        out["hours_per_day"] = state.fans[x.id].hours_per_day
    return {k: _typed(v) for k, v in out.items()}


def _typed(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime):
        return asking.speech().local(value).date().isoformat()
    return f"{value:g}" if isinstance(value, float) else str(value)


def _clock(minutes: int | None) -> str | None:
    return None if minutes is None else f"{minutes // 60 % 24:02}:{minutes % 60:02}"


def _next_id(journal: Journal, section: str, like: str) -> str:
    """A free name for one more thing of a kind: the next letter for a tray, the next number for the rest."""
    taken = {x.id for s in SECTION_WORDS for x in getattr(journal, s)}
    if section == "trays":
        return next((c for c in "ABCDEFGHIJKLMNOPQRSTUVWXYZ" if c not in taken), "")
    stem = (like.rstrip("0123456789").rstrip("-") if like[-1:].isdigit() else "") or SECTION_WORDS[section][1].replace(
        "place", "shelf"
    )
    return next(f"{stem}-{n}" for n in range(1, 10_000) if f"{stem}-{n}" not in taken)


def _save(journal: Journal, section: str, there: Any) -> str:
    """Keep a thing and how it is arranged. Its id. Raises Refusal."""
    given: dict[str, Any] = {}
    for ask in ASKS[section]:
        if ask.arranged or ask.name not in request.form:
            continue
        text = request.form[ask.name].strip()
        given[ask.name] = _day(text) if ask.name in ("since", "until") else text
    if there is not None:
        given["id"] = there.id
    key = request.form.get("key")
    deeds = _arrangement(section, given, there)
    done = write(lambda w: operations.put(w, section, given, deeds), key=key)
    if done is None:
        return str(given["id"])
    saved, troubles = done
    for trouble in troubles:
        flash(f"{trouble.words} {trouble.mend}", "error")
    return str(saved.id)


def _day(text: str) -> datetime | None:
    if not text:
        return None
    try:
        return localize(datetime.fromisoformat(text), zone_of(asking.garden().garden.timezone))
    except ValueError:
        raise Refusal(f"{text!r} is no day; accepted: 2026-03-12.", "since", text) from None


def _arrangement(section: str, given: dict[str, Any], there: Any) -> list[tuple[str, dict[str, Any]]]:
    """What was moved or set on the form, as deeds: only what differs from how it is. Raises Refusal."""
    id, form, state = given["id"], request.form, _state()
    before = _values(section, there)
    changed = {a.name for a in ASKS[section] if a.arranged and form.get(a.name, "").strip() != before.get(a.name, "")}
    out: list[tuple[str, dict[str, Any]]] = []

    def number(name: str) -> float | None:
        text = form.get(name, "").strip().replace(",", ".")
        if not text:
            return None
        try:
            return float(text)
        except ValueError:
            raise Refusal(f"{text!r} is no number.", name, text) from None

    if section == "trays" and changed and form.get("place"):
        fields: dict[str, Any] = {"tray": id, "place": form["place"]}
        if number("x_mm") is not None:
            fields["x_mm"] = number("x_mm")
        out.append(("placed", fields))
    elif section == "lamps" and (changed or (there is not None and form.get("place", "") != before.get("place", ""))):
        fields = {"lamp": id, "height_mm": number("height_mm"), "on": form.get("on") or None, "off": form.get("off") or None}
        if form.get("place"):
            fields["place"] = form["place"]
        out.append(("lamp", {k: v for k, v in fields.items() if v is not None}))
    elif section == "mats" and changed:
        set_to = number("setpoint_c")
        set_c = asking.speech().typed_temperature_c(set_to) if set_to is not None else None
        if "tray" in changed:
            under = state.mats[id].trays if id in state.mats else ()
            out += [("mat", {"mat": id, "tray": t, "on": False}) for t in under]
            if form.get("tray"):
                out.append(("mat", {"mat": id, "tray": form["tray"], "on": True}))
        if set_c is not None:
            out.append(("mat", {"mat": id, "setpoint_c": round(set_c, 2)}))
    elif section == "fans" and changed and number("hours_per_day") is not None:
        out.append(("fan", {"fan": id, "hours_per_day": number("hours_per_day")}))
    return out


@asking.in_garden
def calibrate() -> Any:
    """Two points of a probe or a scale for moisture."""
    source = request.form.get("source", "")
    try:
        figures = {}
        for name in ("dry", "capacity"):
            text = request.form.get(name, "").strip().replace(",", ".")
            try:
                figures[name] = float(text)
            except ValueError:
                raise Refusal(f"{text!r} is no number: weigh or read it dry, and after a soak and a drain.", name, text) from None
        from_at = _day(request.form.get("from", "").strip())
        unit = "g" if request.form.get("unit") == "g" else "raw"
        points = Calibration(quantity="moisture", dry=figures["dry"], capacity=figures["capacity"], unit=unit, from_at=from_at)
        write(lambda w: operations.calibrate(w, source, points))
        flash(f"{source} is calibrated; its readings of the past follow.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("room.thing", slug=asking.garden().slug, section="sources", thing_id=source))


@asking.in_garden
def garden() -> Any:
    """Where the garden is: for the length of its days and its frost."""
    changes: dict[str, Any] = {}
    try:
        for name in ("latitude", "longitude"):
            text = request.form.get(name, "").strip().replace(",", ".")
            try:
                changes[name] = float(text) if text else None
            except ValueError:
                raise Refusal(f"{name}: {text!r} is no number of degrees.", name, text) from None
        frost = request.form.get("last_frost", "").strip()
        if frost:
            try:
                datetime.strptime(f"2024-{frost}", "%Y-%m-%d")
            except ValueError:
                raise Refusal(f"{frost!r} is no day of the year; accepted: 05-18 for 18 May.", "last_frost", frost) from None
        changes["last_frost"] = frost or None
        write(lambda w: operations.change_garden(w, changes))
        flash("Kept.")
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(url_for("room.room", slug=asking.garden().slug))
