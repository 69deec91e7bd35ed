"""What is set on lamps, mats and fans."""

from __future__ import annotations

from typing import Any

from fennet.core.light import clock_of
from fennet.journal.log_line.measured import FAHRENHEIT
from fennet.journal.log_line.statement import Action, Statement, Word, examples
from fennet.journal.log_line.words import LENGTHS_MM, SPAN, clock_in, number_of

NIGHT = "Plants need a night: most want 12 to 16 hours of light, none 24."


def of_lamp(s: Statement, word: Word) -> bool:
    height = s.skip("at", "height")
    after = s.peek()
    if after is None:
        raise s.fault(None, "At what height?", "at 120mm", "120mm")
    span, figure = SPAN.fullmatch(after.text), number_of(after.text)
    if span is not None:
        on, off = (clock_in(part) for part in span.groups())
        if on is None or off is None:
            raise s.fault(after, f"{after.text!r} are not times.", "6:30-21:00")
        if on == off:
            raise s.fault(after, f"On and off are the same time. {NIGHT}", "two times apart, like 6:30-21:00")
        s.i += 1
        _set_lamps(s, on=on, off=off)
        return True
    if figure is not None:
        value, unit = s.number("height", "120mm")
        if value < 0:
            raise s.fault(after, f"{after.text!r} is under the shelf.", "a height over its place, like 120mm")
        if unit in LENGTHS_MM or (unit == "" and (height or value > 24)):
            _set_lamps(s, height_mm=round(value * LENGTHS_MM[unit or "mm"], 1))
            return True
        if unit == "%":
            _set_lamps(s, dim_pct=value)
            return True
        if unit in ("h", ""):
            if not 0 < value < 24:
                raise s.fault(after, f"{value:g} hours a day cannot be set. {NIGHT}", "hours under 24, like 14.5h")
            for lamp in s.subjects:
                _lamp_hours(s, lamp, value)
            return True
        raise s.fault(after, f"{after.text!r} of a lamp?", ", ".join(examples("lamp")))
    if after.low in ("on", "off"):
        s.i += 1
        # A switch by hand is a reading of the lamp, and stands against its timer for a day.
        for lamp in s.subjects:
            s.measured(lamp, "lamp_on", 1.0 if after.low == "on" else 0.0, "0|1")
        return True
    if number_of(after.text) and s.i + 1 < len(s.words) and s.words[s.i + 1].low in ("tubes", "tube"):
        lit = s.number("tubes", "2 tubes")[0]
        s.i += 1
        for lamp in s.subjects:
            all_of = s.scene.tubes.get(lamp)
            if not all_of:
                raise s.fault(after, f"Nobody has said how many tubes {lamp} has.", "its number of tubes, under Set up the room")
            if not 1 <= lit <= all_of:
                raise s.fault(after, f"{lamp} has {all_of} tubes.", f"1 to {all_of}")
        _set_lamps(s, dim_pct=round(100.0 * lit / (s.scene.tubes[s.subjects[0]] or 1), 1))
        return True
    if after.low == "dim":
        s.i += 1
        _set_lamps(s, dim_pct=s.number("dimming", "dim 80%")[0])
        return True
    return False


def _set_lamps(s: Statement, **fields: Any) -> None:
    for lamp in s.subjects:
        # One event a lamp and line: height and hours together are one deed.
        known = next((p for p in s.parts if isinstance(p, Action) and p.kind == "lamp" and p.fields["lamp"] == lamp), None)
        if known is not None:
            known.fields.update(fields)
        else:
            s.action("lamp", lamp=lamp, **fields)


def _lamp_hours(s: Statement, lamp: str, hours: float) -> None:
    """So many hours from when it comes on now; from half past six where no timer is known."""
    state = s.scene.state.lamps.get(lamp)
    on = state.periods[0][0] if state and state.periods else 390
    off = (on + round(hours * 60)) % 1440
    known = next((p for p in s.parts if isinstance(p, Action) and p.kind == "lamp" and p.fields["lamp"] == lamp), None)
    times = {"on": clock_of(on), "off": clock_of(off)}
    if known is not None:
        known.fields.update(times)
    else:
        s.action("lamp", lamp=lamp, **times)


def of_mat(s: Statement, word: Word) -> bool:
    if s.skip("set", "at", "to") or number_of(word.text):
        value, unit = s.number("temperature", "set 24")
        fahrenheit = unit == "f" or (unit == "" and s.scene.temperature_unit == FAHRENHEIT)
        if unit not in ("", "c", "f"):
            raise s.fault(s.words[s.i - 1], f"{unit!r} does not measure temperature.", "set 24")
        for mat in s.subjects:
            s.action("mat", mat=mat, setpoint_c=round((value - 32) * 5 / 9 if fahrenheit else value, 2))
        return True
    if word.low in ("on", "off"):
        s.i += 1
        for mat in s.subjects:
            s.action("mat", mat=mat, on=word.low == "on")
        return True
    return False


def of_fan(s: Statement, word: Word) -> bool:
    if number_of(word.text):
        hours, unit = s.number("hours", "12h")
        if unit not in ("", "h") or not 0 <= hours <= 24:
            raise s.fault(word, f"{word.text!r} are not hours a day.", "12h")
        for fan in s.subjects:
            s.action("fan", fan=fan, hours_per_day=hours)
        return True
    return False
