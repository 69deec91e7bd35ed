"""The thermostat's door, and the simulated thermostat behind it: what may heat, and when it goes off by itself."""

from __future__ import annotations

import re
import secrets
import unittest

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.tuning.guards import may_heat
from fennet.simulated_room.thermostat import CUT_OUT_C, SimulatedThermostat
from fennet.simulated_room.timer import SimulatedTimer
from tests.web.site import SiteCase

G = "/g/canal-house"


class SimulatedOnes(unittest.TestCase):
    def run_for(self, device: SimulatedThermostat, hours: float, answer: dict[str, object] | None, start_s: float = 0.0) -> float:
        now = start_s
        for _ in range(int(hours * 12)):
            if answer is not None:
                device.told(answer, now)
            device.step(now, 300.0)
            now += 300.0
        return now

    def test_it_holds_what_the_door_says(self) -> None:
        device = SimulatedThermostat()
        self.run_for(device, 24, {"heat": True, "setpoint_c": 24.0, "hold_s": 1800})
        self.assertAlmostEqual(device.soil_c, 24.0, delta=0.8)

    def test_lost_contact_means_off(self) -> None:
        device = SimulatedThermostat()
        now = self.run_for(device, 24, {"heat": True, "setpoint_c": 24.0, "hold_s": 1800})
        self.run_for(device, 1, None, now)
        self.assertEqual((device.heating, device.why), (False, "lost contact"))

    @given(st.floats(10, 60), st.floats(-5, 45), st.booleans())
    def test_never_over_its_cut_out_nor_blind(self, setpoint: float, soil: float, fails: bool) -> None:
        device = SimulatedThermostat(soil_c=soil, lift_c=40.0, probe_fails=fails)
        self.run_for(device, 12, {"heat": True, "setpoint_c": setpoint, "hold_s": 1800})
        self.assertFalse(device.heating and (fails or device.soil_c > CUT_OUT_C))

    def test_a_probe_in_the_open_is_noticed(self) -> None:
        device = SimulatedThermostat(lift_c=0.0, soil_c=17.0)
        self.run_for(device, 5, {"heat": True, "setpoint_c": 24.0, "hold_s": 1800})
        self.assertEqual(device.why, "probe reads like the air")

    @given(st.one_of(st.none(), st.floats(0, 60)), st.booleans(), st.one_of(st.none(), st.floats(-20, 70)))
    def test_what_may_heat(self, setpoint: float | None, on: bool, probe: float | None) -> None:
        heat, why = may_heat(setpoint, on, probe)
        self.assertEqual(bool(why), not heat)
        if heat:
            assert setpoint is not None and probe is not None
            self.assertTrue(on and setpoint <= 38 and probe < 40)


class Plug(unittest.TestCase):
    def run_for(self, device: SimulatedTimer, hours: float, start_min: int = 0, now_s: float = 0.0) -> float:
        for i in range(int(hours * 12)):
            device.step(now_s, (start_min + 5 * i) % 1440, 300.0)
            now_s += 300.0
        return now_s

    def test_it_lights_by_the_gardens_clock(self) -> None:
        device = SimulatedTimer()
        device.told({"periods": [[360, 1200]], "hold_s": 1e6, "minute": 60}, 0.0, 0)
        self.run_for(device, 4.9)
        self.assertFalse(device.lit)
        self.run_for(device, 0.5, 300)
        self.assertTrue(device.lit, "six by the garden's clock is five by its own")

    @given(st.lists(st.tuples(st.integers(0, 1439), st.integers(0, 1440)), max_size=4))
    def test_never_more_than_eighteen_hours_a_day(self, periods: list[tuple[int, int]]) -> None:
        device = SimulatedTimer()
        device.told({"periods": [list(p) for p in periods], "hold_s": 1e9, "minute": 0}, 0.0, 0)
        self.run_for(device, 23.9)
        self.assertLessEqual(device.lit_today_h, 18.1)

    def test_lost_contact_means_dark(self) -> None:
        device = SimulatedTimer()
        device.told({"periods": [[0, 1440]], "hold_s": 3600.0, "minute": 0}, 0.0, 0)
        self.run_for(device, 2)
        self.assertEqual((device.lit, device.why), (False, "lost contact"))


