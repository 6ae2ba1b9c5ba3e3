"""From the document to what is shown: values, budgets, advice, tables and the sheet's words."""

import math
from itertools import pairwise

import made
import numpy as np
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from saltus.commands.tabular.segment_table import fit_table
from saltus.core import sources
from saltus.core.motion.segment import NoFit, SegmentFit
from saltus.core.units import METRE, SECOND
from saltus.exchange import time_base
from saltus.exchange.chart import Chart, Curve, Label, Points, airy, tick_text, ticks
from saltus.exchange.chart_changes import changed_span
from saltus.exchange.motion_table import (
    motion_of_take,
    motion_rows,
    readings_of_take,
)
from saltus.exchange.sheet import describe, scale_words
from saltus.exchange.tables import TableError, csv_text, parse_table, read_table, write_table
from saltus.notebook.derived.advice import progress, result_limits, scale_limits
from saltus.notebook.derived.frame_clock import clock_of, frame_times, rhythm, tick_of
from saltus.notebook.derived.geometry import mapping_of, scale_problem
from saltus.notebook.derived.motion import body_motion, headline, segment_fit
from saltus.notebook.edits import readings as reading_edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.edits import segments as segment_edits
from saltus.notebook.edits import takes as take_edits
from saltus.notebook.edits import timing as timing_edits
from saltus.notebook.readings import Reading


def test_the_headline_follows_the_document():
    """The result is derived anew from whatever the document says, and shares its sources with itself."""
    notebook, take_id, body, segment = made.measured(40, acceleration=2.0)
    name, value = headline(notebook.take(take_id))
    assert (name, value.unit.ascii) == ("acceleration", "m/s^2")
    assert float(value) == pytest.approx(2.0, rel=1e-9)
    again = headline(made.measured(40, acceleration=2.0)[0].take(take_id))[1]
    assert float((value - again).u) == pytest.approx(0, abs=1e-12)
    longer = scale_edits.move_reference_end(notebook, take_id, "end", (1050.0, 300.0))
    assert float(headline(longer.take(take_id))[1]) == pytest.approx(1.0)
    slow = take_edits.set_clock(notebook, take_id, 60.0, 0.0)
    assert float(headline(slow.take(take_id))[1]) == pytest.approx(8.0)
    turned = scale_edits.turn_axes(notebook, take_id, 90.0)
    assert float(headline(turned.take(take_id))[1]) == pytest.approx(0.0, abs=1e-9)
    none = segment_edits.remove_segment(notebook, take_id, segment)
    assert headline(none.take(take_id)) is None
    bare = reading_edits.remove_body(notebook, take_id, body)
    assert headline(bare.take(take_id)) is None


def test_readings_set_aside_do_not_count():
    """A wild reading changes the result until it is set aside; putting it back changes it again."""
    notebook, take_id, body, _segment = made.measured(30)
    good = float(headline(notebook.take(take_id))[1])
    wild = reading_edits.place_reading(notebook, take_id, body, Reading(20, 10.0, 200.0))
    assert float(headline(wild.take(take_id))[1]) != pytest.approx(good, rel=0.05)
    aside = reading_edits.switch_aside(wild, take_id, body, 20)
    assert float(headline(aside.take(take_id))[1]) == pytest.approx(good)
    back = reading_edits.switch_aside(aside, take_id, body, 20)
    assert headline(back.take(take_id))[1].value == headline(wild.take(take_id))[1].value


def test_budget_parts_are_the_formulas():
    """Each part of the result's uncertainty is what its formula says: scale undiminished, reading through the fit."""
    notebook, take_id, body, _segment = made.measured(40)
    notebook = take_edits.set_clock(notebook, take_id, 30.0, 0.196)
    notebook = reading_edits.set_reading_uncertainty(notebook, take_id, body, 0.5)
    value = headline(notebook.take(take_id))[1]
    parts = value.parts()
    a = float(value)
    assert parts[sources.scale_length("take-1")] == pytest.approx(a * 0.002 / 1.959964, rel=1e-4)
    assert parts[sources.scale_ends("take-1")] == pytest.approx(a * math.sqrt(2) * 1.0 / 500, rel=1e-6)
    assert parts[sources.clock("take-1")] == pytest.approx(2 * a * 0.001, rel=1e-3)
    t = np.arange(40) / 30
    design = np.column_stack([np.ones(40), t, t**2 / 2])
    exact = 0.5 * 0.002 * math.sqrt(np.linalg.inv(design.T @ design)[2, 2])
    assert parts[sources.reading("take-1", "body-1", "x")] == pytest.approx(exact, rel=1e-9)


