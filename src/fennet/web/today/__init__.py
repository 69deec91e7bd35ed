"""Today: the room drawn in elevation with the latest readings, what there is to do, and what an absence means."""

from flask import Blueprint

from fennet.web.today import handlers

blueprint = Blueprint("today", __name__)
blueprint.add_url_rule("/g/<slug>", "front", handlers.front)
blueprint.add_url_rule("/g/<slug>/today", "today", handlers.today)
blueprint.add_url_rule("/g/<slug>/today/leave", "leave", handlers.leave, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/away", "away", handlers.away)
