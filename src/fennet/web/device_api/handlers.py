"""Handlers of the device API."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any, NoReturn

from flask import abort, g, jsonify, make_response, request
from werkzeug.exceptions import RequestEntityTooLarge

from fennet.core.bounds import is_plain_text
from fennet.core.light import hours_of
from fennet.core.room import RoomState, room_at
from fennet.core.targets import LONGEST_DAY_H
from fennet.core.tuning.guards import HOLD_S, TIMER_HOLD_S, may_heat
from fennet.journal.rejected import FormatError, Rejection
from fennet.journal.times import zone_of
from fennet.operations import device_api, posted
from fennet.operations.acting import Actor, Refusal, in_turn
from fennet.operations.tokens import hashed
from fennet.operations.weather import take_weather
from fennet.storage import queries
from fennet.storage.queries import GardenRef
from fennet.web import record, request_context
from fennet.web.limits import GUESSES, POSTS, limiter, refused_token
from fennet.web.settings import MEGABYTE

LONGEST = 4000
#: One issue of weather: a fortnight by the hour.
LONGEST_ISSUE = 120_000
#: Beyond this, either way, a figure is no temperature of a tray, °C.
MOST_C = 200.0


@dataclass(frozen=True)
class Caller:
    """A device that showed its token: the token's hash, the garden, the mat or lamp it may ask about, and what it reports."""

    token: str
    ref: GardenRef
    thing: str
    said: dict[str, Any]


def _caller(kind: str, longest: int = LONGEST) -> Caller:
    """The device of this kind that calls; anything else is refused in JSON."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    device = queries.device_of(request_context.reading(), hashed(token), kind) if scheme.lower() == "bearer" and token else None
    if device is None:
        _refuse(401, "no such token")
    if request.mimetype != "application/json":
        _refuse(415, "accepted: application/json")
    # Holds for a body that does not say how long it is, too.
    request.max_content_length = longest
    try:
        said = request.get_json(silent=True)
    except RequestEntityTooLarge:
        _refuse(413, f"accepted: up to {longest} bytes")
    if not isinstance(said, dict):
        _refuse(400, "accepted: one JSON object")
    return Caller(hashed(token), device[0], device[1].thing, said)


def _refuse(status: int, why: str) -> NoReturn:
    abort(make_response(jsonify({"error": why}), status))


def _report(said: dict[str, Any], **read: Any) -> dict[str, Any]:
    """What a device says of itself, fit to be kept and shown: its reason in plain letters, whatever else it sent left out."""
    why = "".join(c for c in str(said.get("why") or "")[:80] if is_plain_text(c))
    return {**read, "why": why, "simulated": said.get("simulated") is True}


def _room(ref: GardenRef, now: datetime) -> RoomState:
    """The room as it is now, from the record at hand: a device that calls three times a minute reads nothing anew."""
    g.garden = ref
    a = record.answers()
    return room_at(a.journal, a.events, now.timestamp())


@limiter.limit(GUESSES, deduct_when=refused_token)
def thermostat() -> Any:
    """A thermostat reports itself and is told what to hold and for how long; without another answer by then it goes off."""
    caller = _caller("thermostat")
    ref, mat, said = caller.ref, caller.thing, caller.said
    probe = said.get("probe_c")
    # A figure that no probe can show is none: it may be of any size, or no number at all.
    probe_c = None
    if isinstance(probe, int | float) and not isinstance(probe, bool) and abs(probe) <= MOST_C:
        probe_c = float(probe)
    now = request_context.now()
    state = _room(ref, now).mats.get(mat)
    setpoint_c = state.setpoint_c if state is not None else None
    heat, why = may_heat(setpoint_c, state is not None and state.on and bool(state.trays), probe_c)
    report = _report(said, probe_c=probe_c, heating=said.get("heating") is True)
    device_api.record_report(request_context.engine(), caller.token, report, now)
    return jsonify(
        {
            "format": "fennet-thermostat",
            "version": 1,
            "mat": mat,
            "heat": heat,
            "setpoint_c": setpoint_c if heat else None,
            "hold_s": HOLD_S,
            "why": why,
        }
    )


@limiter.limit(GUESSES, deduct_when=refused_token)
def weather() -> Any:
    """A station or a script tells one issue of weather, forecast or measured, as a journal keeps it."""
    caller = _caller(device_api.STATION, LONGEST_ISSUE)
    now, issue = request_context.now(), {"issued_at": request_context.now().isoformat(), "source": caller.thing, **caller.said}
    rejected: list[Rejection] = []
    try:
        rejected = in_turn(
            request_context.engine(), Actor(caller.thing, caller.ref, None), now, lambda w: take_weather(w, [issue])
        ) or []  # fmt: skip
    except Refusal as e:
        _refuse(400, e.reason)
    device_api.record_report(request_context.engine(), caller.token, _report(caller.said), now)
    return jsonify({"format": "fennet-weather", "version": 1, "kept": 1, "set_aside": [str(r) for r in rejected[:20]]})


@limiter.limit(GUESSES, deduct_when=refused_token)
@limiter.limit(POSTS, key_func=lambda: f"posts {hashed(_token())}")
def readings() -> Any:
    """What a device's probes read: an array of readings, or Fennet's own CSV. The same body sent again changes nothing."""
    if set(request.args) & {"token", "access_token", "key", "auth"}:
        _refuse(400, "a token in an address is read by others and is refused; accepted: the header Authorization: Bearer TOKEN")
    found = queries.device_of(request_context.reading(), hashed(_token()), device_api.READER) if _token() else None
    if found is None:
        _refuse(401, "no such token")
    ref, device = found
    if request.headers.get("Content-Encoding", "identity") != "identity":
        _refuse(415, "accepted: a body as it is, without content encoding")
    if request.mimetype not in ("application/json", "text/csv"):
        _refuse(415, "accepted: application/json or text/csv")
    most = f"accepted: up to {posted.MOST_BYTES // MEGABYTE} MB and {posted.MOST_READINGS:,} readings in one body"
    request.max_content_length = posted.MOST_BYTES
    now = request_context.now()
    try:
        if (request.content_length or 0) > posted.MOST_BYTES:
            raise posted.TooMany
        rows = posted.rows_of(request.get_data(), request.mimetype == "text/csv")
        done = posted.take_posted(request_context.engine(), Actor(device.thing, ref, None), device, rows, now)
    except (posted.TooMany, RequestEntityTooLarge):
        _refuse(413, most)
    except FormatError as e:
        _refuse(400, str(e))
    except Refusal as e:
        abort(make_response(jsonify({"error": e.reason}), 503, {"Retry-After": "5"}))
    report = {"n": done.accepted + done.repeated, "set_aside": len(done.set_aside), "ahead_s": done.ahead_s}
    first = done.set_aside[0].reason if done.set_aside else ""
    device_api.record_report(request_context.engine(), device.token_hash, _report({"why": first}, **report), now)
    told = [{"index": x.index, "field": x.field, "reason": x.reason} for x in done.set_aside[:200]]
    return jsonify({"accepted": done.accepted, "repeated": done.repeated, "set_aside": told})


def _token() -> str:
    """The token a device showed."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    return token.strip()[:200] if scheme.lower() == "bearer" else ""


