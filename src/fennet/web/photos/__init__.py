"""Photos: taken in, shown, taken out of sight again."""

from flask import Blueprint

from fennet.web.photos import handlers

blueprint = Blueprint("photos", __name__)
base = "/g/<slug>/photos"
blueprint.add_url_rule(base, "add", handlers.add, methods=["POST"])
blueprint.add_url_rule(f"{base}/<int(max=2147483647):number>", "photo", handlers.photo)
blueprint.add_url_rule(f"{base}/<int(max=2147483647):number>/thumb", "thumb", handlers.thumb)
blueprint.add_url_rule(f"{base}/<int(max=2147483647):number>/withdraw", "withdraw", handlers.withdraw, methods=["POST"])
