"""What concerns a garden as a whole: undo, and the page for a person without one."""

from flask import Blueprint

from fennet.web.garden import handlers

blueprint = Blueprint("garden", __name__)
blueprint.add_url_rule("/no-garden", "none", handlers.none)
blueprint.add_url_rule("/g/<slug>/undo", "undo", handlers.undo, methods=["POST"])
