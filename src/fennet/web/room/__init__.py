"""Setting up the room: what is in it, with its measures, and where each thing stands, hangs and lies."""

from flask import Blueprint

from fennet.web.room import handlers

blueprint = Blueprint("room", __name__)
base = "/g/<slug>/room"
blueprint.add_url_rule(base, "room", handlers.room)
blueprint.add_url_rule(f"{base}/start", "start", handlers.start, methods=["POST"])
blueprint.add_url_rule(f"{base}/garden", "garden", handlers.garden, methods=["POST"])
blueprint.add_url_rule(f"{base}/calibrate", "calibrate", handlers.calibrate, methods=["POST"])
blueprint.add_url_rule(f"{base}/<section>", "thing", handlers.thing, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/<section>/<thing_id>", "thing", handlers.thing, methods=["GET", "POST"])
