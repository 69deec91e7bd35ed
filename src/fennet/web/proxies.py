"""Who is believed about where a request came from: the proxies that were named, and nobody else."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from ipaddress import IPv4Network, IPv6Network, ip_address, ip_network
from typing import Any

from werkzeug.middleware.proxy_fix import ProxyFix

Network = IPv4Network | IPv6Network
Wsgi = Callable[[dict[str, Any], Any], Iterable[bytes]]


def networks(text: str) -> tuple[Network, ...]:
    """Addresses and networks from a list with commas.

    >>> [str(n) for n in networks("127.0.0.1, 10.0.0.0/8")]
    ['127.0.0.1/32', '10.0.0.0/8']
    """
    return tuple(ip_network(part.strip(), strict=False) for part in text.split(",") if part.strip())


class TrustedProxies:
    """Reads forwarded headers of requests that come from a trusted proxy; those of anybody else are as good as none."""

    def __init__(self, app: Wsgi, proxies: int, trusted: Sequence[Network]) -> None:
        self._plain, self._trusted = app, trusted
        self._fixed = ProxyFix(app, x_for=proxies, x_proto=proxies, x_host=proxies)

    def __call__(self, environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
        try:
            peer = ip_address(str(environ.get("REMOTE_ADDR", "")))
        except ValueError:
            return self._plain(environ, start_response)
        believed = any(peer.version == n.version and peer in n for n in self._trusted)
        return (self._fixed if believed else self._plain)(environ, start_response)
