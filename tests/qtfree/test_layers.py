"""What the layers promise: no Qt below the window, no windows in printing, small files and functions."""

import ast
import copy
import importlib
import pkgutil
from functools import cache
from pathlib import Path

import pytest

import saltus
from saltus.core.sentences import say as core_say

ROOT = Path(saltus.__file__).parent
FREE = ("core", "footage", "notebook", "investigations", "jobs", "session", "exchange", "simulate")


@cache
def tree_of(path):
    """What a file of Python says."""
    return ast.parse(path.read_text(encoding="utf-8"))


@cache
def nodes_of(path):
    """All that stands in a file of Python."""
    return tuple(ast.walk(tree_of(path)))


@pytest.fixture(scope="module", autouse=True)
def _forgotten():
    yield
    tree_of.cache_clear()
    nodes_of.cache_clear()


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
        for node in nodes_of(Path(importlib.import_module(name).__file__)):
            if isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
                assert not node.module.startswith(("PyQt6", "saltus.ui", "saltus.printing")), name


def test_printing_has_no_windows():
    """Printing draws with QtGui alone, so that it works without a window system."""
    for path in (ROOT / "printing").rglob("*.py"):
        assert "QtWidgets" not in path.read_text(encoding="utf-8"), path


def test_files_and_functions_stay_small():
    """No file of the program over 400 lines, none of its tests over 500, no function over 50."""
    for path in [*ROOT.rglob("*.py"), *Path(__file__).parents[1].rglob("*.py")]:
        text = path.read_text(encoding="utf-8")
        assert text.count("\n") <= (500 if "tests" in path.parts else 400), path
        for node in () if "tests" in path.parts else nodes_of(path):
            if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
                lines = node.end_lineno - node.lineno + 1
                assert lines <= 50, f"{path}: {node.name} has {lines} lines"


@pytest.mark.parametrize("package", ["core", "files", "footage", "notebook", "investigations", "jobs"])
def test_every_sentence_stands_in_one_place(package):
    """A package speaks by codes only: each code has a sentence, gets its values, and is used."""
    say = importlib.import_module(f"saltus.{package}.sentences").say
    used = set()
    for path in (ROOT / package).rglob("*.py"):
        if path.name in {"sentences.py", "wording.py"} or path.parent == ROOT / "core" / "sources":
            continue
        for node in nodes_of(path):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                used.update(code for code in (node.value, f"{node.value}-in-u") if code in say.of)
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
                assert node.func.id not in {"_", "plural"}, f"{path}:{node.lineno}"
                if node.func.id == "say" and isinstance(node.args[0], ast.Constant):
                    assert node.args[0].value in say.of, f"{path}:{node.lineno}"
                    assert {k.arg for k in node.keywords} == say.names(node.args[0].value), (
                        f"{path}:{node.lineno}"
                    )
    assert used == set(say.of)


def test_sources_are_made_in_one_place():
    """No other module makes a source, so that none can be made twice under two names."""
    for path in ROOT.rglob("*.py"):
        made = [
            n for n in nodes_of(path) if isinstance(n, ast.Call) and getattr(n.func, "id", "") == "Source"
        ]
        assert not made or path.parent.name == "sources", path


def test_a_sentence_still_knows_its_code():
    """Words follow the language, one and many are told apart, the code stays through copying."""
    one, many = (core_say("pulses.pulses-missed-left-out", n=n) for n in (1, 3))
    assert one.code == many.code
    assert one != many
    assert "3" in many
    again = copy.deepcopy(many)
    assert (again, again.code, again.values) == (many, "pulses.pulses-missed-left-out", {"n": 3})


def public_functions(body, within=""):
    """Functions and methods that others may call, with the class they stand in."""
    for node in body:
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from public_functions(node.body, node.name)
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            yield within, node


def test_numbers_say_what_they_are():
    """Nearly every public function of numbers tells shapes and units of each argument, and what it raises."""
    described, bare = 0, []
    for path in (ROOT / "core").rglob("*.py"):
        for within, node in public_functions(tree_of(path).body):
            arguments = [a for a in (*node.args.args, *node.args.kwonlyargs) if a.arg not in {"self", "cls"}]
            kinds = " ".join(ast.unparse(a.annotation) for a in arguments if a.annotation)
            words = ast.get_docstring(node) or ""
            if (path.parent.name == "models" and path.name != "base.py") or path.parent.name == "sources":
                continue  # a model's methods are described by their base, sources together at their head
            if not any(kind in kinds for kind in ("Array", "Quantity", "float")):
                continue
            raised = any(isinstance(part, ast.Raise) for part in ast.walk(node))
            if "Parameters" in words and (not raised or "Raises" in words):
                described += 1
            else:
                bare.append(f"{path.name}: {within} {node.name}")
    assert described >= 0.95 * (described + len(bare)), bare


def imported_by(path, names):
    """Modules of Saltus a file imports, wherever in it: at its head, for types alone, or in a function."""
    for node in nodes_of(path):
        if isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:
                inner = f"{node.module}.{alias.name}"
                yield inner if inner in names else node.module
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


def test_no_imports_go_round_in_a_circle():
    """Neither at run time, nor for types, nor inside functions does a module lead back to itself."""
    parts = {path: path.relative_to(ROOT.parent).with_suffix("").parts for path in ROOT.rglob("*.py")}
    names = {".".join(p for p in way if p != "__init__"): path for path, way in parts.items()}
    leads = {name: set(imported_by(path, names)) & names.keys() - {name} for name, path in names.items()}
    while ready := [name for name, to in leads.items() if not to & leads.keys()]:
        for name in ready:
            del leads[name]
    assert not leads, sorted(leads)
