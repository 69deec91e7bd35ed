"""What a server needs to know, read once from the environment that the start command sets."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import urlsplit

MEGABYTE = 1024 * 1024


@dataclass(frozen=True)
class Settings:
    """`public_url` is what codes and links point to; `proxies` how many proxies stand before the server, `proxy_addresses` where
    the nearest of them may call from; `state` the folder of secrets and backups, where this machine has one."""

    database_url: str
    secret: str
    public_url: str = "http://127.0.0.1"
    instance: str = "local"
    proxies: int = 0
    proxy_addresses: str = "127.0.0.1,::1"
    state: Path | None = None
    demo: bool = False
    largest_upload: int = 32 * MEGABYTE
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
            proxy_addresses=env.get("FENNET_PROXY_ADDRESSES") or "127.0.0.1,::1",
            state=Path(env["FENNET_WEB_STATE"]) if env.get("FENNET_WEB_STATE") else None,
            demo=bool(env.get("FENNET_WEB_DEMO")),
        )
