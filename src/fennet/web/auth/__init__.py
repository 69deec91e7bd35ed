"""The way in: first visit, sign-in, sign-out, a person's own settings."""

from __future__ import annotations

from flask import Blueprint, Flask
from flask_login import LoginManager

from fennet.web.auth import handlers

blueprint = Blueprint("auth", __name__)
blueprint.add_url_rule("/welcome", "welcome", handlers.welcome, methods=["GET", "POST"])
blueprint.add_url_rule("/sign-in", "sign_in", handlers.sign_in, methods=["GET", "POST"])
blueprint.add_url_rule("/sign-out", "sign_out", handlers.sign_out, methods=["POST"])
blueprint.add_url_rule("/me", "me", handlers.me, methods=["GET", "POST"])
blueprint.add_url_rule("/theme", "theme", handlers.theme, methods=["POST"])


def init_app(app: Flask) -> None:
    manager = LoginManager(app)
    manager.session_protection = "basic"
    manager.user_loader(handlers.load)
    manager.unauthorized_handler(handlers.way_in)
