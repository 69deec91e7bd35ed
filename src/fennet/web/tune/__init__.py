"""Tune: what to set mats and lamps to, by their own record; who should have a mat place; the promises that were made."""

from flask import Blueprint

from fennet.web.tune import handlers

blueprint = Blueprint("tune", __name__)
blueprint.add_url_rule("/g/<slug>/tune", "mats", handlers.mats)
blueprint.add_url_rule("/g/<slug>/tune/lamps", "lamps", handlers.lamps)
blueprint.add_url_rule("/g/<slug>/tune/lamps/<lamp_id>/set", "set_lamp", handlers.set_lamp, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/tune/lamps/<lamp_id>/device", "lamp_device", handlers.lamp_device, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/tune/<thing_id>/set", "set_it", handlers.set_it, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/tune/<thing_id>/device", "device", handlers.device, methods=["POST"])
blueprint.add_url_rule("/g/<slug>/score", "score", handlers.score)
