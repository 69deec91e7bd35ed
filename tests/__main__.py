"""`./fennet test [PATTERN]`: every test, then one closing line. PATTERN picks tests whose name contains it."""

from __future__ import annotations

import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parent


def picked(suite: unittest.TestSuite, pattern: str) -> unittest.TestSuite:
    out = unittest.TestSuite()
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            out.addTest(picked(test, pattern))
        elif pattern.lower() in test.id().lower() or isinstance(test, unittest.loader._FailedTest):  # type: ignore[attr-defined]
            out.addTest(test)
    return out


def main() -> int:
    suite = unittest.defaultTestLoader.discover(str(ROOT), top_level_dir=str(ROOT.parent))
    if len(sys.argv) > 1:
        suite = picked(suite, sys.argv[1])
    result = unittest.TextTestRunner(verbosity=2 if len(sys.argv) > 1 else 1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    print(f"{max(0, result.testsRun - failed - skipped)} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not result.testsRun else 0


if __name__ == "__main__":
    sys.exit(main())
