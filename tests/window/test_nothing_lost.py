"""Text stays text, what is typed is kept, the window ends when it must, and troubles come to one place."""

import errno
import gc
import os
import re
import signal
import subprocess
import sys
import textwrap
import threading
import time
from pathlib import Path

import made
import pytest
from PyQt6 import sip
from PyQt6.QtCore import QEvent, Qt, QThread, QTimer
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QLabel, QLineEdit, QMessageBox, QWidget

from saltus.files import writing
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.journal import Journal, line_of
from saltus.notebook.model import Notebook
from saltus.notebook.recovery import journals_found, left_behind
from saltus.notebook.storage import save
from saltus.ui.app import crash
from saltus.ui.findings import stage as findings
from saltus.ui.kit.plain_text import message_box
from saltus.ui.log.stage import LIVE

MARKUP = "<img src=/dev/zero><b>Bob</b>"
STAGES = ("start", "film", "scale", "read", "motion", "trials", "graph", "time", "log", "findings")


def named_in_markup():
    """A measured notebook in which everything a person names is markup."""
    notebook, take, body, _segment = made.measured(12)
    notebook = take_edits.set_title(notebook, MARKUP)
    notebook = take_edits.rename_take(notebook, take, MARKUP)
    return reading_edits.rename_body(notebook, take, body, MARKUP), take


def test_text_is_text_wherever_it_stands(window, qtbot):
    """No label, tip or item of any stage takes a name for markup; boxes do not either."""
    notebook, take = named_in_markup()
    window.desk.start(notebook)
    window.desk.said.emit(MARKUP, "warn")
    seen = 0
    for stage in STAGES:
        window.go_to(stage)
        qtbot.wait(30)
        for widget in window.findChildren(QWidget):
            tip = widget.toolTip()
            if Qt.mightBeRichText(tip):
                assert "<img" not in tip, (stage, tip)
                seen += 1
            if isinstance(widget, QLabel):
                assert widget.textFormat() != Qt.TextFormat.AutoText, (stage, widget.text())
                if widget.textFormat() == Qt.TextFormat.RichText:
                    assert "<img" not in widget.text(), (stage, widget.text())
                else:
                    seen += "<img" in widget.text()
            if isinstance(widget, QAbstractItemView) and widget.model() is not None:
                model = widget.model()
                for row in range(min(model.rowCount(), 20)):
                    for column in range(model.columnCount()):
                        told = model.index(row, column).data(Qt.ItemDataRole.ToolTipRole)
                        assert "<img" not in str(told or "")
    assert seen > 5
    box = message_box(window, MARKUP, MARKUP)
    shown = [label for label in box.findChildren(QLabel) if "<img" in label.text()]
    assert shown
    assert all(label.textFormat() == Qt.TextFormat.PlainText for label in shown)
    box.deleteLater()
    assert window.desk.notebook.take(take).name == MARKUP


def test_names_of_any_bytes_in_the_window(window, clip, qtbot):
    """A film and a notebook whose names are no text are opened, shown, saved, and stand on the start page."""
    for name in (b"\xff\xfe.mp4", b"two\nlines.mp4", b"n" * 245 + b".mp4"):
        path = Path(os.fsdecode(os.fsencode(clip.parent) + b"/" + name))
        path.write_bytes(clip.read_bytes() + name)
        before = len(window.desk.notebook.takes)
        window.files.open_path(path)
        qtbot.waitUntil(lambda n=before: len(window.desk.notebook.takes) == n + 1)
        assert window.desk.notebook.takes[-1].name.isprintable()
    notebook = Path(os.fsdecode(os.fsencode(clip.parent) + b"/\xff.saltus"))
    assert window.desk.save(notebook)
    assert window.desk.open_notebook(notebook)
    window.go_to("start")
    qtbot.wait(30)


