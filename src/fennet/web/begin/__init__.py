"""The first hour: four questions, and four ways on."""

from flask import Blueprint

from fennet.web.begin import handlers

blueprint = Blueprint("begin", __name__)
blueprint.add_url_rule("/g/<slug>/begin", "begin", handlers.begin, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/begin/sown", "sown", handlers.sown, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/begin/seedlings", "seedlings", handlers.seedlings, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/begin/records", "records", handlers.records, methods=["GET", "POST"])
