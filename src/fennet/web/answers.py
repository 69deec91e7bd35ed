"""Answers on a batch as parts of a page: one that cannot be worked out is told at its place."""

from __future__ import annotations

from fennet.answering.answers import Answers
from fennet.core.care.day import CareDay
from fennet.core.conditions import Conditions
from fennet.core.diagnosis.finding import Finding
from fennet.core.forecast import Forecast
from fennet.core.hardening.hardening import Hardening
from fennet.core.records import Batch, Tray
from fennet.web.parts import part


def forecast(a: Answers, batch: Batch, curves: bool = False) -> Forecast | None:
    """The forecast of a batch, or None while it is not sown yet."""
    return part(f"the forecast of {batch.id}", lambda: a.forecast(batch, curves), None, batch.id)


def findings(a: Answers, batch: Batch) -> list[Finding]:
    """The findings on a batch."""
    return part(f"what is wrong with {batch.id}", lambda: a.findings(batch), [], batch.id)


def hardening(a: Answers, batch: Batch) -> Hardening | None:
    """How a batch stands on its way out."""
    return part(f"the outings of {batch.id}", lambda: a.hardening(batch), None, batch.id)


def conditions(a: Answers, batch: Batch, looks_back_s: float | None = None) -> Conditions | None:
    """How a batch stands in its four quantities."""
    return part(f"the state of {batch.id}", lambda: a.conditions(batch, looks_back_s), None, batch.id)


def care(a: Answers, batch: Batch, tray: Tray, state: Conditions) -> CareDay | None:
    """What a batch wants done."""
    return part(f"what {batch.id} wants done", lambda: a.care(batch, tray, state), None, batch.id)
