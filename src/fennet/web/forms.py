"""What all forms share."""

from __future__ import annotations

from flask_wtf import FlaskForm

from fennet.operations.acting import Refusal


class Form(FlaskForm):
    """A form that can be told why an operation refused."""

    def tell(self, refusal: Refusal) -> None:
        field = self._fields.get(refusal.field) or next(f for f in self._fields.values() if f.name != "csrf_token")
        field.errors = [*field.errors, refusal.reason]
