"""Addresses of pages, as templates ask for them."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

from flask import request, url_for

#: A page holds two hundred addresses, most of them those of the page before.
MOST_KEPT = 8192


def addresses() -> Callable[..., str]:
    """`url_for` for the templates of one app, which makes each address once: an address within the site says nothing of the
    request but where the app is mounted, and for a relative endpoint (".page") whose blueprint it is."""

    @lru_cache(MOST_KEPT)
    def made(_seen_from: tuple[str, str | None], endpoint: str, values: tuple[tuple[str, Any], ...]) -> str:
        return url_for(endpoint, **dict(values))

    def address(endpoint: str, **values: Any) -> str:
        if "_external" in values:
            return url_for(endpoint, **values)
        given = tuple([(name, tuple(v) if isinstance(v, list) else v) for name, v in values.items()])
        return made((request.root_path, request.blueprint if endpoint.startswith(".") else None), endpoint, given)

    return address
