"""Handlers of the log line."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, request, url_for

from fennet.journal.log_line import Misread, Said, Scene, scene_of, suggest, understand
from fennet.journal.times import zone_of
from fennet.operations import log_line
from fennet.operations.acting import Refusal
from fennet.telling.entries import entry_words, said_words
from fennet.web import asking, record
from fennet.web.auth.handlers import inside
from fennet.web.log.doubts import doubts
from fennet.web.writes import write

#: The deeds of the thumb's page, said of the trays that are chosen there: words on the button, and what it says.
THUMB_DEEDS = [
    ("Watered below", "watered below"), ("Misted", "misted"), ("1 dust-dry", "feel 1"), ("2 pale top", "feel 2"),
    ("3 even", "feel 3"), ("4 dark", "feel 4"), ("5 glistening", "feel 5"), ("Cover on", "cover on"), ("Vented", "cover vent"),
    ("Cover off", "cover off"), ("To light", "to light"), ("Turned", "turned"),
]  # fmt: skip
LONGEST_LINE = 1000
SHOWN = 30


def scene() -> Scene:
    """What a line may speak of in this garden now."""
    zone = zone_of(asking.garden().garden.timezone)
    return scene_of(record.journal(), record.events(), asking.pressed_at(), zone, asking.speech().temperature_unit)


def _back() -> str:
    return inside(request.form.get("back")) or url_for("log.log", slug=asking.garden().slug)


@asking.in_garden
def log() -> Any:
    """The log page; a line sent is written, or the page says what was not understood and how it would read mended."""
    line = _line()
    trouble: Misread | Refusal | None = None
    if request.method == "POST":
        try:
            said = understand(line[:LONGEST_LINE], scene())
            written = write(lambda w: log_line.write(w, said))
        except (Misread, Refusal) as e:
            trouble = e
        else:
            _tell(said, written)
            return redirect(_back())
    events = list(reversed(record.events()))[:SHOWN]
    say = asking.speech()
    trays = [t.id for t in record.journal().trays if t.until is None]
    return render_template(
        "log/log.html",
        line=line,
        trouble=trouble,
        entries=[(say.moment(e.at), entry_words(e, say), e.by or "") for e in events],
        trays=trays,
        deeds=THUMB_DEEDS,
        chosen=request.form.getlist("tray"),
        back=_back() if request.method == "POST" else "",
    ), 400 if trouble else 200


def _line() -> str:
    """The line as typed, or made of the trays and the deed chosen by thumb."""
    deed, trays = request.form.get("deed", ""), request.form.getlist("tray")
    note = request.form.get("note", "").strip()
    if note:
        # A note's own words are not a time.
        return f"{' '.join(trays)} note {note.replace('@', ' at ')}"
    line = f"{' '.join(trays)} {deed}".strip() if deed else request.values.get("line", "").strip()
    when = request.form.get("when", "").strip()
    return f"{line} @ {when}" if when and "@" not in line else line


def _tell(said: Said, written: log_line.Written | None) -> None:
    if written is None:
        flash("That was logged already.")
        return
    words = said_words(said, asking.speech()).removesuffix("; now")
    flash(f"Logged. {words}.", f"undo:{written.undo}")
    for words in doubts(said):
        flash(words, "error")
    for trouble in written.troubles:
        flash(f"{trouble.words} {trouble.mend}", "error")


@asking.in_garden
def echo() -> Any:
    """What a line would be understood to say, and how it may go on; nothing is written."""
    line = request.args.get("line", "")[:LONGEST_LINE]
    here = scene()
    answer: dict[str, Any] = {"line": line, "suggestions": [{"line": s.line, "means": s.means} for s in suggest(line, here)]}
    try:
        said = understand(line, here)
        answer["echo"] = said_words(said, asking.speech())
        answer["doubt"] = " ".join(doubts(said))
    except Misread as e:
        answer["trouble"] = {"reason": e.reason, "start": e.start, "given": e.given, "accepted": e.accepted, "mend": e.mend}
    return answer, 200, {"Cache-Control": "no-store"}


@asking.in_garden
def undo() -> Any:
    """Take back what was logged a moment ago, or bring it back."""
    tokens = [t for t in request.form.get("event", "").split(",") if t]
    try:
        back = write(lambda w: log_line.undo(w, tokens))
        # An undone undo says so the other way round.
        again = request.form.get("again") == "1"
        flash(
            "It holds again." if again else "Undone.",
            f"undo:{','.join(back)}" if back and len(back) == len(tokens) else "message",
        )
    except Refusal as e:
        flash(e.reason, "error")
    return redirect(_back())
