"""Handlers of finding and of help."""

from __future__ import annotations

from typing import Any

from flask import render_template

from fennet.presentation.glossary import GLOSSARY, KEYS
from fennet.web import query, record, request_context
from fennet.web.find.view import found, nearest


@request_context.in_garden
def find() -> Any:
    """What holds the words asked for; with none, where to type them."""
    asked = query.text("q", longest=80)
    a = record.answers()
    groups = found(a, asked, request_context.formatter())
    near = nearest(a, asked) if asked and not groups else []
    return render_template("find/find.html", asked=asked, groups=groups, near=near)


@request_context.in_garden
def help_page() -> Any:
    """What the words mean and which keys do what."""
    return render_template("find/help.html", glossary=GLOSSARY, keys=KEYS)
