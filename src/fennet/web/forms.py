"""What all forms share: fields that read what people type within stated bounds, in the reader's units; one place for the key
against double sending; and refusals at their field with what was typed kept.

A form that does not hold says so by `take`, which raises the first fault as a Refusal; every fault stands at its field.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from typing import Any, ClassVar

from flask import request
from flask_wtf import FlaskForm
from flask_wtf.csrf import generate_csrf
from markupsafe import Markup
from wtforms import Field, ValidationError
from wtforms.widgets import (
    CheckboxInput,
    DateInput,
    DateTimeLocalInput,
    HiddenInput,
    RadioInput,
    TextInput,
    TimeInput,
    html_params,
)

from fennet.core.bounds import FIRST_DAY, LAST_DAY, LINE_LEN, NAME_LEN, is_plain_text
from fennet.core.kinds import is_id
from fennet.core.units import celsius
from fennet.journal.log_line.words import LENGTHS_MM, VOLUMES_ML
from fennet.journal.numbers import number, whole
from fennet.journal.times import day_of_year, localize, zone_of
from fennet.operations.acting import Refusal
from fennet.web import request_context

#: An entry that waited for a signal says when it was pressed; older than this it is not believed.
WAITED = timedelta(days=30)
#: Values that one field may send at once: cells of a tray, trays of a shelf.
MOST_VALUES = 4_000


class Typed(Field):
    """A field of one line: what was typed is kept as it came, and read by `read`; nothing typed is None unless it is required."""

    widget = TextInput()
    data: Any

    def __init__(self, label: str = "", required: str = "", mode: str = "", **options: Any) -> None:
        attributes = {"autocomplete": "off", **({"inputmode": mode} if mode else {}), **options.pop("render_kw", {})}
        self.required = required
        super().__init__(label, render_kw=attributes | ({"required": True} if required else {}), **options)

    def read(self, text: str) -> Any:
        """The value of a text that is not empty. Raises ValueError in words that follow what was given."""
        return text

    def shown(self, value: Any) -> str:
        """A value as it would be typed."""
        return "" if value is None else str(value)

    def process_formdata(self, valuelist: list[Any]) -> None:
        if not valuelist:
            # A field that the form did not carry stays as it was.
            return
        self.data = None
        text = str(valuelist[0]).strip()
        if not text:
            return
        if not is_plain_text(text):
            raise ValueError(f"{self.said} has a character that cannot be kept; accepted: plain text.")
        try:
            self.data = self.read(text)
        except ValueError as e:
            raise ValueError(f"{self.said}: {short(text)!r} {e}.") from None

    def pre_validate(self, form: Any) -> None:
        if self.required and self.data is None and not self.process_errors:
            raise ValidationError(self.required)

    @property
    def faults(self) -> list[str]:
        """What is wrong with it, as told beside its own label."""
        return [str(fault).removeprefix(f"{self.said}: ") for fault in self.errors]

    @property
    def said(self) -> str:
        """How a refusal names the field."""
        return str(self.label.text or self.short_name.replace("_", " ")).split(" <")[0]

    def _value(self) -> str:
        return str(self.raw_data[0]) if self.raw_data else self.shown(self.data)

    @property
    def given(self) -> str:
        return str(self.raw_data[0]) if self.raw_data else ""


class Words(Typed):
    """Some words of stated length."""

    def __init__(self, label: str = "", longest: int = NAME_LEN, **options: Any) -> None:
        self.longest = longest
        render = {"maxlength": longest, **options.pop("render_kw", {})}
        super().__init__(label, render_kw=render, **options)

    def read(self, text: str) -> str:
        if len(text) > self.longest:
            raise ValueError(f"has {len(text)} letters; accepted: up to {self.longest}")
        return text


class Id(Words):
    """The short name of a thing."""

    def read(self, text: str) -> str:
        if not is_id(text):
            raise ValueError("cannot be a name: 1 to 64 letters, digits, dots, dashes or underscores, without spaces")
        return text


class Figure(Typed):
    """A number between two bounds; `units` are what may stand behind it."""

    def __init__(self, label: str = "", low: float = -1e7, high: float = 1e7, mode: str = "decimal", **options: Any) -> None:
        self.low, self.high = low, high
        super().__init__(label, mode=mode, **options)

    def units(self) -> Mapping[str, float]:
        return {}

    def from_reader(self, value: float) -> float:
        """A figure in the reader's unit, in the record's."""
        return value

    def to_reader(self, value: float) -> float:
        return value

    @property
    def unit(self) -> str:
        """The unit that stands beside the label."""
        return ""

    def typed(self, text: str) -> Any:
        """The figure in the record's unit. Raises ValueError for what is none."""
        return self.from_reader(number(text, self.units()))

    def bound(self, value: float) -> str:
        """How a bound is told."""
        return f"{round(value, 3):,.10g}"

    def read(self, text: str) -> Any:
        low, high = self.to_reader(self.low), self.to_reader(self.high)
        accepted = f"accepted: {self.bound(low)} to {self.bound(high)}{f' {self.unit}' if self.unit else ''}"
        try:
            value = self.typed(text)
        except ValueError as e:
            raise ValueError(f"{str(e).split('; accepted')[0]}; {accepted}") from None
        if not self.low <= value <= self.high:
            raise ValueError(f"is out of range; {accepted}")
        return value

    def shown(self, value: Any) -> str:
        return "" if value is None else f"{round(self.to_reader(float(value)), 4):.10g}"


