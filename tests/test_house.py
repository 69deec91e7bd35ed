"""The rules of the house: arrows point down, documents and pictures are there, nothing shipped fetches from elsewhere."""

# ruff: noqa: E501 — commands stand whole.

from __future__ import annotations

import re
import subprocess
import sys
import unittest
from pathlib import Path

from vulture.core import Vulture

from fennet.cli.main import SCORES

ROOT = Path(__file__).parents[1]
#: Names that Flask, Jinja, WTForms, click and Flask-Login look for, and what only the simulated rooms' truth tells.
CALLED_BY_OTHERS = {
    "exit_code",
    *(
        "on_message",
        "on_connect",
        "on_subscribe",
        "on_disconnect",
        "on_connect_fail",
        "SessionExpiryInterval",
        "MaximumPacketSize",
    ),
    "strict_slashes",
    "lstrip_blocks",
    "trim_blocks",
    "too_large",
    "broken",
    "_login_user",
    "session_protection",
    "get_id",
    "permanent",
    "base_exceptions",
    "incr",
    "get_expiry",
    "max_content_length",
    "widget",
    "process_formdata",
    "Meta",
    "began_s",
    "writing",
    "now_pct",
    "error_c",
    "first_sown",
}


class House(unittest.TestCase):
    def test_layers_hold(self) -> None:
        linter = Path(sys.executable).with_name("lint-imports")
        done = subprocess.run(
            [str(linter), "--no-cache"],
            cwd=ROOT,
            capture_output=True,
            text=True,
            env={"PYTHONPATH": "src", "PATH": "/usr/bin:/bin"},
        )
        self.assertEqual(done.returncode, 0, done.stdout[-2000:])

    def test_the_core_answers_without_the_heavy_parts(self) -> None:
        code = "import sys, fennet.cli.crops, fennet.core.forecast; print([m for m in ('flask', 'sqlalchemy', 'babel', 'pint') if m in sys.modules])"
        done = subprocess.run(
            [sys.executable, "-c", code],
            cwd=ROOT,
            capture_output=True,
            text=True,
            env={"PYTHONPATH": "src", "PATH": "/usr/bin:/bin"},
        )
        self.assertEqual(done.stdout.strip(), "[]", done.stderr)

    def test_nothing_is_dead(self) -> None:
        """Code that neither code nor a template uses, but for what a framework calls and what the record holds for its owner."""
        finder = Vulture(ignore_decorators=["@_told.register", "@_verdict.register"])
        finder.scavenge([str(ROOT / "src/fennet"), str(ROOT / "tests")], exclude=["*/migrations/*", "*/vendor/*"])
        templates = (ROOT / "src/fennet/web/templates").rglob("*.html")
        used = set(re.findall(r"\w+", " ".join(p.read_text() for p in templates))) | CALLED_BY_OTHERS
        used |= {function for _, _, function in SCORES.values()}
        dead = [
            f"{Path(x.filename).relative_to(ROOT)}:{x.first_lineno} {x.name}"
            for x in finder.get_unused_code(min_confidence=60)
            if x.name not in used and not str(x.filename).endswith(("core/records.py", "storage/tables.py"))
        ]
        self.assertEqual([x for x in dead if x.startswith("src/")], [])

    def test_no_style_is_without_a_use(self) -> None:
        web = ROOT / "src/fennet/web"
        rules = re.sub(r"/\*.*?\*/", "", (web / "static/css/fennet.css").read_text(), flags=re.S)
        names = set(re.findall(r"\.(-?[a-zA-Z][\w-]*)", re.sub(r'url\("[^"]*"\)', "", rules)))
        used = " ".join(
            p.read_text() for p in web.rglob("*") if p.suffix in (".html", ".js", ".py") and "node_modules" not in p.parts
        )
        # Made up of two parts, or given by a library.
        made = (
            "as-",
            "share-",
            "shade-",
            "cols-",
            "grow-",
            "d-",
            "u-",
            "band-",
            "bar-",
            "h-",
            "n-",
            "spell-",
            "trace-",
            "under-",
            "verdict-",
        )
        self.assertEqual([n for n in sorted(names) if n not in used and not n.startswith(made)], [])

    def test_every_picture_is_shown_and_every_link_leads_somewhere(self) -> None:
        readme = (ROOT / "README.md").read_text()
        pictures = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
        self.assertLess(len(pictures), 20)
        self.assertEqual({Path(link).name for link in re.findall(r"docs/screenshots/[\w-]+\.png", readme)}, pictures)
        for page in (ROOT / "README.md", *(ROOT / "docs").glob("*.md")):
            for link in re.findall(r"\]\((?!http)([^)#]+)\)", page.read_text()):
                self.assertTrue((page.parent / link).exists(), f"{page.name}: {link}")

    def test_pages_fetch_nothing_from_elsewhere_and_locks_name_no_address(self) -> None:
        for path in (ROOT / "src/fennet/web").rglob("*"):
            if path.suffix in (".html", ".js", ".css") and "vendor" not in path.parts:
                self.assertNotRegex(path.read_text(), r"(src|href)=\"https?:|url\(\"?https?:|@import", str(path))
        self.assertNotIn("http", (ROOT / "src/fennet/web/bootstrap/package-lock.json").read_text())
        for lock in ROOT.glob("requirements*.lock"):
            text = lock.read_text()
            self.assertNotRegex(text, r"https?://|--index-url|--find-links")
            self.assertEqual(
                len(re.findall(r"^[a-z][\w.-]*==", text, re.M)),
                len(re.findall(r"^[a-z][\w.-]*==[^\n]*\\\n    --hash", text, re.M)),
            )
