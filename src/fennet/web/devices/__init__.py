"""The devices of a garden: who holds a token, when each was last heard, what is wrong with its clock."""

from flask import Blueprint

from fennet.web.devices import handlers

blueprint = Blueprint("devices", __name__)
blueprint.add_url_rule("/g/<slug>/devices", "devices", handlers.devices, methods=["GET", "POST"])
