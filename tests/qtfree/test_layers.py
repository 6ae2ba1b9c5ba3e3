"""What the layers promise: no Qt below the window, no windows in printing, small files and functions."""

import ast
import importlib
import pkgutil
from pathlib import Path

import pytest

import saltus

ROOT = Path(saltus.__file__).parent
FREE = ("core", "footage", "notebook", "investigations", "jobs", "session", "exchange", "simulate")


def modules(package):
    """Names of all modules of a package, itself included."""
    home = importlib.import_module(package)
    return [package, *(m.name for m in pkgutil.walk_packages(home.__path__, f"{package}."))]


@pytest.mark.parametrize("package", FREE)
def test_everything_below_the_window_loads_without_qt(package):
    """With Qt made unimportable every module of the package can be imported, lazy imports included."""
    with pytest.raises(ImportError):
        importlib.import_module("PyQt6")
    for name in modules(f"saltus.{package}"):
        importlib.import_module(name)
        tree = ast.parse(Path(importlib.import_module(name).__file__).read_text(encoding="utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
                assert not node.module.startswith(("PyQt6", "saltus.ui", "saltus.printing")), name


def test_printing_has_no_windows():
    """Printing draws with QtGui alone, so that it works without a window system."""
    for path in (ROOT / "printing").rglob("*.py"):
        assert "QtWidgets" not in path.read_text(encoding="utf-8"), path


def test_files_and_functions_stay_small():
    """No file over 500 lines, no function over 50, and every public thing says what it is."""
    for path in [*ROOT.rglob("*.py"), *Path(__file__).parents[1].rglob("*.py")]:
        text = path.read_text(encoding="utf-8")
        assert text.count("\n") <= 500, path
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)) and "tests" not in path.parts:
                docstring = node.body[0] if isinstance(node.body[0], ast.Expr) else None
                lines = node.end_lineno - (docstring.end_lineno if docstring else node.lineno)
                assert lines <= 50, f"{path}: {node.name} has {lines} lines"
