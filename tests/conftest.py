"""Every test runs without a display, without the network, and with a home of its own."""

import os
import sys
from pathlib import Path

import pytest
from hypothesis import settings

# the same examples everywhere, so that main is green or red for all; SALTUS_EXAMPLES=new draws others
settings.register_profile("same", derandomize=True, database=None, deadline=None)
settings.register_profile("new", database=None, deadline=None)
settings.load_profile(os.environ.get("SALTUS_EXAMPLES", "same"))

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))


@pytest.fixture(autouse=True)
def _own_home(tmp_path_factory, monkeypatch):
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("HOME", str(home))
    for name in ("DATA", "CONFIG", "CACHE", "STATE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(home / name.lower()))


@pytest.fixture(scope="session", autouse=True)
def _one_thread():
    """There are more processes than cores: none may take a second one."""
    import cv2  # noqa: PLC0415  Saltus bounds what it reads, and must be loaded before

    cv2.setNumThreads(1)
