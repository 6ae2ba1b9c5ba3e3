"""Run by test_whole_job: the whole main job in a real window, with real mouse and key events.

Usage: whole_job.py FILM TRUTH FOLDER. Steps are a generator; a timer advances it when what it waits for
holds, so that it also goes on while a dialog is open.
"""

import json
import subprocess
import sys
import time
from pathlib import Path

from PyQt6.QtCore import QPoint, QTimer
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton

from saltus.ui.app.app import make_application
from saltus.ui.app.window import Window

PATIENCE_S = 25


def x(*words):
    """Press, move or type by a real event of the screen."""
    subprocess.run(["xdotool", *map(str, words)], check=True)


def spot(widget, at=None):
    """Give the place of a widget on the screen."""
    place = widget.mapToGlobal(at if at is not None else widget.rect().center())
    return place.x(), place.y()


def give_focus(widget):
    """What a window manager does; a bare virtual screen has none."""
    x("windowfocus", int(widget.window().winId()), "sleep", 0.15)


def click(widget, at=None):
    """Click a widget."""
    x("mousemove", *spot(widget, at), "click", 1)


def press_button(parent, words):
    """Click the visible button with these words."""
    click(next(b for b in parent.findChildren(QPushButton) if b.text() == words and b.isVisible()))


def drag(start, end):
    """Drag from place to place of the screen."""
    middle = [(a + b) // 2 for a, b in zip(start, end, strict=True)]
    wait = ("sleep", 0.05)
    x("mousemove", *start, "mousedown", 1, *wait, "mousemove", *middle, *wait, "mousemove", *end, *wait,
      "mouseup", 1)  # fmt: skip


def dialog_open():
    """Whether a dialog is open."""
    return QApplication.activeModalWidget() is not None


def dialog_closed():
    """Whether no dialog is open."""
    return QApplication.activeModalWidget() is None


def type_path(path):
    """Type a path into the file dialog that is open."""
    dialog = QApplication.activeModalWidget()
    give_focus(dialog)
    click(next(field for field in dialog.findChildren(QLineEdit) if field.isVisible()))
    x("key", "ctrl+a")
    x("type", "--delay", 4, str(path))
    x("key", "Return")


def job(window, film, truth, folder):
    """Go from a film to a saved notebook; yields what to wait for and its words."""
    desk = window.desk
    press_button(window.start, "Choose a film…")
    yield dialog_open, "the film dialog opens"
    type_path(film)
    yield lambda: window.stage == "film" and desk.take is not None, "the film is a take"
    give_focus(window)
    press_button(window.film, "Set the scale")
    yield lambda: window.stage == "scale" and window.scale.view.ready(), "the scale stage shows the film"

    def on(view, place):
        at = view.place(*place)
        return spot(view, QPoint(round(at.x()), round(at.y())))

    view = window.scale.view
    drag(on(view, truth["reference"]["start_px"]), on(view, truth["reference"]["end_px"]))
    yield lambda: desk.take.reference is not None, "the reference length is laid"
    click(window.scale.lengths.length)
    x("type", f"{truth['reference']['length_m']:g} m")
    x("key", "Tab")
    x("type", "1 mm")
    x("key", "Return")
    yield (
        lambda: desk.take.reference.length is not None and desk.take.reference.length.U95 == 1,
        "it is typed",
    )
    click(view.findChildren(QPushButton)[1])
    at = on(view, truth["axes"]["origin_px"])
    x("mousemove", *at, "click", 1)
    yield lambda: desk.take.axes is not None, "the origin is placed"
    x("key", "ctrl+3")
    yield lambda: window.stage == "read" and window.read.view.ready(), "the read stage shows the film"
    step = window.read.reading._step.field
    click(step)
    x("key", "ctrl+a")
    x("type", "3")
    x("key", "Return")
    yield lambda: desk.take.step == 3, "the step is set"
    body = next(iter(truth["bodies"].values()))
    view = window.read.view
    for frame in range(9, 64, 3):
        if frame == 9:
            x("mousemove", *on(view, (900, 60)), "click", 1)
            yield lambda: len(desk.body.readings) == 1 if desk.body else False, "a click makes a body"
            x("key", "ctrl+z")
            yield lambda: not desk.body or not len(desk.body.readings), "undo takes it back"
            x("key", "Home", "sleep", 0.05, "key", *["Right"] * 9)
        yield lambda n=frame: desk.frame == n and view.ready(), f"frame {frame} is shown"
        x("mousemove", *on(view, (body["x_px"][frame], body["y_px"][frame])), "click", 1)
        yield (
            lambda n=frame: desk.body is not None and desk.body.readings.at(n) is not None,
            f"frame {frame} is read",
        )
    before = desk.body.readings.at(63)
    x("key", "Left", "Left", "Left", "sleep", 0.1, "key", "alt+Right", "alt+ctrl+Right")
    desk_frame = desk.frame
    yield (
        lambda: desk.frame != desk_frame or desk.session.history.undo_name == "move a reading",
        "a reading is nudged",
    )
    x("key", "ctrl+z")
    yield lambda: desk.session.history.undo_name == "place a reading", "nudges are one step of undo"
    assert before is not None
    x("key", "ctrl+5")
    yield (
        lambda: window.stage == "motion" and "position" in window.motion.lanes._plots,
        "the motion stage opens",
    )
    lanes = window.motion.lanes
    assert lanes.axis == "y"
    area = lanes._plots["position"].area
    y = int(area.center().y())
    drag(spot(lanes, QPoint(int(area.left()) + 2, y)), spot(lanes, QPoint(int(area.right()) - 2, y)))
    yield lambda: len(desk.take.segments) == 1, "a segment is chosen"
    assert desk.take.segments[0].model == "constant-acceleration", desk.take.segments
    x("key", "ctrl+9")
    yield lambda: window.stage == "findings" and window.findings.has_picture(), "the sheet shows the film"
    press_button(window.findings, "Save as PDF")
    yield dialog_open, "the PDF dialog opens"
    type_path(folder / "sheet.pdf")
    yield lambda: dialog_closed() and "Written" in window.messages.text(), "the PDF is written"
    give_focus(window)
    x("key", "ctrl+s")
    yield dialog_open, "the save dialog opens"
    type_path(folder / "run.saltus")
    yield lambda: (folder / "run.saltus").exists() and not desk.session.unsaved, "the notebook is saved"


def keys(*words):
    """Press keys one after the other."""
    x("key", *words)


def nudges(dx, dy):
    """Keys that move a mark by some px: twenties, ones and tenths."""
    pressed = []
    for amount, plus, minus in ((dx, "Right", "Left"), (dy, "Down", "Up")):
        left = round(abs(amount), 1)
        for size, held in ((20, "alt+shift"), (1, "alt"), (0.1, "alt+ctrl")):
            count = int(left / size + 1e-6)
            left = round(left - count * size, 1)
            pressed += [f"{held}+{plus if amount > 0 else minus}"] * count
    return pressed


def tab_to(widget):
    """Press Tab until a widget has the focus; yields what to wait for."""
    for _press in range(60):
        if widget.hasFocus():
            return
        before = QApplication.focusWidget()
        keys("Tab")
        yield lambda b=before: QApplication.focusWidget() is not b, "Tab moves the focus"
    raise AssertionError(f"Tab never reaches {widget.accessibleName()}")


def type_in_dialog(path):
    """Type a path into the file dialog that is open, where the focus lies in its name field."""
    give_focus(QApplication.activeModalWidget())
    keys("ctrl+a")
    x("type", "--delay", 4, str(path))
    keys("Return")


def keys_only(window, film, truth, folder):
    """The same job without a mouse; yields what to wait for and its words."""
    desk = window.desk
    give_focus(window)
    opener = next(b for b in window.start.findChildren(QPushButton) if b.text() == "Choose a film…")
    yield from tab_to(opener)
    keys("space")
    yield dialog_open, "the film dialog opens"
    type_in_dialog(film)
    yield lambda: window.stage == "film" and desk.take is not None, "the film is a take"
    give_focus(window)
    keys("ctrl+2")
    yield lambda: window.stage == "scale" and window.scale.view.ready(), "the scale stage shows the film"
    keys("Return")
    yield lambda: desk.take.reference is not None, "Enter lays a length"
    ends = truth["reference"]
    for which in ("start", "end"):
        if which == "end":
            keys("Tab")
        at, aim = getattr(desk.take.reference, which), ends[f"{which}_px"]
        keys(*nudges(aim[0] - at[0], aim[1] - at[1]))
        yield (
            lambda w=which, a=aim: (
                max(abs(p - q) for p, q in zip(getattr(desk.take.reference, w), a, strict=True)) < 0.1
            ),
            f"the {which} is in place",
        )
    keys("Return")
    yield lambda: desk.take.axes is not None, "Enter places the origin"
    keys("F6")
    yield window.scale.lengths.length.hasFocus, "F6 goes to the length"
    x("type", f"{ends['length_m']:g} m")
    keys("Tab")
    x("type", "1 mm")
    keys("Return")
    yield (
        lambda: desk.take.reference.length is not None and desk.take.reference.length.U95 == 1,
        "it is typed",
    )
    keys("ctrl+3")
    yield lambda: window.stage == "read" and window.read.view.ready(), "the read stage shows the film"
    body = next(iter(truth["bodies"].values()))
    for frame in range(9, 64, 6):
        if frame == 9:
            keys("Home", *["Right"] * 9)
        else:
            keys(*["Right"] * 6)
        yield lambda n=frame: desk.frame == n and window.read.view.ready(), f"frame {frame} is shown"
        keys("Return")
        yield (
            lambda n=frame: desk.body is not None and desk.body.readings.at(n) is not None,
            f"frame {frame} is read",
        )
        at = desk.body.readings.at(frame)
        moves = nudges(body["x_px"][frame] - at.x, body["y_px"][frame] - at.y)
        if moves:
            keys(*moves)
        yield (
            lambda n=frame: abs(desk.body.readings.at(n).y - body["y_px"][n]) < 0.1,
            f"the reading in frame {frame} is in place",
        )
    keys("ctrl+5")
    yield (
        lambda: window.stage == "motion" and "position" in window.motion.lanes._plots,
        "the motion stage opens",
    )
    keys("Return")
    yield lambda: len(desk.take.segments) == 1, "Enter takes the whole record"
    keys("ctrl+9")
    yield lambda: window.stage == "findings" and window.findings.has_picture(), "the sheet shows the film"
    yield from tab_to(window.findings.pdf)
    keys("space")
    yield dialog_open, "the PDF dialog opens"
    type_in_dialog(folder / "sheet.pdf")
    yield lambda: dialog_closed() and "Written" in window.messages.text(), "the PDF is written"
    give_focus(window)
    keys("ctrl+s")
    yield dialog_open, "the save dialog opens"
    type_in_dialog(folder / "run.saltus")
    yield lambda: (folder / "run.saltus").exists() and not desk.session.unsaved, "the notebook is saved"


def main():
    """Open the window and do the job, or say where it got stuck."""
    film, truth, folder = Path(sys.argv[1]), json.loads(Path(sys.argv[2]).read_text()), Path(sys.argv[3])
    app = make_application(dark=False)
    window = Window()
    window.show()
    window.activateWindow()
    way = keys_only if sys.argv[4:] == ["keys"] else job
    steps = way(window, film, truth, folder)
    waiting = {"for": window.isVisible, "words": "the window shows", "since": time.monotonic()}

    def advance():
        if waiting["for"]():
            try:
                waiting["for"], waiting["words"] = next(steps)
            except StopIteration:
                timer.stop()
                window.close()
                app.exit(0)
            waiting["since"] = time.monotonic()
        elif time.monotonic() - waiting["since"] > PATIENCE_S:
            timer.stop()
            window.screen().grabWindow(0).save(str(folder / "stuck.png"))
            print(
                "stuck: waited for", waiting["words"], "at", window.stage, window.messages.text(), flush=True
            )
            app.exit(3)

    def failed(kind, error, trace):
        sys.__excepthook__(kind, error, trace)
        app.exit(4)

    sys.excepthook = failed
    timer = QTimer()
    timer.timeout.connect(advance)
    timer.start(40)
    code = app.exec()
    if code:
        window.findings.close_film()
        window.desk.close()
    sys.exit(code)


if __name__ == "__main__":
    main()
