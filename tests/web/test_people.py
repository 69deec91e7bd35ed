"""People: sessions that end, passwords, the second step, invitations, roles, readers, gardens made and left."""

from __future__ import annotations

import re
from datetime import timedelta

import pyotp

from fennet.operations import gardens, people
from fennet.operations.acting import Actor, Refusal
from fennet.operations.exchange import take_journal
from fennet.storage import people as reads
from fennet.storage import queries
from fennet.upkeep import nightly
from fennet.web.app import create_app
from fennet.web.limits import limiter
from fennet.web.settings import Settings
from tests.database import NOW, new_person
from tests.web.site import TOKEN, SiteCase, Visitor

PASSWORD, OTHER = "a sentence to sign in with", "another sentence, quite new"
G = "/g/yard"


class WithPeople(SiteCase):
    """A garden of Ann's (who keeps this Fennet), with Hal who helps and Vi who looks on; Olga owns another garden."""

    demo = False

    def setUp(self) -> None:
        super().setUp()
        type(self).now = NOW
        with self.engine.begin() as c:
            if reads.has_people(c):
                return
            self.make_gardens(c)

    def make_gardens(self, c: object) -> None:
        yard, far = (gardens.make_garden(c, gardens.Garden(name=n, timezone="Europe/Tallinn")) for n in ("Yard", "Far"))  # type: ignore[arg-type]
        ids = {n: new_person(c, n, PASSWORD, keeper=n == "Ann") for n in ("Ann", "Hal", "Vi", "Olga")}  # type: ignore[arg-type]
        for name, ref, role in (("Ann", yard, "owner"), ("Hal", yard, "helper"), ("Vi", yard, "viewer"), ("Olga", far, "owner")):
            gardens.join(c, ref, ids[name], role)  # type: ignore[arg-type]

    def id_of(self, name: str) -> int:
        with self.engine.connect() as c:
            person = reads.person(c, name=name)
        assert person is not None
        return person.id

    def enter(self, name: str, password: str = PASSWORD) -> Visitor:
        visitor = self.visitor()
        answer = visitor.send("/sign-in", name=name, password=password)
        self.assertEqual(answer.status_code, 200, name)
        return visitor

    def is_in(self, visitor: Visitor) -> bool:
        return visitor.client.get("/me").status_code == 200

    def link(self, page: str, part: str) -> str:
        found = re.search(rf"<code>http://127.0.0.1(/{part}/[^<]+)</code>", page)
        assert found, page[:2000]
        return found[1]

    def invitation(self, role: str) -> str:
        page = self.enter("Ann").send(f"{G}/people/invite", f"{G}/people", role=role).get_data(as_text=True)
        return self.link(page, "invited")


