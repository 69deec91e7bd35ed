"""Handlers of the device API."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any, NoReturn

from flask import abort, g, jsonify, make_response, request
from werkzeug.exceptions import RequestEntityTooLarge

from fennet.core.room import RoomState, room_at
from fennet.journal.rejected import FormatError, Rejection
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


def _room(ref: GardenRef, now: datetime) -> RoomState:
    """The room as it is now, from the record at hand: a device that calls three times a minute reads nothing anew."""
    g.garden = ref
    a = record.answers()
    return room_at(a.journal, a.events, now.timestamp())


@limiter.limit(GUESSES, deduct_when=refused_token)
def thermostat() -> Any:
    """A thermostat reports itself and is told what to hold and for how long; without another answer by then it goes off."""
    caller = _caller(device_api.THERMOSTAT)
    now = request_context.now()
    return _tell(caller, device_api.answer_thermostat(_room(caller.ref, now), caller.thing, caller.said), now)


def _tell(caller: Caller, told: device_api.DeviceAnswer, now: datetime) -> Any:
    """Keep what a device said of itself, and answer it."""
    with request_context.engine().begin() as c:
        device_api.record_report(c, caller.token, told.report, now)
    return jsonify(told.answer)


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
    with request_context.engine().begin() as c:
        device_api.record_report(c, caller.token, device_api.report_of(caller.said), now)
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
    caller = _caller(device_api.TIMER)
    now = request_context.now()
    room, zone = _room(caller.ref, now), caller.ref.garden.timezone
    return _tell(caller, device_api.answer_timer(room, caller.thing, caller.said, now, zone), now)
