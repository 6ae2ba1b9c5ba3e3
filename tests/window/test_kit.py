"""The kit of the window: menus, lists to choose from, and the base of every stage."""

import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QCheckBox, QLabel, QWidget

from saltus.ui.desk.stage import Stage, framed
from saltus.ui.kit.choices import chooser, fill, growing, tick
from saltus.ui.kit.menus import Entry, add_entry, menu_of, open_under
from saltus.ui.kit.widgets import Group, label, row

STAGES = ("film", "scale", "read", "time", "motion", "log", "trials", "stopwatch", "graph", "findings")


def test_a_menu_does_what_its_entries_say(window):
    """Words, keys beside them, lines between groups, what cannot be chosen; choosing one acts once."""
    done = []
    menu = menu_of(
        window,
        [
            Entry("Open", lambda: done.append("open"), keys="Ctrl+O"),
            None,
            Entry("Save", lambda: done.append("save"), possible=False),
        ],
    )
    add_entry(menu, Entry("Close", lambda: done.append("close")))
    opened, line, saved, closed = menu.actions()
    assert opened.text() == "Open\tCtrl+O"
    assert line.isSeparator()
    assert not saved.isEnabled()
    for action in (opened, closed, saved):
        action.trigger()
    assert done == ["open", "close"]
    menu.deleteLater()


def test_a_menu_opens_under_what_asked_for_it(window, monkeypatch):
    """The corner of the menu is the lower left corner of the button."""
    window.show()
    seen = []
    menu = menu_of(window, [Entry("One", lambda: None)])
    monkeypatch.setattr(type(menu), "exec", lambda _menu, at: seen.append(at))
    button = window.strip
    open_under(menu, button)
    assert seen == [button.mapToGlobal(QPoint(0, button.height()))]
    menu.deleteLater()


def test_a_list_is_filled_without_telling_anyone(window):
    """Filling and choosing by data is silent; only a person's choice is told; the same entries change nothing."""
    told = []
    box = chooser("Body", lambda: told.append(box.currentData()), 5)
    box.setParent(window)
    box.currentIndexChanged.connect(told.append)
    fill(box, [("ball", 1), ("cart", 2)], 2)
    assert (box.count(), box.currentText(), told) == (2, "cart", [])
    fill(box, [("ball", 1), ("cart", 2)])
    assert (box.currentData(), told) == (2, [])
    fill(box, [("ball", 1)])
    assert (box.currentData(), told) == (1, [])
    box.activated.emit(0)
    assert told == [1]
    assert box.accessibleName() == "Body"
    assert growing(box, 200) is box
    box.deleteLater()


def test_a_box_is_ticked_without_telling_anyone(window):
    """Showing a state is no choice of the person."""
    told = []
    box = QCheckBox("x", window)
    box.toggled.connect(told.append)
    tick(box, True)
    assert box.isChecked()
    assert told == []
    box.click()
    assert told == [False]
    box.deleteLater()


class Counting(Stage):
    """A stage that counts how often it shows itself."""

    def __init__(self, desk, *, follows=True):
        self.follows_place = follows
        super().__init__(desk)
        self.shown = 0
        self.beside(
            framed(row(label("Head")), [QLabel("above"), QLabel("below")], (1, 2, 3, 4), 5, "desk"), 300
        )
        self.listen()

    def show_now(self):
        """Count."""
        self.shown += 1


@pytest.mark.parametrize("follows", [True, False])
def test_a_stage_shows_itself_only_while_it_is_seen(window, qtbot, follows):
    """Hidden it costs nothing; when it comes it catches up once; the place in the film counts where it should."""
    stage = Counting(window.desk, follows=follows)
    window.desk.changed.emit()
    assert stage.shown == 0
    stage.show()
    qtbot.waitUntil(lambda: stage.shown == 1)
    window.desk.changed.emit()
    assert stage.shown == 2
    window.desk.lookedElsewhere.emit()
    assert stage.shown == 2 + follows
    stage.hide()
    window.desk.changed.emit()
    assert stage.shown == 2 + follows
    stage.deleteLater()


def test_every_stage_has_a_next_step_at_its_foot(window):
    """All stages stand on one base, and each says in its column what to do next."""
    for name in STAGES:
        stage = getattr(window, name)
        assert isinstance(stage, Stage), name
        assert stage.isAncestorOf(stage.next), name


def test_a_group_lays_its_things_one_under_the_other(window):
    """Its margins are none, its gap is that of the column unless it says otherwise."""
    group, tight = Group(), Group(gap=3)
    for one in (group, tight):
        one.setParent(window)
        one.column.addWidget(QWidget())
        margins = one.column.contentsMargins()
        assert (margins.left(), margins.top(), margins.right(), margins.bottom()) == (0, 0, 0, 0)
    assert (group.column.spacing(), tight.column.spacing()) == (10, 3)
    group.deleteLater()
    tight.deleteLater()
