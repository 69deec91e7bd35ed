"""`./fennet test [PATTERN]`: every test, side by side in as many processes as there are cores, then one closing line.

PATTERN picks tests whose name contains it. One throw-away PostgreSQL cluster serves the run, each class has its own database.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

from tests.database import RUNNING, cluster

ROOT = Path(__file__).parent
COUNTED = {"failed": ("failures", "errors", "unexpected successes"), "skipped": ("skipped",)}


def closing(words: list[str]) -> tuple[str, bool]:
    """The closing line from the runner's last words, and whether all is well."""
    told = "\n".join(words)
    ran = re.search(r"^Ran (\d+) tests? in", told, re.MULTILINE)
    n_ran = int(ran[1]) if ran else 0
    n = {key: sum(int(x) for name in names for x in re.findall(rf"[(, ]{name}=(\d+)", told)) for key, names in COUNTED.items()}
    line = f"{max(0, n_ran - n['failed'] - n['skipped'])} passed, {n['failed'] if ran else 1} failed"
    return line + (f", {n['skipped']} skipped" if n["skipped"] else ""), bool(n_ran) and not n["failed"]


def main() -> int:
    pattern = sys.argv[1] if len(sys.argv) > 1 else ""
    command = [sys.executable, "-m", "unittest_parallel", "-s", str(ROOT), "-t", str(ROOT.parent), "--level", "class"]
    command += ["-k", pattern] if pattern else []
    cluster()
    run = subprocess.Popen(command, stderr=subprocess.PIPE, text=True, env=os.environ | {RUNNING: "1"})
    assert run.stderr is not None
    last: list[str] = []
    # What the tests write comes through as it comes, dots among it; the end of it is read for the closing line.
    while piece := os.read(run.stderr.fileno(), 4096):
        sys.stderr.buffer.write(piece)
        sys.stderr.buffer.flush()
        last = "".join([*last, piece.decode(errors="replace")]).splitlines(keepends=True)[-12:]
    line, well = closing(["".join(last)])
    print(line)
    return 0 if well and not run.wait() else 1


if __name__ == "__main__":
    sys.exit(main())