def test_without_a_scale_everything_is_in_pixels():
    """No reference length, or one not typed: positions in px, and a sentence that says what is missing."""
    notebook, take_id, _body, _segment = made.measured(20)
    bare = scale_edits.remove_reference(notebook, take_id)
    take = bare.take(take_id)
    assert headline(take)[1].unit.ascii == "px/s^2"
    assert scale_problem(take) == "in pixels: set a reference length"
    laid = scale_edits.lay_reference(bare, take_id, (0, 0), (100, 0)).take(take_id)
    assert scale_problem(laid) == "in pixels: type the reference length"
    header, rows = motion_of_take(take)
    assert header[3] == "x [px]"
    assert len(rows) == 20
    assert (mapping_of(take).scaled, mapping_of(take).unit.text, mapping_of(take).per_px) == (
        False,
        "px",
        1.0,
    )
    assert scale_words(take) == scale_problem(take)
    shut = scale_edits.move_reference_end(notebook, take_id, "end", (50.0, 300.2)).take(take_id)
    assert "apart" in scale_problem(shut)


def test_times_come_from_the_film_or_the_capture_rate():
    """True stamps are used as they are; a stated capture rate gives frame over rate with no tick, gaps counted."""
    ticks = (0, 33, 67, 100, 133, 233)
    notebook, take_id = made.with_film(ticks=ticks, time_base=made.Fraction(1, 1000))
    take = notebook.take(take_id)
    assert frame_times(take) == pytest.approx(np.array(ticks) / 1000)
    assert tick_of(take) == pytest.approx(0.001)
    fast = take_edits.set_clock(notebook, take_id, 240.0, 0.5).take(take_id)
    assert frame_times(fast) == pytest.approx(np.array([0, 1, 2, 3, 4, 7]) / 240)
    uneven, _id = made.with_film(ticks=(0, 30, 70, 100, 148, 180), time_base=made.Fraction(1, 1000))
    slow = take_edits.set_clock(uneven, take_id, 240.0, 0.0).take(take_id)
    assert frame_times(slow) == pytest.approx(np.array([0, 30, 70, 100, 148, 180]) / 32 / 240)
    assert (tick_of(fast), clock_of(fast).u_rate) == (0.0, pytest.approx(0.005 / 1.959964))
    assert tick_of(made.with_film()[0].take("take-1")) == 0.0
    assert mapping_of(take).axes.origin == (0.0, 359.0)


def test_advice_names_what_helps_most_with_numbers():
    """The sentence names the change, and the uncertainty before and after it; after is smaller."""
    notebook, take_id, _body, _segment = made.measured(40, step=4, noise_px=0.5, seed=3)
    limits = result_limits(notebook.take(take_id))
    assert sum(share for _n, _k, share in limits.items) == pytest.approx(1)
    assert "Reading all 40 frames here, not 10" in limits.sentence
    before, after = (
        float(w) for w in limits.sentence.replace("±", "").split() if w[0].isdigit() and "." in w
    )
    assert after < before
    ends = scale_limits(notebook.take(take_id))
    assert ends.items[0][0] == "Its two ends"
    assert "twice as long" in ends.sentence or "twice as well" in ends.sentence
    wrong = segment_edits.change_segment(notebook, take_id, "segment-1", model="constant-velocity")
    assert "scatter more than stated" in result_limits(wrong.take(take_id)).sentence
    assert result_limits(made.with_film()[0].take("take-1")) is None


def test_progress_marks():
    """Marks go from empty over half to done; a film with gaps or repeats needs a look."""
    assert set(progress(None).values()) == {"empty"}
    notebook, take_id = made.with_film()
    assert progress(notebook.take(take_id)) == {
        "film": "done", "scale": "empty", "read": "empty", "time": "empty", "motion": "empty",
        "findings": "empty",
    }  # fmt: skip
    full = progress(made.measured(20)[0].take(take_id))
    assert full.pop("time") == "empty"
    assert list(full.values()) == ["done", "done", "done", "done", "half"]
    timed, _one = timing_edits.mark_instant(notebook, take_id, frame=3)
    assert progress(timed.take(take_id))["time"] == "half"
    gap = made.with_film(ticks=(*range(20), *range(24, 44)))[0].take(take_id)
    assert rhythm(gap).gaps == (19,)
    assert progress(gap)["film"] == "look"


