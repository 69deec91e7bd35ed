"""Feed and pot up: doses by the label, with the sum shown; pots with their place checked."""

from flask import Blueprint

from fennet.web.care import handlers

blueprint = Blueprint("care", __name__)
blueprint.add_url_rule("/g/<slug>/feed", "feed", handlers.feed, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/feed/products", "products", handlers.products, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/pot-up/<batch_id>", "pot_up", handlers.pot_up, methods=["GET", "POST"])