class TimersDoor(SiteCase):
    def test_a_timer_hears_what_was_set_until_its_token_is_taken_back(self) -> None:
        visitor = self.gardener()
        page = visitor.send(f"{G}/tune/lamps/lamp-1/device", f"{G}/tune/lamps", key=secrets.token_hex(6)).get_data(as_text=True)
        found = re.search(r'<code class="token">([^<]+)</code>', page)
        assert found
        header = {"Authorization": f"Bearer {found.group(1)}"}
        told = self.app.test_client().post("/api/timer", headers=header, json={"lit": True, "lit_h": 3.5, "simulated": True})
        answer = told.get_json()
        self.assertEqual((answer["lamp"], answer["periods"]), ("lamp-1", [[420, 1290]]))
        visitor.send(f"{G}/tune/lamps/lamp-1/set", f"{G}/tune/lamps", height="400", hours="15", on="06:00", key="t1")
        again = self.app.test_client().post("/api/timer", headers=header, json={}).get_json()
        self.assertEqual(again["periods"], [[360, 1260]])
        self.assertIn("Timer: called", visitor.see(f"{G}/tune/lamps"))
        wrong = self.app.test_client().post("/api/thermostat", headers=header, json={})
        self.assertEqual(wrong.status_code, 401, "a timer's token opens no thermostat's door")
        hash_ = re.search(r'name="device" value="([0-9a-f]+)"', visitor.see(f"{G}/tune/lamps"))
        assert hash_
        visitor.send(f"{G}/tune/lamps/lamp-1/device", f"{G}/tune/lamps", device=hash_.group(1))
        self.assertEqual(self.app.test_client().post("/api/timer", headers=header, json={}).status_code, 401)


class Device(SiteCase):
    def token(self) -> str:
        visitor = self.gardener()
        page = visitor.send(f"{G}/tune/mat-1/device", f"{G}/tune", key=secrets.token_hex(6)).get_data(as_text=True)
        found = re.search(r'<code class="token">([^<]+)</code>', page)
        assert found
        self.assertNotIn(found.group(1), visitor.see(f"{G}/tune"), "shown once")
        return found.group(1)

    def ask(self, token: str, **kwargs: object) -> object:
        return self.app.test_client().post("/api/thermostat", headers={"Authorization": f"Bearer {token}"}, **kwargs)  # type: ignore[arg-type]

    def test_a_thermostat_hears_what_was_confirmed_until_its_token_is_taken_back(self) -> None:
        token = self.token()
        told = self.ask(token, json={"probe_c": 19.0, "heating": False}).get_json()  # type: ignore[attr-defined]
        self.assertEqual((told["mat"], told["heat"], told["setpoint_c"]), ("mat-1", True, 21.0))
        visitor = self.gardener()
        visitor.send(f"{G}/tune/mat-1/set", f"{G}/tune", setpoint="18", key="d2")
        self.assertEqual(self.ask(token, json={"probe_c": 19.0}).get_json()["setpoint_c"], 18.0)  # type: ignore[attr-defined]
        blind = self.ask(token, json={"probe_c": None}).get_json()  # type: ignore[attr-defined]
        self.assertEqual((blind["heat"], blind["why"]), (False, "probe silent"))
        page = visitor.see(f"{G}/tune")
        self.assertIn("probe silent", page)
        hash_ = re.search(r'name="device" value="([0-9a-f]+)"', page)
        assert hash_
        visitor.send(f"{G}/tune/mat-1/device", f"{G}/tune", device=hash_.group(1))
        self.assertEqual(self.ask(token, json={"probe_c": 19.0}).status_code, 401)  # type: ignore[attr-defined]

    def test_what_the_door_refuses(self) -> None:
        self.assertEqual(self.ask("wrong", json={}).status_code, 401)  # type: ignore[attr-defined]
        self.assertEqual(self.app.test_client().post("/api/thermostat", json={}).status_code, 401)
        token = self.token()
        self.assertEqual(self.ask(token, data="x", content_type="text/plain").status_code, 415)  # type: ignore[attr-defined]
        self.assertEqual(self.ask(token, data="[1]", content_type="application/json").status_code, 400)  # type: ignore[attr-defined]
        self.assertEqual(self.ask(token, json={"x": "y" * 5000}).status_code, 413)  # type: ignore[attr-defined]
        for figure in ('"hot"', "true", "NaN", "Infinity", "1" + "0" * 400, "-400"):
            told = self.ask(token, data=f'{{"probe_c": {figure}}}', content_type="application/json")
            self.assertEqual((told.status_code, told.get_json()["why"]), (200, "probe silent"), figure)  # type: ignore[attr-defined]
        odd = self.ask(token, json={"probe_c": 20, "why": "a\x00b\ud800"})
        self.assertEqual(odd.status_code, 200)  # type: ignore[attr-defined]
