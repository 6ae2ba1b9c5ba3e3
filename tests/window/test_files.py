"""Notebooks as files: save, open, undo across all of it, and nothing lost on the way out."""

import contextlib
import faulthandler
import os
import subprocess
import sys
import threading
import xml.etree.ElementTree as ET
from pathlib import Path

import made
import pytest
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QMenu, QMessageBox, QPushButton, QSizePolicy

from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import takes as edits
from saltus.notebook.journal import Journal, journal_folder, value_of
from saltus.notebook.model import VERSION
from saltus.notebook.readings import Reading
from saltus.notebook.recovery import left_behind
from saltus.notebook.sharing import NotebookLock
from saltus.notebook.storage import load, save
from saltus.ui.app import crash
from saltus.ui.app import theming as dressing
from saltus.ui.app.rail import STAGES
from saltus.ui.desk.placing import place_reading
from saltus.ui.desk.recent import recent_notebooks
from saltus.ui.kit.scaling import scaled, set_text_size
from saltus.ui.kit.settings import add_settings, set_setting, setting
from saltus.ui.kit.theme import theme
from saltus.ui.start.stage import PictureCard

KEY, HELD = Qt.Key, Qt.KeyboardModifier


@pytest.fixture
def told_where(monkeypatch):
    """Answer the file dialogs with a path; None cancels them."""

    def choose(path):
        for name in ("getSaveFileName", "getOpenFileName"):
            monkeypatch.setattr(QFileDialog, name, lambda *_a, **_k: (str(path) if path else "", ""))

    return choose


def test_save_open_and_undo_across(window, tmp_path, qtbot, told_where, answer):
    """Saved under a name with its ending added, opened again equal, undone past the save and redone."""
    notebook, take, body, _segment = made.measured(20)
    window.desk.start(notebook, None, saved=False)
    window.go_to("motion")
    assert window.windowTitle().startswith("*")
    told_where(None)
    qtbot.keyClick(window, KEY.Key_S, HELD.ControlModifier)
    assert window.desk.session.unsaved
    told_where(tmp_path / "first run")
    qtbot.keyClick(window, KEY.Key_S, HELD.ControlModifier)
    assert load(tmp_path / "first run.saltus") == notebook
    assert not window.desk.session.unsaved
    assert not window.strip.save.isEnabled()
    window.desk.edit("name", edits.set_title(window.desk.notebook, "Evening"))
    place_reading(window.desk, 99, 99)
    assert window.desk.session.unsaved
    window.desk.undo()
    window.desk.undo()
    assert window.desk.notebook is notebook
    assert not window.desk.session.unsaved
    window.desk.redo()
    qtbot.keyClick(window, KEY.Key_S, HELD.ControlModifier)
    asked = answer("Stay here")
    told_where(tmp_path / "first run.saltus")
    window.files.open_notebook()
    assert asked == []
    assert window.desk.notebook.title == "Evening"
    assert window.stage == "motion"
    assert window.desk.take.body(body).readings == notebook.take(take).body(body).readings


def test_leaving_asks_what_to_do_with_the_work(window, tmp_path, answer, told_where):
    """Stay keeps everything, Save saves first, dropping goes on; a save that fails stays."""
    notebook = made.measured(10)[0]
    window.desk.start(notebook, tmp_path / "a.saltus", saved=False)
    asked = answer("Stay here")
    window.files.new_notebook()
    assert window.desk.notebook is notebook
    window.close()
    assert window.isVisible()
    assert len(asked) == 2
    assert "Untitled notebook" in asked[0]
    answer("Save")
    window.desk.session.path = tmp_path / "gone" / "a.saltus"
    window.files.new_notebook()
    assert window.desk.notebook is notebook
    assert "save it in another place" in window.messages.text()
    window.desk.session.path = tmp_path / "a.saltus"
    window.files.new_notebook()
    assert load(tmp_path / "a.saltus") == notebook
    assert window.desk.notebook.takes == ()
    answer("Do not keep them")
    window.desk.edit("name", edits.set_title(window.desk.notebook, "Draft"))
    told_where(tmp_path / "a.saltus")
    window.files.open_notebook()
    assert window.desk.notebook == notebook


