"""Trials marked beforehand: what is asked, the cells it needs, the plan drawn by lot, and the answer."""

from flask import Blueprint

from fennet.web.trials import handlers

blueprint = Blueprint("trials", __name__)
base = "/g/<slug>/trials"
blueprint.add_url_rule(base, "index", handlers.index, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/<trial_id>", "trial", handlers.trial)
blueprint.add_url_rule(f"{base}/<trial_id>/plan", "lay_out", handlers.lay_out, methods=["POST"])
blueprint.add_url_rule(f"{base}/<trial_id>/sow", "sow", handlers.sow, methods=["POST"])
blueprint.add_url_rule(f"{base}/<trial_id>/batches", "batches", handlers.batches, methods=["POST"])
blueprint.add_url_rule(f"{base}/<trial_id>/drop", "drop", handlers.drop, methods=["POST"])
