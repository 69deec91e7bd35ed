"""The Book: everything in order of time, to filter, correct and export."""

from flask import Blueprint

from fennet.web.book import handlers

blueprint = Blueprint("book", __name__)
base = "/g/<slug>/book"
blueprint.add_url_rule(base, "book", handlers.book)
blueprint.add_url_rule(f"{base}.csv", "export", handlers.export)
blueprint.add_url_rule(f"{base}/readings.csv", "export_readings", handlers.export_readings)
blueprint.add_url_rule(f"{base}/<event_id>", "entry", handlers.entry, methods=["GET", "POST"])
