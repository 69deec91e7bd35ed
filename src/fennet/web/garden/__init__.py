"""The page for a person without a garden, and the phone's page of everything else."""

from flask import Blueprint

from fennet.web.garden import handlers

blueprint = Blueprint("garden", __name__)
blueprint.add_url_rule("/no-garden", "none", handlers.none)
blueprint.add_url_rule("/g/<slug>/more", "more", handlers.more)
