"""Large files that are read in the background: how far each has come, and what came of it."""

from flask import Blueprint

from fennet.web.imports import handlers

blueprint = Blueprint("imports", __name__)
blueprint.add_url_rule("/g/<slug>/imports/<key>", "show", handlers.show)
