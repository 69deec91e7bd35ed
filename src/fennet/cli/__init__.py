"""The commands of docs/formats.md. Each imports what it needs when it runs, so that `./fennet crops` answers at once."""

from fennet.cli.main import main

__all__ = ["main"]