def test_a_bad_notebook_leaves_the_open_one(shown, tmp_path):
    """Broken, foreign and newer files: a sentence, and what was open stays open."""
    before = shown.desk.notebook
    for text, words in (("{", "damaged"), ('{"format": "x"}', "not a Saltus notebook"),
                        ('{"format": "saltus-notebook", "version": 99, "takes": 1}', "newer Saltus")):  # fmt: skip
        path = tmp_path / "b.saltus"
        path.write_text(text)
        shown.files.open_path(path)
        assert words in shown.messages.text()
        assert shown.desk.notebook is before


def test_notebooks_opened_lately(window, tmp_path, qtbot):
    """The start page offers them newest first; one that is gone says where it was."""
    for name in ("one", "two"):
        path = tmp_path / f"{name}.saltus"
        save(edits.set_title(made.measured(5)[0], name.title()), path)
        window.files.open_path(path)
    (tmp_path / "one.saltus").unlink()
    assert [r.title for r in recent_notebooks()] == ["Two", "One"]
    window.go_to("start")

    def cards():
        return {c.accessibleName(): c for c in window.start.findChildren(PictureCard) if c.isVisible()}

    qtbot.waitUntil(lambda: any(name.startswith("Two: a = ") for name in cards()))
    assert any(name.startswith("One: not found") for name in cards())
    two = next(card for name, card in cards().items() if name.startswith("Two"))
    qtbot.mouseClick(two, Qt.MouseButton.LeftButton)
    assert window.desk.notebook.title == "Two"
    assert window.stage == "motion"


def test_the_demo_opens_as_a_copy(window, qtbot):
    """The demo opens on Read with its result in the pill, and has no file to overwrite."""
    qtbot.mouseClick(window.start.open_demo, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.stage == "read", timeout=30_000)
    assert window.desk.path is None
    assert len(window.desk.notebook.takes) == 3
    assert "m/s²" in window.strip.pill.accessibleName()
    assert [window.strip.takes.itemText(i) for i in range(3)] == [t.name for t in window.desk.notebook.takes]
    window.strip._choose(1)
    assert window.desk.take.name.startswith("Steel ball")


@pytest.mark.parametrize("window", [100, 150], indirect=True)
def test_keys_reach_every_stage(shown, qtbot):
    """Ctrl+1 to Ctrl+9 open the stages; at the smallest window and with large text no label is cut off."""
    # large text at the usual size of the window, usual text at the smallest
    size = (1280, 800) if shown.font().pixelSize() > 14 else (1024, 680)
    shown.resize(*size)
    for number, stage in enumerate(STAGES, 1):
        qtbot.keyClick(shown, getattr(KEY, f"Key_{number}"), HELD.ControlModifier)
        assert shown.stage == stage
        assert not shown.grab().isNull()
        assert (shown.width(), shown.height()) == size
        labels = shown.built(stage).findChildren(QLabel)

        def cut_off(these=labels):
            return [
                text.text()
                for text in these
                if text.isVisible() and not text.wordWrap() and text.text()
                and text.sizePolicy().horizontalPolicy() != QSizePolicy.Policy.Ignored
                and text.width() + 1 < text.minimumSizeHint().width()
            ]  # fmt: skip

        with contextlib.suppress(qtbot.TimeoutError):
            qtbot.waitUntil(lambda: not cut_off(), timeout=1500)
        assert cut_off() == [], stage