class Sessions(WithPeople):
    def test_signing_out_ends_the_session_wherever_its_cookie_was_copied(self) -> None:
        me, copied = self.enter("Hal"), self.visitor()
        kept = me.client.get_cookie("fennet-test")
        assert kept is not None
        copied.client.set_cookie("fennet-test", kept.value)
        self.assertTrue(self.is_in(copied))
        me.send("/sign-out", "/me")
        self.assertFalse(self.is_in(me))
        self.assertFalse(self.is_in(copied))

    def test_one_session_and_all_others_are_ended_from_the_list(self) -> None:
        me, phone = self.enter("Hal"), self.enter("Hal")
        me.send("/me/sessions")
        self.assertFalse(self.is_in(phone))
        phone, library = self.enter("Hal"), self.enter("Hal")
        page = me.see("/me/sessions")
        self.assertIn("this one", page)
        others = re.findall(r'name="session" value="([0-9a-f]{64})"', page)
        self.assertEqual(len(others), 2)
        me.send("/me/sessions", session=others[0])
        self.assertEqual(sorted(map(self.is_in, (phone, library))), [False, True])
        me.send("/me/sessions")
        self.assertEqual([self.is_in(v) for v in (me, phone, library)], [True, False, False])
        somebody = self.enter("Vi")
        hal = re.search(r'value="([0-9a-f]{64})"', self.enter("Hal").see("/me/sessions"))
        assert hal
        somebody.send("/me/sessions", session=hal[1])
        self.assertTrue(self.is_in(me), "nobody ends a session of somebody else")

    def test_a_session_that_lay_unused_is_over(self) -> None:
        me = self.enter("Hal")
        type(self).now = NOW + timedelta(days=59)
        self.assertTrue(self.is_in(me))
        type(self).now = NOW + timedelta(days=118)
        self.assertTrue(self.is_in(me), "its use was noted")
        type(self).now = NOW + timedelta(days=179)
        self.assertFalse(self.is_in(me))

    def test_a_changed_password_ends_every_other_session(self) -> None:
        me, old = self.enter("Vi"), self.enter("Vi")
        wrong = me.send("/me/password", old="not this one", password=OTHER)
        self.assertIn("not the password you have now", wrong.get_data(as_text=True))
        self.assertIn("10 to 500", me.send("/me/password", old=PASSWORD, password="short").get_data(as_text=True))
        self.assertIn("up to 500", me.send("/me/password", old=PASSWORD, password="x" * 10_000).get_data(as_text=True))
        me.send("/me/password", old=PASSWORD, password=OTHER)
        self.assertEqual([self.is_in(me), self.is_in(old)], [True, False])
        self.assertIn("do not match", self.visitor().send("/sign-in", name="Vi", password=PASSWORD).get_data(as_text=True))
        self.enter("Vi", OTHER).send("/me/password", old=OTHER, password=PASSWORD)

    def test_what_is_no_text_is_no_name_and_no_password(self) -> None:
        for name, password in (
            ("\x00", PASSWORD),
            ("Ann\x00", PASSWORD),
            ("Ann", "\ud800" * 12),
            ("Ann", "x" * 10_000),
            ("ü" * 999, "y" * 12),
        ):
            with self.subTest(name=name[:5], password=password[:3]):
                visitor = self.visitor()
                token = visitor.token("/sign-in")
                data = {
                    "name": name.encode("utf-8", "surrogatepass"),
                    "password": password.encode("utf-8", "surrogatepass"),
                    "csrf_token": token,
                }
                self.assertEqual(visitor.client.post("/sign-in", data=data).status_code, 400)


class SecondStep(WithPeople):
    def test_on_by_a_code_then_asked_at_every_sign_in_and_each_code_opens_once(self) -> None:
        me = self.enter("Ann")
        key = re.search(r"Key: <code>([A-Z2-7]+)</code>", me.see("/me/second-step"))
        assert key
        totp = pyotp.TOTP(key[1])
        self.assertIn("does not fit", me.send("/me/second-step", code="000000").get_data(as_text=True).replace("’", "'"))
        token = me.token("/me/password")
        page = me.client.get("/me/second-step").get_data(as_text=True)
        key = re.search(r"Key: <code>([A-Z2-7]+)</code>", page)
        assert key
        totp = pyotp.TOTP(key[1])
        page = me.client.post("/me/second-step", data={"csrf_token": token, "code": totp.at(self.now)}).get_data(as_text=True)
        codes = re.search(r'<pre class="codes">([^<]+)</pre>', page)
        assert codes
        spare = codes[1].split()
        self.assertEqual(len(spare), people.SPARE_CODES)
        try:
            half = self.visitor()
            asked = half.send("/sign-in", name="Ann", password=PASSWORD)
            self.assertIn("six figures", asked.get_data(as_text=True))
            self.assertFalse(self.is_in(half), "the password alone opens nothing")
            self.assertIn(
                "does not open",
                half.send("/sign-in/code", code=totp.at(self.now)).get_data(as_text=True),
                "used when it was turned on",
            )
            type(self).now = self.now + timedelta(seconds=60)
            half.send("/sign-in/code", code=totp.at(self.now))
            self.assertTrue(self.is_in(half))
            lost = self.visitor()
            lost.send("/sign-in", name="Ann", password=PASSWORD)
            lost.send("/sign-in/code", code=spare[0].upper())
            self.assertTrue(self.is_in(lost))
            again = self.visitor()
            again.send("/sign-in", name="Ann", password=PASSWORD)
            self.assertIn("does not open", again.send("/sign-in/code", code=spare[0]).get_data(as_text=True))
            late = self.visitor()
            late.send("/sign-in", name="Ann", password=PASSWORD)
            type(self).now = self.now + timedelta(seconds=301)
            self.assertEqual(late.client.get("/sign-in/code").headers["Location"], "/sign-in")
        finally:
            half.send("/me/second-step", password=PASSWORD)
        self.assertTrue(self.is_in(self.enter("Ann")))


