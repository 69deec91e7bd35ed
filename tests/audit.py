"""What Fennet is made of: `./fennet audit` asks whether any package it locks has a known weakness (this needs the network), and
`./fennet audit --licences` lists every package, font and script that ships, with its licence."""

from __future__ import annotations

import re
import subprocess
import sys
from collections.abc import Iterator
from importlib.metadata import PackageNotFoundError, files, metadata
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
NOT_SAID = "not said"


def locked() -> list[tuple[str, str]]:
    """(package, version) of what the lock file says is installed for running Fennet."""
    found = re.findall(r"^([a-z0-9][\w.-]*)==([\w.]+)", (ROOT / "requirements.lock").read_text(), re.M)
    return sorted(set(found))


def licences() -> Iterator[tuple[str, str, str]]:
    """(what, version, licence) of everything that ships or is installed for running it."""
    for name, version in locked():
        try:
            said = metadata(name)
        except PackageNotFoundError:
            # Locked for another Python or another machine than this one.
            continue
        if said["Version"] != version:
            continue
        kinds = [c.rsplit("::", 1)[1].strip() for c in said.get_all("Classifier") or [] if c.startswith("License ::")]
        words = said["License-Expression"] or "; ".join(kinds) or (said["License"] or "").split("\n")[0] or _in_files(name)
        yield name, version, words
    for file in sorted((ROOT / "src/fennet/web/static").rglob("*.LICENSE")):
        yield f"shipped: {file.stem}", "", _named_in(file.read_text())


def _in_files(name: str) -> str:
    """The licence of a package that tells it by its file alone."""
    found = [f for f in files(name) or [] if "licen" in f.name.lower()]
    return next((named for f in found if (named := _named_in(f.read_text())) != NOT_SAID), NOT_SAID)


def _named_in(text: str) -> str:
    named = re.search(r"SIL Open Font License|MIT License|Apache License|BSD License", text, re.I)
    return named[0] if named else NOT_SAID


def main(words: list[str]) -> int:
    if words == ["--licences"]:
        for name, version, licence in licences():
            print(f"{name:32} {version:12} {licence}")
        return 0
    if words:
        print(f"fennet: audit {' '.join(words)}; accepted: nothing, or --licences", file=sys.stderr)
        return 2
    asked = ["--disable-pip", "--require-hashes", "--progress-spinner", "off", "--requirement", str(ROOT / "requirements.lock")]
    done = subprocess.run([sys.executable, "-m", "pip_audit", *asked], capture_output=True, text=True)
    if "Connection" in done.stderr or "Max retries" in done.stderr:
        print(
            "fennet: the list of known weaknesses cannot be reached; nothing was found out; accepted: a network", file=sys.stderr
        )
        return 2
    said = (done.stdout + done.stderr).strip()
    print(said)
    missed = said.count("could not be audited")
    if missed:
        # Silence about a package is no word for it.
        print(f"fennet: nothing was found out about {missed} of {len(locked())} packages", file=sys.stderr)
    return done.returncode or (2 if missed else 0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
