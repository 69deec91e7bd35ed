"""The log line: its page, its echo while one types, its saving; and undo."""

from flask import Blueprint

from fennet.web.log import handlers

blueprint = Blueprint("log", __name__)
blueprint.add_url_rule("/g/<slug>/log", "log", handlers.log, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/log/echo", "echo", handlers.echo)
blueprint.add_url_rule("/g/<slug>/log/undo", "undo", handlers.undo, methods=["POST"])
