"""A long random attack: mutated files on all readers, and windows killed while something is typed.

Usage: attack.py [INPUTS] [KILLS]. Anything but a sentence, or work lost beyond two seconds, is printed and counted.
"""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parents[1] / "tests"), str(Path(__file__).parents[1] / "tests" / "qtfree")]
import cv2
import made
from clips import encode, numbered_picture
from openpyxl import Workbook
from test_hostile import mutated

from saltus.exchange.log_table import log_of
from saltus.exchange.spreadsheet import read_any_table
from saltus.exchange.tables import read_table
from saltus.footage.opening import facts_of, reader_of
from saltus.footage.pictures import load_picture
from saltus.footage.sound_apart import sound_of
from saltus.investigations.recipe.catalogue import FOLDER, load_recipe
from saltus.notebook.journal import Journal
from saltus.notebook.packing import pack, unpack
from saltus.notebook.recovery import journals_found
from saltus.notebook.storage import as_text, load, save

INPUTS = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000
KILLS = int(sys.argv[2]) if len(sys.argv) > 2 else 500
SLOW_S = 10.0
GRACE_S = 2.0
SHARES = {"film": 0.05, "sound": 0.02, "pack": 0.1, "spreadsheet": 0.05, "picture": 0.18, "table": 0.2,
          "notebook": 0.15, "investigation": 0.1, "journal": 0.15}  # fmt: skip
STAGES = ("film", "scale", "read", "motion", "trials", "graph", "time", "log", "findings")


def originals(folder):
    """A whole file of each kind."""
    encode(folder / "a.mp4", [numbered_picture(i) for i in range(12)], sound=True)
    cv2.imwrite(str(folder / "a1.png"), numbered_picture(1))
    notebook = made.measured(20)[0]
    (folder / "a.saltus").write_text(as_text(notebook))
    (folder / "a.csv").write_text("time [s],F [N]\n" + "".join(f"{n / 30},{n * 0.1}\n" for n in range(40)))
    (folder / "a.toml").write_bytes(next(FOLDER.glob("*.toml")).read_bytes())
    book = Workbook()
    for row in [("time [s]", "F [N]"), *((n / 30, -n) for n in range(20))]:
        book.active.append(row)
    book.save(folder / "a.xlsx")
    save(notebook.but(takes=()), folder / "p.saltus")
    pack(folder / "p.saltus", folder / "a.saltus.zip")
    journals = folder / "journals"
    journal = Journal(journals)
    journal.follow(notebook, None)
    for n in range(5):
        journal.note("name it", notebook.but(title=f"Swing {n}"))
    journal.typing("remarks", "half a sentence")
    journal.leave()
    next(journals.glob("*.journal")).rename(folder / "a.journal")


def read(kind, path, folder):
    """Read a file as the program would."""
    if kind == "film":
        facts = facts_of(path)
        reader = reader_of(path, facts)
        try:
            reader.picture(facts.frames - 1)
        finally:
            reader.close()
    elif kind == "sound":
        sound_of(path, 0.0)
    elif kind == "pack":
        unpack(path, folder / f"new-{path.name}")
    elif kind == "spreadsheet":
        read_any_table(path)
    elif kind == "picture":
        load_picture(path)
    elif kind == "table":
        log_of(read_table(path))
    elif kind == "notebook":
        load(path)
    elif kind == "investigation":
        load_recipe(path)
    else:
        for left in journals_found(path.parent).left:
            left.release()


NAMES = {"film": "a.mp4", "sound": "a.mp4", "pack": "a.saltus.zip", "spreadsheet": "a.xlsx", "picture": "a1.png",
         "table": "a.csv", "notebook": "a.saltus", "investigation": "a.toml", "journal": "a.journal"}  # fmt: skip


def on_readers(count):
    """Read mutated files; gives how many of each kind were read, refused, and answered with anything else."""
    table = {kind: [0, 0, 0] for kind in SHARES}
    rng = random.Random(time.time_ns())
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        originals(folder)
        for kind, share in SHARES.items():
            whole = (folder / NAMES[kind]).read_bytes()
            room = folder / f"of-{kind}"
            room.mkdir()
            for _n in range(round(count * share)):
                path = room / NAMES[kind]
                path.write_bytes(mutated(whole, rng))
                began = time.monotonic()
                try:
                    read(kind, path, room)
                    table[kind][0] += 1
                except ValueError as error:
                    words = str(error)
                    good = (
                        type(error).__module__.startswith("saltus") and len(words) < 600 and "\n" not in words
                    )
                    table[kind][1 if good else 2] += 1
                    if not good:
                        print("NO SENTENCE", kind, type(error), words[:200], flush=True)
                except Exception as error:  # noqa: BLE001  that is what is looked for
                    table[kind][2] += 1
                    print("BROKEN", kind, type(error), str(error)[:200], flush=True)
                if time.monotonic() - began > SLOW_S:
                    print("SLOW", kind, round(time.monotonic() - began, 1), flush=True)
                for rest in room.glob("new-*"):
                    subprocess.run(["rm", "-rf", rest], check=True)
    return table


