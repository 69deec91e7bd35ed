"""A site on a database of its own, with or without the demo season, for the test client and for the browser."""

from __future__ import annotations

import logging
import re
import threading
from datetime import datetime
from typing import Any, ClassVar, Literal, overload
from unittest import TestResult

from flask import Flask, Response
from flask.testing import FlaskClient
from werkzeug.serving import WSGIRequestHandler, make_server

from fennet.launch.serve import DEMO_NAME, DEMO_PASSWORD
from fennet.web import parts
from fennet.web.app import create_app
from fennet.web.limits import limiter
from fennet.web.settings import Settings
from tests.database import NOW, DatabaseCase, demo_database

TAG = re.compile(r"<[^<>]+>")
TOKEN = re.compile(r'name="csrf_token"[^>]*value="([^"]+)"')


class Shown(Response):
    """A response whose tags are told on one line each, however their template breaks them."""

    @overload
    def get_data(self, as_text: Literal[False] = False) -> bytes: ...
    @overload
    def get_data(self, as_text: Literal[True]) -> str: ...
    def get_data(self, as_text: bool = False) -> bytes | str:
        if not as_text or self.mimetype != "text/html":
            return super().get_data(as_text=True) if as_text else super().get_data()
        return TAG.sub(lambda tag: re.sub(r"\s+", " ", tag[0]), super().get_data(as_text=True))


class Broken(logging.Handler):
    """What of pages could not be worked out, as the application logs it."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.told: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        if record.exc_info is not None:
            self.told.append(record.getMessage())


class SiteCase(DatabaseCase):
    """`demo`: load the demo season, ending at the frozen clock. A page whose part fails stands and says so; a test that does not
    mean that (`breaks`) fails."""

    demo: ClassVar[bool] = True
    breaks: ClassVar[bool] = False
    public_url: ClassVar[str] = "http://127.0.0.1"
    app: ClassVar[Flask]
    broken: ClassVar[Broken]
    now: ClassVar[datetime] = NOW

    @classmethod
    def setUpClass(cls) -> None:
        cls.like = demo_database() if cls.demo else None
        super().setUpClass()
        settings = Settings(cls.url, "a secret for tests", cls.public_url, "test", demo=cls.demo, clock=lambda: cls.now)
        cls.app = create_app(settings)
        limiter.enabled = False
        # A busy machine must not turn a page's parts into "takes too long": what is tested is what they say.
        parts.PAGE_BUDGET_S = 600.0
        cls.addClassCleanup(cls.app.extensions["fennet_engine"].dispose)
        cls.broken = Broken()
        cls.app.logger.addHandler(cls.broken)
        cls.addClassCleanup(cls.app.logger.removeHandler, cls.broken)

    def run(self, result: TestResult | None = None) -> TestResult | None:
        self.broken.told.clear()
        self.addCleanup(self._whole)
        return super().run(result)

    def _whole(self) -> None:
        if not self.breaks:
            self.assertEqual(self.broken.told, [], "parts of pages that failed")

    def visitor(self) -> Visitor:
        return Visitor(FlaskClient(self.app, Shown))

    def gardener(self) -> Visitor:
        """Someone signed in to the demo."""
        visitor = self.visitor()
        visitor.send("/sign-in", name=DEMO_NAME, password=DEMO_PASSWORD)
        return visitor


class Visitor:
    """A client that carries the form token as a browser would."""

    def __init__(self, client: FlaskClient) -> None:
        self.client = client

    def see(self, address: str) -> str:
        response = self.client.get(address, follow_redirects=True)
        assert response.status_code == 200, f"{address}: {response.status_code}"
        return response.get_data(as_text=True)

    def token(self, page: str = "/me") -> str:
        found = TOKEN.search(self.client.get(page, follow_redirects=True).get_data(as_text=True))
        assert found, f"no form on {page}"
        return found.group(1)

    def send(self, address: str, page: str | None = None, **fields: Any) -> Any:
        """Post a form; the token comes from `page` (the address itself by default)."""
        fields["csrf_token"] = self.token(page or address)
        return self.client.post(address, data=fields, follow_redirects=True)


class _Quiet(WSGIRequestHandler):
    def log(self, *_: object) -> None:
        """Say nothing of each request."""


class Served:
    """The application on a real port, in a thread."""

    def __init__(self, app: Flask, port: int = 0) -> None:
        self.server = make_server("127.0.0.1", port, app, threaded=True, request_handler=_Quiet)
        self.base = f"http://127.0.0.1:{self.server.server_port}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        self.server.shutdown()
