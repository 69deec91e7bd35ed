"""The private database: made once, found again, taken over after a kill, moved from a taken port, stopped by the last one out."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import psycopg

from fennet.launch import state
from fennet.launch.cluster import Cluster, ClusterError
from fennet.launch.serve import _port


class InAnotherCheckout(unittest.TestCase):
    """Each test has a state folder of its own, with a space in its path."""

    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp(prefix="fennet state "))
        folder.chmod(0o755)
        self.addCleanup(shutil.rmtree, folder, True)
        for name, value in (("ROOT", folder), ("STATE", folder / ".fennet")):
            patched = mock.patch.object(state, name, value)
            patched.start()
            self.addCleanup(patched.stop)
        self.said: list[str] = []

    def cluster(self) -> Cluster:
        made = Cluster("db", throwaway=True, say=self.said.append)
        self.addCleanup(made.destroy)
        return made


class Clusters(InAnotherCheckout):
    def test_made_once_and_found_again_on_the_remembered_port(self) -> None:
        first = self.cluster()
        first.start()
        again = self.cluster()
        again.start()
        self.assertEqual((again.port, self.said.count("making a private database (once)")), (first.port, 1))
        with psycopg.connect(again.url("postgres")) as c:
            listening = c.execute("show listen_addresses").fetchone()
        self.assertEqual(listening, ("127.0.0.1",))

    def test_a_wrong_password_is_refused(self) -> None:
        made = self.cluster()
        made.start()
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(made.url("postgres").replace(made.password, "wrong"), connect_timeout=3)

    def test_after_a_kill_what_was_written_is_there(self) -> None:
        made = self.cluster()
        made.start()
        with psycopg.connect(made.url("postgres")) as c:
            c.execute("create table kept (n int)")
            c.execute("insert into kept values (7)")
        time.sleep(0.6)  # a throw-away cluster writes its log a moment later
        os.kill(int((made.data / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        again = self.cluster()
        again.start()
        with psycopg.connect(again.url("postgres")) as c:
            self.assertEqual(c.execute("select n from kept").fetchone(), (7,))

    def test_a_stale_pid_file_and_a_half_made_cluster(self) -> None:
        half = self.cluster()
        half.data.mkdir(parents=True)
        (half.data / "rubbish").write_text("from a run that was killed")
        half.start()
        half.stop()
        (half.data / "postmaster.pid").write_text("999999\n")
        half.start()
        self.assertTrue(half.answers())

    def test_a_server_that_is_there_and_does_not_answer_yet_is_waited_for_on_its_own_port(self) -> None:
        made = self.cluster()
        made.start()
        port, pid = made.port, int((made.data / "postmaster.pid").read_text().split()[0])
        # What an earlier run that gave up too soon had remembered.
        state.remember("db", {"port": state.free_port()})
        os.kill(pid, signal.SIGSTOP)
        threading.Timer(4.0, os.kill, (pid, signal.SIGCONT)).start()
        again = self.cluster()
        again.start()
        self.assertEqual((again.port, state.remembered("db")["port"]), (port, port))
        self.assertIn("it is waited for", self.said[-1])
        self.assertEqual(int((made.data / "postmaster.pid").read_text().split()[0]), pid)

    def test_the_number_of_a_dead_server_that_another_program_got_is_no_server(self) -> None:
        made = self.cluster()
        made.start()
        made.stop()
        (made.data / "postmaster.pid").write_text(f"{os.getpid()}\n")
        self.assertFalse(made.runs())

    def test_a_taken_port_is_left_to_its_owner(self) -> None:
        made = self.cluster()
        made.start()
        made.stop()
        with socket.socket() as other:
            other.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            other.bind(("127.0.0.1", made.port))
            other.listen()
            again = self.cluster()
            again.start()
            self.assertNotEqual(again.port, other.getsockname()[1])
        self.assertTrue(any("is taken by another program" in line for line in self.said))

    def test_a_scratch_database_is_its_own(self) -> None:
        made = self.cluster()
        made.start()
        name, url = made.scratch_database()
        with psycopg.connect(url) as c:
            c.execute("create table here (n int)")
        made.drop_database(name)
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(url, connect_timeout=3)


class State(InAnotherCheckout):
    def test_secrets_are_kept_and_closed_to_others(self) -> None:
        first = state.secret("sessions")
        self.assertEqual((state.secret("sessions"), len(first) >= 32), (first, True))
        self.assertEqual((state.STATE / "secrets.json").stat().st_mode & 0o077, 0)

    def test_what_cannot_be_read_is_told_and_no_new_secret_takes_its_place(self) -> None:
        state.ensure_state()
        self.assertEqual(state.remembered("never"), {})
        secrets = state.STATE / "secrets.json"
        secrets.write_text("{broken")
        for found in ("{broken", "[]"):
            secrets.write_text(found)
            with self.assertRaisesRegex(state.StateError, r"secrets\.json is damaged"):
                state.secret("sessions")
            self.assertEqual(secrets.read_text(), found)
        secrets.unlink()
        secrets.mkdir()
        with self.assertRaisesRegex(state.StateError, "cannot be read"):
            state.secret("sessions")

    def test_the_last_one_out_knows_it(self) -> None:
        first, second = state.InUse(), state.InUse()
        self.assertFalse(first.last_one_out())
        first.close()
        self.assertTrue(second.last_one_out())
        second.close()

    def test_a_port_asked_for_is_had_or_refused(self) -> None:
        with socket.socket() as other:
            other.bind(("127.0.0.1", 0))
            taken = int(other.getsockname()[1])
            with self.assertRaisesRegex(ClusterError, "is taken"):
                _port(True, taken, "127.0.0.1")
        self.assertEqual(_port(True, taken, "127.0.0.1"), taken)
