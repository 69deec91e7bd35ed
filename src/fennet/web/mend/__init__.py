"""Mending values that were stored once and that no record can hold."""

from flask import Blueprint

from fennet.web.mend import handlers

blueprint = Blueprint("mend", __name__)
blueprint.add_url_rule("/g/<slug>/mend", "mend", handlers.mend, methods=["GET", "POST"])
