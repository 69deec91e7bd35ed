"""The forms of the log line, the thumb's buttons and undo."""

from __future__ import annotations

from fennet.web.forms import Form, Hidden, Many, Words

LONGEST_LINE = 1000


class LineForm(Form):
    """A line as typed, or made of the trays and the deed chosen by thumb, or a note."""

    line = Words("Log line", LONGEST_LINE)
    tray = Many()
    action = Hidden(longest=60)
    when = Words("When", 60)
    note = Words("A note", 800)

    def said(self) -> str:
        """The line that was meant."""
        trays = " ".join(self.tray.data or [])[:LONGEST_LINE]
        if self.note.data:
            # A note's own words are not a time.
            return f"{trays} note {self.note.data.replace('@', ' at ')}"
        line = f"{trays} {self.action.data}".strip() if self.action.data else self.line.data or ""
        return f"{line} @ {self.when.data}" if self.when.data and "@" not in line else line


class UndoForm(Form):
    """What is taken back: tokens of entries and readings, and whether that undoes an undo."""

    event = Hidden(longest=20_000)
    again = Hidden(longest=2)
