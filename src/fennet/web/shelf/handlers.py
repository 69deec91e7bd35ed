"""Handlers of the shelf without signal."""

from __future__ import annotations

import hashlib
import json
from functools import cache
from pathlib import Path
from typing import Any

from flask import Response, current_app, jsonify, url_for
from flask_login import current_user

from fennet import __version__
from fennet.web import record, request_context

#: Pages of trays that are kept: the phone reads them one after the other.
MOST_TRAYS = 60


@cache
def _files(folder: str) -> tuple[str, ...]:
    """Everything a page is drawn with, by its name below the static folder; not the worker itself."""
    root = Path(folder)
    found = (p for p in root.rglob("*") if p.suffix in (".css", ".js", ".svg", ".woff2", ".png"))
    return tuple(sorted(p.relative_to(root).as_posix() for p in found if p.name != "shelf-worker.js"))


@cache
def version_of(folder: str) -> str:
    """A name for these very files: another one means that what a browser kept of the last is dropped."""
    digest = hashlib.sha256(__version__.encode())
    for name in (*_files(folder), "js/shelf-worker.js"):
        digest.update((Path(folder) / name).read_bytes())
    return digest.hexdigest()[:16]


def worker() -> Response:
    """The service worker, with the version of this very Fennet and the files it keeps."""
    folder = str(current_app.static_folder)
    files = [url_for("static", filename=name) for name in _files(folder)]
    code = (Path(folder) / "js" / "shelf-worker.js").read_text(encoding="utf-8")
    told = f"const VERSION = {json.dumps(version_of(folder))};\nconst FILES = {json.dumps(files)};\n"
    return Response(told + code, mimetype="text/javascript", headers={"Cache-Control": "no-cache"})


def manifest() -> Response:
    """What a phone needs to put Fennet among its programs."""
    icons = [
        {"src": url_for("static", filename=f"icon-{n}.png"), "sizes": f"{n}x{n}", "type": "image/png", "purpose": "any maskable"}
        for n in (192, 512)
    ]
    said = {
        "name": "Fennet", "short_name": "Fennet", "start_url": "/", "scope": "/", "display": "standalone", "icons": icons,
        "background_color": "#f5f0e4", "theme_color": "#1e1a17", "lang": "en",
        "description": "The record of a grow-room, and what it says.",
    }  # fmt: skip
    return Response(json.dumps(said), mimetype="application/manifest+json", headers={"Cache-Control": "max-age=3600"})


@request_context.in_garden
def kept() -> Any:
    """The pages that are worth having at the shelf without signal: the day, the trays, today's run sheet, the labels."""
    slug = request_context.garden().slug
    a = record.answers()
    alive = {b.tray for b in a.living}
    trays = [t.id for t in a.journal.trays if t.id in alive][:MOST_TRAYS]
    pages = [url_for(endpoint, slug=slug) for endpoint in ("today.today", "trays.index", "plan.plan", "plan.labels", "find.help")]
    if request_context.may("log.log"):
        pages.append(url_for("log.log", slug=slug))
    pages.append(url_for("plan.day", slug=slug, day="today"))
    pages += [url_for("tray.show", slug=slug, tray_id=tray) for tray in trays]
    answer = jsonify({"pages": pages})
    answer.headers["Cache-Control"] = "no-store"
    return answer


def whose() -> str:
    """A name for this sign-in that says nothing of the person: what is kept under another one is dropped."""
    return hashlib.sha256(f"shelf {current_user.token}".encode()).hexdigest()[:16] if current_user.is_authenticated else ""


def person() -> str:
    """A name for this person on this Fennet, under which entries wait: nobody sends what somebody else left behind."""
    if not current_user.is_authenticated:
        return ""
    said = f"{request_context.settings().secret} {current_user.id}"
    return hashlib.sha256(said.encode()).hexdigest()[:16]
