"""Trays: what stands where, and how each batch is doing."""

from flask import Blueprint

from fennet.web.trays import handlers

blueprint = Blueprint("trays", __name__)
blueprint.add_url_rule("/g/<slug>/trays", "index", handlers.index)
blueprint.add_url_rule("/g/<slug>/trays/new", "new", handlers.new, methods=["GET", "POST"])
