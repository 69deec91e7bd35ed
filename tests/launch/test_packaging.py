"""The package, the service and the container: built, and started where this machine can."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path

from fennet.launch import state

ROOT = Path(__file__).resolve().parents[2]


def has(program: str) -> bool:
    return shutil.which(program) is not None


class Packaging(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="fennet-packaging-"))
        self.folder.chmod(0o755)
        self.addCleanup(shutil.rmtree, self.folder, True)

    @unittest.skipUnless(has("dpkg-deb"), "no dpkg-deb: Debian packages are built on Debian")
    def test_the_package_is_built_and_what_is_in_it_serves_and_is_doctored(self) -> None:
        made = subprocess.run([str(ROOT / "packaging/build-deb"), str(self.folder)], capture_output=True, text=True, check=True)
        package = made.stdout.strip()
        fields = subprocess.run(
            ["dpkg-deb", "--field", package, "Package", "Depends"], capture_output=True, text=True, check=True
        )
        self.assertRegex(fields.stdout, "(?s)fennet.*postgresql")
        subprocess.run(["dpkg-deb", "--extract", package, str(self.folder / "root")], check=True)
        home = self.folder / "root/opt/fennet"
        self.assertTrue(os.access(home / "fennet", os.X_OK))
        self.assertFalse((home / "tests").exists())
        port = state.free_port()
        env = {k: v for k, v in os.environ.items() if not k.startswith("FENNET_")}
        env |= {"FENNET_ROOT": str(home), "PYTHONPATH": str(home / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
        fennet = [sys.executable, "-m", "fennet"]
        server = subprocess.Popen([*fennet, "run", "--port", str(port)], env=env, cwd=home, stdout=subprocess.DEVNULL)
        try:
            deadline = time.monotonic() + 90
            while True:
                try:
                    with urllib.request.urlopen(f"http://127.0.0.1:{port}/welcome", timeout=5) as answer:
                        self.assertIn(b"Set up Fennet", answer.read())
                        break
                except OSError:
                    self.assertLess(time.monotonic(), deadline, "it does not serve")
                    self.assertIsNone(server.poll(), "it stopped")
                    time.sleep(0.3)
            looked = subprocess.run([*fennet, "doctor"], env=env, cwd=home, capture_output=True, text=True)
            self.assertRegex(looked.stdout, "well   database: PostgreSQL")
            backup = self.folder / "all.fennet"
            done = subprocess.run([*fennet, "backup", str(backup)], env=env, cwd=home, capture_output=True, text=True)
            self.assertEqual((done.returncode, backup.exists()), (0, True), done.stderr)
            busy = subprocess.run([*fennet, "restore", str(backup)], env=env, cwd=home, capture_output=True, text=True)
            self.assertEqual(busy.returncode, 2)
            self.assertIn("stop it first", busy.stderr)
        finally:
            server.terminate()
            server.wait(60)
        back = subprocess.run([*fennet, "restore", str(backup)], env=env, cwd=home, capture_output=True, text=True)
        self.assertEqual(back.returncode, 0, back.stderr)

    @unittest.skipUnless(has("systemd-analyze"), "no systemd here to read the unit")
    def test_the_service_unit_reads(self) -> None:
        unit = self.folder / "fennet.service"
        unit.write_text((ROOT / "packaging/fennet.service").read_text().replace("/opt/fennet/fennet", "/bin/true"))
        done = subprocess.run(["systemd-analyze", "verify", str(unit)], capture_output=True, text=True)
        self.assertEqual([line for line in done.stderr.splitlines() if "fennet.service" in line], [])

    @unittest.skipUnless(
        has("docker") and subprocess.run(["docker", "info"], capture_output=True).returncode == 0, "no container engine runs here"
    )
    def test_the_container_is_built(self) -> None:
        words = ["docker", "build", "--quiet", "--file", str(ROOT / "packaging/Containerfile"), str(ROOT)]
        self.assertEqual(subprocess.run(words, capture_output=True).returncode, 0)

    def test_the_container_file_copies_only_what_is_there(self) -> None:
        for line in (ROOT / "packaging/Containerfile").read_text().splitlines():
            if line.startswith("COPY"):
                for name in line.split()[1:-1]:
                    self.assertTrue((ROOT / name).exists(), name)
