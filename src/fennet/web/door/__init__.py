"""The open doors for devices: a mat's thermostat and a lamp's timer say how they are and hear what was set."""

from flask import Blueprint

from fennet.web.door import handlers

blueprint = Blueprint("door", __name__)
blueprint.add_url_rule("/api/thermostat", "thermostat", handlers.thermostat, methods=["POST"])
blueprint.add_url_rule("/api/timer", "timer", handlers.timer, methods=["POST"])
