"""One tray: the verdict of each batch, four ribbons, the emergence chart, the cell plan, readings in."""

from flask import Blueprint

from fennet.web.tray import handlers

blueprint = Blueprint("tray", __name__)
base = "/g/<slug>/trays/<tray_id>"
blueprint.add_url_rule(base, "show", handlers.show)
blueprint.add_url_rule(f"{base}/mark", "mark", handlers.mark, methods=["POST"])
blueprint.add_url_rule(f"{base}/unmark", "unmark", handlers.unmark, methods=["POST"])
blueprint.add_url_rule(f"{base}/count", "count", handlers.count, methods=["POST"])
blueprint.add_url_rule(f"{base}/height", "height", handlers.height, methods=["POST"])
blueprint.add_url_rule(f"{base}/give-up", "give_up", handlers.give_up, methods=["POST"])
blueprint.add_url_rule(f"{base}/reading", "reading", handlers.reading, methods=["POST"])
blueprint.add_url_rule(f"{base}/upload", "upload", handlers.upload, methods=["POST"])
blueprint.add_url_rule(f"{base}/upload/<key>", "preview", handlers.preview, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/series.json", "series", handlers.series)
