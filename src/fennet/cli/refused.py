"""How a command says no."""

from __future__ import annotations

from click import ClickException


class Refused(ClickException):
    """Bad usage or bad input, told on one line: exit status 2."""

    exit_code = 2
