"""A season looked back on: its numbers, what to mend first, and the story of every batch."""

from flask import Blueprint

from fennet.web.season import handlers

blueprint = Blueprint("season", __name__)
blueprint.add_url_rule("/g/<slug>/season", "season", handlers.season)
