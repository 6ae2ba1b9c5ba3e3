"""At work in the table of trials: the simulated example of an investigation, and choosing its cells."""

from PyQt6.QtWidgets import QApplication

from saltus.investigations.recipe.catalogue import recipe_named
from saltus.simulate.trials import simulated_notebook


def at_work(window, name="pendulum"):
    """The window on Trials with the simulated example of an investigation."""
    window.desk.start(simulated_notebook(recipe_named(name)))
    window.go_to("trials")
    QApplication.processEvents()
    return window.trials.table


def notebook_of(window):
    """The notebook as it is."""
    return window.desk.notebook


def column(table, name):
    """Place of a column in the view."""
    return table.rows.layout.index(name)


def choose(table, first, last, name, to=None):
    """Choose a block of cells from trial to trial."""
    selection = table.selectionModel()
    selection.clear()
    a, b = (table.rows.line_of_trial(t) for t in (first, last))
    left, right = column(table, name), column(table, to or name)
    table.setCurrentIndex(table.rows.index(a, left))
    for line in range(a, b + 1):
        for place in range(left, right + 1):
            selection.select(table.rows.index(line, place), selection.SelectionFlag.Select)
