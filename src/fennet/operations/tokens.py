"""Tokens and secret addresses: shown once, kept hashed; a garden's calendar has some, and its page for readers."""

from __future__ import annotations

import hashlib
import secrets

from sqlalchemy import delete, insert, select

from fennet.operations.acting import Refusal, Secret, WriteContext, for_owners
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MOST_ADDRESSES = 20


def hashed(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


@for_owners
def make_address(w: WriteContext, opens: str = "calendar") -> Secret:
    """A new secret for an address that opens the calendar, or the garden to readers; shown once, kept hashed. Raises Refusal."""
    table = table_of(t.SecretAddressRow)
    token = secrets.token_urlsafe(24)
    there = w.c.execute(select(table.c.token_hash).where(table.c.garden_id == w.garden_id)).all()
    if len(there) >= MOST_ADDRESSES:
        raise Refusal(f"Up to {MOST_ADDRESSES} addresses are in use; revoke some first.")
    w.c.execute(
        insert(table).values(token_hash=hashed(token), garden_id=w.garden_id, opens=opens, made_at=w.now, by=w.actor.name)
    )
    return Secret(token)


@for_owners
def revoke_address(w: WriteContext, token_hash: str) -> None:
    """Take an address back: whoever has it sees nothing from now on."""
    table = table_of(t.SecretAddressRow)
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.token_hash == token_hash))
