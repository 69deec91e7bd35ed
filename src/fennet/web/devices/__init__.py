"""The devices of a garden: who holds a token, when each was last heard, what is wrong with its clock; and the house's broker."""

from flask import Blueprint

from fennet.web.devices import broker, handlers

blueprint = Blueprint("devices", __name__)
blueprint.add_url_rule("/g/<slug>/devices", "devices", handlers.devices, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/devices/broker", "broker", broker.broker, methods=["GET", "POST"])
