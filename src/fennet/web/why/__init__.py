"""Why: what is wrong with a batch, argued; the one check to make; what to do."""

from flask import Blueprint

from fennet.web.why import handlers

blueprint = Blueprint("why", __name__)
blueprint.add_url_rule("/g/<slug>/why", "index", handlers.index)
blueprint.add_url_rule("/g/<slug>/why/<batch_id>", "batch", handlers.batch)
blueprint.add_url_rule("/g/<slug>/why/<batch_id>/look", "look", handlers.look, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/why/<batch_id>/check", "check", handlers.check, methods=["POST"])
