"""Many films, graphs of motion and marks on the picture, in the real window by mouse and keys."""

import csv
from pathlib import Path

import cv2
import numpy as np
import pytest
from clips import encode, plain_decode
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLabel, QPushButton

from saltus.commands.main import run
from saltus.exchange.motion_graph import RELEASE, MotionGraph, ShownBody, graphed_bodies, motion_chart
from saltus.exchange.picture_marks import MarksWanted
from saltus.footage.facts import STILL
from saltus.footage.opening import facts_of
from saltus.notebook import films
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.storage import save
from saltus.printing.annotated_film import write_annotated_film
from saltus.printing.motion_figure import motion_figure
from saltus.printing.pictures import as_array
from saltus.simulate.demo_runs import prepared, run_films, runs
from saltus.ui.film.many_films import ManyFilms

KEY = Qt.Key


@pytest.fixture(scope="module")
def ten():
    """The demo of ten takes, followed once for all tests here."""
    return runs()


@pytest.fixture
def motion(window, qtbot, ten):
    """Motion on the ten takes, the third in hand with its picture."""
    # each test has a home of its own: where the films lie must be known there, too
    for path, take in zip(run_films(), ten.takes, strict=True):
        films.remember(take.film, path)
    window.desk.start(ten)
    window.desk.go_to_take(ten.takes[2].id)
    window.desk.go_to_frame(40)
    window.go_to("motion")
    qtbot.waitUntil(lambda: window.desk.shown is not None and window.desk.shown[:2] == (ten.takes[2].id, 40))
    return window.motion


def words_of(widget):
    """All words a widget shows."""
    return " | ".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())


def saved_as(monkeypatch, path):
    """Answer the next question for a file to write."""
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(path), ""))
    return path


def test_many_films_become_takes_with_one_undo(window, qtbot, tmp_path):
    """Chosen, followed, told line by line; an edit meanwhile stays; undo takes all of it back."""
    paths = run_films()[:3]
    notebook, take_id = prepared(paths)
    window.desk.start(notebook, tmp_path / "n.saltus")
    window.go_to("film")
    dialog = ManyFilms(window, window.desk)
    dialog.show()
    assert not dialog.go.isEnabled()
    assert "No films yet" in words_of(dialog)
    assert "a row of the table each" in words_of(dialog)
    text = tmp_path / "text.mp4"
    text.write_text("no film")
    dialog.add([*paths, text])
    assert dialog.go.isEnabled()
    qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    assert dialog.busy
    assert dialog.stop.isVisible()
    window.desk.edit("a word", window.desk.notebook.but(remarks="meanwhile"))
    qtbot.waitUntil(lambda: not dialog.busy)
    takes = window.desk.notebook.takes
    assert [t.film.name for t in takes] == [p.name for p in paths]
    assert all(len(t.bodies[0].readings) == 60 for t in takes)
    assert window.desk.notebook.remarks == "meanwhile"
    qtbot.waitUntil(lambda: words_of(dialog).count("acceleration ") == 3)
    shown = words_of(dialog)
    assert "text.mp4 cannot be read" in shown
    assert "3 went well, 0 need a look, 1 failed" in shown
    window.desk.undo()
    assert [t.id for t in window.desk.notebook.takes] == [take_id]
    assert not len(window.desk.notebook.takes[0].bodies[0].readings)
    window.desk.redo()
    dialog.add(paths[:1])
    assert len(dialog.paths) == 1
    dialog.add_takes()
    assert "All takes are read" in window.messages.text()
    window.desk.undo()
    opened, _take = take_edits.add_take(window.desk.notebook, films.reference(paths[2]), facts_of(paths[2]))
    window.desk.edit("open a film", opened)
    dialog.paths = []
    dialog.add_takes()
    assert dialog.paths == [paths[2]]
    dialog.close()


