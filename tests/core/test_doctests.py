"""The worked examples in the core's docstrings run, and every public function of the core has a docstring."""

from __future__ import annotations

import doctest
import importlib
import inspect
import pkgutil
import unittest

import fennet.core

CORE = [importlib.import_module(m.name) for m in pkgutil.walk_packages(fennet.core.__path__, "fennet.core.")]
OTHERS = [
    importlib.import_module(f"fennet.{name}")
    for name in (
        "crops.table",
        "journal.times",
        "journal.readings",
        "journal.cells",
        "journal.plans",
        "journal.lists_csv",
        "telling.csv_cells",
    )
]


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    for module in (*CORE, *OTHERS):
        tests.addTests(doctest.DocTestSuite(module))
    return tests


class Docstrings(unittest.TestCase):
    def test_every_public_function_says_what_it_answers(self) -> None:
        bare = [
            f"{module.__name__}.{name}"
            for module in CORE
            for name, thing in inspect.getmembers(module, inspect.isfunction)
            if thing.__module__ == module.__name__ and not name.startswith("_") and not inspect.getdoc(thing)
        ]
        self.assertEqual(bare, [])