class Invitations(WithPeople):
    def test_somebody_new_joins_once_by_a_link(self) -> None:
        address = self.invitation("helper")
        new = self.visitor()
        page = new.see(address)
        self.assertIn("Ann invites you", page)
        self.assertNotIn(address.rsplit("/", 1)[1], page, "the secret is not in what follows")
        taken = new.client.post("/invited", data={"csrf_token": new.token("/invited"), "name": "hal", "password": PASSWORD})
        self.assertIn("Somebody has that name", taken.get_data(as_text=True))
        joined = new.send("/invited", name="Bo <b>", password=PASSWORD)
        self.assertIn("You belong to Yard now", joined.get_data(as_text=True))
        self.assertNotIn("Bo <b>", joined.get_data(as_text=True), "a name that is markup is told as letters")
        twice = self.visitor()
        self.assertIn("used already", twice.client.get(address, follow_redirects=True).get_data(as_text=True))
        with self.engine.connect() as c:
            self.assertIn(
                ("Bo <b>", "helper"), [(m.name, m.role) for m in reads.members(c, queries.gardens(c, slug="yard")[0].id)]
            )

    def test_who_is_here_already_joins_as_themselves(self) -> None:
        olga = self.enter("Olga")
        address = self.invitation("viewer")
        olga.see(address)
        self.assertIn("Join as Olga", olga.see("/invited"))
        olga.send("/invited")
        self.assertIn("Far", olga.see("/gardens"))
        self.assertIn("Yard", olga.see("/gardens"))
        belongs = olga.client.get(self.invitation("helper"), follow_redirects=True)
        self.assertEqual(belongs.status_code, 200)
        self.assertIn("belong to this garden already", olga.send("/invited").get_data(as_text=True))
        olga.send(f"{G}/people/leave", f"{G}/people")

    def test_too_old_taken_back_and_made_up(self) -> None:
        old = self.invitation("helper")
        type(self).now = NOW + timedelta(days=8)
        self.assertIn("too old", self.visitor().client.get(old, follow_redirects=True).get_data(as_text=True))
        type(self).now = NOW
        ann = self.enter("Ann")
        back = self.invitation("owner")
        for given in re.findall(r'name="given" value="([0-9a-f]{64})"', ann.see(f"{G}/people")):
            ann.send(f"{G}/people/take-back", f"{G}/people", given=given)
        for address in (back, "/invited/made-up", "/new-password/made-up", "/invited/" + "x" * 9_000):
            answer = self.visitor().client.get(address, follow_redirects=True)
            self.assertEqual(answer.status_code, 400)
            self.assertIn("opens nothing", answer.get_data(as_text=True))

    def test_a_helper_logs_and_neither_invites_nor_sets_up(self) -> None:
        hal, ann = self.enter("Hal"), self.enter("Ann")
        self.assertNotIn("Invite somebody", hal.see(f"{G}/people"))
        self.assertEqual(hal.send(f"{G}/people/invite", f"{G}/people", role="owner").status_code, 403)
        self.assertEqual(hal.client.get(f"{G}/room").status_code, 403)
        ann.send(f"{G}/trays/new", id="A", kind="cells", rows="2", columns="2")
        hal.send(f"{G}/log", line="A watered below 100ml")
        self.assertIn("Hal", ann.see(f"{G}/book"), "who logged what")
        self.assertEqual(self.enter("Vi").send(f"{G}/log", f"{G}/trays", line="A watered below 100ml").status_code, 403)

    def test_a_journal_goes_into_ones_own_garden_and_only_an_owner_takes_it(self) -> None:
        with self.engine.connect() as c:
            yard, far = (queries.gardens(c, slug=slug)[0] for slug in ("yard", "far"))
        journal = {"format": "fennet-journal", "version": 1, "trays": [{"id": "Z", "rows": 1, "columns": 1}]}
        hal, ann = (Actor(name, yard, self.id_of(name)) for name in ("Hal", "Ann"))
        for actor, slug in ((hal, "yard"), (ann, far.slug)):
            with self.subTest(slug), self.assertRaisesRegex(Refusal, "Only an owner"):
                take_journal(self.engine, journal, NOW, slug, actor=actor)
        self.assertEqual(take_journal(self.engine, journal, NOW, "yard", actor=ann).taken.get("trays"), 1)

    def test_a_role_that_was_taken_holds_no_longer_in_the_middle_of_things(self) -> None:
        with self.engine.connect() as c:
            ref = queries.gardens(c, self.id_of("Hal"))[0]
        owner = Actor("Hal", ref.__class__(ref.id, ref.slug, ref.garden, "owner", False), self.id_of("Hal"))
        with self.assertRaisesRegex(Refusal, "Only an owner"):
            self.write(owner, people.invite, "owner")