def test_findings_of_a_film_in_words():
    """Gaps, repeats and an uneven rate are told in sentences that name frame and time."""
    gap = made.with_film(ticks=(*range(20), *range(24, 44)), duplicates=(3, 9))[0].take("take-1")
    found = time_base.findings(gap)
    words = " ".join(sentence for _mark, sentence in found)
    assert "4 frames are missing after 0.633 s (frame 19)." in words
    assert "2 frames repeat the one before: 3, 9." in words
    assert time_base.headline_finding(gap)[0] == "look"
    even = made.with_film()[0].take("take-1")
    assert time_base.headline_finding(even) == ("done", "Even spacing: 33.33 ms.")
    uneven = made.with_film(ticks=tuple(np.cumsum([0, *[30, 37, 33, 51, 28] * 6]).tolist()),
                            time_base=made.Fraction(1, 1000))[0].take("take-1")  # fmt: skip
    assert any("rate varies" in sentence for _mark, sentence in time_base.findings(uneven))
    assert time_base.spacing_chart(made.with_film(frames=1)[0].take("take-1")) is None


def test_the_sheet_says_what_was_done():
    """Result, method, table, parameters and budget stand on the sheet with honest digits."""
    notebook, take_id, _body, _segment = made.measured(40, noise_px=1.0, seed=1)
    notebook = take_edits.set_who(notebook, "Heron group")
    sheet = describe(notebook, notebook.take(take_id))
    value = headline(notebook.take(take_id))[1]
    assert sheet.byline == "Heron group · run"
    assert sheet.result.text.endswith("m/s²")
    assert float(sheet.result.text.split(" ± ")[0]) == pytest.approx(float(value), abs=value.U95 / 2)
    method = " ".join(sheet.method)
    assert "40 readings were placed by hand on Cart" in method
    assert "from a length of 1.000 ± 0.002 m" in method
    assert "40 positions from 0.000 s to 1.300 s" in method
    assert len(sheet.readings.rows) == 12
    assert sheet.readings.rows[0][0] == "0"
    assert "12 of 40 readings are shown" in sheet.readings.note
    assert {row[0] for row in sheet.parameters.rows} == {"position at the start", "velocity", "acceleration"}
    assert sheet.chart.points[0].x.size == 40
    assert sheet.residuals.band is not None
    empty = describe(notebook, None)
    assert (empty.result, empty.chart) == (None, None)
    simulated = notebook.but(takes=(notebook.takes[0].but(simulated=True),))
    assert "not a measurement" in describe(simulated, simulated.takes[0]).result.words


def test_a_segment_that_cannot_be_fitted_says_why():
    """Too few readings give a reason and no number anywhere."""
    notebook, take_id, body, segment = made.measured(20)
    notebook = segment_edits.change_segment(notebook, take_id, segment, first=3, last=4)
    take = notebook.take(take_id)
    fit = segment_fit(take, take.segment(segment))
    assert isinstance(fit, NoFit)
    assert "at least 3 readings" in fit.reason
    assert headline(take) is None
    assert describe(notebook, take).result is None
    assert len(body_motion(take, take.body(body)).t) == 20


def test_tables_of_a_take_and_of_its_readings_agree():
    """Exported readings through the motion table give the numbers the window shows."""
    notebook, take_id, _body, segment = made.measured(30, noise_px=0.7, seed=5)
    take = notebook.take(take_id)
    table = parse_table(csv_text(*readings_of_take(take)), "readings.csv")
    header, shown = motion_of_take(take)
    made_rows, _names = motion_rows(table, mapping_of(take), clock_of(take).u_rate)
    assert np.array([r[2:] for r in made_rows], float) == pytest.approx(
        np.array([r[2:] for r in shown], float), rel=1e-7, abs=1e-8
    )
    fit = fit_table(parse_table(csv_text(header, shown), "motion.csv"), "constant-acceleration", "x")
    window = segment_fit(take, take.segment(segment))
    assert isinstance(fit, SegmentFit)
    mine, theirs = fit.parameters["acceleration"], window.parameters["acceleration"]
    assert (float(mine), float(mine.u)) == (pytest.approx(float(theirs)), pytest.approx(float(theirs.u)))


@pytest.mark.parametrize("separator", [",", ";", "\t"])
def test_tables_as_people_write_them(separator):
    """Comma, semicolon and tab; decimal comma; units in the header; a byte-order mark; empty cells."""
    comma = separator != ","
    rows = [
        ["t [ms]", "x [cm]", "note"],
        ["0", "1,5" if comma else "1.5", "a"],
        ["40", "", "b"],
        ["80", "-2", ""],
    ]
    table = parse_table("\n".join(separator.join(r) for r in rows), "t.csv")
    assert table.numbers("t", SECOND) == pytest.approx([0, 0.04, 0.08])
    x = table.numbers("x", METRE)
    assert (x[0], math.isnan(x[1]), x[2]) == (pytest.approx(0.015), True, pytest.approx(-0.02))
    assert table.text("note") == ("a", "b", "")


