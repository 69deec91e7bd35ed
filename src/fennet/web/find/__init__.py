"""Finding a thing by its name or a word, and what the words and keys mean."""

from flask import Blueprint

from fennet.web.find import handlers

blueprint = Blueprint("find", __name__)
blueprint.add_url_rule("/g/<slug>/find", "find", handlers.find)
blueprint.add_url_rule("/g/<slug>/help", "help", handlers.help_page)
