"""The form for a new tray."""

from __future__ import annotations

from fennet.presentation.sowing import CONTAINER_WORDS
from fennet.web.forms import Choice, Form, Hidden, Id, Volume, Whole

#: What can be sown in.
TRAY_KINDS = {"cells": "a tray of cells", "pots": "pots", "open": "an open box, sown in rows"}


class TrayForm(Form):
    id = Id("Name on the tray", 64, required="A short name is needed, like A.")
    kind = Choice("What it is", TRAY_KINDS, default="cells")
    container = Choice("Made of", CONTAINER_WORDS, none="plastic")
    rows = Whole("Rows", 1, 30, required="1 to 30 rows.", default=4)
    columns = Whole("Cells in a row", 1, 30, default=6)
    cell_ml = Volume("Volume of a cell", 1, 20_000)
    place = Choice("Where it stands", none="not said yet")
    then = Hidden(longest=10)
