"""Towels: roots counted in the bag, days to root, live seed moved to cells."""

from flask import Blueprint

from fennet.web.towel import handlers

blueprint = Blueprint("towel", __name__)
blueprint.add_url_rule("/g/<slug>/towels", "towels", handlers.towels)
blueprint.add_url_rule("/g/<slug>/towels/<batch_id>/count", "count", handlers.count, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/towels/<batch_id>/move", "move", handlers.move, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/towels", "lay", handlers.lay, methods=["POST"])
