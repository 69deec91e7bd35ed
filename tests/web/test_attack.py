"""The usual list of web risks, one test each: what an attacker tries, and that nothing comes of it."""

from __future__ import annotations

import logging
import re
from pathlib import Path
from unittest import mock

from argon2.exceptions import VerifyMismatchError
from werkzeug.test import EnvironBuilder, run_wsgi_app

from fennet.launch.serve import DEMO_NAME, DEMO_PASSWORD
from fennet.presentation.csv_cells import plain_cell
from fennet.web.app import CONTENT_SECURITY
from tests.audit import licences
from tests.fuzz import _memory as memory
from tests.web.site import SiteCase
from tests.web.test_walk import LINKED

G = "/g/canal-house"
MARKUP = '"><script>alert(1)</script><img src=x onerror=alert(1)>'


class Attack(SiteCase):
    breaks = True

    def setUp(self) -> None:
        self.me = self.gardener()

    def test_a_form_from_elsewhere_is_refused(self) -> None:
        for data in ({}, {"csrf_token": "made up"}, {"csrf_token": self.visitor().token("/sign-in")}):
            self.assertEqual(self.me.client.post(f"{G}/log", data={**data, "line": "A note x"}).status_code, 400)

    def test_markup_in_a_name_is_shown_as_letters(self) -> None:
        self.me.send(f"{G}/log", line=f"A note {MARKUP}")
        self.me.send(f"{G}/seeds/packet", crop="leek", variety=MARKUP[:60])
        for page in ("book", "log", "seeds", "today", "trays/A", "find?q=alert"):
            with self.subTest(page):
                body = self.me.see(f"{G}/{page}")
                self.assertNotIn("<script>alert", body)
                self.assertNotIn("<img src=x", body)
        for address in (f"{G}/find?q={MARKUP}", f"{G}/crops?q={MARKUP}", f"{G}/log?line={MARKUP}", f"{G}/trays/A?of={MARKUP}"):
            self.assertNotIn("<script>alert", self.me.client.get(address, follow_redirects=True).get_data(as_text=True), address)

    def test_the_policy_has_no_exceptions_and_no_page_needs_one(self) -> None:
        self.assertNotIn("unsafe", CONTENT_SECURITY)
        for page in LINKED:
            answer = self.me.client.get(f"{G}/{page}", follow_redirects=True)
            with self.subTest(page):
                self.assertEqual(answer.headers["Content-Security-Policy"], CONTENT_SECURITY)
                self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
                self.assertEqual(answer.headers["Cache-Control"], "no-store")
                body = answer.get_data(as_text=True)
                self.assertIsNone(re.search(r"<script(?![^>]*\ssrc=)[^>]*>", body), "a script within the page")
                self.assertIsNone(re.search(r"<[^>]+\s(?:on\w+|style)=", body), "a handler or a style within a tag")
                self.assertIsNone(re.search(r'(?:src|href)="(?:https?:)?//', body), "something from elsewhere")

    def test_a_way_back_never_leads_elsewhere_nor_breaks_a_header(self) -> None:
        backs = (
            "https://evil.example/",
            "//evil.example",
            "/\\evil.example",
            "/a\r\nSet-Cookie: a=b",
            "/a\nX: y",
            "javascript:alert(1)",
            "\x00",
        )
        for back in backs:
            for address, fields in ((f"{G}/log", {"line": "A note x"}), ("/theme", {"theme": "day"})):
                with self.subTest(back=back, address=address):
                    data = {"csrf_token": self.me.token(), "back": back, **fields}
                    answer = self.me.client.post(address, data=data)
                    self.assertLess(answer.status_code, 500)
                    self.assertRegex(answer.headers.get("Location", "/"), r"^/(?![/\\])[^\r\n]*$")
                    self.assertNotIn("evil", answer.headers.get("Location", ""))
        for target in backs:
            visitor = self.visitor()
            data = {"csrf_token": visitor.token("/sign-in"), "name": DEMO_NAME, "password": DEMO_PASSWORD}
            answer = visitor.client.post("/sign-in", query_string={"next": target}, data=data)
            self.assertEqual(answer.headers["Location"], "/", target)

    def test_a_session_begins_anew_at_sign_in_and_its_cookie_is_closed(self) -> None:
        visitor = self.visitor()
        visitor.token("/sign-in")
        before = visitor.client.get_cookie("fennet-test-demo")
        visitor.send("/sign-in", name=DEMO_NAME, password=DEMO_PASSWORD)
        after = visitor.client.get_cookie("fennet-test-demo")
        assert before is not None and after is not None
        self.assertNotEqual(before.value, after.value)
        self.assertEqual((after.http_only, after.same_site), (True, "Lax"))
        planted = self.visitor()
        planted.client.set_cookie("fennet-test-demo", before.value)
        self.assertEqual(planted.client.get("/me").status_code, 302)

    def test_an_unknown_name_is_told_and_timed_as_a_wrong_password_is(self) -> None:
        said = []
        with mock.patch(
            "fennet.operations.people._hasher", mock.Mock(verify=mock.Mock(side_effect=VerifyMismatchError))
        ) as hasher:
            for name in (DEMO_NAME, "nobody at all"):
                answer = self.visitor().send("/sign-in", name=name, password="wrong password")
                said.append(re.findall(r"do not match", answer.get_data(as_text=True)))
        self.assertEqual(said[0], said[1])
        self.assertEqual(hasher.verify.call_count, 2, "the password is hashed either way")

    def test_a_field_that_no_form_has_changes_nothing(self) -> None:
        self.me.send("/me", temperature_unit="degC", locale="en_GB", keeper="1", name="somebody", password_hash="x")
        self.assertIn(DEMO_NAME, self.me.see("/me"))
        self.me.send(f"{G}/room/garden", f"{G}/room", demo="", slug="taken", revision="99", id="7")
        self.assertIn("Canal house", self.me.see(f"{G}/today"))

    def test_no_path_leads_out_of_the_static_folder(self) -> None:
        for path in ("../app.py", "..%2fapp.py", "%2e%2e/app.py", "....//app.py", "/etc/passwd", "css/../../settings.py"):
            self.assertIn(self.me.client.get(f"/static/{path}").status_code, (404, 308), path)

    def test_secrets_stand_in_no_log(self) -> None:
        secret = "a-secret-token-that-nobody-may-read"
        with self.assertLogs(level=logging.DEBUG) as logs:
            logging.getLogger().debug("begun")
            with mock.patch("fennet.operations.tokens.hashed", side_effect=RuntimeError("broken within")):
                for path in (f"/shared/{secret}", f"/calendar/{secret}.ics"):
                    self.assertEqual(self.visitor().client.get(path).status_code, 500)
                self.visitor().client.post("/api/timer", json={}, headers={"Authorization": f"Bearer {secret}"})
            self.visitor().send("/sign-in", name=DEMO_NAME, password=secret)
            self.visitor().client.get(f"/invited/{secret}", follow_redirects=True)
        self.assertNotIn(secret, "\n".join(logs.output))

    def test_a_body_that_does_not_say_how_long_it_is_is_cut_all_the_same(self) -> None:
        token = re.search(
            r'<code class="token">([^<]+)', self.me.send(f"{G}/tune/mat-1/device", f"{G}/tune").get_data(as_text=True)
        )
        assert token
        for size, status in ((100, ("200",)), (100_000, ("400", "413"))):
            body = b'{"why": "' + b"x" * size + b'"}'
            builder = EnvironBuilder(path="/api/thermostat", method="POST", data=body, content_type="application/json",
                                     headers={"Authorization": f"Bearer {token[1]}", "Transfer-Encoding": "chunked"})  # fmt: skip
            environ = builder.get_environ()
            environ.pop("CONTENT_LENGTH")
            environ["wsgi.input_terminated"] = True
            self.assertIn(run_wsgi_app(self.app, environ)[1].split()[0], status)

    def test_a_cell_of_a_table_is_never_a_formula(self) -> None:
        for cell in ("=1+1", "+cmd", "-cmd", "@x", "\t=1", "\r=1", "\n=1"):
            self.assertFalse(str(plain_cell(cell)).startswith(cell[0]), repr(cell))

    def test_a_form_key_of_any_length_and_odd_addresses_are_told_in_words(self) -> None:
        answer = self.me.send(f"{G}/log", line="A note x", key="k" * 3_000)
        self.assertEqual(answer.status_code, 400)
        self.assertIn("up to 80", answer.get_data(as_text=True))
        for address in (
            "today?at=0001-01-01", "today?at=9999-12-31", "book?from=0001-01-01&to=9999-12-31", "away?days=-5",
            "away?days=" + "9" * 400, "trays/A?of='\"%00", "trays/A?days=%ff", "plan/days/0001-01-01", "plan/days/9999-12-31",
        ):  # fmt: skip
            self.assertLess(self.me.client.get(f"{G}/{address}", follow_redirects=True).status_code, 500, address)

    def test_many_odd_questions_are_not_kept(self) -> None:
        for n in range(30):
            self.me.see(f"{G}/trays?x={n}")
        before = memory()
        for n in range(400):
            self.me.see(f"{G}/trays?unknown={n}")
            self.me.client.get(f"{G}/trays/A?of=nothing{n}&unknown={n}")
            self.me.client.get(f"{G}/find?q=word{n}")
        self.assertLess(memory() - before, 40_000_000)


class Dependencies(SiteCase):
    demo = False

    def test_every_package_is_locked_by_its_hash_and_none_by_an_address(self) -> None:
        root = Path(__file__).resolve().parents[2]
        for lock in ("requirements.lock", "requirements-dev.lock"):
            text = (root / lock).read_text()
            packages = re.findall(r"^([a-z0-9][\w.-]*)==", text, re.M)
            self.assertGreater(len(packages), 15)
            for block in re.split(r"(?m)^(?=[a-z0-9])", text)[1:]:
                self.assertIn("--hash=sha256:", block)
            self.assertNotRegex(text, r"https?://|git\+|file:")

    def test_everything_that_ships_says_its_licence(self) -> None:
        found = list(licences())
        self.assertGreater(len(found), 40)
        for what, _, licence in found:
            self.assertRegex(licence, r"(?i)MIT|BSD|Apache|PSF|Python|LGPL|ISC|MPL|Open Font|HPND|Unlicense", what)
