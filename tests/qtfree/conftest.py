"""These tests run with every road to Qt closed: ``pytest -p no:pytest-qt tests/qtfree``."""

import importlib.abc
import json
import sys

import pytest

from saltus.commands.main import run

ROADS = ("PyQt6", "PyQt5", "PySide6", "pyqtgraph", "qtpy")


class _Closed(importlib.abc.MetaPathFinder):
    def find_spec(self, fullname, path=None, target=None):
        if fullname.split(".")[0] in ROADS:
            raise ImportError(f"{fullname} is closed in the tests of the Qt-free packages")


if any(name in sys.modules for name in ROADS):
    raise pytest.UsageError("Qt is loaded: run these tests with -p no:pytest-qt, as tools/check.sh does")
sys.meta_path.insert(0, _Closed())


@pytest.fixture
def saltus(capsys):
    """Run a command; gives its exit code, standard output and standard error."""

    def ask(*words):
        with pytest.raises(SystemExit) as left:
            run([str(w) for w in words])
        shown = capsys.readouterr()
        return left.value.code, shown.out, shown.err

    return ask


@pytest.fixture
def told(saltus):
    """Run a command that must succeed; gives the JSON objects it prints."""

    def ask(*words):
        code, out, err = saltus(*words)
        assert code == 0, err
        return [json.loads(line, parse_constant=pytest.fail) for line in out.splitlines()]

    return ask
