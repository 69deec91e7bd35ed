"""The open door for a mat's thermostat: it says how it is and hears what it may heat to."""

from flask import Blueprint

from fennet.web.door import handlers

blueprint = Blueprint("door", __name__)
blueprint.add_url_rule("/api/thermostat", "thermostat", handlers.thermostat, methods=["POST"])
