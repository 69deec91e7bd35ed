"""The story of one batch on one page: to read, to print and to keep."""

from flask import Blueprint

from fennet.web.story import handlers

blueprint = Blueprint("story", __name__)
blueprint.add_url_rule("/g/<slug>/story/<batch_id>", "story", handlers.story)
