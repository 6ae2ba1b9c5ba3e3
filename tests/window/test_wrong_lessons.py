"""Five lessons typed with the keyboard, each with a mistake in it: what the window says of it, and what it does not."""

import math

import pytest
from keyboard import KEY, MODS, Keys
from PyQt6.QtWidgets import QApplication, QLabel

from saltus.exchange.trials_sheet import describe_trials
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.notebook.edits import trials as edits


@pytest.fixture
def keys(qtbot, window):
    """A keyboard for the window, which must be the active one for shortcuts to work."""
    window.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is window)
    return Keys(qtbot, window)


def said(widget):
    """All that stands on a part of the window."""
    for _turn in range(3):
        # what had to wait for an editor to close comes one turn later, its labels another
        QApplication.processEvents()
    return " ".join(part.text() for part in widget.findChildren(QLabel) if part.isVisible())


def swing(length, cycles=10):
    """Time of some swings, s, for g = 9.81 m/s²."""
    return cycles * 2 * math.pi * math.sqrt(length / 9.81)


def test_nine_swings_counted_as_ten(window, keys):
    """One trial of twelve: named with its level, the miscount with it; set aside, nothing is left to say."""
    keys.start("pendulum")
    for length in (0.3, 0.5, 0.7, 0.9):
        times = [swing(length) + 0.02 * (n - 1) for n in range(3)]
        if length == 0.7:
            times[1] = swing(length, 9)
        keys.level(f"{100 * length:.1f}", [("10", f"{t:.2f}") for t in times])
    told = said(window.trials.trial)
    assert "Trial 2 of 3 at 70.0 (row 8 of the table) stands out" in told
    assert "In row 8, one too many looks counted in swings counted" in told
    evaluation = evaluate(window.desk.notebook)
    group = next(g for g in evaluation.groups if g.odd)
    assert group.name == ("70.0",)
    row = group.odd[0]
    notebook = edits.change_trial(
        window.desk.notebook, evaluation.rows[row].id, status="set-aside", reason="miscounted"
    )
    window.desk.edit("set a trial aside", notebook)
    QApplication.processEvents()
    assert "stands out" not in said(window.trials.trial)
    assert slips_of(evaluate(notebook)) == []


def test_kilograms_typed_under_grams(window, keys):
    """The head says g, the numbers are kg: it is named, with the stiffness that follows, on every stage."""
    keys.start("stiffness rest")
    for grams in (0, 50, 100, 150, 200, 250):
        reading = 13.2 + 0.1 * grams * 9.81 / 24.5 + 0.03 * (-1) ** (grams // 50)
        keys.level(f"{grams / 1000:.3f}", [(f"{reading:.2f}",)])
    told = said(window.trials.trial)
    assert "“mass hung on” looks like kilograms typed for grams" in told
    assert "Then spring constant is 24." in told
    keys.press(KEY.Key_8, MODS.ControlModifier)
    assert "kilograms typed for grams" in said(window.graph)
    sheet = describe_trials(window.desk.notebook, evaluate(window.desk.notebook))
    assert any("grams" in line for s in sheet.sections for line in s.lines if isinstance(line, str))


def test_a_spring_overstretched_at_the_end(window, keys):
    """The last levels bend away: which, and up to where it is straight; the line's verdict on zero stays."""
    keys.start("stiffness rest")
    for n in range(9):
        mass = 0.05 * n  # kg, and readings in m: typed in g and cm
        reading = 0.132 + mass * 9.81 / 24.5 + (0.02 * (n - 6) if n > 6 else 0.0)
        keys.level(f"{1000 * mass:.0f}", [(f"{100 * reading + 0.06 * (-1) ** k:.2f}",) for k in (n, n + 1)])
    keys.press(KEY.Key_8, MODS.ControlModifier)
    told = said(window.graph)
    assert "The last 2 levels (350, 400) bend away from the line: up to 300 it is straight." in told


def test_one_radius_whirled_with_a_turn_too_many(window, keys):
    """Masses at each radius are compared one by one: four agree with the balance, one differs, and it says which."""
    keys.start("whirled body")
    for radius in (0.4, 0.5, 0.6, 0.7, 0.8):
        time = 10 * math.sqrt(4 * math.pi**2 * radius * 0.025 / (0.1 * 9.81))
        turns = 11 if radius == 0.6 else 10
        rows = [(str(turns), f"{time + 0.03 * k:.2f}") for k in (-1, 0, 1)]
        keys.level(f"{100 * radius:.0f}", rows)
    keys.given("hanging_mass", "0.1000(2) kg")
    keys.given("body_mass", "0.0250(1) kg")
    keys.press(KEY.Key_8, MODS.ControlModifier)
    told = said(window.graph)
    assert "4 agree. 1 differs: 60." in told
    assert "judged together" in told


def test_three_cones_that_say_nothing_yet(window, keys):
    """Weak data: no verdict, but what would settle it; a level of one trial says that it borrows."""
    keys.start("guided")
    for level, times in (
        ("1", ("1.62", "1.66")),
        ("2", ("1.64", "1.61")),
        ("3", ("1.63", "1.67")),
        ("4", ("1.64",)),
    ):
        keys.level(level, [(t,) for t in times])
    keys.given("distance", "1.200(1) m")
    keys.press(KEY.Key_8, MODS.ControlModifier)
    told = said(window.graph)
    assert "Cannot tell yet" in told
    assert "at each level would settle it" in told
    assert "borrowed" in told
    # what a level's mean is has one uncertainty, wherever it stands
    evaluation = evaluate(window.desk.notebook)
    for group, name in zip(evaluation.groups, "1234", strict=True):
        assert group.mean("time").U95 == evaluation.outcome.results[f"mean_{name}"].U95
