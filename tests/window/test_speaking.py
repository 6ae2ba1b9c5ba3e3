"""Trials, Graph and Findings as a student meets them: symbols, units, what is said when a key does nothing."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QAbstractButton, QLabel

from saltus.core.notation.line import as_text
from saltus.exchange.report import report_of
from saltus.exchange.trials_sheet import describe_trials
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.recipe.catalogue import recipe_named
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.trials import CustomColumn
from saltus.printing.figures import figures
from saltus.printing.report_html import html_of
from saltus.simulate.trials import simulated_notebook
from saltus.ui.app.investigating import begin, empty_table
from saltus.ui.app.worked_popup import WorkedPopup
from saltus.ui.kit.formula_label import FormulaLabel
from saltus.ui.trials.header import heading_box

KEY = Qt.Key


def opened(window, name, stage="trials"):
    """An investigation with simulated trials, on a stage."""
    window.desk.start(simulated_notebook(recipe_named(name)))
    window.go_to(stage)
    return evaluate(window.desk.notebook)


def place_of(table, name):
    """Place of a column in the table."""
    return table.rows.layout.index(name)


def test_a_new_table_is_typed_in_the_units_people_use(window):
    """Grams and centimetres stand at the head before anything is typed, and what is typed counts so."""
    assert empty_table("hooke-static").units == {"mass": "g", "reading": "cm"}
    assert begin(window.desk, "hooke-static", "table", lambda: True) == "trials"
    assert evaluate(window.desk.notebook).recipe.columns["mass"].unit_text == "kg"
    assert window.desk.notebook.trials.units["mass"] == "g"


def test_a_jump_on_a_cord_opens_on_its_record(window):
    """Not on a table of 1,600 trials: its record is on Log, the picture on Graph is the record."""
    assert begin(window.desk, "cord-jump", "simulated", lambda: True) == "log"
    window.go_to("log")
    assert len(window.desk.notebook.logs[0].times) > 1000
    window.go_to("graph")
    graph = window.graph.view._graph
    assert len(graph.chart.curves[0].x) > 1000
    assert any("lowest" in note for note in graph.chart.points[0].notes)
    begin(window.desk, "cord-jump", "table", lambda: True)
    assert evaluate(window.desk.notebook).recipe.id == "cord-jump"


def test_typing_on_what_is_worked_out_says_so(window, qtbot):
    """A digit on a derived cell changes nothing and tells what it follows from."""
    opened(window, "pendulum")
    table = window.trials.table
    table.go_to("trial-1", "time")
    index = table.rows.index(table.currentIndex().row(), place_of(table, "period"))
    table.setCurrentIndex(index)
    before = window.desk.notebook
    qtbot.keyClick(table, KEY.Key_7)
    assert window.desk.notebook is before
    assert window.messages.text().startswith("Period is worked out: T = t/n.")


def test_a_message_stays_with_its_stage(window, qtbot):
    """What was said on Trials is gone on Graph; what is said while a stage opens stays."""
    opened(window, "pendulum")
    window.desk.said.emit("Something of Trials.", "warn")
    assert window.messages.isVisible()
    qtbot.wait(350)
    window.go_to("graph")
    assert not window.messages.isVisible()
    window.desk.said.emit("Something of what opens.", "note")
    window.go_to("trials")
    assert window.messages.isVisible()


def test_the_side_panel_is_true_at_once(window, qtbot):
    """As soon as the angle is typed the panel says so: no “not typed” beside it."""
    window.desk.start(Notebook())
    begin(window.desk, "falling-mass-inertia", "table", lambda: True)
    window.go_to("trials")
    qtbot.mouseClick(window.trials.level, Qt.MouseButton.LeftButton)
    table = window.trials.table
    editor = table.focusWidget()
    qtbot.keyClicks(editor, "6.28")
    qtbot.keyClick(editor, KEY.Key_Return)

    def told():
        return " ".join(one.text() for one in window.trials.trial.findChildren(QLabel) if one.isVisible())

    qtbot.waitUntil(lambda: "6.28 rad" in told())
    assert "not typed" not in told()


def test_heads_tell_name_and_formula(window):
    """The tip of a derived column is its name, unit and its formula as a picture with its text."""
    opened(window, "falling-mass-inertia")
    table = window.trials.table
    tip = table._head.tip(place_of(table, "alpha"))
    assert "angular acceleration / rad/s²" in tip
    assert "data:image/png;base64" in tip
    assert "α = 2θ/t²" in tip
    full, least = table._head.widths(place_of(table, "angle"))
    assert least < full


@pytest.mark.parametrize("size", [(1280, 800), (1024, 680)])
def test_all_columns_are_in_sight(window, qtbot, size):
    """Names give way to symbols before a column leaves the window."""
    window.resize(*size)
    opened(window, "falling-mass-inertia")
    qtbot.wait(30)
    bar = window.trials.table.horizontalScrollBar()
    assert bar.maximum() == 0


def test_show_how_sets_the_formulas_with_own_numbers(window):
    """Symbol, formula, numbers and value: each on a label that can be read out."""
    evaluation = opened(window, "spring-oscillator", "graph")
    popup = WorkedPopup(window, evaluation, lambda: None)
    set_out = [one.text() for one in popup.findChildren(FormulaLabel)]
    assert set_out[0] == "k = 4π²/slope"
    assert any(text.startswith("T = t/n = ") and text.endswith("s") for text in set_out)
    assert set_out[-1].endswith("N/m")
    popup.close()


def test_si_units_only(window):
    """A tick states every result in SI; undo takes it back."""
    opened(window, "spring-oscillator", "graph")
    panel = window.graph.statement

    def told():
        return " ".join(one.text() for one in panel._all.findChildren(QLabel))

    assert " g (95" in told()
    panel.si.box.setChecked(True)
    assert " kg (95" in told()
    window.desk.undo()
    assert " g (95" in told()
    assert not panel.si.box.isChecked()


def test_a_table_with_heads_is_pasted_under_its_columns(window):
    """Wherever the cursor stands; cells without heads go in from it on."""
    window.desk.start(Notebook())
    begin(window.desk, "pendulum", "table", lambda: True)
    window.go_to("trials")
    clipboard = QGuiApplication.clipboard()
    clipboard.setText(
        "Pendulum length (cm)\tswings\ttrial 1 (s)\ttrial 2 (s)\n40\t10\t12.70\t12.66\n60\t10\t15.52\t15.55\n"
    )
    window.trials.table.setFocus()
    window.trials.table.cells.paste()
    evaluation = evaluate(window.desk.notebook)
    assert [t.cells["time"] for t in evaluation.rows] == ["12.70", "12.66", "15.52", "15.55"]
    assert evaluation.columns["length"].value == pytest.approx([0.4, 0.4, 0.6, 0.6])
    clipboard.setText("who\twhen\nA\tMonday\n")
    window.trials.table.cells.paste()
    assert len(evaluate(window.desk.notebook).rows) == 4


def test_the_length_is_asked_as_soon_as_it_is_laid(shown, qtbot, click):
    """After the drag the keyboard is in the length field, whose example does not look like a value."""
    shown.go_to("scale")
    qtbot.waitUntil(shown.scale.view.ready)
    click(shown.scale.view, (60, 90), (220, 90))
    assert shown.scale.lengths.length.hasFocus()
    assert shown.scale.lengths.length.placeholderText().startswith("such as")
    qtbot.keyClicks(shown.scale.lengths.length, "0.5 m")
    qtbot.keyClick(shown.scale.lengths.length, KEY.Key_Return)
    assert shown.desk.take.reference.length.value == 0.5


def test_set_up_tells_roles_and_what_stays(window):
    """Kept the same and who does what stand in Set-up."""
    opened(window, "whirl-force-speed")
    told = " ".join(one.text() for one in window.trials.set_up.findChildren(QLabel))
    assert "Kept the same" in told
    assert "outside the plane of rotation" in told


WILD = "<img src=x onerror=y>&amp;\u202e"


def test_titles_of_a_person_are_text_wherever_they_are_set(window):
    """An own column named as markup: in head, tip, chooser, Show how and on the sheet it is what was typed."""
    notebook = simulated_notebook(recipe_named("pendulum"))
    own = CustomColumn(name="wild", title=WILD, unit="s", formula="time/2")
    window.desk.start(edits.put_column(notebook, own))
    window.go_to("trials")
    table = window.trials.table
    tip = table._head.tip(place_of(table, "wild"))
    assert "<img src=x" not in tip
    assert "&lt;img src=x" in tip
    window.go_to("graph")
    offered = [window.graph.axis_y.itemText(i) for i in range(window.graph.axis_y.count())]
    assert any("<img" in text for text in offered), "a list shows plain text"
    evaluation = evaluate(window.desk.notebook)
    popup = WorkedPopup(window, evaluation, lambda: None)
    for part in popup.findChildren(QLabel):
        assert part.textFormat() != Qt.TextFormat.RichText or "<img src=x" not in part.text()
    popup.close()
    sheet = describe_trials(window.desk.notebook, evaluation)
    drawn = figures(sheet, None, None)
    assert "<img src=x" not in html_of(report_of(sheet, set(drawn)), drawn)


def test_two_observers_in_one_cell(window):
    """14.62 & 14.70: one trial, their mean, the difference as what is stated; a third word is told at the cell."""
    notebook = simulated_notebook(recipe_named("pendulum"))
    notebook = notebook.but(trials=notebook.trials.but(instruments={}))
    ids = [t.id for t in notebook.trials.trials]
    pairs = {
        (i, "time"): f"{t.cells['time']} & {float(t.cells['time']) + 0.08:.2f}"
        for i, t in zip(ids, notebook.trials.trials, strict=True)
    }
    window.desk.start(edits.set_cells(notebook, pairs))
    window.go_to("trials")
    evaluation = evaluate(window.desk.notebook)
    assert len(evaluation.rows) == len(ids)
    first = float(notebook.trials.trials[0].cells["time"])
    assert evaluation.columns["time"].value[0] == pytest.approx(first + 0.04)
    # 18 differences of 0.08: 0.08/√2 a hand, with Student's factor of 18 over 1.96, for the mean over √2
    assert evaluation.columns["time"].u_own[0] == pytest.approx(0.04 * 2.101 / 1.96, rel=2e-3)
    table = window.trials.table
    table.go_to(ids[0], "time")
    table.rows.setData(table.currentIndex(), "11.0 & soon", Qt.ItemDataRole.EditRole)
    assert "soon" in table.rows.problem(table.currentIndex())


def test_a_guess_is_told_at_its_cell(window):
    """“about 19” is no reading: the cell says it was guessed and what to write."""
    opened(window, "pendulum")
    table = window.trials.table
    table.go_to("trial-1", "time")
    table.rows.setData(table.currentIndex(), "about 19", Qt.ItemDataRole.EditRole)
    assert "guessed" in table.rows.problem(table.currentIndex())
    assert "19 ± 1" in table.rows.problem(table.currentIndex())


def test_si_units_stay_chosen_when_it_is_opened_again(window, tmp_path):
    """The choice is in the file; typed columns keep the units they are typed in."""
    opened(window, "spring-oscillator", "graph")
    window.graph.statement.si.box.setChecked(True)
    path = tmp_path / "spring.saltus"
    assert window.desk.save(path)
    window.desk.start(Notebook())
    window.files.open_path(path)
    window.go_to("graph")
    assert window.graph.statement.si.box.isChecked()
    assert window.desk.notebook.trials.units["mass"] == "g"


def test_what_is_given_by_itself_does_not_look_typed(window):
    """A default stands in its field as one, with what to do; an example says that it is one."""
    window.desk.start(Notebook())
    begin(window.desk, "falling-mass-inertia", "table", lambda: True)
    window.go_to("trials")
    window.trials.show_panel(1)
    fields = window.trials.givens.fields
    assert fields["g"].placeholderText() == "9.81(1) m/s², unless typed"
    assert fields["radius"].placeholderText() == "such as 1.00 ± 0.01 cm"
    assert fields["radius"].text() == ""


def test_show_how_opens_by_its_button_and_leads_to_the_graph(window, qtbot):
    """The button at the foot, then the link: the keyboard reaches both."""
    opened(window, "spring-oscillator")
    window.limits._how.click()
    popup = window.findChild(WorkedPopup)
    assert popup is not None
    assert popup.accessibleName() or popup.findChildren(FormulaLabel)
    link = next(b for b in popup.findChildren(QAbstractButton) if "Graph" in b.text())
    link.click()
    assert window.stage == "graph"
    qtbot.waitUntil(lambda: window.findChild(WorkedPopup) is None)


@pytest.mark.parametrize("window", [150], indirect=True)
def test_heads_at_large_text_still_tell_which_column(window):
    """At 150 % text every column has its symbol and unit in its head, and a strip beside them."""
    opened(window, "level-launch")
    table = window.trials.table
    for place, name in enumerate(table.rows.layout):
        column = table.rows.column_at(place)
        if column is None or not column.has_symbol:
            continue
        shown = heading_box(column, table.columnWidth(place) / 1.5 - 16)
        assert as_text(column.symbol) in as_text(shown), name
        assert column.unit in as_text(shown)
