"""Fennet at the shelf without signal: what a browser installs, its worker, and which pages it keeps."""

from flask import Blueprint

from fennet.web.shelf import handlers

blueprint = Blueprint("shelf", __name__)
blueprint.add_url_rule("/worker.js", "worker", handlers.worker)
blueprint.add_url_rule("/fennet.webmanifest", "manifest", handlers.manifest)
blueprint.add_url_rule("/g/<slug>/shelf.json", "kept", handlers.kept)
