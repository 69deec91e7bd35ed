"""What Fennet has learned from this garden's own past, to be read, corrected and forgotten."""

from flask import Blueprint

from fennet.web.learned import handlers

blueprint = Blueprint("learned", __name__)
blueprint.add_url_rule("/g/<slug>/learned", "learned", handlers.learned, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/learned.json", "as_file", handlers.as_file)