class Temperature(Figure):
    """A temperature in the reader's degrees, °C in the record."""

    def units(self) -> Mapping[str, float]:
        return {"c": 1.0, "f": 1.0}

    @property
    def unit(self) -> str:
        return request_context.formatter().degree

    def typed(self, text: str) -> float:
        value = number(text, self.units())
        return float(celsius(value, self.meant(text)))

    def meant(self, text: str) -> str:
        """The unit of a figure as typed: one behind it is meant, whatever the reader's own is."""
        return {"c": "degC", "f": "degF"}.get(text.strip().lower()[-1:], request_context.formatter().temperature_unit)

    def to_reader(self, value: float) -> float:
        return float(request_context.formatter().shown_temperature(value))


class Measured(Figure):
    """A figure in the reader's measure, in the record's metric one: what may be typed behind it, and how it is told in either."""

    known: ClassVar[Mapping[str, float]]
    metric: ClassVar[str]
    imperial: ClassVar[tuple[str, str]]

    def _per(self) -> float:
        return self.known[self.imperial[0]] if request_context.formatter().imperial else 1.0

    def units(self) -> Mapping[str, float]:
        return {unit: size / self._per() for unit, size in self.known.items()}

    def from_reader(self, value: float) -> float:
        return round(value * self._per(), 3)

    def to_reader(self, value: float) -> float:
        return value / self._per()

    @property
    def unit(self) -> str:
        return self.imperial[1] if request_context.formatter().imperial else self.metric


class Length(Measured):
    """A length in the reader's measure, millimetres in the record."""

    known, metric, imperial = LENGTHS_MM, "mm", ("in", "in")


class Volume(Measured):
    """A volume in the reader's measure, millilitres in the record."""

    known, metric, imperial = VOLUMES_ML, "ml", ("floz", "fl oz")


class Percent(Figure):
    """A percentage, kept as a share."""

    def units(self) -> Mapping[str, float]:
        return {"%": 1.0}

    def from_reader(self, value: float) -> float:
        return value / 100

    def to_reader(self, value: float) -> float:
        return value * 100

    @property
    def unit(self) -> str:
        return "%"


class Whole(Figure):
    """A whole number between two bounds."""

    def __init__(self, label: str = "", low: int = 0, high: int = 999_999_999, **options: Any) -> None:
        super().__init__(label, low, high, mode="numeric", **options)

    def typed(self, text: str) -> int:
        return whole(text)

    def shown(self, value: Any) -> str:
        return "" if value is None else str(int(value))


class Year(Whole):
    """A year that a record can reach."""

    def __init__(self, label: str = "", **options: Any) -> None:
        super().__init__(label, FIRST_DAY.year, LAST_DAY.year, **options)

    def bound(self, value: float) -> str:
        return f"{value:.0f}"


