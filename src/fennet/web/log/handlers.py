"""Handlers of the log line."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from typing import Any

from flask import flash, redirect, render_template, url_for

from fennet.journal.log_line import Misread, Said, Scene, scene_of, suggest, understand
from fennet.journal.times import zone_of
from fennet.operations import log_line
from fennet.operations.acting import Refusal, WriteContext
from fennet.presentation.entries import entry_words, said_words
from fennet.web import query, record, request_context
from fennet.web.auth.handlers import inside
from fennet.web.forms import Form, submitted
from fennet.web.log.doubts import doubts
from fennet.web.log.forms import LONGEST_LINE, LineForm, UndoForm
from fennet.web.writes import write

#: The deeds of the thumb's page, said of the trays that are chosen there: words on the button, and what it says.
THUMB_ACTIONS = [
    ("Watered below", "watered below"), ("Misted", "misted"), ("1 dust-dry", "feel 1"), ("2 pale top", "feel 2"),
    ("3 even", "feel 3"), ("4 dark", "feel 4"), ("5 glistening", "feel 5"), ("Cover on", "cover on"), ("Vented", "cover vent"),
    ("Cover off", "cover off"), ("To light", "to light"), ("Turned", "turned"),
]  # fmt: skip
SHOWN = 30
#: Entries that one press takes back at most: those of one line.
MOST_TOKENS = 200


def scene(at: datetime | None = None) -> Scene:
    """What a line may speak of in this garden at a moment, now if none is given."""
    zone, a = zone_of(request_context.garden().garden.timezone), record.answers()
    when = at or request_context.now()
    # The stages of now serve any moment since the last thing written.
    stages = a.stages if a.at_s <= when.timestamp() <= a.now_s else None
    return scene_of(record.journal(), a.events, when, zone, request_context.formatter().temperature_unit, stages)


def understood(line: str, pressed: datetime) -> Said:
    """What a line says: of an earlier time, by what hung, lay and stood there then. Raises Misread."""
    said = understand(line, scene(pressed))
    return understand(line, replace(scene(said.at), now=pressed)) if said.dated else said


def _back(form: Form) -> str:
    return inside(form.back.data) or url_for("log.log", slug=request_context.garden().slug)


@request_context.in_garden
def log() -> Any:
    """The log page; a line sent is written, or the page says what was not understood and how it would read mended."""
    form = LineForm()
    line = form.said() if submitted() else query.text("line", longest=LONGEST_LINE)
    trouble: Misread | Refusal | None = None
    if submitted():
        # What a line means (which mat, which place) is read from the record as it stands when its turn has come.
        def work(w: WriteContext) -> tuple[Said, log_line.Written]:
            record.answers_in_turn()
            said = understood(line, form.pressed)
            return said, log_line.write(w, said)

        try:
            form.take()
            done = write(work)
        except (Misread, Refusal) as e:
            trouble = e
        else:
            _tell(done)
            return redirect(_back(form))
    events = list(reversed(record.events()))[:SHOWN]
    fmt = request_context.formatter()
    trays = [t.id for t in record.journal().trays if t.until is None]
    return render_template(
        "log/log.html",
        line=line,
        trouble=trouble,
        entries=[(fmt.moment(e.at), entry_words(e, fmt), e.by or "") for e in events],
        trays=trays,
        actions=THUMB_ACTIONS,
        chosen=form.tray.data or [],
        back=_back(form) if submitted() else "",
    ), 400 if trouble else 200


def _tell(done: tuple[Said, log_line.Written] | None) -> None:
    if done is None:
        flash("That was logged already.")
        return
    said, written = done
    words = said_words(said, request_context.formatter()).removesuffix("; now")
    flash(f"Logged. {words}.", f"undo:{written.undo}")
    for words in doubts(said):
        flash(words, "error")
    for trouble in written.room_problems:
        flash(f"{trouble.words} {trouble.mend}", "error")


@request_context.in_garden
def echo() -> Any:
    """What a line would be understood to say, and how it may go on; nothing is written."""
    line = query.text("line", longest=LONGEST_LINE)
    here = scene()
    answer: dict[str, Any] = {"line": line, "suggestions": [{"line": s.line, "means": s.means} for s in suggest(line, here)]}
    try:
        said = understood(line, request_context.now())
        answer["echo"] = said_words(said, request_context.formatter())
        answer["doubt"] = " ".join(doubts(said))
    except Misread as e:
        answer["trouble"] = {"reason": e.reason, "start": e.start, "given": e.given, "accepted": e.accepted, "mend": e.mend}
    return answer, 200, {"Cache-Control": "no-store"}


@request_context.in_garden
def undo() -> Any:
    """Take back what was logged a moment ago, or bring it back."""
    form = UndoForm()
    tokens = [t for t in (form.event.data or "").split(",") if t][:MOST_TOKENS]
    try:
        form.take()
        back = write(lambda w: log_line.undo(w, tokens)) or []
        # An undone undo says so the other way round.
        again = form.again.data == "1"
        flash(
            "That entry counts again." if again else "Undone.",
            f"undo:{','.join(back)}" if back and len(back) == len(tokens) else "message",
        )
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(_back(form))
