"""Practice: the schools growers argue over, as choices for the garden or one batch; and the grower's own bands."""

from flask import Blueprint

from fennet.web.practice import handlers

blueprint = Blueprint("practice", __name__)
base = "/g/<slug>/practice"
blueprint.add_url_rule(base, "practice", handlers.practice, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/targets", "targets", handlers.targets, methods=["GET", "POST"])
