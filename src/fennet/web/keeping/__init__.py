"""How Fennet itself is kept, for its keeper: backups, disk, database, clock."""

from flask import Blueprint

from fennet.web.keeping import handlers
from fennet.web.keeping.handlers import backup_trouble

__all__ = ["backup_trouble", "blueprint", "handlers"]

blueprint = Blueprint("keeping", __name__)
blueprint.add_url_rule("/keeping", "keeping", handlers.keeping)
