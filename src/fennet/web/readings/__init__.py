"""What was read: every series of a garden, and one of them over a day, a month, a year or all."""

from flask import Blueprint

from fennet.web.readings import handlers

blueprint = Blueprint("readings", __name__)
blueprint.add_url_rule("/g/<slug>/readings", "index", handlers.index)
blueprint.add_url_rule("/g/<slug>/readings/<number>", "show", handlers.show)