def test_looks_change_at_once_and_the_work_stays(shown, qtbot, monkeypatch):
    """Text size and appearance chosen in the menu, or changed by the desktop, hold at once; the work stays."""
    window = shown
    window.desk.go_to_frame(7)
    window.read.view.set_zoom(2.0)
    menu = QMenu()
    add_settings(menu, window.dress_again)
    sizes, looks = (action.menu() for action in menu.actions())
    assert [a.text() for a in sizes.actions() if a.isChecked()] == ["As the system"]
    next(a for a in sizes.actions() if a.text() == "150 %").trigger()
    next(a for a in looks.actions() if a.text() == "Dark").trigger()
    assert (setting("text_percent"), setting("theme")) == (150, "dark")
    assert (scaled(100), theme.dark, window.stage, window.desk.frame) == (150, True, "read", 7)
    qtbot.waitUntil(window.read.view.ready)
    before = window.desk.notebook
    window.read.view.setFocus()
    qtbot.keyClick(window.read.view, Qt.Key.Key_Right)
    assert window.desk.frame == 8
    assert window.desk.notebook is before
    set_setting("text_percent", 0)
    set_setting("theme", "system")
    monkeypatch.setattr(dressing, "system_text_percent", lambda: 125)
    monkeypatch.setattr(dressing, "system_is_dark", lambda: False)
    dressing.SystemLook(window, window.dressing)
    QApplication.instance().focusWindowChanged.emit(None)
    qtbot.waitUntil(lambda: scaled(100) == 125 and not theme.dark)
    qtbot.waitUntil(window.read.view.ready)
    set_text_size(900)
    assert scaled(100) == 200
    set_text_size(100)


def test_work_left_by_a_crash_is_offered(window, tmp_path, qtbot):
    """The start page says what it holds; going on with it brings it back unsaved, with its own place to save."""
    notebook, take, body, _segment = made.measured(12)
    path = tmp_path / "n.saltus"
    save(notebook, path)
    journal = Journal()
    journal.follow(notebook, path)
    moved = reading_edits.place_reading(notebook, take, body, Reading(3, 77.0, 88.0))
    journal.note("move a reading", moved)
    journal._file.close()  # as when the process dies
    (left,) = left_behind()
    window.start.offer([left], [])
    words = " ".join(w.text() for w in window.start.findChildren(QLabel))
    for part in ("Work that was not saved: Untitled notebook", "1 take, 12 readings, 1 edit in no file",
                 "Last edits: move a reading", "Saved before as n.saltus"):  # fmt: skip
        assert part in words
    next(b for b in window.start.findChildren(QPushButton) if b.text() == "Go on with it").click()
    assert window.desk.notebook == moved
    assert window.desk.session.unsaved
    assert window.stage == "motion"
    qtbot.keyClick(window, KEY.Key_S, HELD.ControlModifier)
    assert load(path) == moved
    assert left_behind() == []


def test_edits_are_in_the_journal_at_once(shown, click, qtbot):
    """A reading placed by a click could be recovered the moment after; saving or giving it up clears it away."""
    click(shown.read.view, (100, 60))
    (path,) = journal_folder().glob("*.journal")
    names = [value_of(line)["name"] for line in path.read_bytes().splitlines(keepends=True)[2:]]
    assert names == ["add a body", "place a reading"]
    qtbot.keyClick(shown, KEY.Key_Z, HELD.ControlModifier)
    assert path.read_bytes().count(b"\n") == 5
    shown.desk.save(shown.desk.path)
    assert not list(journal_folder().glob("*.journal"))


