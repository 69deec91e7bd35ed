"""The form for a new tray."""

from __future__ import annotations

from wtforms import HiddenField, IntegerField, SelectField, StringField
from wtforms.validators import InputRequired, Length, NumberRange, Optional

from fennet.web.forms import Form


class TrayForm(Form):
    id = StringField("Name on the tray", [InputRequired("A short name is needed, like A."), Length(max=64)])
    rows = IntegerField("Rows of cells", [NumberRange(1, 30, "1 to 30 rows.")], default=4)
    columns = IntegerField("Cells in a row", [NumberRange(1, 30, "1 to 30 cells in a row.")], default=6)
    cell_ml = IntegerField("Volume of a cell, ml", [Optional(), NumberRange(1, 20000, "1 to 20,000 ml.")])
    place = SelectField("Where it stands")
    key = HiddenField()