def test_the_way_there_from_the_start_page(window, qtbot):
    """The demo by a click; its list of films stays, busy or not, and begins anew with another notebook."""
    link = next(b for b in window.start.findChildren(QPushButton) if b.text() == "Ten films at once")
    qtbot.mouseClick(link, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 10 and window.film.isVisible())
    many = next(b for b in window.film.findChildren(QPushButton) if b.text() == "Many films…")
    qtbot.mouseClick(many, Qt.MouseButton.LeftButton)
    (dialog,) = window.findChildren(ManyFilms)
    assert dialog.isVisible()
    assert dialog.template.currentText() == "Run 1"
    dialog.add(run_films()[:2])
    dialog.close()
    qtbot.mouseClick(many, Qt.MouseButton.LeftButton)
    assert window.findChildren(ManyFilms) == [dialog]
    assert len(dialog.paths) == 2
    qtbot.keyClick(dialog.go, KEY.Key_Space)
    assert not any(one.isEnabled() for one in dialog.choosing)
    qtbot.waitUntil(lambda: not dialog.busy)
    qtbot.waitUntil(lambda: "is measured already, as" in words_of(dialog))
    assert len(window.desk.notebook.takes) == 10
    window.desk.start(prepared(run_films()[:1])[0])
    assert dialog.paths == []
    dialog.close()


def test_a_batch_is_stopped_by_closing_it(window, qtbot, tmp_path):
    """The films that are done by then are kept, the others say that they were stopped."""
    paths = run_films()[:4]
    notebook, _take = prepared(paths)
    window.desk.start(notebook, tmp_path / "n.saltus")
    dialog = ManyFilms(window, window.desk)
    dialog.add(paths)
    dialog.begin()
    qtbot.waitUntil(lambda: any(not line.problem for line in dialog.lines.values()))
    dialog.close()
    qtbot.waitUntil(lambda: not dialog.busy)
    done = [line for line in dialog.lines.values() if not line.problem]
    assert 1 <= len(done) <= 4
    assert len(window.desk.notebook.takes) == len({line.take for line in done} | {_take})


def test_a_take_without_a_box_says_what_is_missing(window, ten):
    """The first step is on the dialog: nothing to follow like, and why."""
    bare = ten.takes[0].but(
        bodies=(ten.takes[0].bodies[0].but(runs=(), readings=type(ten.takes[0].bodies[0].readings)()),)
    )
    window.desk.start(ten.but(takes=(bare.but(segments=()),), trials=None))
    dialog = ManyFilms(window, window.desk)
    dialog.show()
    dialog.add(run_films()[:1])
    assert "has no box" in words_of(dialog)
    assert not dialog.go.isEnabled()
    dialog.close()


def test_a_scale_that_is_shared_says_so_and_can_be_left(motion, window, qtbot):
    """Ten takes of one camera: typed in one, it holds for all; set apart, for this one alone."""
    window.go_to("scale")
    scale = window.scale
    assert "Shared with 9 takes" in words_of(scale)
    scale.lengths.spread.setText("0.002 m")
    scale.lengths.spread.entered.emit("0.002 m")
    assert {t.reference.length.U95 for t in window.desk.notebook.takes} == {0.002}
    qtbot.mouseClick(scale.lengths.apart, Qt.MouseButton.LeftButton)
    assert not scale.lengths.apart.isVisible()
    scale.lengths.spread.setText("0.005 m")
    scale.lengths.spread.entered.emit("0.005 m")
    assert [t.reference.length.U95 for t in window.desk.notebook.takes].count(0.005) == 1
    assert motion is window.motion


