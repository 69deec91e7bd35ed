"""The forms of practice and of one's own bands."""

from __future__ import annotations

from wtforms import Field

from fennet.core.kinds import PRACTICE_FIGURES, PRACTICES
from fennet.web.forms import Choice, Figure, Form, Hidden, Length, Temperature, Tick, made_of


class BatchForm(Form):
    """Whose choices or bands a form is about."""

    batch = Hidden(longest=64)
    crop = Hidden(longest=64)


_FIELDS: dict[str, Field] = {key: Choice(key, [(v, v) for v in values]) for key, values in PRACTICES.items()}
_FIELDS["gate_night_c"] = Temperature("Nights from", *PRACTICE_FIGURES["gate_night_c"])
_FIELDS["lamp_fixed_mm"] = Length("From the leaves", *PRACTICE_FIGURES["lamp_fixed_mm"])
_FIELDS["patience_d"] = Figure("Days from sowing", *PRACTICE_FIGURES["patience_d"])
PracticeForm = made_of(_FIELDS, BatchForm)


class TargetForm(BatchForm):
    quantity = Choice("Of", required="Say of what the band is.")
    stage = Choice("Stage", none="every stage")
    low = Figure("From", -1000, 1000)
    high = Figure("To", -1000, 1000)
    drop = Tick()
    who_crop = Hidden(longest=64)
    who_batch = Hidden(longest=64)


class WarmthForm(TargetForm):
    low = Temperature("From", -60, 120)
    high = Temperature("To", -60, 120)
