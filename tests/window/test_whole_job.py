"""The whole main job in a real window under a virtual screen, with real mouse and key events."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pypdf
import pytest

from saltus.core.statement import stated
from saltus.notebook.derived.motion import headline
from saltus.notebook.storage import load
from saltus.simulate.camera import film
from saltus.simulate.scenes import set_up


@pytest.fixture
def virtual_screen():
    """A virtual screen of our own, on a free number."""
    reading, writing = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(writing), "-screen", "0", "1280x860x24", "-nolisten", "tcp"],
        pass_fds=[writing], stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(writing)
    with os.fdopen(reading) as pipe:
        number = pipe.readline().strip()
    assert number
    yield f":{number}"
    server.terminate()
    server.wait(10)


@pytest.mark.parametrize("way", ["mouse", "keys"])
def test_from_a_film_to_a_printed_sheet(tmp_path, virtual_screen, way):
    """Open, scale, read, undo, fit, print and save, by mouse and keys or by keys alone; the result holds the truth."""
    scene = set_up("free-fall", {"width": 960, "height": 540, "seed": 4})
    film(scene, tmp_path / "ball.mp4", tmp_path / "ball.json")
    environment = os.environ | {
        "DISPLAY": virtual_screen,
        "QT_QPA_PLATFORM": "xcb",
        "QT_NO_XDG_DESKTOP_PORTAL": "1",
    }
    script = Path(__file__).with_name("whole_job.py")
    done = subprocess.run(
        [sys.executable, str(script), str(tmp_path / "ball.mp4"), "ball.json", str(tmp_path), way],
        cwd=tmp_path, env=environment, capture_output=True, text=True, timeout=240, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    take = load(tmp_path / "run.saltus").takes[0]
    name, value = headline(take)
    assert name == "acceleration"
    # a click lands on a whole pixel of the screen, a nudge on a tenth: well within the stated px of a reading
    assert abs(float(value) - scene.truth["acceleration"]) <= 1.5 * value.U95
    pages = pypdf.PdfReader(tmp_path / "sheet.pdf").pages
    text = " ".join("".join(page.extract_text() for page in pages).split())
    assert f"a = {stated(float(value), value.U95, value.unit)}" in text
    assert f"{19 if way == 'mouse' else 10} readings" in text
    assert json.loads((tmp_path / "run.saltus").read_text())["takes"][0]["film"]["name"] == "ball.mp4"