def test_what_is_typed_is_in_the_journal_before_the_field_is_left(window, qtbot):
    """A second after it was typed, and again while typing goes on; once it is taken or given up no more."""
    window.desk.start(named_in_markup()[0])
    window.desk.edit("name it", take_edits.set_title(window.desk.notebook, "Swing"))
    journal = window.desk.session.journal
    field = QLineEdit(window)
    field.setAccessibleName("What to try next")
    field.show()
    window.activateWindow()
    field.setFocus()
    qtbot.waitUntil(field.hasFocus)

    def typed():
        """What a start after a crash would offer: read from a copy, as the journal is locked."""
        folder = journal._at.parent / "copy"
        folder.mkdir(exist_ok=True)
        (folder / "a.journal").write_bytes(journal._at.read_bytes())
        (left,) = left_behind(folder)
        left.release()
        return left.typed

    qtbot.keyClicks(field, "a longer")
    qtbot.waitUntil(lambda: typed() == ("What to try next", "a longer"))
    # typing without a pause does not put it off
    ends = time.monotonic() + 1.6
    while time.monotonic() < ends:
        qtbot.keyClicks(field, "x", delay=20)
    assert typed()[1].startswith("a longerx")
    window.setFocus()
    qtbot.waitUntil(lambda: typed() is None)
    field.deleteLater()


def test_recovery_shows_what_was_typed_and_keeps_what_it_does_not_know(window, tmp_path):
    """Typed text can be copied; journals of a newer version, or with an entry unknown, stay and are named."""
    notebook = made.measured(6)[0]
    journal = Journal(tmp_path)
    journal.follow(notebook, None)
    journal.note("name it", take_edits.set_title(notebook, "Swing"))
    journal.typing("remarks", MARKUP)
    journal.leave()
    (path,) = tmp_path.glob("*.journal")
    whole = path.read_bytes()
    (tmp_path / "newer.journal").write_bytes(whole.replace(whole.split(b"\n")[0], line_of(
        {"format": "saltus-journal", "version": 99, "place": None})[:-1]))  # fmt: skip
    (tmp_path / "odd.journal").write_bytes(whole + line_of({"zork": 1, "when": 0}))
    found = journals_found(tmp_path)
    assert found.kept == ["newer.journal"]
    assert sorted(left.partly for left in found.left) == [False, True]
    assert {left.typed for left in found.left} == {("remarks", MARKUP)}
    window.start.offer(found.left, found.kept)
    words = " ".join(label.text() for label in window.start.findChildren(QLabel))
    assert MARKUP in words
    assert "newer.journal" in words
    copies = [b for b in window.start.findChildren(QWidget) if getattr(b, "text", str)() == "Copy it"]
    copies[0].click()
    assert QApplication.clipboard().text() == MARKUP
    for left in list(window.start.offered):
        window.start.offered.remove(left)
        left.forget()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["newer.journal", "odd.kept"]


def test_a_recording_is_in_the_journal_while_it_goes_on(window, qtbot):
    """What a sensor has recorded so far is offered after a crash; the log itself comes with the end."""
    window.desk.start(made.measured(6)[0])
    window.go_to("log")
    window.log.start_recording(next(iter(LIVE)))
    journal = window.desk.session.journal

    def kept():
        if journal._file is None:
            return 0
        folder = journal._at.parent / "copy"
        folder.mkdir(exist_ok=True)
        (folder / "a.journal").write_bytes(journal._at.read_bytes())
        lengths = [
            len(log.times) for left in left_behind(folder) for log in (left.release() or left.notebook.logs)
        ]
        return max(lengths, default=0)

    qtbot.waitUntil(lambda: kept() > 5)
    assert not window.desk.notebook.logs
    window.log.recorder.stop()
    qtbot.waitUntil(lambda: len(window.desk.notebook.logs) == 1)


@pytest.mark.parametrize("ending", ["pdf", "odt", "html", "svg", "png"])
def test_a_full_disk_is_said_by_every_way_out(window, qtbot, tmp_path, monkeypatch, ending):
    """No "Written", and nothing under the wanted name."""
    window.desk.start(made.measured(12)[0])
    window.go_to("findings")
    path = tmp_path / f"o.{ending}"
    monkeypatch.setattr(findings, "ask_where_to_save", lambda *_what: path)

    def full(_handle):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(writing.os, "fsync", full)
    window.findings.save_pdf() if ending == "pdf" else window.findings.save_other(ending)
    qtbot.waitUntil(lambda: "No space left" in window.messages.text())
    qtbot.waitUntil(lambda: window.desk.tasks.idle)
    assert list(tmp_path.iterdir()) == []


