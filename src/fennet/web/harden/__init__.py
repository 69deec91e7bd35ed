"""Hardening off: today's outings, the fortnight, and whether a batch may be planted out."""

from flask import Blueprint

from fennet.web.harden import handlers

blueprint = Blueprint("harden", __name__)
blueprint.add_url_rule("/g/<slug>/harden", "harden", handlers.harden)
blueprint.add_url_rule("/g/<slug>/harden/out", "out", handlers.out, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/harden/weather", "weather", handlers.weather, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/harden/station", "station", handlers.station, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/harden/told", "told", handlers.told, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/harden/plant/<batch_id>", "plant", handlers.plant, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/harden/in", "back_in", handlers.back_in, methods=["POST"])