def test_a_graph_is_chosen_pointed_at_and_taken_out(motion, window, qtbot, tmp_path, monkeypatch):
    """Phase plot of ten takes from their release; the pointer tells values, a click goes to take and frame."""
    buttons = motion._modes
    qtbot.mouseClick(buttons["graph"], Qt.MouseButton.LeftButton)
    pages = motion.pages
    graph, view = pages.graph, pages.graph_view
    assert view.isVisible()
    assert not motion.lanes.isVisible()
    assert [b.of.take for b in view.bodies] == [window.desk.take_id]
    graph.show_all(along="x", up="vx", begin=RELEASE)
    assert len(view.bodies) == 10
    assert view._chart.y.symbol == "v along x"
    qtbot.waitUntil(lambda: view.plot is not None)
    assert view.now is not None
    body = view.bodies[7]
    spot = QPointF(view.plot.px(body.x.values[-1]), view.plot.py(body.y.values[-1])).toPoint()
    qtbot.mouseMove(view, QPoint(5, 5))
    qtbot.mouseMove(view, spot)
    assert view.over is not None
    number, point = view.over
    assert view.bodies[number].frames[point] >= 57
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=spot)
    assert window.desk.take_id == view.bodies[number].of.take
    assert window.desk.frame == view.bodies[number].frames[point]
    table = saved_as(monkeypatch, tmp_path / "g.csv")
    graph.save_table()
    qtbot.waitUntil(table.exists)
    with table.open(encoding="utf-8") as file:
        rows = list(csv.reader(file))
    assert rows[0][:4] == ["body 1", "frame 1 [1]", "x 1 [m]", "u(x 1) [m]"]
    assert len(rows) == 61
    picture = saved_as(monkeypatch, tmp_path / "g.svg")
    graph.save_picture()
    qtbot.waitUntil(picture.exists)
    assert "run-04, Felt puck" in picture.read_text(encoding="utf-8")
    qtbot.waitUntil(lambda: window.desk.tasks.idle)
    qtbot.mouseClick(buttons["segment"], Qt.MouseButton.LeftButton)
    assert motion.lanes.isVisible()
    assert not pages.isVisible()


