"""Sow: several kinds into one tray in one go."""

from flask import Blueprint

from fennet.web.sow import handlers

blueprint = Blueprint("sow", __name__)
blueprint.add_url_rule("/g/<slug>/sow", "sow", handlers.sow, methods=["GET", "POST"])