def test_a_notebook_open_elsewhere_can_only_be_saved_elsewhere(window, tmp_path, told_where):
    """Another window holds it: it opens to look at, saving goes to another name; so with a newer file."""
    path = tmp_path / "n.saltus"
    save(made.measured(6)[0], path)
    other = NotebookLock()
    assert other.take(path)
    window.files.open_path(path)
    assert "open in another window" in window.messages.text()
    window.desk.edit("name", edits.set_title(window.desk.notebook, "Mine"))
    assert not window.desk.save(path)
    assert load(path).title == "Untitled notebook"
    told_where(tmp_path / "copy.saltus")
    assert window.files.save()
    assert load(tmp_path / "copy.saltus").title == "Mine"
    assert window.files.save()
    other.release()
    save(edits.set_title(made.measured(6)[0], "Theirs"), tmp_path / "copy.saltus")
    window.desk.edit("name", edits.set_title(window.desk.notebook, "Again"))
    assert not window.files.save()
    assert "changed by someone else" in window.messages.text()
    text = path.read_text().replace(f'"version": {VERSION}', f'"version": {VERSION + 1}')
    path.write_text(text)
    window.desk.start(made.with_film()[0])
    window.files.open_path(path)
    assert f"newer Saltus (file version {VERSION + 1})" in window.messages.text()
    assert not window.desk.save(path)


def test_the_guide_opens_on_the_page_of_the_stage(shown, qtbot):
    """F1 shows the page for where one is; links lead to other pages; every key on the pages is one that works."""
    qtbot.keyClick(shown, KEY.Key_F1)
    guide = shown._guide
    assert guide.isVisible()
    assert "Click the centre of the body" in guide._text.toPlainText()
    guide._list.setCurrentRow(0)
    assert "runs down the rail" in guide._text.toPlainText()
    guide._follow(QUrl("scale.md"))
    assert "Reference length" in guide._text.toPlainText()
    assert "png" not in guide._text.toMarkdown()
    guide._follow(QUrl("numbers.md"))
    assert "saltus investigate pendulum" in guide._text.toPlainText()
    assert guide._list.currentRow() == guide._list.count() - 1
    guide.close()


def test_troubles_are_written_down_and_the_work_goes_on(
    shown, click, tmp_path, monkeypatch, told_where, qtbot
):
    """An error inside is logged and told, nothing is lost, and a report names no home folder."""
    click(shown.read.view, (50, 50))
    before, hooks = shown.desk.notebook, (sys.excepthook, threading.excepthook)
    told_where(tmp_path / "report.txt")
    monkeypatch.setattr(QMessageBox, "exec", lambda _box: 0)
    report = "Save a report…"
    monkeypatch.setattr(
        QMessageBox, "clickedButton", lambda box: next(b for b in box.buttons() if b.text() == report)
    )
    try:
        crash.Watch(shown, shown.desk.session.keep)
        try:
            raise RuntimeError(f"the lamp went out in {Path.home()}/films")
        except RuntimeError as error:
            sys.excepthook(RuntimeError, error, error.__traceback__)
        qtbot.waitUntil((tmp_path / "report.txt").exists)
    finally:
        sys.excepthook, threading.excepthook = hooks
        faulthandler.disable()
        while crash._open:
            crash._open.pop().close()
    report = (tmp_path / "report.txt").read_text()
    assert "the lamp went out in ~/films" in report
    assert str(Path.home()) not in report
    assert shown.desk.notebook is before


def test_installed_for_one_user(tmp_path):
    """Desktop file, file types and icons come and go, and nothing else does."""
    home = tmp_path / "home"
    root = Path(__file__).parents[2]
    usual = {"HOME": str(home), "PATH": os.environ["PATH"]}
    for words in ([], ["remove"]):
        subprocess.run(
            ["bash", root / "tools" / "install.sh", *words], env=usual, check=True, capture_output=True
        )
        entry = home / ".local/share/applications/saltus.desktop"
        if not words:
            lines = entry.read_text().splitlines()
            assert lines[0] == "[Desktop Entry]"
            assert f'Exec="{root}/.venv/bin/saltus" %f' in lines
            types = ET.parse(home / ".local/share/mime/packages/saltus.xml").getroot()
            globs = {g.get("pattern") for g in types.iter() if g.tag.endswith("glob")}
            assert globs == {"*.saltus", "*.saltus.zip"}
            assert (home / ".local/share/icons/hicolor/scalable/apps/saltus.svg").exists()
    assert [p for p in home.rglob("*saltus*") if p.is_file() or p.is_symlink()] == []
