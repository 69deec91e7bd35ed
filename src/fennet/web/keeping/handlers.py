"""The keeper's page: what the doctor finds, in the same words as the command."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from flask import abort, g, render_template
from flask_login import current_user, login_required

from fennet.storage.queries import GardenRef
from fennet.upkeep import nightly
from fennet.upkeep.doctor import Machine, examine
from fennet.web import request_context


@login_required
def keeping() -> Any:
    if not current_user.keeper:
        abort(403)
    settings = request_context.settings()
    now = request_context.now()
    state = settings.state or Path()
    seen = examine(Machine(state, backed_up=not settings.demo), request_context.engine(), now)
    return render_template("keeping/keeping.html", seen=seen, folder=nightly.folder(state), demo=settings.demo)


def backup_trouble(ref: GardenRef) -> str:
    """What an owner is told at the foot of Today while backups fail; nothing while they are well, or there is no night yet."""
    if request_context.settings().demo or ref.role != "owner":
        return ""
    if "backup_trouble" not in g:
        last, now = nightly.last_backup(request_context.reading()), request_context.now()
        g.backup_trouble = "" if last is None or not last.failing(now) else _words(last)
    return str(g.backup_trouble)


def _words(last: nightly.Upkeep) -> str:
    if last.done_at is None:
        age = "No backup has succeeded yet"
    else:
        days = (request_context.now() - last.done_at).total_seconds() / 86_400
        age = f"The last backup is {request_context.formatter().days(days)} old"
    return f"{age}. {last.words[:1].upper()}{last.words[1:]}." if last.words else f"{age}."
