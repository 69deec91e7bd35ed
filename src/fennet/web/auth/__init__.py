"""The way in: first visit, sign-in, sign-out, links for one use; and what is a person's own."""

from __future__ import annotations

from flask import Blueprint, Flask
from flask_login import LoginManager

from fennet.web.auth import account, handlers, links

blueprint = Blueprint("auth", __name__)
BOTH = ["GET", "POST"]
blueprint.add_url_rule("/welcome", "welcome", handlers.welcome, methods=BOTH)
blueprint.add_url_rule("/sign-in", "sign_in", handlers.sign_in, methods=BOTH)
blueprint.add_url_rule("/sign-in/code", "code", handlers.code, methods=BOTH)
blueprint.add_url_rule("/sign-out", "sign_out", handlers.sign_out, methods=["POST"])
blueprint.add_url_rule("/theme", "theme", handlers.theme, methods=["POST"])
blueprint.add_url_rule("/me", "me", account.me, methods=BOTH)
blueprint.add_url_rule("/me/password", "change_password", account.change_password, methods=BOTH)
blueprint.add_url_rule("/me/second-step", "second_step", account.second_step, methods=BOTH)
blueprint.add_url_rule("/me/sessions", "sessions", account.sessions, methods=BOTH)
blueprint.add_url_rule("/invited/<token>", "invited", links.invited)
blueprint.add_url_rule("/invited", "join", links.join, methods=BOTH)
blueprint.add_url_rule("/new-password/<token>", "reset", links.reset)
blueprint.add_url_rule("/new-password", "new_password", links.new_password, methods=BOTH)


def init_app(app: Flask) -> None:
    manager = LoginManager(app)
    # A session is found by its own token in the database; a cookie's look alone proves nothing.
    manager.session_protection = None
    manager.user_loader(handlers.load)
    manager.unauthorized_handler(handlers.way_in)
