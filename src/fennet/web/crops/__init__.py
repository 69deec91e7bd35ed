"""The crop table to read: every figure with its unit and source."""

from flask import Blueprint

from fennet.web.crops import handlers

blueprint = Blueprint("crops", __name__)
blueprint.add_url_rule("/g/<slug>/crops", "index", handlers.index)
blueprint.add_url_rule("/g/<slug>/crops/<crop_id>", "show", handlers.show)