class Day(Typed):
    """A day of the calendar; `near` days either way of today where it is meant to lie near."""

    widget = DateInput()

    def __init__(self, label: str = "", near: tuple[int, int] | None = None, **options: Any) -> None:
        self.near = near
        super().__init__(label, **options)

    def read(self, text: str) -> date:
        try:
            day = date.fromisoformat(text)
        except ValueError:
            raise ValueError("is not a day; accepted: a day like 2026-03-12") from None
        first, last = FIRST_DAY, LAST_DAY
        if self.near is not None:
            today = request_context.formatter().local(request_context.now()).date()
            first, last = today - timedelta(days=self.near[0]), today + timedelta(days=self.near[1])
        if not first <= day <= last:
            raise ValueError(f"is too far off; accepted: {first.isoformat()} to {last.isoformat()}")
        return day

    def shown(self, value: Any) -> str:
        return "" if value is None else value.isoformat()[:10]


class DayOfYear(Typed):
    """A day of any year, kept as month-day."""

    def __init__(self, label: str = "", **options: Any) -> None:
        super().__init__(label, render_kw={"placeholder": "12 May"}, **options)

    def read(self, text: str) -> str:
        return day_of_year(text)

    def shown(self, value: Any) -> str:
        return "" if value is None else request_context.formatter().calendar_day(date.fromisoformat(f"2000-{value}"))


class Moment(Typed):
    """A time in the garden's zone. Nothing typed is the time the form was pressed."""

    widget = DateTimeLocalInput()

    def read(self, text: str) -> datetime:
        return local_time(text)

    def shown(self, value: Any) -> str:
        return "" if value is None else request_context.formatter().typed(value)


class Clock(Typed):
    """A time of day as HH:MM."""

    widget = TimeInput()

    def read(self, text: str) -> str:
        hour, _, minute = text.partition(":")
        if not (hour.isascii() and minute[:2].isascii() and hour.isdecimal() and minute[:2].isdecimal()):
            raise ValueError("is not a time of day; accepted: a time like 07:30")
        if int(hour) > 23 or int(minute[:2]) > 59 or len(text) > 8:
            raise ValueError("is not a time of day; accepted: a time like 07:30")
        return f"{int(hour):02}:{int(minute[:2]):02}"


def _select(field: Choice, **attributes: Any) -> Markup:
    """A list to choose from; without a choice of its own it begins with the words for none."""
    attributes.pop("inputmode", None)
    params = html_params(**{"id": field.id, "name": field.name, **attributes})
    options = [("", field.none)] if field.none is not None else []
    now = field._value()
    drawn = Markup("").join(
        Markup('<option value="{}"{}>{}</option>').format(value, Markup(" selected") if value == now else "", words)
        for value, words in [*options, *field.choices]
    )
    return Markup("<select {}>{}</select>").format(Markup(params), drawn)


class Choice(Typed):
    """One of some values; `choices` (value, words) may be set by the handler."""

    widget = staticmethod(_select)

    def __init__(self, label: str = "", choices: Iterable[tuple[str, str]] | Mapping[str, str] = (), none: str | None = None,
                 **options: Any) -> None:  # fmt: skip
        self.choices = list(choices.items() if isinstance(choices, Mapping) else choices)
        self.none = none
        super().__init__(label, **options)

    def pre_validate(self, form: Any) -> None:
        super().pre_validate(form)
        # Handlers may have set the choices after the form was read.
        if self.data is not None and self.data not in {value for value, _ in self.choices} and self.raw_data:
            known = ", ".join(words for value, words in self.choices[:12] if value)
            raise ValidationError(
                f"{self.said}: {short(self.data)!r} is not one of the choices; accepted: {known or 'none is there yet'}."
            )


class Many(Field):
    """Some values of one name: cells, trays, batches."""

    data: Any

    widget = HiddenInput()

    def process_formdata(self, valuelist: list[Any]) -> None:
        self.data = [str(v) for v in valuelist[:MOST_VALUES]]
        if not all(is_plain_text(v) and len(v) <= LINE_LEN for v in self.data):
            raise ValueError("One of the choices no longer exists; load the page again.")


class Tick(Field):
    """Yes or no."""

    data: Any

    widget = CheckboxInput()
    false_values = ("", "0", "false", None)

    def process_formdata(self, valuelist: list[Any]) -> None:
        self.data = bool(valuelist) and valuelist[0] not in self.false_values

    def _value(self) -> str:
        return "1"


