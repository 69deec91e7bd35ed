"""The crop table to read, every figure with its unit and source; and a garden's own kinds."""

from flask import Blueprint

from fennet.web.crops import handlers

blueprint = Blueprint("crops", __name__)
blueprint.add_url_rule("/g/<slug>/crops", "index", handlers.index)
blueprint.add_url_rule("/g/<slug>/crops/<crop_id>", "show", handlers.show)
blueprint.add_url_rule("/g/<slug>/own-crops", "own", handlers.own, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/own-crops/<crop_id>", "own_one", handlers.own, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/own-crops/<crop_id>/drop", "drop", handlers.drop, methods=["POST"])
