"""The device API: a mat's thermostat and a lamp's timer say how they are and hear what was set; a weather station tells."""

from flask import Blueprint

from fennet.web.device_api import handlers

blueprint = Blueprint("device_api", __name__)
blueprint.add_url_rule("/api/thermostat", "thermostat", handlers.thermostat, methods=["POST"])
blueprint.add_url_rule("/api/weather", "weather", handlers.weather, methods=["POST"])
blueprint.add_url_rule("/api/readings", "readings", handlers.readings, methods=["POST"])
blueprint.register_error_handler(429, handlers.too_fast)
blueprint.add_url_rule("/api/timer", "timer", handlers.timer, methods=["POST"])