class Hidden(Words):
    """Words that the page carries along."""

    widget = HiddenInput()


class Form(FlaskForm):
    """A form of one write. `key` makes a form that is sent twice one write; `pressed_at` dates one that waited for a signal."""

    class Meta(FlaskForm.Meta):
        def render_field(self, field: Field, render_kw: dict[str, Any]) -> Any:
            """Each control carries the style sheet's class for its kind."""
            kinds = {CheckboxInput: "form-check-input", RadioInput: "form-check-input", HiddenInput: ""}
            kind = "form-select" if isinstance(field, Choice) else kinds.get(type(field.widget), "form-control")
            own = [str(render_kw.pop("class", "")), kind, "is-invalid" if field.errors else ""]
            return super().render_field(field, render_kw | ({"class": told} if (told := " ".join(filter(None, own))) else {}))

    key = Hidden(longest=80)
    pressed_at = Hidden(longest=64)
    back = Hidden(longest=2_000)

    def take(self) -> None:
        """See that everything holds. Raises the first fault as a Refusal; each stands at its field."""
        if not self.validate():
            name, faults = next(((n, f) for n, f in self.errors.items() if f), ("", ["That form cannot be read."]))
            raise Refusal(str(faults[0]), str(name), getattr(self._fields.get(name or ""), "given", ""))

    def tell(self, refusal: Refusal) -> None:
        """Put a refusal at its field, or over the form where it is of none."""
        field = self._fields.get(refusal.field)
        if field is None:
            told: list[str] = list(getattr(self, "form_errors", []))
            self.form_errors = [*told, refusal.reason]
        elif refusal.reason not in field.errors:
            field.errors = [*field.errors, refusal.reason]

    def values(self, *names: str) -> dict[str, Any]:
        """The values of some fields, by name."""
        return {name: self._fields[name].data for name in names}

    @property
    def pressed(self) -> datetime:
        """When this form was pressed: now, or earlier where it waited in a browser without signal."""
        now = request_context.now()
        try:
            at = datetime.fromisoformat(self.pressed_at.data or "")
        except ValueError:
            return now
        return at if at.tzinfo is not None and now - WAITED < at <= now else now


def made_of(fields: Mapping[str, Field], base: type[Form] = Form) -> type[Form]:
    """A form whose fields depend on what the page is about."""
    return type("MadeForm", (base,), dict(fields))


def sending() -> Markup:
    """The hidden fields that every form carries: the token and a fresh key."""
    # Both are of letters that need no escape; a page holds dozens of these.
    token, key = generate_csrf(), secrets.token_urlsafe(12)
    return Markup(f'<input type="hidden" name="csrf_token" value="{token}"><input type="hidden" name="key" value="{key}">')


def short(text: str, limit: int = 60) -> str:
    return text if len(text) <= limit else text[: limit - 1] + "…"


def local_time(text: str) -> datetime:
    """A time typed in the garden's zone. Raises ValueError."""
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise ValueError("is not a time; accepted: a time like 2026-03-12T08:10") from None
    if not FIRST_DAY.year <= at.year <= LAST_DAY.year:
        raise ValueError(f"is too far off; accepted: {FIRST_DAY.year} to {LAST_DAY.year}")
    try:
        return at if at.tzinfo is not None else localize(at, zone_of(request_context.garden().garden.timezone))
    except ValueError as e:
        raise ValueError(str(e).split(";")[0]) from None


def file_of(name: str = "file", asked: str = "Choose a file first.") -> tuple[str, bytes]:
    """An uploaded file, or what was pasted in its stead: its name, fit to be kept, and its bytes. Raises Refusal where there is
    neither."""
    given = request.files.get(name)
    pasted = request.form.get("pasted", "")
    if (given is None or not given.filename) and pasted.strip():
        return "what was pasted", pasted.encode("utf-8", "replace")
    if given is None or not given.filename:
        raise Refusal(asked, name)
    kept = "".join(c for c in given.filename if is_plain_text(c)).strip()[-120:] or "file"
    return kept, given.read()


def key_sent() -> str | None:
    """The key that this request's form carries against double sending, where it is one."""
    key = request.form.get("key", "")
    return key if 0 < len(key) <= 80 and is_plain_text(key) else None


def submitted() -> bool:
    return request.method == "POST"
