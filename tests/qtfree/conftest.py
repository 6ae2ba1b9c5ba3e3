"""These tests run with every road to Qt closed: ``pytest -p no:pytest-qt tests/qtfree``."""

import importlib.abc
import sys

import pytest

ROADS = ("PyQt6", "PyQt5", "PySide6", "pyqtgraph", "qtpy")


class _Closed(importlib.abc.MetaPathFinder):
    def find_spec(self, fullname, path=None, target=None):
        if fullname.split(".")[0] in ROADS:
            raise ImportError(f"{fullname} is closed in the tests of the Qt-free packages")


if any(name in sys.modules for name in ROADS):
    raise pytest.UsageError("Qt is loaded: run these tests with -p no:pytest-qt, as tools/check.sh does")
sys.meta_path.insert(0, _Closed())
