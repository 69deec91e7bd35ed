"""Batches side by side: what they shared, and what differed."""

from flask import Blueprint

from fennet.web.compare import handlers

blueprint = Blueprint("compare", __name__)
blueprint.add_url_rule("/g/<slug>/compare", "compare", handlers.compare)
