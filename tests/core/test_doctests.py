"""The worked examples in the core's docstrings run, and every public function of the core has a docstring."""

from __future__ import annotations

import doctest
import importlib
import inspect
import pkgutil
import unittest
from contextlib import redirect_stdout
from io import StringIO

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
        "presentation.csv_cells",
    )
]


class Docstrings(unittest.TestCase):
    def test_the_worked_examples_run(self) -> None:
        ran = 0
        for module in (*CORE, *OTHERS):
            with self.subTest(module.__name__), redirect_stdout(StringIO()) as told:
                result = doctest.testmod(module)
                self.assertFalse(result.failed, told.getvalue())
                ran += result.attempted
        self.assertGreater(ran, 150)

    def test_every_public_function_says_what_it_answers(self) -> None:
        bare = [
            f"{module.__name__}.{name}"
            for module in CORE
            for name, thing in inspect.getmembers(module, inspect.isfunction)
            if thing.__module__ == module.__name__ and not name.startswith("_") and not inspect.getdoc(thing)
        ]
        self.assertEqual(bare, [])
