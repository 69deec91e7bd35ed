"""A broker for the tests: Debian's, on loopback, with a password and a certificate made for the run."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import tempfile
import time
from pathlib import Path

from paho.mqtt.client import Client
from paho.mqtt.enums import CallbackAPIVersion

from fennet.launch import state

NAME, PASSWORD = "fennet", "a broker's own word"
_PATH = f"{os.environ.get('PATH', '')}:/usr/sbin"


def _run(*words: str) -> None:
    subprocess.run(words, check=True, capture_output=True, env={**os.environ, "PATH": _PATH})


class Broker:
    """One that can be stopped and started again; what it holds for its clients it keeps meanwhile."""

    def __init__(self, tls: bool = True, max_inflight: int = 20) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="fennet-broker-"))
        self.folder.chmod(0o755)
        self.port, self.tls = state.free_port(), tls
        passwords = self.folder / "passwords"
        passwords.touch(mode=0o644)
        _run("mosquitto_passwd", "-b", str(passwords), NAME, PASSWORD)
        lines = [
            f"listener {self.port} 127.0.0.1", "allow_anonymous false", f"password_file {passwords}", "persistence true",
            f"persistence_location {self.folder}/", "autosave_interval 1", "autosave_on_changes true", "max_queued_messages 0",
            f"max_inflight_messages {max_inflight}", "log_type error", "log_dest stderr",
        ]  # fmt: skip
        if os.geteuid() == 0:
            lines.append("user root")
        if tls:
            self._certify()
            lines += [f"certfile {self.folder}/server.crt", f"keyfile {self.folder}/server.key"]
        (self.folder / "conf").write_text("\n".join(lines) + "\n")
        self._log = (self.folder / "log").open("ab")
        self.start()

    def _certify(self) -> None:
        ca, server = self.folder / "ca", self.folder / "server"
        key = ("-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes")
        _run("openssl", "req", "-x509", *key, "-days", "2", "-subj", "/CN=house", "-keyout", f"{ca}.key", "-out", f"{ca}.crt")
        _run("openssl", "req", *key, "-subj", "/CN=localhost", "-keyout", f"{server}.key", "-out", f"{server}.csr")
        names = self.folder / "names"
        names.write_text("subjectAltName=DNS:localhost,IP:127.0.0.1\n")
        _run("openssl", "x509", "-req", "-in", f"{server}.csr", "-CA", f"{ca}.crt", "-CAkey", f"{ca}.key", "-CAcreateserial",
             "-days", "2", "-extfile", str(names), "-out", f"{server}.crt")  # fmt: skip

    @property
    def ca(self) -> str | None:
        return (self.folder / "ca.crt").read_text() if self.tls else None

    def start(self) -> None:
        program = shutil.which("mosquitto", path=_PATH)
        assert program is not None
        self.process = subprocess.Popen([program, "-c", str(self.folder / "conf")], stdout=self._log, stderr=self._log)
        for _ in range(100):
            with socket.socket() as s:
                if s.connect_ex(("127.0.0.1", self.port)) == 0:
                    return
            time.sleep(0.05)
        raise AssertionError(f"no broker: {(self.folder / 'log').read_text()[-500:]}")

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(10)

    def end(self) -> None:
        self.stop()
        self._log.close()
        shutil.rmtree(self.folder, ignore_errors=True)

    def client(self, name: str) -> Client:
        """A sensor of the house, connected."""
        made = Client(CallbackAPIVersion.VERSION2, name)
        made.username_pw_set(NAME, PASSWORD)
        if self.tls:
            made.tls_set(f"{self.folder}/ca.crt")
        made.connect("localhost" if self.tls else "127.0.0.1", self.port)
        made.loop_start()
        for _ in range(100):
            if made.is_connected():
                return made
            time.sleep(0.05)
        raise AssertionError("the sensor was not let in")