LIFE = """
import random, sys, time
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QAbstractItemView, QLineEdit, QPlainTextEdit, QTextEdit
from saltus.ui.app import app as place

app, stage, rng = place.make_application(), sys.argv[2], random.Random(int(sys.argv[3]))

def begin():
    window = next(w for w in QApplication.topLevelWidgets() if hasattr(w, "desk"))
    window.activateWindow()
    window.go_to(stage)
    QTimer.singleShot(250, lambda: choose(window))

def choose(window):
    here = window.stages[stage] if hasattr(window, "stages") else window
    fields = [w for w in window.findChildren((QLineEdit, QPlainTextEdit, QTextEdit)) if w.isVisible() and w.isEnabled() and not w.isReadOnly()]
    cells = [v for v in window.findChildren(QAbstractItemView) if v.isVisible() and v.model() is not None and v.model().rowCount() and v.editTriggers()]
    if cells and (not fields or rng.random() < 0.4):
        view = rng.choice(cells)
        view.setFocus()
        for column in range(view.model().columnCount()):
            index = view.model().index(0, column)
            if index.flags() & index.flags().ItemIsEditable:
                view.setCurrentIndex(index); view.edit(index); break
        field = QApplication.focusWidget()
        if not isinstance(field, QLineEdit):
            field = rng.choice(fields) if fields else None
    else:
        field = rng.choice(fields) if fields else None
    if field is None:
        field = QLineEdit(window); field.show()
    field.setFocus()
    QTimer.singleShot(50, lambda: key(field))

def key(field):
    if field.hasFocus():
        QTest.keyClicks(field, rng.choice("12345 "))
        text = field.text() if isinstance(field, QLineEdit) else field.toPlainText()
        print(f"{time.time():.3f} {text}", flush=True)
    QTimer.singleShot(rng.choice([20, 60, 150]), lambda: key(field))

QTimer.singleShot(200, begin)
sys.exit(place.run_window(Path(sys.argv[1])))
"""


def killed(seed):
    """One window, killed while something is typed; gives its stage and whether more than two seconds are lost."""
    rng = random.Random(seed)
    stage = STAGES[seed % len(STAGES)]
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "n.saltus"
        save(made.measured(12)[0], path)
        there = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": f"{place}/state",
                 "XDG_DATA_HOME": f"{place}/data", "XDG_CONFIG_HOME": f"{place}/config"}  # fmt: skip
        life = [sys.executable, "-c", LIFE, path, stage, str(seed)]
        with subprocess.Popen(
            life, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=there, text=True
        ) as window:
            first = window.stdout.readline()
            time.sleep(rng.uniform(0, 5))
            at = time.time()
            window.send_signal(signal.SIGKILL)
            told = [first, *window.stdout.read().splitlines()]
        typed = [line.split(" ", 1) for line in told if " " in line]
        due = [text.rstrip("\n") for when, text in typed if float(when) < at - GRACE_S]
        left = journals_found(Path(place) / "state" / "saltus" / "journals").left
        kept = [(one.typed or ("", ""))[1] for one in left] + [
            json.dumps(one.notebook.model_dump(mode="json")) for one in left
        ]
        for one in left:
            one.release()
        lost = bool(due) and not any(due[-1].strip() in text for text in kept)
        if lost:
            print("LOST", stage, repr(due[-1]), [text[:60] for text in kept], flush=True)
        return stage, bool(due), lost


def main():
    """Attack, and print the counts."""
    table = on_readers(INPUTS)
    for kind, (through, refused, broken) in table.items():
        print(f"{kind}: {through} read, {refused} refused in a sentence, {broken} otherwise", flush=True)
    with ThreadPoolExecutor(2) as pool:
        ends = list(pool.map(killed, range(KILLS)))
    print(f"{len(ends)} windows killed while typing, {sum(due for _s, due, _l in ends)} of them more than two seconds in: "
          f"{sum(lost for _s, _d, lost in ends)} lost anything beyond two seconds")  # fmt: skip
    sys.exit(1 if any(row[2] for row in table.values()) or any(lost for _s, _d, lost in ends) else 0)


if __name__ == "__main__":
    main()