class Roles(WithPeople):
    def test_a_garden_is_never_without_an_owner(self) -> None:
        ann, me = self.enter("Ann"), self.id_of("Ann")
        for fields, address in (
            ({"person": me, "act": "helper"}, "member"),
            ({"person": me, "act": "remove"}, "member"),
            ({}, "leave"),
        ):
            answer = ann.send(f"{G}/people/{address}", f"{G}/people", **fields)
            self.assertIn("needs an owner", answer.get_data(as_text=True))
        ann.send(f"{G}/people/member", f"{G}/people", person=self.id_of("Hal"), act="owner")
        ann.send(f"{G}/people/member", f"{G}/people", person=me, act="helper")
        self.assertNotIn("Invite somebody", ann.see(f"{G}/people"))
        hal = self.enter("Hal")
        hal.send(f"{G}/people/member", f"{G}/people", person=me, act="owner")
        ann.send(f"{G}/people/member", f"{G}/people", person=self.id_of("Hal"), act="helper")

    def test_a_new_password_is_given_by_who_may_and_ends_every_session(self) -> None:
        ann, vi = self.enter("Ann"), self.enter("Vi")
        page = ann.send(f"{G}/people/member", f"{G}/people", person=self.id_of("Vi"), act="password").get_data(as_text=True)
        address = self.link(page, "new-password")
        other = self.visitor()
        other.see(address)
        self.assertIn("10 to 500", other.send("/new-password", password="short").get_data(as_text=True))
        other.send("/new-password", password=OTHER)
        self.assertFalse(self.is_in(vi))
        self.assertTrue(self.is_in(self.enter("Vi", OTHER)))
        self.assertIn("opens nothing", self.visitor().client.get(address, follow_redirects=True).get_data(as_text=True))
        with self.engine.begin() as c:
            far = queries.gardens(c, slug="far")[0]
            gardens.join(c, far, self.id_of("Hal"), "viewer")
        olga = self.enter("Olga")
        refused = olga.send("/g/far/people/member", "/g/far/people", person=self.id_of("Hal"), act="password")
        self.assertIn(
            "not yours to give", refused.get_data(as_text=True), "an owner of one garden takes nobody's place in another"
        )
        new = people.new_password(self.engine, "Vi")
        self.assertTrue(self.is_in(self.enter("Vi", new)))
        with self.assertRaisesRegex(Refusal, "accepted: Ann"):
            people.new_password(self.engine, "Nobody")

    def test_gardens_are_made_left_and_removed(self) -> None:
        hal = self.enter("Hal")
        self.assertIn("needs a name", hal.send("/gardens", name=" ", timezone="UTC").get_data(as_text=True))
        hal.send("/gardens", name="Balcony", timezone="Europe/Tallinn")
        self.assertIn("Balcony", hal.see("/gardens"))
        hal.send("/g/balcony/trays/new", id="A", kind="cells", rows="2", columns="2")
        refused = hal.send("/g/balcony/people/remove-garden", "/g/balcony/people", typed="balcony")
        self.assertIn("Type the garden’s name", refused.get_data(as_text=True))
        gone = hal.send("/g/balcony/people/remove-garden", "/g/balcony/people", typed="Balcony")
        self.assertIn("Balcony is gone", gone.get_data(as_text=True))
        self.assertEqual(hal.client.get("/g/balcony/trays").status_code, 404)
        with self.engine.connect() as c:
            self.assertEqual(queries.gardens(c, slug="balcony"), [])