def too_fast(_: Exception) -> Any:
    """A device that knocks too often is told when to come again, in its own language."""
    return make_response(jsonify({"error": "too many requests; wait a minute"}), 429, {"Retry-After": "60"})


@limiter.limit(GUESSES, deduct_when=refused_token)
def timer() -> Any:
    """A timer reports itself and is told when its lamp is lit, by the garden's clock; without an answer in time it goes dark."""
    caller = _caller("timer")
    ref, lamp, said = caller.ref, caller.thing, caller.said
    now = request_context.now()
    state = _room(ref, now)
    periods = state.lamps[lamp].periods if lamp in state.lamps else None
    too_long = periods is not None and hours_of(periods) > LONGEST_DAY_H
    local = now.astimezone(zone_of(ref.garden.timezone))
    lit_h = said.get("lit_h")
    known_h = float(lit_h) if isinstance(lit_h, int | float) and not isinstance(lit_h, bool) and 0 <= lit_h <= 24 else None
    report = _report(said, lit=said.get("lit") is True, lit_h=known_h)
    device_api.record_report(request_context.engine(), caller.token, report, now)
    why = "no hours were set" if periods is None else "over eighteen hours a day" if too_long else ""
    return jsonify(
        {
            "format": "fennet-timer", "version": 1, "lamp": lamp, "periods": [] if too_long else list(periods or ()),
            "minute": local.hour * 60 + local.minute, "hold_s": TIMER_HOLD_S, "why": why,
        }
    )  # fmt: skip
