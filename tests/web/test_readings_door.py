"""The door for readings: what a device posts is kept once, what cannot be is told by its place, and nobody else comes in."""

from __future__ import annotations

import json
import re
from datetime import datetime, timedelta
from typing import Any
from unittest import mock

from sqlalchemy import text

from fennet.journal.times import parse_instant
from fennet.operations import device_api
from fennet.simulated_room.feed import FAULTS, feed, readings_of
from fennet.web.limits import limiter
from tests.database import NOW
from tests.web.site import SiteCase

G, JSON = "/g/canal-house", "application/json"


class Door(SiteCase):
    def setUp(self) -> None:
        self.me = self.gardener()

    def token(self, name: str, place: str = "A") -> str:
        page = self.me.send(f"{G}/devices", name=name, place=place).get_data(as_text=True)
        found = re.search(r'<code class="token">([^<]+)</code>', page)
        assert found, page
        return found[1]

    def post(self, token: str, body: Any, kind: str = "application/json", address: str = "/api/readings", **headers: str) -> Any:
        data = body if isinstance(body, bytes) else (body if isinstance(body, str) else json.dumps(body)).encode()
        return self.visitor().client.post(
            address, data=data, content_type=kind, headers={"Authorization": f"Bearer {token}", **headers}
        )

    def row(self, n: int, value: Any = 19.5, **more: Any) -> dict[str, Any]:
        return {
            "at": (NOW - timedelta(minutes=n)).isoformat(),
            "quantity": "soil_temperature",
            "value": value,
            "unit": "degC",
            **more,
        }

    def kept(self, source: str) -> list[tuple[str, float]]:
        statement = (
            "select s.place, r.value from reading r join series s on s.id = r.series_id where s.source = :source order by r.at"
        )
        with self.engine.connect() as c:
            return [(str(p), float(v)) for p, v in c.execute(text(statement), {"source": source})]

    def test_what_is_sent_is_kept_once_and_what_is_not_is_told_by_its_place(self) -> None:
        token = self.token("hub")
        body = [self.row(n) for n in range(5)]
        for accepted, repeated in ((5, 0), (0, 5)):
            said = self.post(token, body)
            self.assertEqual(
                (said.status_code, said.get_json()), (200, {"accepted": accepted, "repeated": repeated, "set_aside": []})
            )
        mixed = [
            self.row(10), "odd", self.row(11, value="LO"), self.row(12, unit="furlong"), self.row(0, value=25.0), {},
            self.row(13, place="nowhere"), self.row(14, source="by-hand"), self.row(-60), self.row(15, place="B", source="hub-2"),
        ]  # fmt: skip
        said = self.post(token, mixed).get_json()
        self.assertEqual(said["accepted"], 2)
        told = [(x["index"], x["field"]) for x in said["set_aside"]]
        wanted = ["", "value", "unit", "value", "quantity", "place", "source", "at"]
        self.assertEqual(told, list(enumerate(wanted, 1)))
        self.assertIn("differs from 19.5", said["set_aside"][3]["reason"])
        self.assertEqual([place for place, _ in self.kept("hub-2")], ["B"])
        self.assertEqual(len(self.kept("hub")), 6)

    def test_the_csv_says_the_same(self) -> None:
        token = self.token("csv")
        lines = [f"{r['at']};soil_temperature;19,5;degC" for r in (self.row(n) for n in range(40, 43))]
        said = self.post(
            token, "\n".join(["at;quantity;value;unit", *lines, "never;soil_temperature;1;degC"]), "text/csv"
        ).get_json()
        self.assertEqual((said["accepted"], [x["index"] for x in said["set_aside"]]), (3, [3]))
        self.assertEqual(self.post(token, "time,temp\n1,2", "text/csv").status_code, 400)

    def test_what_is_no_body_of_readings_is_refused_with_the_reason(self) -> None:
        token = self.token("odd")
        many = [self.row(1)] * 20_001
        cases = (
            ("", JSON, 400), ("{}", JSON, 400), ("[" * 100_000, JSON, 400), (many, JSON, 413),
            (b"x" * (4 * 1024 * 1024 + 1), JSON, 413), ("[]", "text/plain", 415), ("[]", JSON, 200),
            (b"\xff\xfe", "text/csv", 400), ("[NaN, 1e999, null]", JSON, 200),
            ("[" + "9" * 5_001 + "]", JSON, 400),
        )  # fmt: skip
        for body, kind, status in cases:
            with self.subTest(kind=kind, body=str(body)[:30]):
                self.assertEqual(self.post(token, body, kind).status_code, status)
        self.assertEqual(self.post(token, "[]", **{"Content-Encoding": "gzip"}).status_code, 415)
        in_address = self.post(token, "[]", address=f"/api/readings?token={token}")
        self.assertEqual(in_address.status_code, 400)
        self.assertIn("Authorization", in_address.get_json()["error"])

    def test_a_token_opens_its_own_door_and_none_once_it_is_revoked(self) -> None:
        token = self.token("brief")
        for address in ("/api/thermostat", "/api/timer", "/api/weather"):
            self.assertEqual(self.post(token, "{}", address=address).status_code, 401)
        self.assertEqual(self.post("made-up", "[]").status_code, 401)
        self.assertEqual(self.post("", "[]").status_code, 401)
        self.assertIn("has a token already", self.me.send(f"{G}/devices", name="brief").get_data(as_text=True))
        self.assertIn("cannot be a name", self.me.send(f"{G}/devices", name="two words").get_data(as_text=True))
        page = self.me.see(f"{G}/devices")
        device = re.search(r'>brief</th>.*?name="device" value="([0-9a-f]{64})"', page, re.S)
        assert device
        self.me.send(f"{G}/devices", act="revoke", device=device[1])
        self.assertEqual(self.post(token, "[]").status_code, 401)

    def test_a_device_of_another_garden_reaches_nothing_here(self) -> None:
        far = self.garden("Far away")
        token = self.write(far, device_api.issue_token, "reader", "stranger").token
        said = self.post(token, [self.row(1, place="A"), self.row(2, place="lamp-1")]).get_json()
        self.assertEqual((said["accepted"], [x["field"] for x in said["set_aside"]]), (0, ["place", "place"]))
        self.assertEqual(self.kept("stranger"), [])

    def test_no_device_is_called_so_that_its_readings_would_be_anothers(self) -> None:
        self.token("shelf")
        for name in ("shelf-2", "shelf.left", "by-hand"):
            self.assertIn("readings of somebody else", self.me.send(f"{G}/devices", name=name, place="A").get_data(as_text=True))
        self.token("shelf2")

    def test_thousands_that_differ_are_told_by_their_place_at_once(self) -> None:
        token = self.token("many")
        body = [self.row(n, value=20.0) for n in range(100, 3_100)]
        self.assertEqual(self.post(token, body).get_json()["accepted"], 3_000)
        with mock.patch("fennet.operations.posted.parse_instant", side_effect=parse_instant) as parsed:
            said = self.post(token, [{**r, "value": 21.0} for r in body]).get_json()
        self.assertEqual([x["index"] for x in said["set_aside"]], list(range(2_000, 2_200)), "the oldest thousand are listed")
        self.assertLessEqual(parsed.call_count, 2 * len(body), "the body is gone through twice, however many differ")

    def test_a_clock_that_runs_ahead_is_told_and_put_right_on_the_growers_word(self) -> None:
        token = self.token("early")
        hour = timedelta(hours=1).total_seconds() / 60
        said = self.post(token, [self.row(-hour)]).get_json()
        self.assertEqual((said["accepted"], said["set_aside"][0]["field"]), (0, "at"))
        page = self.me.see(f"{G}/devices")
        self.assertIn("its clock seems 60 min ahead", page)
        device = re.search(r'>early</th>.*?name="device" value="([0-9a-f]{64})"', page, re.S)
        assert device
        self.me.send(f"{G}/devices", act="clock", device=device[1])
        twice = self.me.send(f"{G}/devices", act="clock", device=device[1]).get_data(as_text=True)
        self.assertIn("Nothing says any more", twice)
        self.assertEqual(self.post(token, [self.row(-hour + 1)]).get_json()["accepted"], 1)
        self.assertNotIn("min ahead", self.me.see(f"{G}/devices"))

    def test_a_clock_that_runs_a_year_behind_is_told_once_it_is_steadily_late(self) -> None:
        token, year = self.token("behind"), 365 * 24 * 60
        for n in range(4):
            self.assertNotIn("365", self.me.see(f"{G}/devices"), n)
            self.assertEqual(self.post(token, [self.row(year - n / 60)]).get_json()["accepted"], 1)
        page = self.me.see(f"{G}/devices")
        self.assertIn("its clock seems 365 days behind", page)
        device = re.search(r'>behind</th>.*?name="device" value="([0-9a-f]{64})"', page, re.S)
        assert device
        self.me.send(f"{G}/devices", act="clock", device=device[1])
        self.assertEqual(self.post(token, [self.row(year)]).get_json()["accepted"], 1)
        with self.engine.connect() as c:
            newest = c.execute(
                text("select max(r.at) from reading r join series s on s.id = r.series_id where s.source = 'behind'")
            )
            self.assertLess(abs((newest.scalar_one() - NOW).total_seconds()), 120)

    def test_a_simulated_loggers_days_arrive_whole_whatever_goes_wrong_on_the_way(self) -> None:
        token = self.token("sim")
        rows = readings_of(3, 5, NOW, "sim")
        self.assertGreater(len(rows), 200)
        broken = iter(range(10**6))

        def post(body: list[Any]) -> Any:
            if next(broken) % 7 == 6:
                raise OSError("the line went")
            said = self.post(token, body)
            self.assertEqual(said.status_code, 200)
            return said.get_json()

        fed = feed(post, rows, FAULTS, 3, sleep=lambda _: None)
        self.assertEqual((fed.refused, fed.accepted + fed.repeated >= len(rows)), ([], True))
        with self.engine.connect() as c:
            found = (
                "select extract(epoch from r.at)::float8, s.quantity, r.value from reading r join series s on s.id = r.series_id"
            )
            kept = c.execute(text(f"{found} where s.source like 'sim-simulated-%'")).all()
        wanted = {(datetime.fromisoformat(r["at"]).timestamp(), r["quantity"], float(r["value"])) for r in rows}
        self.assertEqual({(float(a), q, float(v)) for a, q, v in kept}, wanted)
        self.assertEqual(len(kept), len(wanted), "nothing twice")

    def test_too_fast_is_told_with_when_to_come_again(self) -> None:
        token = self.token("fast")
        limiter.enabled = True
        try:
            codes = [self.post(token, "[]") for _ in range(245)]
        finally:
            limiter.enabled = False
        self.assertEqual([c.status_code for c in codes[:240]], [200] * 240)
        self.assertEqual((codes[-1].status_code, codes[-1].headers["Retry-After"]), (429, "60"))