def test_bodies_are_ticked_and_what_is_missing_is_said(motion, window, qtbot):
    """Off and on again by a click; an event that no take has; this take alone."""
    motion.choose("graph")
    graph, view = motion.pages.graph, motion.pages.graph_view
    boxes = [graph._rows.itemAt(i).layout().itemAt(0).widget() for i in range(10)]
    assert [b.isChecked() for b in boxes].count(True) == 1
    qtbot.mouseClick(boxes[5], Qt.MouseButton.LeftButton, pos=QPoint(8, boxes[5].height() // 2))
    assert len(view.bodies) == 2
    qtbot.mouseClick(boxes[2], Qt.MouseButton.LeftButton, pos=QPoint(8, boxes[2].height() // 2))
    assert [b.name for b in view.bodies] == ["Felt puck"]
    qtbot.mouseClick(boxes[5], Qt.MouseButton.LeftButton, pos=QPoint(8, boxes[5].height() // 2))
    assert view.bodies == []
    assert not graph.out[0].isEnabled()
    graph._only_this()
    assert [b.of.take for b in view.bodies] == [window.desk.take_id]
    graph.up.setCurrentIndex(graph.up.findData("energy"))
    graph.chosen.emit()
    assert "9.81" in motion.next._words.text()


def test_the_legend_of_a_figure_names_every_body(ten):
    """On paper the names of ten bodies stand under the graph, inside the figure."""
    wanted = MotionGraph("t", "x", tuple(ShownBody(t.id, t.bodies[0].id) for t in ten.takes), RELEASE)
    bodies, _told = graphed_bodies(ten, wanted)
    few = motion_figure(motion_chart(bodies[:1], wanted))
    many = motion_figure(motion_chart(bodies, wanted))
    assert many.size.height() > few.size.height()
    image = QImage(many.size.toSize(), QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    many.paint(painter, image.rect().toRectF())
    painter.end()
    below = as_array(image)[350:]
    assert (below < 128).any(axis=(1, 2)).sum() > 10
    assert (below[:, -8:] > 200).all()


def test_marks_are_drawn_and_written(motion, window, qtbot, tmp_path, monkeypatch):
    """Each mark changes the picture; still, film with the same times, animated picture, all with the marks."""
    # the puck is let go at the origin, where it has no angle
    aside = scale_edits.place_origin(window.desk.notebook, window.desk.take_id, (150.0, 240.0))
    window.desk.edit("move the origin", aside)
    qtbot.mouseClick(motion._modes["picture"], Qt.MouseButton.LeftButton)
    panel, view = motion.pages.picture, motion.pages.picture_view
    seen = [as_array(view.grab().toImage())]
    for name in ("acceleration", "angles", "geometry", "trail", "clock"):
        box = panel.boxes[name]
        qtbot.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
        seen.append(as_array(view.grab().toImage()))
        assert not np.array_equal(seen[-1], seen[-2]), name
    assert not panel.boxes["gates"].isVisible()
    still = saved_as(monkeypatch, tmp_path / "s.png")
    panel.save_still()
    qtbot.waitUntil(still.exists)
    bare, written = as_array(window.desk.shown[2]), cv2.cvtColor(cv2.imread(str(still)), cv2.COLOR_BGR2RGB)
    assert written.shape == bare.shape
    assert 500 < (np.abs(written.astype(int) - bare).max(axis=2) > 40).sum() < 0.3 * bare[..., 0].size
    film = saved_as(monkeypatch, tmp_path / "f.mp4")
    panel.save_film()
    qtbot.waitUntil(lambda: film.exists() and window.desk.tasks.idle)
    source = facts_of(run_films()[2])
    assert facts_of(film).times == source.times
    shown, plain = plain_decode(film)[40][0].astype(int), plain_decode(run_films()[2])[40][0]
    assert (np.abs(shown - plain).max(axis=2) > 60).sum() > 300
    moving = saved_as(monkeypatch, tmp_path / "m.webp")
    panel.save_animated()
    qtbot.waitUntil(lambda: moving.exists() and window.desk.tasks.idle)
    _done, animation = cv2.imreadanimation(str(moving))
    assert len(animation.frames) == 20
    assert sum(animation.durations) == pytest.approx(1000, abs=20)


def test_frames_are_laid_over_each_other_and_read_as_a_take(motion, window, qtbot, tmp_path, monkeypatch):
    """The strobe picture in place of the frame, then a take of its own with the rate of its exposures."""
    motion.choose("picture")
    panel, view = motion.pages.picture, motion.pages.picture_view
    panel.every._set(12)
    before = as_array(view.grab().toImage())
    qtbot.mouseClick(panel.lay, Qt.MouseButton.LeftButton, pos=QPoint(8, panel.lay.height() // 2))
    qtbot.waitUntil(lambda: panel.strobe is not None)
    assert not np.array_equal(as_array(view.grab().toImage()), before)
    path = saved_as(monkeypatch, tmp_path / "strobe.png")
    panel.strobe_as_take()
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 11)
    take = window.desk.notebook.takes[-1]
    assert take.facts.codec == STILL
    assert take.film.name == path.name
    assert take.facts.film_facts().times == pytest.approx([0.2 * n for n in range(5)])
    assert "would look the same" in take.facts.warnings[0]
    assert panel.strobe is None
    panel.lay.setChecked(True)
    panel._lay_over(on=False)
    assert panel.strobe is None


def test_a_strobe_picture_is_opened_with_its_rate(window, qtbot, tmp_path, monkeypatch, ten):
    """From the menu of sources, or by opening it: asked for its rate and exposures, opened as a take."""
    picture = tmp_path / "flash.png"
    cv2.imwrite(str(picture), np.random.default_rng(1).integers(0, 255, (90, 160, 3), dtype=np.uint8))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(picture), ""))
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_a, **_k: (12.5, True))
    monkeypatch.setattr(QInputDialog, "getInt", lambda *_a, **_k: (9, True))
    window.desk.start(ten.but(takes=()))
    window.go_to("film")
    window.film.open_still()
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 1)
    window.files.open_path(picture)
    qtbot.waitUntil(lambda: len(window.desk.notebook.takes) == 2)
    for take in window.desk.notebook.takes:
        assert len(take.facts.ticks) == 9
        assert take.facts.time_base == "2/25"
    qtbot.waitUntil(lambda: "would look the same" in words_of(window.film))
    monkeypatch.setattr(QInputDialog, "getInt", lambda *_a, **_k: (9, False))
    window.files.open_path(picture)
    qtbot.waitUntil(lambda: window.desk.tasks.idle)
    assert len(window.desk.notebook.takes) == 2


def test_the_exposures_of_a_strobe_picture_are_found_in_the_window(window, qtbot, tmp_path):
    """A box round the first, F: all are read in order, each a frame, and the trail stands on the picture."""
    places = [(60 + 40 * n, 40 + 6 * n * n) for n in range(6)]
    picture = np.full((360, 480, 3), 70, dtype=np.uint8)
    for at in places:
        cv2.circle(picture, at, 9, (240, 240, 240), -1, cv2.LINE_AA)
        cv2.circle(picture, at, 3, (40, 40, 40), -1, cv2.LINE_AA)
    path = tmp_path / "flash.png"
    cv2.imwrite(str(path), cv2.GaussianBlur(picture, (0, 0), 0.8))
    desk, read = window.desk, window.read
    window.desk.open_film(path, 20.0, exposures=8)
    qtbot.waitUntil(lambda: len(desk.notebook.takes) == 1)
    window.go_to("read")
    qtbot.waitUntil(read.view.ready)
    made_of, body = reading_edits.add_body(desk.notebook, desk.take_id, "Ball")
    desk.edit("add a body", made_of)
    desk.choose_body(body)
    read.follow()
    read.setup.draw(desk.body, 49.0, 29.0, 22.0, 22.0)
    qtbot.waitUntil(lambda: read.setup.ready)
    read.start_following()
    qtbot.waitUntil(lambda: desk.following.run is None)
    readings = list(desk.body.readings)
    assert [r.frame for r in readings] == list(range(6))
    assert [(r.x, r.y) for r in readings] == [pytest.approx(at, abs=0.2) for at in places]
    assert {r.status for r in readings} == {"used"}
    desk.undo()
    assert not len(desk.body.readings)


def test_an_annotated_film_is_cancelled_and_leaves_nothing(ten, tmp_path):
    """Stopped in the middle: no film, no part of one."""
    out = tmp_path / "o.mp4"
    steps = write_annotated_film.steps(ten.takes[0], run_films()[0], out, MarksWanted())
    for _frame in range(5):
        next(steps)
    steps.close()
    assert list(tmp_path.iterdir()) == []


def test_annotate_and_batch_leave_what_they_read(tmp_path, capsys, ten):
    """``annotate``: another ending, over its own film, no film: exit code 2 and one line; else the same times."""
    source = tmp_path / "run-01.mp4"
    source.write_bytes(run_films()[0].read_bytes())
    save(ten, tmp_path / "n.saltus")

    def ask(*words):
        with pytest.raises(SystemExit) as left:
            run([str(w) for w in words])
        return left.value.code, capsys.readouterr().err

    for out, told in ((tmp_path / "o.avi", "o.mp4"), (source, "choose another name")):
        code, err = ask("annotate", tmp_path / "n.saltus", "-o", out)
        assert code == 2
        assert told in err
    out = tmp_path / "o.mp4"
    assert ask("annotate", tmp_path / "n.saltus", "--take", "Run 1", "-o", out)[0] == 0
    assert facts_of(out).times == facts_of(source).times
    code, err = ask("annotate", tmp_path / "n.saltus", "--take", "Run 77", "-o", out)
    assert (code, len(err.splitlines())) == (2, 1)
    odd = Path(tmp_path / "odd.mp4")
    encode(odd, [np.full((61, 97, 3), n, dtype=np.uint8) for n in range(3)], pixel="yuv444p")
    assert facts_of(odd).width == 97
