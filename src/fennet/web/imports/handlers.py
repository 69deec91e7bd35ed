"""Handlers of files that are read in the background."""

from __future__ import annotations

from typing import Any

from flask import abort, jsonify, render_template, request

from fennet.operations import importing
from fennet.web import request_context


@request_context.in_garden
def show(key: str) -> Any:
    """How far a file has come; as JSON for the page that waits for it."""
    found = importing.job(request_context.reading(), request_context.garden().id, key)
    if found is None:
        abort(404)
    if request.accept_mimetypes.best == "application/json":
        return jsonify({"state": found.state, "share": round(found.share, 4), "lines": found.lines_done})
    return render_template(
        "imports/show.html", job=found, rejected=importing.rejections(found), waits=found.state == importing.WAITING
    )
