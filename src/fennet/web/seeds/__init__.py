"""The seed box: packets, what is left of them and what they are worth."""

from flask import Blueprint

from fennet.web.seeds import handlers

blueprint = Blueprint("seeds", __name__)
base = "/g/<slug>/seeds"
blueprint.add_url_rule(base, "index", handlers.index)
blueprint.add_url_rule(f"{base}/packet", "packet", handlers.packet, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/packet/<lot_id>", "packet", handlers.packet, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/packet/<lot_id>/test", "test", handlers.test, methods=["POST"])
blueprint.add_url_rule(f"{base}/packet/<lot_id>/drop", "drop", handlers.drop, methods=["POST"])
