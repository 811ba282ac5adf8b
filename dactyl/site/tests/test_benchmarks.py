"""The benchmarks still run: what they name is there, and those without a browser run small."""

import ast
import os
import subprocess
import sys
from importlib import import_module
from pathlib import Path
from types import ModuleType

from django.conf import settings
from django.test import SimpleTestCase

from benchmarks.measured import SMALL

FOLDER = Path(settings.ROOT) / "benchmarks"
RUN_SMALL = ("sheets", "memory")  # in a process of their own: Django begins with a data folder


class Benchmarks(SimpleTestCase):
    def test_all_that_they_import_and_reach_for_in_it_is_there(self):
        for file in sorted(FOLDER.glob("*.py")):
            tree = ast.parse(file.read_text("utf-8"))
            known = {}
            for node in ast.walk(tree):
                if isinstance(node, ast.ImportFrom) and node.module.split(".")[0] in ("dactyl", "benchmarks"):
                    for name in node.names:
                        with self.subTest(file.name, imports=f"{node.module}.{name.name}"):
                            known[name.asname or name.name] = _found(node.module, name.name)
            for node in ast.walk(tree):
                if isinstance(node, ast.Attribute) and isinstance(of := known.get(ast.unparse(node.value)), ModuleType):
                    with self.subTest(file.name, reaches=ast.unparse(node)):
                        known[ast.unparse(node)] = getattr(of, node.attr)

    def test_they_run_small(self):
        for name in RUN_SMALL:
            with self.subTest(name):
                command = [sys.executable, "-m", "benchmarks", name]
                ran = subprocess.run(
                    command,
                    cwd=settings.ROOT,
                    env=os.environ | {SMALL: "1"},
                    capture_output=True,
                    text=True,
                    check=False,
                )
                self.assertNotIn("Traceback", ran.stderr)
                self.assertRegex(ran.stdout, r"^(ok|MISSED)")


def _found(module: str, name: str) -> object:
    found = import_module(module)
    return getattr(found, name) if hasattr(found, name) else import_module(f"{module}.{name}")