class Keeping(WithPeople):
    def test_a_backup_that_fails_is_told_to_owners_and_to_nobody_else(self) -> None:
        ann, hal = self.enter("Ann"), self.enter("Hal")
        self.assertNotIn("backup", ann.see(f"{G}/today").lower())
        nightly.note(self.engine, NOW - timedelta(days=4), "")
        nightly.note(self.engine, NOW - timedelta(hours=1), "the disk is full")
        self.assertIn("The last backup is four days old. The disk is full.", ann.see(f"{G}/today"))
        self.assertNotIn("disk is full", hal.see(f"{G}/today"))
        page = ann.see("/keeping")
        self.assertIn("the last one failed: the disk is full", page)
        self.assertIn("PostgreSQL", page)
        self.assertEqual(hal.client.get("/keeping").status_code, 403)
        nightly.note(self.engine, NOW, "")
        self.assertNotIn("backup", ann.see(f"{G}/today").lower())


class Readers(SiteCase):
    def test_a_reader_sees_trays_and_days_and_neither_people_nor_times(self) -> None:
        me, nobody = self.gardener(), self.visitor()
        page = me.send("/g/canal-house/people/share", "/g/canal-house/people").get_data(as_text=True)
        address = re.search(r"<code>http://127.0.0.1(/shared/[^<]+)</code>", page)
        assert address
        shown = nobody.see(address[1])
        self.assertIn("leek ‘Grey Sluice’", shown)
        text = re.sub(r"<[^>]+>", " ", shown)
        self.assertNotRegex(text, r"\d\d:\d\d")
        with self.engine.connect() as c:
            for person in reads.people(c):
                self.assertNotIn(f" {person.name} ", text)
        self.assertNotIn("/g/canal-house", shown)
        given = re.findall(r'name="given" value="([0-9a-f]{64})"', me.see("/g/canal-house/people"))
        for one in given:
            me.send("/g/canal-house/people/share", "/g/canal-house/people", given=one)
        self.assertEqual(nobody.client.get(address[1]).status_code, 404)
        self.assertEqual(nobody.client.get("/shared/" + "x" * 5_000).status_code, 404)


class Knocks(WithPeople):
    """The limits hold across server processes, and through made-up addresses."""

    def test_two_processes_count_as_one_and_a_made_up_address_lifts_nothing(self) -> None:
        limiter.enabled = True
        apps = [create_app(Settings(self.url, "s", "https://x.example", "k", proxies=1, clock=lambda: NOW)) for _ in range(2)]
        try:
            clients = [Visitor(app.test_client()) for app in apps]
            codes = []
            for n in range(12):
                client = clients[n % 2]
                found = TOKEN.search(client.client.get("/sign-in", base_url="https://x.example").get_data(as_text=True))
                assert found
                data = {"csrf_token": found[1], "name": "Ann", "password": "wrong password"}
                made_up = {"X-Forwarded-For": f"10.0.0.{n}"} if n > 8 else {}
                answer = client.client.post(
                    "/sign-in",
                    data=data,
                    headers=made_up,
                    environ_base={"REMOTE_ADDR": "203.0.113.9"},
                    base_url="https://x.example",
                )
                codes.append(answer.status_code)
            self.assertEqual(codes, [400] * 8 + [429] * 4)
            answer = clients[0].client.get("/sign-in", base_url="https://x.example")
            self.assertEqual(answer.headers["Strict-Transport-Security"], "max-age=31536000")
            guesses = [
                clients[n % 2].client.post("/api/thermostat", json={}, headers={"Authorization": f"Bearer guess{n}"}).status_code
                for n in range(25)
            ]
            self.assertEqual(guesses, [401] * 20 + [429] * 5)
        finally:
            limiter.enabled = False
            for app in apps:
                app.extensions["fennet_engine"].dispose()
