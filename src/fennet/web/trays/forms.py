"""The form for a new tray."""

from __future__ import annotations

from fennet.web.forms import Choice, Form, Hidden, Id, Volume, Whole


class TrayForm(Form):
    id = Id("Name on the tray", 64, required="A short name is needed, like A.")
    rows = Whole("Rows of cells", 1, 30, required="1 to 30 rows.", default=4)
    columns = Whole("Cells in a row", 1, 30, required="1 to 30 cells in a row.", default=6)
    cell_ml = Volume("Volume of a cell", 1, 20_000)
    place = Choice("Where it stands", none="not said yet")
    then = Hidden(longest=10)
