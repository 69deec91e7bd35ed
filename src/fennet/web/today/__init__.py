"""Today: the room drawn in elevation with the latest readings, and what is out of its band."""

from flask import Blueprint

from fennet.web.today import handlers

blueprint = Blueprint("today", __name__)
blueprint.add_url_rule("/g/<slug>/today", "today", handlers.today)