@pytest.mark.parametrize(
    ("text", "column", "words"),
    [("", "x", "no table"), ("x [m]\n1\nzwei\n", "x", "line 3"), ("x [m]\n1\n", "y", "no column"),
     ("x [s]\n1\n", "x", "is in s"), ("x [m],x [m]\n1,2\n", "x", "two columns"), ("x [m]\nnan\n", "x", "not a number"),
     ("x [bogus]\n1\n", "x", "bogus")],
)  # fmt: skip
def test_wrong_tables_name_the_place(text, column, words):
    """What is wrong and where, in one sentence with the table's name."""
    with pytest.raises(TableError, match=words) as caught:
        parse_table(text, "runs.csv").numbers(column, METRE)
    assert "runs.csv" in str(caught.value)


def test_written_tables_are_safe_and_exact(tmp_path):
    """Numbers come back to 12 digits, spreadsheets hold real numbers, text never becomes a formula."""
    rows = [["=cmd()", 1.23456789012, None], ["Zwölf", float("nan"), 3]]
    write_table(tmp_path / "a.csv", ("name", "x [m]", "n"), rows)
    table = read_table(tmp_path / "a.csv")
    assert table.numbers("x", METRE)[0] == pytest.approx(1.23456789012, rel=1e-12)
    assert table.text("name") == ("'=cmd()", "Zwölf")
    write_table(tmp_path / "a.xlsx", ("name", "x [m]", "n"), rows)
    sheet = openpyxl.load_workbook(tmp_path / "a.xlsx").active
    assert sheet["B2"].value == pytest.approx(1.23456789012)
    assert sheet["A2"].value == "'=cmd()"
    assert sheet["B3"].value is None
    assert sheet["C3"].value == 3


@given(st.floats(-1e3, 1e3), st.floats(1e-3, 1e6), st.integers(1, 20))
def test_ticks_are_round_and_inside(low, span, most):
    """Ticks lie in the range at a step of 1, 2 or 5 times a power of ten, at most as many as asked for + 1."""
    high = low + span
    if not high > low:
        return
    marks = ticks(low, high, most)
    assert len(marks) <= most + 1
    for a, b in pairwise(marks):
        step = b - a
        assert round(step / 10 ** math.floor(math.log10(step) + 1e-6), 3) in (1, 2, 5, 10)
    slack = 1e-6 * span
    assert all(low - slack <= m <= high + slack for m in marks)
    assert all(tick_text(m, (high - low) / most) for m in marks)


def test_ranges_leave_air():
    """The range of a graph holds points and bars, also for one point or none."""
    points = Points(np.array([1.0]), np.array([2.0]), np.array([0.5]), 0)
    (x_low, x_high), (y_low, y_high) = Chart(Label("t"), Label("x"), (points,)).ranges
    assert x_low < 1 < x_high
    assert y_low < 1.5
    assert y_high > 2.5
    assert airy([], 0.1) == (0.0, 1.0)
    assert airy([np.array([np.nan, 3.0])], 0.1)[0] < 3


def test_the_scale_of_a_take_is_the_one_of_its_reference():
    """Centimetres and millimetres at the edges are metres inside."""
    notebook, take_id = made.with_film()
    factor = mapping_of(made.scaled(notebook, take_id, 0.5, 250).take(take_id)).scale
    assert float(factor) == pytest.approx(0.002)
    assert factor.unit.ascii == "m/px"


def test_what_an_edit_changes_in_a_graph_is_known():
    """One point moved within the limits, none, one that stretches the axis, another curve, another number of points."""
    x = np.arange(50.0)

    def chart(y, U=None, curve=0.0, count=50):
        points = Points(x[:count], y[:count], np.full(count, 0.5) if U is None else U, 1)
        return Chart(Label("t"), Label("x"), (points,), (Curve(x, x + curve),))

    y = x + np.sin(x)
    y[9] = math.nan
    moved, doubted, far = y.copy(), np.full(50, 0.5), y.copy()
    moved[20], moved[23], doubted[31], far[20] = 3.0, 4.0, 0.7, 900.0
    assert changed_span(chart(y), chart(moved)) == (20.0, 23.0)
    assert changed_span(chart(y), chart(moved, doubted)) == (20.0, 31.0)
    low, high = changed_span(chart(y), chart(y.copy()))
    assert low > high
    for other in (chart(far), chart(y, curve=0.1), chart(y, count=49)):
        assert changed_span(chart(y), other) is None
