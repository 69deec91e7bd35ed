"""The map of addresses walked as everybody: nobody, a stranger, an ended session, a viewer, a helper, an owner. The map itself is
read, so that an address nobody thought of is found here first."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import timedelta

from flask.testing import FlaskClient
from sqlalchemy import text
from werkzeug.routing import Rule

from fennet.core.records import Garden
from fennet.operations import device_api, gardens, people
from fennet.operations.acting import Actor, in_turn
from fennet.operations.tokens import hashed
from fennet.storage import queries
from fennet.web.roles import may
from tests.database import new_person
from tests.web.site import SiteCase, Visitor

PASSWORD = "a sentence to sign in with"
FILL = {
    "slug": "canal-house", "tray_id": "A", "crop_id": "leek", "key": "k", "number": "1", "section": "lamps", "thing_id": "lamp-1",
    "event_id": "sim-0001", "position": "1", "day": "2026-03-01", "sheet": "210x297", "want": "want-leek", "lot_id": "lot-leek-0",
    "batch_id": "leek-1", "trial_id": "which-leek", "lamp_id": "lamp-1", "token": "x" * 32, "filename": "css/fennet.css",
}  # fmt: skip
#: What is open to anybody, and why no garden is seen by it.
OPEN = {
    "static", "healthy", "auth.welcome", "auth.sign_in", "auth.code", "auth.sign_out", "auth.theme", "auth.invited", "auth.join",
    "auth.reset", "auth.new_password", "plan.feed", "people.shared", "device_api.thermostat", "device_api.weather",
    "device_api.timer", "device_api.readings",
    "shelf.worker", "shelf.manifest", "shelf.kept",
}  # fmt: skip
#: What belongs to a person and to no garden.
OWN = {
    "home", "auth.me", "auth.change_password", "auth.second_step", "auth.sessions", "people.gardens", "garden.none",
    "keeping.keeping",
}  # fmt: skip
#: Pages whose links are followed.
LINKED = (
    "today", "trays", "trays/A", "why", "why/leek-1", "tune", "tune/lamps", "plan", "harden", "book", "seeds", "towels",
    "practice", "practice/targets", "crops", "crops/leek", "people", "more", "score", "help", "away", "feed", "plan/frost",
    "plan/mix", "plan/versions", "plan/days/today", "log", "readings", "compare", "learned",
    "season", "story/leek-1", "trials",
)  # fmt: skip


def address_of(rule: Rule, **fill: str) -> str:
    return re.sub(r"<(?:\w+(?:\([^)]*\))?:)?(\w+)>", lambda m: (FILL | fill)[m[1]], rule.rule)


class Walk(SiteCase):
    people: dict[str, Visitor]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        with cls.engine.begin() as c:
            house = queries.gardens(c, slug="canal-house")[0]
            for role in ("viewer", "helper", "owner"):
                gardens.join(c, house, new_person(c, f"a {role}", PASSWORD), role)
            elsewhere = gardens.make_garden(c, Garden(name="Elsewhere", timezone="UTC"))
            gardens.join(c, elsewhere, new_person(c, "a stranger", PASSWORD), "owner")
        cls.people = {}

    def signed_in(self, name: str) -> Visitor:
        if name not in self.people:
            self.people[name] = self.visitor()
            self.people[name].send("/sign-in", name=name, password=PASSWORD)
        return self.people[name]

    def rules(self) -> Iterator[tuple[Rule, str]]:
        for rule in self.app.url_map.iter_rules():
            for method in sorted((rule.methods or set()) & {"GET", "POST"}):
                yield rule, method

    def ask(self, client: FlaskClient, method: str, address: str, token: str = "") -> int:
        data = {"csrf_token": token} if method == "POST" else None
        return client.open(address, method=method, data=data).status_code

    def test_every_address_is_known_here(self) -> None:
        for rule, _ in self.rules():
            with self.subTest(rule.rule):
                known = "slug" in rule.arguments or rule.endpoint in OPEN or rule.endpoint in OWN
                self.assertTrue(known, "a new address: say here to whom it is open")
                self.assertLessEqual(set(rule.arguments), set(FILL))

    def test_nobody_sees_nothing_of_a_garden_or_a_person(self) -> None:
        nobody = self.visitor()
        token = nobody.token("/sign-in")
        for rule, method in self.rules():
            if rule.endpoint in OPEN:
                continue
            with self.subTest(f"{method} {rule.rule}"):
                data = {"csrf_token": token} if method == "POST" else None
                answer = nobody.client.open(address_of(rule), method=method, data=data)
                self.assertEqual(answer.status_code, 302)
                self.assertRegex(answer.headers["Location"], "^/(sign-in|gardens|no-garden)")

    def test_a_copied_cookie_opens_nothing_after_signing_out(self) -> None:
        gone = self.visitor()
        gone.send("/sign-in", name="a helper", password=PASSWORD)
        kept = gone.client.get_cookie("fennet-test-demo")
        assert kept is not None
        gone.send("/sign-out", "/me")
        copied = self.visitor()
        copied.client.set_cookie("fennet-test-demo", kept.value)
        for rule, method in self.rules():
            if rule.endpoint not in OPEN and method == "GET":
                with self.subTest(rule.rule):
                    self.assertEqual(self.ask(copied.client, "GET", address_of(rule)), 302)

    def test_a_device_that_was_revoked_or_is_another_gardens_opens_no_page_and_no_door(self) -> None:
        with self.engine.connect() as c:
            house, elsewhere = (next(g for g in queries.gardens(c) if g.slug == slug) for slug in ("canal-house", "elsewhere"))
        tokens = {}
        for name, ref in (("revoked", house), ("foreign", elsewhere)):
            by = Actor("an owner", ref)
            made = in_turn(self.engine, by, self.now, lambda w, name=name: device_api.issue_token(w, "reader", name))
            assert made is not None
            tokens[name] = made.token
        gone = hashed(tokens["revoked"])
        in_turn(self.engine, Actor("an owner", house), self.now, lambda w: device_api.revoke_token(w, gone))
        at = (self.now - timedelta(hours=1)).isoformat()
        body = [{"at": at, "place": "A", "quantity": "soil_temperature", "value": 20.0, "unit": "degC"}]
        for name, token in tokens.items():
            knocks = self.visitor()
            shown = {"Authorization": f"Bearer {token}"}
            for rule, method in self.rules():
                if rule.endpoint in OPEN and not rule.endpoint.startswith("device_api."):
                    continue
                with self.subTest(f"{name}: {method} {rule.rule}"):
                    answer = knocks.client.open(
                        address_of(rule), method=method, headers=shown, json=body if method == "POST" else None
                    )
                    if rule.endpoint == "device_api.readings" and name == "foreign":
                        # Its own door, and there is no such tray behind it.
                        self.assertEqual((answer.status_code, answer.get_json()["accepted"]), (200, 0))
                    else:
                        self.assertIn(answer.status_code, (302, 400, 401))
                        self.assertNotIn(b"Canal house", answer.data)
        with self.engine.connect() as c:
            sources = c.execute(text("select count(*) from series where source in ('revoked', 'foreign')"))
            self.assertEqual(sources.scalar_one(), 0)

    def test_a_stranger_finds_no_page_of_the_garden(self) -> None:
        stranger = self.signed_in("a stranger")
        token = stranger.token()
        for rule, method in self.rules():
            if "slug" in rule.arguments:
                with self.subTest(f"{method} {rule.rule}"):
                    self.assertEqual(self.ask(stranger.client, method, address_of(rule), token), 404)

    def test_names_and_numbers_of_one_garden_open_nothing_in_another(self) -> None:
        stranger = self.signed_in("a stranger")
        for rule, method in self.rules():
            if "slug" in rule.arguments and len(rule.arguments) > 1 and method == "GET":
                with self.subTest(rule.rule):
                    answer = stranger.client.get(address_of(rule, slug="elsewhere"))
                    self.assertLess(answer.status_code, 500)
                    self.assertNotIn("Grey Sluice", answer.get_data(as_text=True))

    def test_each_role_opens_and_sends_what_it_may(self) -> None:
        for role in ("viewer", "helper", "owner"):
            someone = self.signed_in(f"a {role}")
            token = someone.token()
            for rule, method in self.rules():
                if "slug" not in rule.arguments or rule.endpoint in ("people.leave", "people.remove_garden"):
                    continue
                with self.subTest(f"{role} {method} {rule.rule}"):
                    status = self.ask(someone.client, method, address_of(rule), token)
                    self.assertLess(status, 500)
                    allowed = may(role, rule.endpoint, method == "POST")
                    self.assertEqual(status == 403, not allowed)

    def test_no_link_on_a_page_leads_where_one_may_not_go(self) -> None:
        for role in ("viewer", "helper"):
            someone = self.signed_in(f"a {role}")
            seen: set[str] = set()
            for page in LINKED:
                if not may(role, "log.log") and page == "log":
                    continue
                body = someone.see(f"/g/canal-house/{page}")
                self.assertIn(f'class="as-{role}"', body)
                hidden = rf'class="[^"]*for-(?:owners{"|helpers" if role == "viewer" else ""})'
                shown = re.sub(rf"<(a|p) [^>]*{hidden}.*?</\1>", "", body, flags=re.S)
                for link in set(re.findall(r'<a [^>]*href="(/g/canal-house/[^"#]*)', shown)) - seen:
                    seen.add(link)
                    with self.subTest(f"{role}: {page} links to {link}"):
                        self.assertNotEqual(someone.client.get(link.replace("&amp;", "&")).status_code, 403)

    def test_no_form_is_shown_that_one_may_not_send(self) -> None:
        helper = self.signed_in("a helper")
        map = self.app.url_map.bind("localhost")
        for page in LINKED:
            address = f"/g/canal-house/{page}"
            body = re.sub(r'<(section|details|p|div) class="[^"]*for-owners.*?</\1>', "", helper.see(address), flags=re.S)
            for tag in re.findall(r"<form [^>]*method=\"post\"[^>]*>", body):
                action = re.search(r'action="([^"?]*)', tag)
                endpoint, _ = map.match(action[1] if action else address, "POST")
                with self.subTest(f"{page}: {tag}"):
                    known = "for-owners" in tag or 'class="mine"' in tag
                    self.assertTrue(known or may("helper", endpoint, sends=True), endpoint)

    def test_an_operation_for_owners_says_no_whoever_calls_it(self) -> None:
        guarded = [people.invite, people.set_role, people.remove, people.reset_link, people.remove_garden]
        actor = self.garden("Guarded", role="helper")
        for operation in guarded:
            with self.subTest(operation.__name__), self.assertRaisesRegex(Exception, "Only an owner"):
                self.write(actor, operation, "x")
