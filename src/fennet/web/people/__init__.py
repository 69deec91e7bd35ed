"""Who belongs to a garden, who is invited, who may look on; gardens made and left."""

from flask import Blueprint

from fennet.web.people import gardens, handlers, shared

blueprint = Blueprint("people", __name__)
base = "/g/<slug>/people"
blueprint.add_url_rule(base, "people", handlers.people)
blueprint.add_url_rule(f"{base}/invite", "invite", handlers.invite, methods=["POST"])
blueprint.add_url_rule(f"{base}/take-back", "take_back", handlers.take_back, methods=["POST"])
blueprint.add_url_rule(f"{base}/member", "member", handlers.member, methods=["POST"])
blueprint.add_url_rule(f"{base}/share", "share", handlers.share, methods=["POST"])
blueprint.add_url_rule(f"{base}/leave", "leave", gardens.leave, methods=["POST"])
blueprint.add_url_rule(f"{base}/remove-garden", "remove_garden", gardens.remove_garden, methods=["POST"])
blueprint.add_url_rule("/gardens", "gardens", gardens.gardens, methods=["GET", "POST"])
blueprint.add_url_rule("/shared/<token>", "shared", shared.shared)
