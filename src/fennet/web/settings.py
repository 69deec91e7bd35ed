"""What a server needs to know, read once from the environment that the start command sets."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from urllib.parse import urlsplit

MEGABYTE = 1024 * 1024


@dataclass(frozen=True)
class Settings:
    """`public_url` is what codes and links point to; `proxies` how many trusted proxies stand before the server."""

    database_url: str
    secret: str
    public_url: str = "http://127.0.0.1"
    instance: str = "local"
    proxies: int = 0
    demo: bool = False
    largest_upload: int = 16 * MEGABYTE
    clock: Callable[[], datetime] = field(default=lambda: datetime.now(UTC))

    @property
    def secure_cookies(self) -> bool:
        return urlsplit(self.public_url).scheme == "https"

    @staticmethod
    def from_environment() -> Settings:
        env = os.environ
        return Settings(
            database_url=env["FENNET_WEB_DATABASE"],
            secret=env["FENNET_WEB_SECRET"],
            public_url=env.get("FENNET_PUBLIC_URL", "http://127.0.0.1"),
            instance=env.get("FENNET_WEB_INSTANCE", "local"),
            proxies=int(env.get("FENNET_PROXIES") or 0),
            demo=bool(env.get("FENNET_WEB_DEMO")),
        )