LIFE = """
    from PyQt6.QtCore import QTimer
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication, QLineEdit
    from pathlib import Path
    import sys
    from saltus.ui.app import app as place
    from saltus.notebook.edits.takes import set_title

    def work():
        window = next(w for w in QApplication.topLevelWidgets() if hasattr(w, "desk"))
        window.desk.edit("name it", set_title(window.desk.notebook, "Kept"))
        field = QLineEdit(window)
        field.setAccessibleName("a claim")
        field.show()
        window.activateWindow()
        field.setFocus()
        QTimer.singleShot(400, lambda: QTest.keyClicks(field, "half a sent"))
        QTimer.singleShot(2000, lambda: print("ready", flush=True))

    app = place.make_application()
    QTimer.singleShot(300, work)
    sys.exit(place.run_window(Path(sys.argv[1])))
"""


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT, signal.SIGHUP, signal.SIGKILL])
def test_a_signal_ends_the_window_and_the_work_is_offered(tmp_path, number):
    """Within two seconds, without a question; what was edited and what was being typed come back."""
    notebook = made.measured(6)[0]
    save(notebook, tmp_path / "n.saltus")
    own = {f"XDG_{what}_HOME": str(tmp_path / what.lower()) for what in ("STATE", "DATA", "CONFIG")}
    there = {**os.environ, "QT_QPA_PLATFORM": "offscreen", **own}
    life = [sys.executable, "-c", textwrap.dedent(LIFE), str(tmp_path / "n.saltus")]
    with subprocess.Popen(life, stdout=subprocess.PIPE, env=there) as running:
        assert running.stdout.readline() == b"ready\n"
        running.send_signal(number)
        running.wait(timeout=20)
        assert running.returncode == (0 if number != signal.SIGKILL else -signal.SIGKILL)
    (left,) = left_behind(tmp_path / "state" / "saltus" / "journals")
    assert left.notebook.title == "Kept"
    assert left.typed == ("a claim", "half a sent")
    left.release()


def test_troubles_of_all_threads_come_to_one_place(window, qtbot, monkeypatch):
    """Of a slot, a timer, a thread or a job: told once at a time, in the thread of the window, the work kept."""
    told, kept, before = [], [], (sys.excepthook, threading.excepthook)
    monkeypatch.setattr(crash, "tell", lambda _parent: told.append(threading.current_thread()))
    monkeypatch.setattr(crash, "write_down", lambda *_what: None)
    crash.Watch(window, lambda: kept.append(True))

    def breaks():
        raise RuntimeError("inside")
        yield

    try:
        with monkeypatch.context():
            QTimer.singleShot(0, lambda: 1 / 0)
            qtbot.waitUntil(lambda: len(told) == 1)
            thread = threading.Thread(target=lambda: 1 / 0)
            thread.start()
            thread.join()
            qtbot.waitUntil(lambda: len(told) == 2)
            window.desk.run("Working", breaks, lambda _outcome: None)
            qtbot.waitUntil(lambda: len(told) == 3 and window.desk.tasks.idle)
    finally:
        sys.excepthook, threading.excepthook = before
    assert set(told) == {threading.main_thread()}
    assert len(kept) == 3
    assert "went wrong inside" in window.messages.text()


def alive(kind):
    """Objects of a Qt class that still exist."""
    return [o for o in gc.get_objects() if isinstance(o, kind) and not sip.isdeleted(o)]


def test_five_hundred_changes_leave_nothing_behind(window, clip_notebook, clip, qtbot):
    """Takes, stages and notebooks changed 500 times: threads, descriptors, files and widgets stay as many."""
    other = Notebook(title="Another")
    counts = []
    for n in range(500):
        if n % 50 == 0:
            window.desk.start(clip_notebook, clip.with_name("n.saltus"))
            window.go_to("read")
            qtbot.waitUntil(window.read.view.ready)
        elif n % 50 == 25:
            window.desk.start(other)
        window.go_to(STAGES[n % len(STAGES)])
        QApplication.processEvents()
        if n % 100 == 99:
            qtbot.wait(20)
            # what is let go outside an event loop waits for one that has something else to do
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
            gc.collect()
            counts.append((
                len(list(Path("/proc/self/fd").iterdir())), threading.active_count(),
                len([t for t in alive(QThread) if t.isRunning()]), len(window.findChildren(QWidget)),
                int(re.search(r"VmRSS:\s+(\d+)", Path("/proc/self/status").read_text())[1]) // 1024,
            ))  # fmt: skip
    first, last = counts[1], counts[-1]
    assert all(b <= a + 3 for a, b in zip(first[:3], last[:3], strict=True)), counts
    assert last[3] <= first[3] * 1.02 + 5, counts
    assert last[4] <= first[4] + 60, counts
    assert not [p for p in clip.parent.iterdir() if ".part" in p.name]
    assert not alive(QMessageBox)
